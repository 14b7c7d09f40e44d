import { type KeyboardEvent, useEffect, useRef, useState } from "react";
import { Dropdown } from "react-bootstrap";
import { addable, KINDS } from "../correction/kinds";
import { isInForce, isOwn } from "../correction/model";
import type { Level, Step } from "../shared/api";
import { KEYS, shownOf } from "../shared/keys";
import { compareLooks, takesLooks } from "./looks";
import { takeInHand } from "./opening";
import { addArea, beginPick } from "./selecting";
import { useDesk } from "./state";
import { addStep, makeTemplate, moveStep, removeStep, renameStep, switchStep } from "./steps";

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
  const canBeTaken = step.values.kind !== "extended";
  const line = useRef<HTMLLIElement>(null);
  // biome-ignore lint/correctness/useExhaustiveDependencies: a step that moves along the line is shown too
  useEffect(() => {
    if (focused) line.current?.scrollIntoView?.({ block: "nearest", inline: "nearest" });
  }, [focused, place]);
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
    <li ref={line} className={`step${focused ? " held" : ""}${step.on ? "" : " off"}`}>
      <button
        type="button"
        role="switch"
        className="plain switch"
        aria-checked={step.on}
        aria-label={`apply ${step.id}`}
        title={`${step.id} is ${step.on ? "on" : "off"}; press to switch it`}
        onClick={() => void switchStep(focus)}
      />
      <button
        type="button"
        className="plain name"
        aria-pressed={focused}
        aria-disabled={!canBeTaken}
        title={`${step.id}: ${KINDS[step.values.kind].about}${canBeTaken && place < 9 ? ` (key ${place + 1})` : ""}${
          own ? "" : "; Shift ← → moves it, F2 names it, Del takes it away"
        }`}
        onClick={() => canBeTaken && takeInHand(focus)}
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
            title="remove this step (Del)"
            onClick={() => void removeStep(focus)}
          >
            ×
          </button>
        </>
      )}
    </li>
  );
}

/** Offers the kinds that can be added after the current step. */
function AddStep() {
  const level = useDesk((state) => state.focus.level);
  const open = useDesk((state) => state.adding);
  const steps = useDesk((state) => state.now[state.focus.level].steps.length);
  const canBeTemplate = (level === "shot" || level === "family") && steps > 1;
  return (
    <Dropdown show={open} onToggle={(adding) => useDesk.setState({ adding })}>
      <Dropdown.Toggle
        as="button"
        type="button"
        className="plain"
        aria-label="add a step"
        title={`${KEYS.addStep.does} (${shownOf(KEYS.addStep)})`}
      >
        + step
      </Dropdown.Toggle>
      <Dropdown.Menu className="kinds" popperConfig={{ strategy: "fixed" }}>
        {open &&
          addable(level).map((kind, i) => (
            <Dropdown.Item
              key={kind}
              as="button"
              type="button"
              autoFocus={i === 0}
              onClick={() => void addStep(kind)}
            >
              <b>{KINDS[kind].word}</b> <span className="second">{KINDS[kind].about}</span>
            </Dropdown.Item>
          ))}
        {open && (level === "shot" || level === "family") && (
          <Dropdown.Item as="button" type="button" onClick={beginPick}>
            <b>pick</b>{" "}
            <span className="second">part of the picture by its colours: press, then click them in it</span>
          </Dropdown.Item>
        )}
        {open && level === "shot" && (
          <Dropdown.Item as="button" type="button" onClick={() => void addArea()}>
            <b>area</b>{" "}
            <span className="second">part of the picture by place; around what is metered, if a box is</span>
          </Dropdown.Item>
        )}
        {open && takesLooks() && (
          <Dropdown.Item as="button" type="button" onClick={compareLooks}>
            <b>{KINDS.look.word}</b> <span className="second">{KINDS.look.about}</span>
          </Dropdown.Item>
        )}
        {open && canBeTemplate && (
          <Dropdown.Item as="button" type="button" onClick={() => void makeTemplate()}>
            <b>as template</b>{" "}
            <span className="second">
              new {level === "shot" ? "shots" : "families"} start with these steps
              {level === "shot" ? "; their balance starts with nothing done" : ""}
            </span>
          </Dropdown.Item>
        )}
      </Dropdown.Menu>
    </Dropdown>
  );
}

/** The steps of the current level, in the order in which they are applied. */
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
        <AddStep />
      </li>
    </ul>
  );
}
