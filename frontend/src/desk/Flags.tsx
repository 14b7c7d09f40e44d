import { type KeyboardEvent, type PointerEvent, useRef, useState } from "react";
import { around, hasKeyframes, keyframeAt } from "../correction/keyframes";
import { stepOf } from "../correction/model";
import { KEYS, shownOf } from "../shared/keys";
import { moveKeyframe, removeKeyframe } from "./keyframes";
import { setFrame } from "./looking";
import { pause } from "./playback";
import { useDesk } from "./state";

const stepInHand = ({ now, focus }: Pick<ReturnType<typeof useDesk.getState>, "now" | "focus">) =>
  stepOf(now[focus.level], focus.step);

/** One keyframe of the current step: a flag on its pole, to be dragged along the lane. */
function Flag({ frame, place, frames }: { frame: number; place: number; frames: number }) {
  const [to, setTo] = useState<number | null>(null);
  const pole = useRef<HTMLButtonElement>(null);
  const step = useDesk(stepInHand);
  const here = useDesk((state) => state.frame === frame);
  const at = to ?? frame;
  const frameUnder = (event: PointerEvent) => {
    const box = pole.current?.parentElement?.getBoundingClientRect();
    if (!box) return frame;
    const part = (event.clientX - box.left) / box.width;
    return Math.min(Math.max(Math.round(part * (frames - 1)), 0), frames - 1);
  };
  const go = () => {
    pause();
    setFrame(frame);
  };
  const onKey = (event: KeyboardEvent) => {
    const by = { ArrowLeft: -1, ArrowRight: 1 }[event.key];
    if (by) void moveKeyframe(frame, frame + by);
    else if (!event.shiftKey && (event.key === "Delete" || event.key === "Backspace")) {
      setFrame(frame);
      void removeKeyframe();
    } else return;
    event.preventDefault();
    event.stopPropagation();
  };
  return (
    <button
      ref={pole}
      type="button"
      className={`flag${here ? " here" : ""}`}
      style={{ left: `${(at / Math.max(frames - 1, 1)) * 100}%` }}
      aria-label={`keyframe ${place + 1} of ${step?.id}, frame ${frame + 1}`}
      title={`keyframe ${place + 1} of ${step?.id}, frame ${frame + 1}: press goes there, drag or ← → moves it, Del takes it away`}
      onClick={go}
      onKeyDown={onKey}
      onPointerDown={(event) => {
        event.stopPropagation();
        event.currentTarget.setPointerCapture(event.pointerId);
        setTo(frame);
      }}
      onPointerMove={(event) => to !== null && setTo(frameUnder(event))}
      onPointerUp={() => {
        if (to !== null && to !== frame) void moveKeyframe(frame, to);
        setTo(null);
      }}
    >
      <span>{place + 1}</span>
    </button>
  );
}

/** The keyframes of the current step, over a lane. */
export function Flags({ frames }: { frames: number }) {
  const step = useDesk(stepInHand);
  if (!step || !hasKeyframes(step)) return null;
  return (
    <fieldset className="flags" aria-label={`keyframes of ${step.id}`}>
      {step.keyframes.map((one, place) => (
        // biome-ignore lint/suspicious/noArrayIndexKey: a flag that is moved stays the same flag, and keeps the focus
        <Flag key={place} frame={one.frame} place={place} frames={frames} />
      ))}
    </fieldset>
  );
}

/** Where an edit goes, of a step with keyframes. */
export function WhereEditsGo() {
  const step = useDesk(stepInHand);
  const frame = useDesk((state) => state.frame);
  const all = useDesk((state) => state.allKeyframes);
  if (!step || !hasKeyframes(step)) return null;
  const { before, after } = around(step, frame);
  const place = (one: { frame: number } | undefined) =>
    one && `keyframe ${step.keyframes.findIndex((k) => k.frame === one.frame) + 1} (frame ${one.frame + 1})`;
  const here = keyframeAt(step, frame);
  const told = all
    ? `Edits move all keyframes by as much; ${shownOf(KEYS.allKeyframes)} ends that.`
    : here
      ? `Edits go to ${place(here)}.`
      : before && after
        ? `Between ${place(before)} and ${place(after)}: F sets one here.`
        : before
          ? `After ${place(before)}; it stays as there. F sets one here.`
          : `Before ${place(after)}: F sets one here.`;
  return <p className="hint">{told}</p>;
}
