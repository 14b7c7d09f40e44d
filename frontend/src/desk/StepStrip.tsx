import { type KeyboardEvent, useState } from "react";
import { isInForce, isOwn } from "../correction/model";
import type { Level, Step } from "../shared/api";
import { takeInHand } from "./opening";
import { useDesk } from "./state";
import { addStep, makeTemplate, moveStep, removeStep, renameStep, switchStep } from "./steps";

/** What a kind of step says of itself when it is pointed at. */
const ABOUT: Record<Step["values"]["kind"], string> = {
  primary: "ten numbers: readings and grips move them while it is in hand",
  extended: "a matrix and curves that a match went on with after the ten numbers; CDLs do not carry it",
  curves: "curves for all channels and for each: grips on parade, waveform and histogram move their points",
  hues: "spokes on the vectorscope: hues turned, made stronger or weaker, lighter or darker",
  density: "colour that darkens as it deepens, and colour of pale tones",
  zones: "a tint each for lows, mids and highs",
  rebuild: "a channel that the recording hardly holds, made of the others",
  highs: "highs clipped in one or two channels, led to neutral",
};

function NameField({ level, step, onDone }: { level: Level; step: Step; onDone: () => void }) {
  const [name, setName] = useState(step.id);
  const finish = () => {
    onDone();
    void renameStep({ level, step: step.id }, name);
  };
  return (
    <input
      aria-label={`new name of ${step.id}`}
      // biome-ignore lint/a11y/noAutofocus: the field appears because the user began to name the step
      autoFocus
      value={name}
      maxLength={40}
      onChange={(event) => setName(event.target.value)}
      onBlur={finish}
      onKeyDown={(event) => {
        event.stopPropagation();
        if (event.key === "Enter") finish();
        if (event.key === "Escape") onDone();
      }}
    />
  );
}

function OneStep({
  level,
  step,
  place,
  focused,
}: {
  level: Level;
  step: Step;
  place: number;
  focused: boolean;
}) {
  const [naming, setNaming] = useState(false);
  const own = isOwn(level, step.id);
  const focus = { level, step: step.id };
  const inHand = step.values.kind === "primary";
  const onKey = (event: KeyboardEvent) => {
    const by = { ArrowLeft: -1, ArrowRight: 1 }[event.key];
    if (by && event.shiftKey) void moveStep(focus, by);
    else if (event.key === "Delete" && !own) void removeStep(focus);
    else if (event.key === "F2" && !own) setNaming(true);
    else return;
    event.preventDefault();
    event.stopPropagation();
  };
  if (naming) return <NameField level={level} step={step} onDone={() => setNaming(false)} />;
  return (
    <li className={`step${focused ? " held" : ""}${step.on ? "" : " off"}`}>
      <button
        type="button"
        role="switch"
        className="plain switch"
        aria-checked={step.on}
        aria-label={`${step.id} in force`}
        title={`${step.id} is ${step.on ? "on" : "off"}; press to switch it`}
        onClick={() => void switchStep(focus)}
      />
      <button
        type="button"
        className="plain name"
        aria-pressed={focused}
        aria-disabled={!inHand}
        title={`${step.id}: ${ABOUT[step.values.kind]}${inHand && place < 9 ? ` (key ${place + 1})` : ""}${
          own ? "" : "; Shift ← → moves it, F2 names it, Del takes it away"
        }`}
        onClick={() => inHand && takeInHand(focus)}
        onDoubleClick={() => !own && setNaming(true)}
        onKeyDown={onKey}
      >
        {step.id}
        {isInForce(step) ? " •" : ""}
      </button>
      {focused && !own && (
        <>
          <button
            type="button"
            className="plain"
            aria-label={`move ${step.id} earlier`}
            title="one place earlier (Shift ←)"
            onClick={() => void moveStep(focus, -1)}
          >
            ‹
          </button>
          <button
            type="button"
            className="plain"
            aria-label={`move ${step.id} later`}
            title="one place later (Shift →)"
            onClick={() => void moveStep(focus, 1)}
          >
            ›
          </button>
          <button
            type="button"
            className="plain"
            aria-label={`remove ${step.id}`}
            title="take this step away (Del)"
            onClick={() => void removeStep(focus)}
          >
            ×
          </button>
        </>
      )}
    </li>
  );
}

/** The steps of the level in hand, in the order in which they are applied. */
export function StepStrip() {
  const focus = useDesk((state) => state.focus);
  const correction = useDesk((state) => state.now[state.focus.level]);
  return (
    <ul className="steps" aria-label={`steps of the ${focus.level}`}>
      {correction.steps.map((step, place) => (
        <OneStep
          key={step.id}
          level={focus.level}
          step={step}
          place={place}
          focused={step.id === focus.step}
        />
      ))}
      <li>
        <button
          type="button"
          className="plain"
          aria-label="add a step"
          title="add a step of ten numbers after the one in hand (Shift N)"
          onClick={() => void addStep()}
        >
          +
        </button>
      </li>
      {(focus.level === "shot" || focus.level === "family") && correction.steps.length > 1 && (
        <li>
          <button
            type="button"
            className="plain link"
            title={`new ${focus.level === "shot" ? "shots" : "families"} start with these steps; a shot's balance starts with nothing done`}
            onClick={() => void makeTemplate()}
          >
            as template
          </button>
        </li>
      )}
    </ul>
  );
}
