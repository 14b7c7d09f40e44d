/** Working on a part of the picture: colours taken in and left out, areas drawn and followed, what is selected moved to an aim. */
import {
  carried,
  drawnOf,
  isSelection,
  isTracked,
  motionAt,
  newPick,
  newShape,
  type Place,
  selectionOf,
  withSamples,
  withShape,
} from "../correction/selection";
import { placesOf } from "../correction/tracks";
import { useScopes } from "../scopes/settings";
import { type Area, type Pick, post, type Sample, type Selection, type Track } from "../shared/api";
import { show } from "./exchange";
import { bounds } from "./meters";
import { edit, editValues, flush, meet } from "./saving";
import { inHandValues, useDesk } from "./state";
import { addStepOf } from "./steps";
import { worked } from "./working";

const set = useDesk.setState;
const state = useDesk.getState;

/** The current selection. */
export function selectionInHand(): Selection | null {
  const values = inHandValues(state());
  return isSelection(values) ? values : null;
}

/** What the server is asked about: the frame, the corrections, which step is current. */
function asked() {
  const { shot, frame, now, focus } = state();
  return { shot: shot?.id, frame, levels: now, ...focus };
}

/** Ask the server for something about what is current; null where it was refused, or something else has become current. */
async function answered<T>(path: string, order: object): Promise<T | null> {
  const { shot, now, focus } = state();
  if (!shot) return null;
  set({ acting: true, refused: null });
  try {
    const answer = await post<T>(`/shots/${shot.id}/${path}`, { ...asked(), ...order });
    const same = state();
    return same.now === now && same.focus === focus ? answer : null;
  } catch (error) {
    set({ refused: (error as Error).message });
    return null;
  } finally {
    set({ acting: false });
  }
}

/** Whether a press in the picture takes colours. */
export const takesColours = () => state().picking || Boolean(selectionInHand()?.pick);

/** Let the next press in the picture begin a pick: in a new step, or in the current area. */
export function beginPick() {
  set({ picking: true, adding: false, view: "shot", said: null, refused: null });
}

/** Take the colours of a box of the picture, or of a place, in or out; the first ones begin a pick. */
export async function takeColours(corner: Place, other: Place, out = false) {
  const { picking } = state();
  const before = selectionInHand();
  const isNew = picking && !(before && before.shapes.length > 0 && !before.pick);
  const found = await answered<{ samples: Sample[]; reach: number; soft: number }>("samples", {
    corner,
    other,
    new: isNew,
  });
  if (!found) return;
  set({ picking: false });
  if (isNew) {
    const pick = newPick(found.samples, found.reach, found.soft);
    await addStepOf("pick", selectionOf({ pick }));
    return;
  }
  const selection = selectionInHand();
  if (!selection) return;
  if (!selection.pick) putPick("colours taken in", newPick(found.samples, found.reach, found.soft));
  else {
    const pick = withSamples(selection.pick, found.samples, out);
    // What was taken may lie farther apart than what the pick began with; it never reaches less far for it.
    const reach = out ? pick.reach : Math.max(pick.reach, found.reach);
    putPick(out ? "a colour left out" : "a colour taken in", { ...pick, reach });
  }
}

/** Change the pick of the current selection; null takes it away where the selection has shapes. */
export function putPick(change: string, pick: Pick | null) {
  const selection = selectionInHand();
  if (!selection) return;
  if (!pick && selection.shapes.length === 0)
    set({
      refused: "A pick without a colour taken in selects nothing; take the step away with Del in the strip.",
    });
  else editValues(change, { ...selection, pick });
}

/** Keep the pick to what is brushed on the scopes. */
export async function narrowToBrushes() {
  const { brushes } = state();
  if (brushes.length === 0) {
    set({ refused: "Drag a range on a scope first; the pick is then kept to it." });
    return;
  }
  const found = await answered<{ pick: Pick }>("narrowed", { brushes });
  if (!found) return;
  set({ brushes: [] });
  putPick("pick kept to what is brushed", found.pick);
}

const aspectOf = () => {
  const { shot } = state();
  return shot?.clip?.width && shot.clip.height ? shot.clip.width / shot.clip.height : 16 / 9;
};

/** The box around what is metered, if a box or outline is. */
function meteredBox(): [Place, Place] | null {
  const { meter } = state();
  if (meter?.kind !== "box" && meter?.kind !== "outline") return null;
  const [left, top, right, bottom] = bounds(meter.points as Place[]);
  return [
    [left, top],
    [right, bottom],
  ];
}

/** Add an area as a new step, around what is metered if a box is. */
export async function addArea() {
  if (state().focus.level !== "shot") {
    set({
      adding: false,
      refused: "An area is a place in one shot's picture: make the shot's level current.",
    });
    return;
  }
  const shapes = [newShape("ellipse", meteredBox(), aspectOf())];
  set({ adding: false, shape: 0, view: "shot", meter: null });
  await addStepOf("area", selectionOf({ shapes }));
}

/** Whether it is known where the shapes of a selection are: their track's places may still be on their way. */
function isPlaced(selection: Selection): boolean {
  const placed = !selection.track || placesOf(selection.track) !== null;
  if (!placed) set({ refused: "Where the area is on this frame is still being loaded; try again." });
  return placed;
}

/** Add a shape to the current selection. */
export function addShape(kind: Area["kind"]) {
  const selection = selectionInHand();
  if (!selection || !isPlaced(selection)) return;
  const drawn = drawnOf(newShape(kind, meteredBox(), aspectOf()), motionAt(selection.track, state().frame));
  set({ shape: selection.shapes.length });
  editValues(`${kind} added`, { ...selection, shapes: [...selection.shapes, drawn] });
}

/** Put another shape in the place of one, given as it is seen at this frame; null takes it away. */
export function putShape(change: string, at: number, shape: Area | null) {
  const selection = selectionInHand();
  if (!selection || !isPlaced(selection)) return;
  const drawn = shape && drawnOf(shape, motionAt(selection.track, state().frame));
  const next = withShape(selection, at, drawn);
  if (!next)
    set({ refused: "An area without a shape selects nothing; take the step away with Del in the strip." });
  else editValues(change, next);
}

/** Follow the subject within the shapes through the shot; go on from here where it was lost; or stay where they are. */
export async function followSubject() {
  const selection = selectionInHand();
  if (!selection || selection.shapes.length === 0 || !isPlaced(selection)) return;
  if (selection.track && isTracked(selection.track, state().frame)) {
    const motion = motionAt(selection.track, state().frame);
    const shapes = selection.shapes.map((one) => carried(one, motion));
    editValues("follows no more", { ...selection, shapes, track: null });
    return;
  }
  await flush();
  const { shot, focus, frame } = state();
  if (!shot) return;
  set({ refused: null, said: null });
  const motion = motionAt(selection.track, frame);
  const shapes = selection.shapes.map((one) => carried(one, motion));
  const found = await worked("Following", (work) =>
    post<{ track: Track; notes: string[] }>(`/shots/${shot.id}/follow`, {
      shapes,
      frame,
      onto: selection.track,
      work,
    }),
  );
  const there = selectionInHand();
  if (!found || !there || state().shot?.id !== shot.id || state().focus !== focus) return;
  const { notes, track } = found;
  const last = track.first + track.frames;
  set({ said: null });
  editValues("follows its subject", { ...there, shapes, track });
  const lost = notes.length > 0 ? `; ${notes.join("; ")}` : "";
  set({ said: `Followed from frame ${track.first + 1} to ${last}${lost}.` });
}

/** Work on what is selected, or on all else. */
export function turnSide() {
  const { focus } = state();
  if (!selectionInHand()) return;
  void flush();
  set({ focus: { ...focus, side: focus.side === "outside" ? "inside" : "outside" } });
  show({});
}

/** Lead the mean hue of what is selected to the skin's line, its lightness kept. */
export async function leadToSkinLine() {
  const found = await answered<{ numbers: number[] }>("skin-line", {});
  if (found) edit("skin on its line", { numbers: found.numbers });
}

/** Hold what is selected down, so that its lightest channel's highs read so many percent. */
export async function holdDown(percent: number) {
  const found = await answered<{ numbers: number[] }>("held-down", { most: percent });
  if (found) edit(`highs limited to ${percent} %`, { numbers: found.numbers });
}

/** A fifth less colour of what is selected. */
export function lessColour() {
  const readings = state().shown?.readings;
  if (readings) meet("less of it", new Map([[9, 0.8 * readings[9]]]));
}

/** See what is selected, from black to white, or the picture again. */
export function turnMatte() {
  const { mark } = useScopes.getState();
  if (mark !== "matte" && !selectionInHand())
    set({ refused: "Make a pick or an area current to see its matte." });
  else useScopes.setState({ mark: mark === "matte" ? "none" : "matte" });
}

/** Take the colour under the cursor in, or leave it out, as a press there does. */
export function takeUnderCursor(out: boolean) {
  const { point } = state();
  if (point && takesColours()) void takeColours([point.x, point.y], [point.x, point.y], out);
}
