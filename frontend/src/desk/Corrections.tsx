import { useRef } from "react";
import { IDENTITY } from "../correction/model";
import { isSelection } from "../correction/selection";
import type { Control, Controls } from "../scopes/densities";
import { signed } from "../shared/marks";
import { DragNumber } from "./DragNumber";
import { setPivot } from "./looking";
import { edit } from "./saving";
import { inHand, inHandValues, MID_GREY, useDesk } from "./state";

const NEUTRAL: Controls = {
  exposure: 0,
  warmth: 6000,
  tint: 0,
  contrast: 1,
  saturation: 1,
  pivot: MID_GREY,
};

/** The locus of temperatures ends at 25000 K: bluer lights are reported in mireds. */
const hasKelvin = (kelvin: number) => kelvin > 0 && kelvin <= 25000;

const SHAPE: {
  name: Control;
  label: string;
  unit?: (v: number) => string;
  step: number;
  text: (v: number) => string;
}[] = [
  { name: "exposure", label: "Exposure", unit: () => "stops", step: 0.02, text: (v) => signed(v, 2) },
  {
    name: "warmth",
    label: "Warmth",
    unit: (v) => (hasKelvin(v) ? "K" : "mired"),
    step: 2,
    text: (v) => (hasKelvin(v) ? v.toFixed(0) : signed(1e6 / v, 0)),
  },
  { name: "tint", label: "Tint", step: 0.25, text: (v) => signed(v, 1) },
  { name: "contrast", label: "Contrast", step: 0.01, text: (v) => v.toFixed(3) },
  { name: "saturation", label: "Saturation", step: 0.01, text: (v) => v.toFixed(3) },
];

/** Warmth moves in mireds, so that equal drags look equal; past 0 mired its temperature is below zero. */
const addMired = (kelvin: number, steps: number) => 1e6 / (1e6 / kelvin - steps * SHAPE[1].step || 1e-3);

/** What was typed as warmth: kelvin, or mireds, which are smaller. */
const typedWarmth = (value: number) => (Math.abs(value) < 1000 ? 1e6 / (value || 1e-3) : value);

/** Exposure, warmth, tint, contrast, saturation: other ways of moving the ten numbers. */
export function Corrections() {
  const controls = useDesk((state) => state.told?.controls) ?? NEUTRAL;
  const own = useDesk((state) => state.pivot);
  const ofSelection = useDesk((state) => isSelection(inHandValues(state)));
  const pivot = ofSelection ? controls.pivot : own;
  const began = useRef(IDENTITY);
  return (
    <div className="corrections">
      {SHAPE.map(({ name, label, unit, step, text }) => (
        <DragNumber
          key={name}
          name={label}
          unit={unit?.(controls[name])}
          step={step}
          value={controls[name]}
          text={text(controls[name])}
          add={name === "warmth" ? addMired : undefined}
          onChange={(wanted, start) => {
            const value = name === "warmth" ? typedWarmth(wanted) : wanted;
            if (start) began.current = inHand(useDesk.getState());
            edit(
              `${label.toLowerCase()} ${text(value)}${unit ? ` ${unit(value)}` : ""}`,
              { turn: { control: name, value } },
              began.current,
            );
          }}
          onReset={() =>
            edit(
              `${label.toLowerCase()} reset`,
              { turn: { control: name, value: NEUTRAL[name] } },
              inHand(useDesk.getState()),
            )
          }
        />
      ))}
      {ofSelection ? (
        <p
          className="second"
          title="exposure, warmth, tint and contrast turn about the level of what is selected"
        >
          about its own level, {pivot.toFixed(3)}
        </p>
      ) : (
        <DragNumber
          name="Pivot"
          value={pivot}
          text={pivot.toFixed(3)}
          step={0.002}
          onChange={setPivot}
          onReset={() => setPivot(MID_GREY)}
        />
      )}
    </div>
  );
}

const KINDS = ["slope", "offset", "power"];

/** The ten numbers of the CDL themselves. */
export function TenNumbers() {
  const numbers = useDesk(inHand);
  const change = (index: number, value: number) => {
    const lowest = index >= 6 && index < 9 ? 0.02 : index < 3 || index === 9 ? 0 : -4;
    const next = [...inHand(useDesk.getState())];
    next[index] = Math.min(Math.max(value, lowest), 8);
    const name = index === 9 ? "saturation" : `${"RGB"[index % 3]} ${KINDS[Math.floor(index / 3)]}`;
    edit(`${name} ${next[index].toFixed(4)}`, { numbers: next });
  };
  return (
    <div className="ten-numbers" data-testid="ten-numbers">
      {KINDS.map((kind, k) => (
        <div key={kind} className="kind">
          <h3>{kind}</h3>
          {[0, 1, 2].map((c) => {
            const index = k * 3 + c;
            return (
              <DragNumber
                key={c}
                name={"RGB"[c]}
                value={numbers[index]}
                text={kind === "offset" ? signed(numbers[index], 4) : numbers[index].toFixed(4)}
                step={0.002}
                onChange={(value) => change(index, value)}
                onReset={() => change(index, IDENTITY[index])}
              />
            );
          })}
        </div>
      ))}
      <div className="kind">
        <h3>saturation</h3>
        <DragNumber
          name="S"
          value={numbers[9]}
          text={numbers[9].toFixed(4)}
          step={0.005}
          onChange={(value) => change(9, value)}
          onReset={() => change(9, 1)}
        />
      </div>
    </div>
  );
}
