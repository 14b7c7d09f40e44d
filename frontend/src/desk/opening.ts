/** Opening the desk and putting shots on it; taking over what the server saved. */

import { type Focus, levelsOf, OWN, sameCorrection, stepOf } from "../correction/model";
import { havePlaces } from "../correction/tracks";
import type { Day, FourLevels, Kept, Level, Shot } from "../shared/api";
import { connect, loadTrace, show } from "./exchange";
import { flush, giveUp, goOnFrom, isUnsaved, madeFrom } from "./saving";
import { drawn, useDesk } from "./state";
import { keptTies } from "./ties";
import { ALL } from "./zoom";

const set = useDesk.setState;
const state = useDesk.getState;

/** Open the desk; returns what closes it, with nothing left unsaved. */
export function openDesk(): () => void {
  const disconnect = connect(() => {
    if (isUnsaved()) void flush();
  }, giveUp);
  const warn = (event: BeforeUnloadEvent) => {
    if (isUnsaved()) event.preventDefault();
  };
  window.addEventListener("beforeunload", warn);
  const unsubscribe = useDesk.subscribe(({ now, ties }, before) => {
    if (now !== before.now || ties !== before.ties) void loadPlaces();
  });
  return () => {
    unsubscribe();
    window.removeEventListener("beforeunload", warn);
    void flush();
    disconnect();
  };
}

/** Have the places of all tracks on the desk here; what was drawn without them is drawn anew. */
async function loadPlaces() {
  const { now, ties } = state();
  try {
    if (!(await havePlaces([now, ties]))) return;
  } catch (error) {
    set({
      refused: `Where an area is could not be loaded: ${error instanceof Error ? error.message : error}`,
    });
  }
  set({ placesHere: state().placesHere + 1 });
  void loadTrace();
}

/** Put a shot on the desk, as saved. */
export function openShot(shot: Shot, reference: Kept | null, day: Day) {
  const same = state().shot?.id === shot.id;
  void flush();
  const levels = levelsOf(shot, day);
  const middle = Math.floor((shot.clip.frames ?? 1) / 2);
  drawn.now = same ? drawn.now : null;
  set({
    playing: 0,
    range: same ? state().range : null,
    said: null,
    brushes: same ? state().brushes : [],
    shot,
    reference,
    saved: levels,
    now: levels,
    focus: onlyIfThere(state().focus, levels),
    owners: { camera: shot.camera_id, family: shot.family_id ?? 0, show: day.production.id },
    frame: same ? state().frame : reference?.shot_id === shot.id ? reference.frame : middle,
    before: "none",
    peek: 0,
    compared: null,
    offered: null,
    along: same ? state().along : null,
    left: same ? state().left : null,
    zoom: same ? state().zoom : ALL,
    meter: same ? state().meter : null,
    ties: keptTies(shot, reference),
    shown: same ? state().shown : null,
    told: same ? state().told : null,
    point: null,
    picking: false,
    shape: 0,
    view: same ? state().view : "shot",
  });
  goOnFrom(shot.version_id);
  madeFrom(state().owners, levels);
  show({});
  void loadTrace();
}

/** Take over what the server saved: after undo, balance, match. */
export function adopt(shot: Shot) {
  const now = { ...state().now, shot: shot.correction };
  set({
    shot,
    saved: { ...state().saved, shot: shot.correction },
    now,
    focus: onlyIfThere(state().focus, now),
    savedShot: shot,
    saving: "saved",
    before: "none",
  });
  goOnFrom(shot.version_id);
  show({});
}

/** The current step, or its level's own where there is no such step. */
function onlyIfThere(focus: Focus, levels: FourLevels): Focus {
  return stepOf(levels[focus.level], focus.step) ? focus : { level: focus.level, step: OWN[focus.level] };
}

/** Send edits to another level. */
export function setLevel(level: Level) {
  if (level === "family" && !state().shot?.family_id) return;
  takeInHand({ level, step: OWN[level] });
}

/** Make a step current: readings, grips and numbers are its own. */
export function takeInHand(focus: Focus) {
  void flush();
  set({ focus, before: "none", picking: false, shape: 0 });
  show({});
}

/** Take over levels that were changed elsewhere, or undone. */
export function takeLevels(shot: Shot, day: Day) {
  if (isUnsaved() || state().saving === "saving" || state().shot?.id !== shot.id) return;
  const levels = levelsOf(shot, day);
  const { now } = state();
  const others = (["camera", "family", "show"] as const).some(
    (level) => !sameCorrection(levels[level], now[level]),
  );
  if (!others) return;
  const taken = { ...levels, shot: now.shot };
  madeFrom(state().owners, levels);
  set({ saved: taken, now: taken, focus: onlyIfThere(state().focus, taken) });
  show({});
  void loadTrace();
}

/** Take over a version that another window, or a batch, made of the shot; never under the hand. */
export function takeShot(shot: Shot) {
  const { shot: here, base, saving, acting } = state();
  const ours = isUnsaved() || saving === "saving" || acting;
  if (ours || here?.id !== shot.id || shot.version_id === base) return;
  const refused = state().refused;
  adopt(shot);
  set({ refused: refused ?? `${shot.name} was changed elsewhere; this is how it is now.` });
}
