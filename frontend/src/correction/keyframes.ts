/** Keyframes as values: where they stand, what lies between them, and what is made of them. */
import type { Correction, FourLevels, Keyframe, Step, Values } from "../shared/api";
import { between } from "./kinds";
import { arrayOf, type Focus, IDENTITY, primaryOf, stepOf, withStep } from "./model";
import { primaryIn, type Side, withPrimary } from "./selection";

export const hasKeyframes = (step: Step): boolean => step.keyframes.length > 0;

export const keyframeAt = (step: Step, frame: number): Keyframe | undefined =>
  step.keyframes.find((one) => one.frame === frame);

/** The keyframes before and after a frame. */
export const around = (step: Step, frame: number) => ({
  before: step.keyframes.filter((one) => one.frame < frame).at(-1),
  after: step.keyframes.find((one) => one.frame > frame),
});

/** All frames of a correction at which a keyframe of any step stands, in order. */
export const framesOf = (correction: Correction): number[] =>
  [...new Set(correction.steps.flatMap((step) => step.keyframes.map((one) => one.frame)))].sort(
    (a, b) => a - b,
  );

/** What a step holds at a frame: between two keyframes part of each, before the first and after the last those alone. */
export function valuesAt(step: Step, frame: number): Values {
  if (!hasKeyframes(step)) return step.values;
  const known = looked.get(step);
  if (known?.frame === frame) return known.values;
  const values = valuesBetween(step, frame);
  looked.set(step, { frame, values });
  return values;
}

/** What was asked for last of a step, so that the same is one value. */
const looked = new WeakMap<Step, { frame: number; values: Values }>();

function valuesBetween(step: Step, frame: number): Values {
  const here = keyframeAt(step, frame);
  if (here) return here.values;
  const { before, after } = around(step, frame);
  if (!before) return step.keyframes[0].values;
  if (!after) return before.values;
  const part = (frame - before.frame) / (after.frame - before.frame);
  const passed = before.ease === "eased" ? part * part * (3 - 2 * part) : part;
  return between(before.values, after.values, passed);
}

/** The correction as it is at a frame: the same everywhere. */
export const correctionAt = (correction: Correction, frame: number): Correction => ({
  steps: correction.steps.map((step) => ({ ...step, values: valuesAt(step, frame), keyframes: [] })),
});

const put = (step: Step, keyframe: Keyframe): Step => ({
  ...step,
  keyframes: [...step.keyframes.filter((one) => one.frame !== keyframe.frame), keyframe].sort(
    (a, b) => a.frame - b.frame,
  ),
});

/** The same step with a keyframe at a frame that holds what it does there, or other values. */
export const withKeyframe = (step: Step, frame: number, values: Values = valuesAt(step, frame)): Step =>
  put(step, { frame, values, ease: keyframeAt(step, frame)?.ease ?? "straight" });

/** The same step without the keyframe at a frame; after the last one, what it held there is everywhere. */
export function withoutKeyframe(step: Step, frame: number): Step {
  const keyframes = step.keyframes.filter((one) => one.frame !== frame);
  return { ...step, keyframes, values: keyframes.length > 0 ? step.values : valuesAt(step, frame) };
}

/** The same step without keyframes: everywhere as it is at a frame. */
export const sameEverywhere = (step: Step, frame: number): Step => ({
  ...step,
  values: valuesAt(step, frame),
  keyframes: [],
});

/** The same step with a keyframe at another frame; where one stands already, nothing is moved. */
export function movedKeyframe(step: Step, from: number, to: number): Step {
  const keyframe = keyframeAt(step, from);
  if (!keyframe || keyframeAt(step, to)) return step;
  return put(
    { ...step, keyframes: step.keyframes.filter((one) => one !== keyframe) },
    { ...keyframe, frame: to },
  );
}

/** The same step, its way from the keyframe at a frame, or from the one before it, eased or straight. */
export function easeTurned(step: Step, frame: number): Step {
  const keyframe = keyframeAt(step, frame) ?? around(step, frame).before;
  if (!keyframe) return step;
  return put(step, { ...keyframe, ease: keyframe.ease === "eased" ? "straight" : "eased" });
}

const LEAST_POWER = 0.01;
/** Ten numbers that a correction can hold: no negative slope or saturation, powers above zero. */
const allowed = (numbers: number[]) =>
  numbers.map((value, i) => (i >= 3 && i < 6 ? value : Math.max(value, i >= 6 && i < 9 ? LEAST_POWER : 0)));

/**
 * The same step with other ten numbers at a frame: of all of the shot where it has no keyframes, of the one that stands
 * there, or, for `all`, each keyframe moved by as much.
 */
export function withNumbersAt(step: Step, frame: number, numbers: number[], all: boolean, side?: Side): Step {
  const here = valuesAt(step, frame);
  const values = withPrimary(here, primaryOf(numbers), side);
  if (!hasKeyframes(step)) return { ...step, values, on: true };
  if (!all) return { ...withKeyframe(step, frame, values), on: true };
  const before = primaryIn(here, side);
  if (!before) return step;
  const by = arrayOf(before).map((value, i) => numbers[i] - value);
  const keyframes = step.keyframes.map((one) => {
    if (one.frame === frame) return { ...one, values };
    const its = primaryIn(one.values, side);
    if (!its) return one;
    const moved = primaryOf(allowed(arrayOf(its).map((value, i) => value + by[i])));
    return { ...one, values: withPrimary(one.values, moved, side) };
  });
  return { ...step, keyframes, on: true };
}

/**
 * The same step with other values at a frame: of all of the shot where it has no keyframes, else of the one that stands
 * there, or, for `all`, of each.
 */
export function withValuesAt(step: Step, frame: number, values: Values, all: boolean): Step {
  if (!hasKeyframes(step)) return { ...step, values, on: true };
  if (!all) return { ...withKeyframe(step, frame, values), on: true };
  return { ...step, keyframes: step.keyframes.map((one) => ({ ...one, values })), on: true };
}

/** What the current step holds at a frame; nothing where there is no such step. */
export function valuesInHand(levels: FourLevels, { level, step }: Focus, frame: number): Values | null {
  const found = stepOf(levels[level], step);
  return found ? valuesAt(found, frame) : null;
}

/** The ten numbers of the current step at a frame. */
export function numbersAt(levels: FourLevels, focus: Focus, frame: number): number[] {
  const primary = primaryIn(valuesInHand(levels, focus, frame), focus.side);
  return primary ? arrayOf(primary) : IDENTITY;
}

/** The same levels with other numbers in the current step; see {@link withNumbersAt}. */
export function withNumbers(
  levels: FourLevels,
  { level, step, side }: Focus,
  frame: number,
  numbers: number[],
  all = false,
): FourLevels {
  const found = stepOf(levels[level], step);
  if (!found) return levels;
  return { ...levels, [level]: withStep(levels[level], withNumbersAt(found, frame, numbers, all, side)) };
}
