import type { ReactNode } from "react";
import { SIGNALS } from "../scopes/canvas";
import type { Values } from "../shared/api";
import { signed } from "../shared/marks";
import { Corrections, TenNumbers } from "./Corrections";
import { CurveControls } from "./CurveControls";
import { FinishControls } from "./FinishControls";
import { HueControls } from "./HueControls";
import { LookControls } from "./LookControls";
import { Part } from "./Part";
import { SelectionControls } from "./SelectionControls";
import { editValues } from "./saving";
import { inHandValues, useDesk } from "./state";
import { DenoiseControls, SteadyControls } from "./TreatmentControls";

type Of<K extends Values["kind"]> = Extract<Values, { kind: K }>;

function DensityControls({ values }: { values: Of<"density"> }) {
  return (
    <div className="corrections">
      <Part
        name="Density"
        unit="stops"
        value={values.density}
        text={signed(values.density, 2)}
        step={0.02}
        range={[-3, 3]}
        onSet={(density) => ({ ...values, density })}
      />
      <Part
        name="Pale colour"
        value={values.pale}
        text={signed(values.pale, 2)}
        step={0.01}
        range={[-0.9, 3]}
        onSet={(pale) => ({ ...values, pale })}
      />
      <p className="second about">
        Density darkens colours the more, the deeper they are. Pale colour acts on pale tones and leaves deep
        ones.
      </p>
    </div>
  );
}

const ZONES = ["lows", "mids", "highs"] as const;

function ZoneControls({ values }: { values: Of<"zones"> }) {
  const tint = (zone: (typeof ZONES)[number], which: 0 | 1, name: string): ReactNode => (
    <Part
      key={`${zone} ${name}`}
      name={`${zone} ${name}`}
      value={100 * values[zone][which]}
      text={signed(100 * values[zone][which], 1)}
      step={0.1}
      range={[-20, 20]}
      onSet={(value) => {
        const changed: [number, number] = [...values[zone]];
        changed[which] = value / 100;
        return { ...values, [zone]: changed };
      }}
    />
  );
  return (
    <div className="corrections dense">
      {ZONES.map((zone) => [tint(zone, 0, "warmer"), tint(zone, 1, "greener")])}
      <Part
        name="lows end at"
        unit="stops"
        value={values.low}
        text={signed(values.low, 1)}
        step={0.05}
        range={[-10, values.high - 0.1]}
        plain={-2.5}
        onSet={(low) => ({ ...values, low })}
      />
      <Part
        name="highs begin at"
        unit="stops"
        value={values.high}
        text={signed(values.high, 1)}
        step={0.05}
        range={[values.low + 0.1, 10]}
        plain={1}
        onSet={(high) => ({ ...values, high })}
      />
      <button
        type="button"
        className="plain switch"
        aria-pressed={values.opposed}
        title="mids get the opposite of what lows and highs get, beside their own tint"
        onClick={() =>
          editValues(`mids ${values.opposed ? "by themselves" : "opposed"}`, {
            ...values,
            opposed: !values.opposed,
          })
        }
      >
        mids opposed: {values.opposed ? "yes" : "no"}
      </button>
    </div>
  );
}

function RebuildControls({ values }: { values: Of<"rebuild"> }) {
  const place = SIGNALS.indexOf(values.channel);
  const others = SIGNALS.filter((one) => one !== values.channel);
  return (
    <div className="corrections">
      <Part
        name="Amount"
        unit="%"
        value={100 * values.amount}
        text={(100 * values.amount).toFixed(0)}
        step={1}
        range={[0, 100]}
        plain={100}
        onSet={(amount) => ({ ...values, amount: amount / 100 })}
      />
      <Part
        name={`${values.channel} kept`}
        unit="%"
        value={100 * values.weights[place]}
        text={(100 * values.weights[place]).toFixed(0)}
        step={1}
        range={[0, 100]}
        plain={15}
        onSet={(part) => {
          // The others share the rest as they did.
          const rest = (1 - part / 100) / Math.max(1 - values.weights[place], 1e-6);
          const weights = values.weights.map((w, i) => (i === place ? part / 100 : w * rest));
          const [r, g] = weights;
          return { ...values, weights: [r, g, 1 - r - g] };
        }}
      />
      <Part
        name={`${values.channel} lifted`}
        unit="stops"
        value={values.offset * 17.52}
        text={signed(values.offset * 17.52, 2)}
        step={0.02}
        range={[-12, 12]}
        onSet={(stops) => ({ ...values, offset: stops / 17.52 })}
      />
      <p className="second about">
        {values.channel} is made of {others.join(" and ")}, since the recording hardly holds it.
      </p>
    </div>
  );
}

function HighControls({ values }: { values: Of<"highs"> }) {
  return (
    <div className="corrections">
      <Part
        name="Begins below"
        unit="stops"
        value={values.soft}
        text={values.soft.toFixed(2)}
        step={0.02}
        range={[0.1, 4]}
        plain={0.6}
        onSet={(soft) => ({ ...values, soft })}
      />
      <Part
        name="Colour led"
        value={100 * values.reach}
        text={(100 * values.reach).toFixed(1)}
        step={0.2}
        range={[1, 100]}
        plain={10}
        onSet={(reach) => ({ ...values, reach: reach / 100 })}
      />
      <p className="second about">
        Highs that are clipped in one or two channels are moved to neutral; deeper colours than “colour led”
        stay.
      </p>
    </div>
  );
}

function LimitControls({ values }: { values: Of<"limits"> }) {
  const parts = [
    { name: "Low", part: "low", range: [-12, values.high - 2 * values.soft - 10], plain: -1 },
    { name: "High", part: "high", range: [values.low + 2 * values.soft + 10, 112], plain: 103 },
    { name: "Soft", part: "soft", range: [0, Math.min(20, (values.high - values.low - 10) / 2)], plain: 3 },
  ] as const;
  return (
    <div className="corrections">
      {parts.map(({ name, part, range, plain }) => (
        <Part
          key={part}
          name={name}
          unit="%"
          value={values[part]}
          text={values[part].toFixed(1)}
          step={0.2}
          range={[range[0], range[1]]}
          plain={plain}
          onSet={(value) => ({ ...values, [part]: value })}
        />
      ))}
      <p className="second about">
        Red, green and blue of the display signal stay between the two, whatever the shots do.
      </p>
    </div>
  );
}

/** The controls of the current step, by its kind. */
export function StepControls() {
  const values = useDesk(inHandValues);
  const showNumbers = useDesk((state) => state.showNumbers);
  switch (values?.kind) {
    case "curves":
      return <CurveControls values={values} />;
    case "hues":
      return <HueControls values={values} />;
    case "density":
      return <DensityControls values={values} />;
    case "zones":
      return <ZoneControls values={values} />;
    case "rebuild":
      return <RebuildControls values={values} />;
    case "limits":
      return <LimitControls values={values} />;
    case "selection":
      return <SelectionControls selection={values} />;
    case "highs":
      return <HighControls values={values} />;
    case "denoise":
      return <DenoiseControls values={values} />;
    case "steady":
      return <SteadyControls values={values} />;
    case "look":
      return <LookControls key={values.digest} values={values} />;
    case "soften":
    case "sharpen":
    case "halation":
    case "vignette":
    case "grain":
      return <FinishControls values={values} />;
    default:
      return showNumbers ? <TenNumbers /> : <Corrections />;
  }
}
