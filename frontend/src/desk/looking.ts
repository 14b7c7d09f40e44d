/** How the shot is looked at: frame, meters, brushes, pivot, before, reference. Nothing here is a correction. */

import { correctionAt } from "../correction/keyframes";
import { NO_STEPS } from "../correction/model";
import type { Brush } from "../scopes/canvas";
import type { Before, Kept, Meter } from "../shared/api";
import { loadTrace, show } from "./exchange";
import { isDrawn, MIDDLE, moved, sized } from "./meters";
import { type Compared, PIVOT_KEY, type Side, useDesk } from "./state";
import { keptTies } from "./ties";

const set = useDesk.setState;
const state = useDesk.getState;

export function setFrame(frame: number) {
  const frames = state().shot?.clip.frames ?? 1;
  set({ frame: Math.min(Math.max(frame, 0), frames - 1), offered: null });
  show({});
}

/**
 * Meter a part of the shot; `again` if it is the same subject that was drawn on another frame. The reference keeps its own meter, but for
 * skin and neutrals, which are the same in both.
 */
export function setMeter(meter: Meter | null, again = false) {
  const both = meter === null || meter.kind === "skin" || meter.kind === "neutrals";
  const { meter: before, meterFrame, drawnAgain, frame } = state();
  const joins = again && before !== null && isDrawn(before) && meterFrame !== frame;
  set({
    meter,
    meterFrame: frame,
    drawnAgain: joins
      ? [...drawnAgain.filter((one) => one.frame !== frame), { frame: meterFrame, meter: before }]
      : [],
    ...(both ? { referenceMeter: meter && { ...meter, correction: NO_STEPS } } : {}),
  });
  show({});
  if (both) void loadTrace();
}

/**
 * Skin or neutrals as they look now under the shot's own correction, whichever level is edited; the same pixels stay metered
 * while the correction moves.
 */
export function meterFamiliar(kind: "skin" | "neutrals") {
  setMeter({ kind, points: [], correction: correctionAt(state().now.shot, state().frame) });
}

export function setReferenceMeter(referenceMeter: Meter | null) {
  set({ referenceMeter });
  void loadTrace();
  show({});
}

/** The picture whose meter the keys move: in pair view the one a box was asked for last. */
const sideInHand = () => {
  const { view, side } = state();
  return view === "pair" ? side : view === "reference" ? "reference" : "shot";
};

const meterOf = (side: Side) => (side === "shot" ? state().meter : state().referenceMeter);
const setMeterOf = (side: Side, meter: Meter) =>
  side === "shot" ? setMeter(meter) : setReferenceMeter(meter);

/** A box in the middle of the picture; in pair view, where there is one already, of the other picture. */
export function meterMiddle() {
  const { view, side } = state();
  if (view === "pair" && isDrawn(meterOf(side))) set({ side: side === "shot" ? "reference" : "shot" });
  if (!isDrawn(meterOf(sideInHand()))) setMeterOf(sideInHand(), MIDDLE);
}

/** Move what is metered by parts of the picture. */
export function moveMeter(dx: number, dy: number) {
  const meter = meterOf(sideInHand());
  if (isDrawn(meter)) setMeterOf(sideInHand(), moved(meter, dx, dy));
}

/** Make what is metered wider and higher by parts of the picture, about its middle. */
export function sizeMeter(dx: number, dy: number) {
  const meter = meterOf(sideInHand());
  if (isDrawn(meter)) setMeterOf(sideInHand(), sized(meter, dx, dy));
}

export const moveSplit = (by: number) => set({ split: Math.min(Math.max(state().split + by, 0), 1) });

/** Brush a range on a scope; one brush a signal, and one on the vectorscope. */
export function brush(next: Brush) {
  const other = (one: Brush) =>
    one.kind !== next.kind || (one.kind === "level" && next.kind === "level" && one.signal !== next.signal);
  set({ brushes: [...state().brushes.filter(other), next] });
  show({});
}

export function clearBrushes() {
  set({ brushes: [] });
  show({});
}

/** The pivot is part of the desk, not to the shot: it says what contrast and exposure turn about. */
export function setPivot(pivot: number) {
  const kept = Math.min(Math.max(pivot, 0.05), 0.9);
  window.localStorage.setItem(PIVOT_KEY, String(kept));
  set({ pivot: kept });
  show({});
}

export function setBefore(before: Before) {
  set({ before });
  show({});
}

export function setReference(reference: Kept | null) {
  const shot = state().shot;
  set({ reference, referenceMeter: null, ties: shot ? keptTies(shot, reference) : [] });
  void loadTrace();
  show({});
}

/** Compare the shot with another picture in the split view; with the same again, stop. */
export function compareWith(other: Compared) {
  const same = state().compared?.source === other.source;
  set({ compared: same ? null : other, view: same ? "shot" : "split" });
}

/** Push the picture by some stops, or no longer; what is measured stays. */
export function setPeek(peek: number) {
  if (state().peek === peek) return;
  set({ peek });
  show({});
}
