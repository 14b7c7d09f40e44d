/** What is done to keyframes on the desk: set, removed, moved, copied, eased, stepped through. Each is saved at once. */

import {
  easeTurned,
  framesOf,
  hasKeyframes,
  keyframeAt,
  movedKeyframe,
  sameEverywhere,
  valuesAt,
  withKeyframe,
  withoutKeyframe,
} from "../correction/keyframes";
import { stepOf, withStep } from "../correction/model";
import type { Correction, Step } from "../shared/api";
import { KEYS, shownOf } from "../shared/keys";
import { setFrame } from "./looking";
import { pause } from "./playback";
import { useDesk } from "./state";
import { change } from "./steps";

const set = useDesk.setState;
const state = useDesk.getState;

/** The current step; keyframes stand on a shot's own steps alone, and what is refused is said. */
function ofShot(): Step | undefined {
  const { focus, now } = state();
  if (focus.level === "shot") return stepOf(now.shot, focus.step);
  set({
    refused: `Only a shot's own steps change along the shot: make one of the level “shot” current, not of the ${focus.level}.`,
  });
  return undefined;
}

const edited = (what: string, make: (step: Step) => Step) => {
  const { focus } = state();
  return change(what, focus, (now) => {
    const step = stepOf(now[focus.level], focus.step);
    return step ? withStep(now[focus.level], make(step)) : now[focus.level];
  });
};

/** Set a keyframe here on the current step; an edit that waited for one goes on. */
export async function setKeyframe() {
  const { frame, offered, focus } = state();
  const step = ofShot();
  if (!step) return;
  if (keyframeAt(step, frame)) {
    set({ said: `“${step.id}” has a keyframe here; edits go to it.`, refused: null });
    return;
  }
  await edited(`keyframe of ${step.id} at frame ${frame + 1}`, (one) => withKeyframe(one, frame));
  set({ offered: null });
  if (offered?.frame === frame && offered.focus.step === focus.step) offered.go();
  else if (!hasKeyframes(step))
    set({
      said: `“${step.id}” changes along the shot from now on: go to another frame and press ${shownOf(KEYS.keyframe)} there.`,
    });
}

/** Set a keyframe here on every step of the shot. */
export async function setAllKeyframes() {
  const { frame, focus } = state();
  await change(
    `keyframes at frame ${frame + 1}`,
    { ...focus, level: "shot" },
    ({ shot }): Correction => ({
      steps: shot.steps.map((step) => (keyframeAt(step, frame) ? step : withKeyframe(step, frame))),
    }),
  );
  set({ offered: null });
}

/** Take the keyframe here away; after the last one the step is everywhere as it was there. */
export async function removeKeyframe() {
  const { frame } = state();
  const step = ofShot();
  if (!step || !keyframeAt(step, frame)) return;
  await edited(`keyframe of ${step.id} at frame ${frame + 1} removed`, (one) => withoutKeyframe(one, frame));
}

/** Take all keyframes of the current step away: it is everywhere as it is here. */
export async function removeAllKeyframes() {
  const { frame } = state();
  const step = ofShot();
  if (!step || !hasKeyframes(step)) return;
  await edited(`all keyframes of ${step.id} removed`, (one) => sameEverywhere(one, frame));
}

/** Move a keyframe to another frame, and go there. */
export async function moveKeyframe(from: number, to: number) {
  const step = ofShot();
  const last = (state().shot?.clip.frames ?? 1) - 1;
  const at = Math.min(Math.max(to, 0), last);
  if (!step || at === from || keyframeAt(step, at) || !keyframeAt(step, from)) return;
  set({ frame: at });
  await edited(`keyframe of ${step.id} from frame ${from + 1} to ${at + 1}`, (one) =>
    movedKeyframe(one, from, at),
  );
}

/** Move the keyframe here by some frames. */
export const nudgeKeyframe = (by: number) => moveKeyframe(state().frame, state().frame + by);

/** The way on from here, or from the keyframe before: eased, or straight again. */
export async function turnEase() {
  const { frame } = state();
  const step = ofShot();
  if (step && hasKeyframes(step))
    await edited(`way of ${step.id} eased or straight`, (one) => easeTurned(one, frame));
}

/** Remember what the current step does here; where words are marked, the key copies those. */
export function copyHere() {
  if (window.getSelection()?.toString()) return;
  const { frame } = state();
  const step = ofShot();
  if (step)
    set({
      copied: valuesAt(step, frame),
      said: `What “${step.id}” does here is copied: Ctrl V sets it as a keyframe elsewhere.`,
    });
}

/** Set a keyframe here with what was copied. */
export async function pasteHere() {
  const { copied, frame } = state();
  const step = ofShot();
  if (step && copied?.kind === step.values.kind)
    await edited(`keyframe of ${step.id} at frame ${frame + 1}`, (one) => withKeyframe(one, frame, copied));
}

/** Go to the next keyframe of the shot, or the one before. */
export function goToKeyframe(by: 1 | -1) {
  const { now, frame } = state();
  const frames = framesOf(now.shot).filter((one) => (one - frame) * by > 0);
  if (frames.length === 0) return;
  pause();
  setFrame(by > 0 ? frames[0] : frames[frames.length - 1]);
}

/** Let edits go to all keyframes at once, or to the one here. */
export function turnAllKeyframes() {
  const allKeyframes = !state().allKeyframes;
  set({
    allKeyframes,
    offered: null,
    refused: null,
    said: allKeyframes
      ? `Edits move all keyframes of the step by as much, until ${shownOf(KEYS.allKeyframes)} is pressed again.`
      : "Edits go to the keyframe at this frame.",
  });
}
