/** Ties: a box on the reference and a box on the shot that should measure the same; the shot's may follow its subject. */
import { isTracked, motionAt, movedPlace, newShape } from "../correction/selection";
import { placesOf } from "../correction/tracks";
import { type Kept, type Meter, post, type Shot, type Tie, type Track } from "../shared/api";
import { loadTrace, show } from "./exchange";
import { useDesk } from "./state";
import { worked } from "./working";

const set = useDesk.setState;
const state = useDesk.getState;
const MOST = 12;

const tiesKey = (shot: Shot, reference: Kept | null) => `dovrel.ties.${shot.id}.${reference?.id ?? 0}`;

/** Ties belong to a shot and the frame it is tied to. */
export function keptTies(shot: Shot, reference: Kept | null): Tie[] {
  if (!reference || reference.shot_id === shot.id) return [];
  return JSON.parse(window.localStorage.getItem(tiesKey(shot, reference)) ?? "[]");
}

function setTies(ties: Tie[]) {
  const { shot, reference } = state();
  if (!shot) return;
  window.localStorage.setItem(tiesKey(shot, reference), JSON.stringify(ties));
  set({ ties });
  show({});
}

/** Tie the box that is metered in the reference to the one in the shot; says what is missing. */
export function tieBoxes() {
  const { meter, referenceMeter, ties } = state();
  if (meter?.kind !== "box" || referenceMeter?.kind !== "box") {
    set({
      fault:
        "A tie needs a box on each picture: in pair view, drag one on the reference and one on the shot.",
    });
    return;
  }
  const corners = (one: Meter) => one.points as Tie["shot"];
  const next = [...ties, { reference: corners(referenceMeter), shot: corners(meter) }].slice(-MOST);
  set({ meter: null, referenceMeter: null });
  void loadTrace();
  setTies(next);
}

export const removeTie = (index: number) => setTies(state().ties.filter((_, i) => i !== index));

/** Where a tie's box lies on a frame of the shot; null where its subject is lost. */
export function tieAt(tie: Tie, frame: number): Tie["shot"] | null {
  const { track } = tie;
  if (!track) return tie.shot;
  if (!isTracked(track, frame) || !placesOf(track)) return null;
  const [[left, top], [right, bottom]] = tie.shot;
  const motion = motionAt(track, frame);
  const [x, y] = movedPlace([(left + right) / 2, (top + bottom) / 2], motion);
  const [across, down] = [(motion.scale * (right - left)) / 2, (motion.scale * (bottom - top)) / 2];
  const kept = (place: number) => Math.min(Math.max(place, 0), 1);
  return [
    [kept(x - across), kept(y - down)],
    [kept(x + across), kept(y + down)],
  ];
}

/** Follow the subject of a tie's box through the shot from the frame on the desk, or let the box stay where it is now. */
export async function followTie(index: number) {
  const { shot, reference, frame, ties } = state();
  const tie = ties[index];
  if (!shot || !tie) return;
  const put = (next: Tie) => setTies(state().ties.map((one, i) => (i === index ? next : one)));
  const here = tieAt(tie, frame);
  if (tie.track) {
    put({ reference: tie.reference, shot: here ?? tie.shot });
    return;
  }
  set({ refused: null, said: null });
  const shape = newShape("outline", tie.shot, 1);
  const found = await worked("Following", (work) =>
    post<{ track: Track; notes: string[] }>(`/shots/${shot.id}/follow`, { shapes: [shape], frame, work }),
  );
  const now = state();
  if (!found || now.shot?.id !== shot.id || now.reference !== reference || now.ties[index] !== tie) return;
  const { track, notes } = found;
  put({ ...tie, track });
  const lost = notes.length > 0 ? `; ${notes.join("; ")}` : "";
  set({
    said: `Tie ${index + 1} follows from frame ${track.first + 1} to ${track.first + track.frames}${lost}.`,
  });
}
