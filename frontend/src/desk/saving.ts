/** Changes to the numbers: shown at once, saved when the hand rests. */

import {
  around,
  hasKeyframes,
  keyframeAt,
  valuesInHand,
  withNumbers,
  withNumbersAt,
  withValuesAt,
} from "../correction/keyframes";
import { type Focus, stepOf, withStep } from "../correction/model";
import { primaryIn } from "../correction/selection";
import { SIGNALS } from "../scopes/canvas";
import {
  type Correction,
  type Curves,
  type FourLevels,
  isForNow,
  type Level,
  post,
  put,
  type Shot,
  type Values,
} from "../shared/api";
import { KEYS, shownOf } from "../shared/keys";
import { type Extra, loadTrace, show, takeUnfound } from "./exchange";
import type { ShowRequest } from "./live";
import { levelOf, pulled } from "./points";
import { type DeskState, inHand, useDesk } from "./state";

const RETRY_MS = 1500;
const set = useDesk.setState;
const state = useDesk.getState;

/** One visit to a shot: the version that its next save goes on from. */
interface Visit {
  base: number | null;
}

/** An edit as it was when it was to be saved, wherever the desk has gone since. */
interface Edit {
  change: string;
  shot: Shot;
  focus: Focus;
  owner: number;
  correction: Correction;
  /** What the numbers are still to be found for, if its answer had not come. */
  unfound: ShowRequest | null;
  allKeyframes: boolean;
  visit: Visit;
}

let visit: Visit = { base: null };
let waiting = 0;
let saves: Promise<unknown> = Promise.resolve();

export const isUnsaved = () => state().unsaved !== null || waiting > 0;

/** Edits go on from this version: a shot was put on the desk, or the server changed it. */
export function goOnFrom(version: number | null) {
  visit = { base: version };
  set({ base: version });
}

/** Change the numbers; saved when the hand rests. `from` are the numbers the move started at. */
export function edit(change: string, extra: Extra & { numbers?: number[] }, from?: number[]) {
  const { now, focus, frame, allKeyframes } = state();
  if (waitsForKeyframe(change, () => edit(change, extra, from))) return;
  set({
    unsaved: change,
    saving: "saving",
    refused: null,
    said: null,
    before: "none",
    ...(extra.numbers ? { now: withNumbers(now, focus, frame, extra.numbers, allKeyframes) } : {}),
  });
  const { numbers: _, ...rest } = extra;
  show(rest, extra.numbers ?? from);
}

/** Change what the current step holds, of whatever kind; saved when the hand rests. */
export function editValues(change: string, values: Values) {
  const { now, focus, frame, allKeyframes } = state();
  if (waitsForKeyframe(change, () => editValues(change, values))) return;
  const step = stepOf(now[focus.level], focus.step);
  if (!step) return;
  const changed = withStep(now[focus.level], withValuesAt(step, frame, values, allKeyframes));
  set({
    unsaved: change,
    saving: "saving",
    refused: null,
    said: null,
    before: "none",
    now: { ...now, [focus.level]: changed },
  });
  show({});
}

/**
 * Whether an edit cannot go to the current step here, since it has keyframes and none at this frame. It is kept, and goes
 * on when one is set.
 */
function waitsForKeyframe(change: string, go: () => void): boolean {
  const { now, focus, frame, allKeyframes } = state();
  const step = stepOf(now[focus.level], focus.step);
  if (!step || !hasKeyframes(step) || allKeyframes || keyframeAt(step, frame)) return false;
  const { before, after } = around(step, frame);
  const stand = [before, after].filter((one) => one !== undefined).map((one) => one.frame + 1);
  const where = `${stand.length > 1 ? "frames" : "frame"} ${stand.join(" and ")}`;
  set({
    offered: { change, focus, frame, go },
    refused: `“${step.id}” has keyframes at ${where}, none at this one: ${shownOf(KEYS.keyframe)} sets one here and goes on with ${change}; ${shownOf(KEYS.allKeyframes)} moves all keyframes at once.`,
  });
  return true;
}

/** Move readings to their aims, the others held where they are. */
export function meet(
  change: string,
  aims: Map<number, number>,
  from?: { readings: number[]; numbers: number[] },
  dragged = false,
) {
  const readings = from?.readings ?? state().shown?.readings;
  if (!readings) return;
  const values = valuesInHand(state().now, state().focus, state().frame);
  if (!primaryIn(values)) {
    if (values?.kind === "curves") meetByCurves(change, values, readings, aims);
    else
      set({
        refused: `“${state().focus.step}” has no readings to move; make a step of ten numbers or of curves current.`,
      });
    return;
  }
  const wanted = readings.map((reading, i) => aims.get(i) ?? reading);
  edit(
    change,
    { aim: { values: wanted, moved: [...aims.keys()], dragged } },
    from?.numbers ?? inHand(state()),
  );
}

/** With curves current, a reading is moved by a point of its channel's curve at its level. */
function meetByCurves(change: string, curves: Curves, readings: number[], aims: Map<number, number>) {
  const greys = state().shown?.greys;
  if (!greys) return;
  let next = curves;
  for (const [index, aim] of aims) {
    if (index > 8) continue;
    const channel = SIGNALS[Math.floor(index / 3)];
    next = pulled(next, channel, levelOf(greys, readings[index]), levelOf(greys, aim));
  }
  editValues(change, next);
}

/** What was moved cannot be answered: there are no numbers to save. */
export function giveUp(detail: string) {
  const { unsaved } = state();
  if (unsaved === null) return;
  set({ saving: "failed", refused: `${unsaved} was not done: ${detail}`, unsaved: null });
}

/** Save what is unsaved, after what is being saved; numbers whose answer has not come are asked for again. */
export function flush(): Promise<unknown> {
  const { focus, now, unsaved: change } = state();
  set({ unsaved: null });
  return change === null ? saves : save(change, focus, now[focus.level], takeUnfound());
}

/**
 * Save the correction of a level of the shot on the desk, after what is being saved; the numbers of the current step
 * may be still to be found.
 */
export function save(
  change: string,
  focus: Focus,
  correction: Correction,
  unfound: ShowRequest | null = null,
): Promise<unknown> {
  const { shot, owners, allKeyframes } = state();
  if (!shot) return saves;
  waiting += 1;
  set({ saving: "saving" });
  const owner = focus.level === "shot" ? shot.id : owners[focus.level];
  const edit = { change, shot, focus, owner, correction, unfound, allKeyframes, visit };
  saves = saves.then(() => untilSaved(edit));
  return saves;
}

/** Save one edit; while it cannot be saved for now it is kept and tried again, and later ones wait. */
async function untilSaved(edit: Edit) {
  let correction = edit.unfound ? null : edit.correction;
  for (;;) {
    try {
      correction ??= found(edit, await post<number[]>(`/shots/${edit.shot.id}/solved`, edit.unfound));
      await write({ ...edit, correction });
      waiting -= 1;
      set({ saving: isUnsaved() ? "saving" : "saved", fault: null });
      return;
    } catch (error) {
      const { message } = error as Error;
      if (!isForNow(error)) {
        waiting -= 1;
        set({ saving: "failed", refused: `${edit.change || "The change"} is not saved: ${message}` });
        return;
      }
      set({ saving: "waiting", fault: message });
      await new Promise((resolve) => window.setTimeout(resolve, RETRY_MS));
    }
  }
}

/** An edit's correction with the numbers that were found for its step. */
function found({ focus, correction, unfound, allKeyframes }: Edit, numbers: number[]): Correction {
  const step = stepOf(correction, focus.step);
  if (!step || !unfound) return correction;
  return withStep(correction, withNumbersAt(step, unfound.frame, numbers, allKeyframes, focus.side));
}

const baseKey = (level: Level, owner: number) => `${level} ${owner}`;
const bases = new Map<string, Correction>();

/** Edits of these rows go on from these corrections, unless some are being saved. */
export function madeFrom(owners: DeskState["owners"], levels: FourLevels) {
  if (waiting > 0) return;
  for (const level of ["camera", "family", "show"] as const)
    bases.set(baseKey(level, owners[level]), levels[level]);
}

async function write({ change, shot, focus, owner, correction, unfound, visit: its }: Edit) {
  const { level } = focus;
  if (level === "shot") {
    const order = { correction, change, base: its.base };
    const saved = await put<Shot>(`/shots/${owner}/correction`, order);
    its.base = saved.version_id;
    if (its === visit) set({ base: saved.version_id, shot: saved });
    set({ savedShot: saved });
  } else {
    const key = baseKey(level, owner);
    await put<number[]>(`/levels/${level}/${owner}`, { correction, change, base: bases.get(key) });
    bases.set(key, correction);
    set({ savedLevels: state().savedLevels + 1 });
    void loadTrace();
  }
  if (state().shot?.id !== shot.id) return;
  set({ saved: { ...state().saved, [level]: correction } });
  if (unfound && state().unsaved === null) {
    set({ now: { ...state().now, [level]: correction } });
    show({});
  }
}
