import type { Values } from "../shared/api";
import { signed } from "../shared/marks";
import { Part } from "./Part";

type Finish = Extract<Values, { kind: "soften" | "sharpen" | "halation" | "vignette" | "grain" }>;

/** A number of a step: its part of the values, how it is shown (`times` what it is kept as), and where it may lie. */
interface Shown {
  part: string;
  name: string;
  unit?: string;
  times: number;
  digits: number;
  step: number;
  range: [number, number];
  plain: number;
  sign?: boolean;
}

/** Sizes are in thousandths of the picture's width, so that they are the same in a preview and at full size. */
const size = (plain: number, most = 50, least = 0.2): Shown => ({
  part: "size",
  name: "Size",
  unit: "‰ wide",
  times: 1000,
  digits: 2,
  step: 0.02,
  range: [least, most],
  plain,
});
const percent = (part: string, name: string, plain: number, most = 100): Shown => ({
  part,
  name,
  unit: "%",
  times: 100,
  digits: 0,
  step: 1,
  range: [0, most],
  plain,
});
const signal = (part: string, name: string, plain: number, range: [number, number], step = 0.05): Shown => ({
  part,
  name,
  unit: "%",
  times: 1,
  digits: step < 0.5 ? 2 : 0,
  step,
  range,
  plain,
});

const PARTS: Record<Finish["kind"], Shown[]> = {
  soften: [size(1), percent("amount", "Amount", 50)],
  sharpen: [
    size(0.8),
    percent("amount", "Amount", 50, 400),
    signal("least", "Smaller left", 0.3, [0, 10], 0.02),
  ],
  halation: [
    size(8),
    percent("amount", "Amount", 30, 200),
    signal("begins", "From luma", 75, [10, 99], 0.5),
    percent("green", "In green", 35),
    percent("blue", "In blue", 10),
  ],
  vignette: [
    {
      part: "stops",
      name: "Outside",
      unit: "stops",
      times: 1,
      digits: 2,
      step: 0.02,
      range: [-4, 2],
      plain: -0.5,
      sign: true,
    },
    percent("begins", "Begins at", 40, 140),
    { ...percent("soft", "Falls off over", 70, 200), range: [2, 200] },
    percent("round", "Round", 30),
    percent("x", "Middle across", 50),
    percent("y", "Middle down", 50),
  ],
  grain: [
    size(0.9, 6, 0.3),
    signal("lows", "At black", 0.8, [0, 15]),
    signal("mids", "At half", 2, [0, 15]),
    signal("highs", "At white", 0.8, [0, 15]),
    percent("colour", "Of each colour", 30),
  ],
};

const ABOUT: Record<Finish["kind"], string> = {
  soften: "A blurred picture mixed in. Measured by the scopes.",
  sharpen: "Acts on luma, so that hues stay; detail below “smaller left” is taken for noise. Measured.",
  halation: "What is brighter than “from luma” glows into what lies around it. Measured.",
  vignette: "Stops of the monitor’s light; 100 % of the way is a corner. Measured by the scopes.",
  grain: "Deviation in percent of the signal. No reading: scopes and marks leave it out.",
};

/** The numbers of a step that finishes the display signal. */
export function FinishControls({ values }: { values: Finish }) {
  const numbers = values as unknown as Record<string, number>;
  return (
    <div className="corrections dense">
      {PARTS[values.kind].map(({ part, name, unit, times, digits, step, range, plain, sign }) => (
        <Part
          key={part}
          name={name}
          unit={unit}
          value={times * numbers[part]}
          text={sign ? signed(numbers[part], digits) : (times * numbers[part]).toFixed(digits)}
          step={step}
          range={range}
          plain={plain}
          onSet={(value) => ({ ...values, [part]: value / times })}
        />
      ))}
      <p className="second about">{ABOUT[values.kind]}</p>
    </div>
  );
}
