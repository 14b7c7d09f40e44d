import { useDrag } from "@use-gesture/react";
import { type KeyboardEvent, useRef, useState } from "react";

interface Props {
  name: string;
  value: number;
  text: string;
  unit?: string;
  step: number;
  /** Called while the hand moves with the value wanted, and the value it started from. */
  onChange: (value: number, start: boolean) => void;
  onReset: () => void;
  /** How a typed or dragged amount adds up; plain addition by default. */
  add?: (value: number, steps: number) => number;
}

/** A number that is dragged, typed, nudged by arrows, and reset by a double-click on its name or by Delete. */
export function DragNumber({ name, value, text, unit, step, onChange, onReset, add }: Props) {
  const [typing, setTyping] = useState<string | null>(null);
  const begun = useRef(value);
  const moved = useRef(false);
  const adding = add ?? ((from: number, steps: number) => from + steps * step);
  const bind = useDrag(
    ({ first, movement: [x], shiftKey, tap }) => {
      if (first) {
        begun.current = value;
        moved.current = false;
      }
      if (tap) return setTyping(text.replace("−", "-").replace("+", "").replace("±", ""));
      if (Math.abs(x) < 2 && !moved.current) return;
      onChange(adding(begun.current, (x / 4) * (shiftKey ? 0.1 : 1)), !moved.current);
      moved.current = true;
    },
    { filterTaps: true, pointer: { capture: true }, axis: "x" },
  );
  const finish = () => {
    if (typing !== null) {
      const wanted = Number(typing.replace(",", ".").replace("−", "-"));
      if (typing.trim() !== "" && Number.isFinite(wanted)) onChange(wanted, true);
    }
    setTyping(null);
  };
  const onKey = (event: KeyboardEvent) => {
    const way = { ArrowUp: 1, ArrowRight: 1, ArrowDown: -1, ArrowLeft: -1 }[event.key];
    if (way) {
      onChange(adding(value, way * (event.shiftKey ? 0.1 : 1)), true);
    } else if (event.key === "Delete" || event.key === "Backspace") onReset();
    else if (event.key === "Enter") setTyping("");
    else if (/^[\d.,-]$/.test(event.key) && !event.ctrlKey && !event.metaKey) setTyping(event.key);
    else return;
    event.preventDefault();
    event.stopPropagation();
  };
  return (
    <div className="drag-number">
      <button
        type="button"
        className="label"
        onDoubleClick={onReset}
        title={`${name}: double-click to reset, or Delete on its number`}
        tabIndex={-1}
      >
        {name}
      </button>
      {typing === null ? (
        <span
          {...bind()}
          className="value mono"
          role="spinbutton"
          tabIndex={0}
          aria-label={name}
          aria-valuenow={Number(value.toFixed(4))}
          aria-valuetext={`${text} ${unit ?? ""}`}
          onKeyDown={onKey}
        >
          {text}
        </span>
      ) : (
        <input
          className="value mono"
          aria-label={`${name}, new value`}
          // biome-ignore lint/a11y/noAutofocus: the field appears because the user began to type in it
          autoFocus
          value={typing}
          onChange={(event) => setTyping(event.target.value)}
          onBlur={finish}
          onKeyDown={(event) => {
            event.stopPropagation();
            if (event.key === "Enter") finish();
            if (event.key === "Escape") setTyping(null);
          }}
        />
      )}
      <span className="unit">{unit}</span>
    </div>
  );
}
