import { withSpoke } from "../correction/hues";
import { type HueTurns, post, type Spoke } from "../shared/api";
import { signed } from "../shared/marks";
import { DragNumber } from "./DragNumber";
import { editValues } from "./saving";
import { removeSpoke } from "./spokeGrips";
import { redraw, useDesk } from "./state";

const PARTS: {
  name: keyof Spoke;
  label: string;
  unit: string;
  step: number;
  plain: number;
  text: (value: number) => string;
}[] = [
  { name: "turn", label: "Turn", unit: "°", step: 0.5, plain: 0, text: (v) => signed(v, 1) },
  { name: "colour", label: "Colour", unit: "×", step: 0.01, plain: 1, text: (v) => v.toFixed(2) },
  { name: "lightness", label: "Lightness", unit: "stops", step: 0.02, plain: 0, text: (v) => signed(v, 2) },
  { name: "width", label: "Width", unit: "±°", step: 0.5, plain: 35, text: (v) => v.toFixed(0) },
];

/** Let the server set the current spoke so that its colours are where they are wanted. */
async function aimSpoke(aim: "skin line" | "reference") {
  const { shot, frame, now, focus, spoke } = useDesk.getState();
  if (!shot) return;
  useDesk.setState({ acting: true, refused: null });
  try {
    const answer = await post<{ values: HueTurns }>(`/shots/${shot.id}/hue-aim`, {
      shot: shot.id,
      frame,
      levels: now,
      ...focus,
      spoke,
      aim,
    });
    const same = useDesk.getState();
    // What was moved meanwhile is newer than the answer.
    if (same.now !== now || same.focus !== focus) return;
    editValues(aim === "reference" ? "hue as in the reference" : "skin on its line", answer.values);
  } catch (error) {
    useDesk.setState({ refused: (error as Error).message });
  } finally {
    useDesk.setState({ acting: false });
  }
}

/** Hue turns current: the spokes, the numbers of the current one, and aims for it. */
export function HueControls({ values }: { values: HueTurns }) {
  const at = Math.min(
    useDesk((state) => state.spoke),
    values.spokes.length - 1,
  );
  const hasReference = useDesk((state) => state.referenceReadings !== null);
  const acting = useDesk((state) => state.acting);
  const spoke = values.spokes[at];
  if (!spoke)
    return (
      <p className="second about">
        Double-click at a hue of the vectorscope, or click on a colour in the picture: a spoke is set there.
        Pull it round to turn the hue, outward for more colour, inward for less.
      </p>
    );
  const put = (name: string, changed: Spoke) =>
    editValues(`${name} at ${spoke.hue.toFixed(0)}°`, withSpoke(values, at, changed));
  return (
    <div className="corrections dense">
      <div className="channels">
        {values.spokes.map((one, i) => (
          <button
            // biome-ignore lint/suspicious/noArrayIndexKey: spokes are distinguished by their place
            key={i}
            type="button"
            className="plain"
            aria-pressed={i === at}
            onClick={() => {
              useDesk.setState({ spoke: i });
              redraw();
            }}
          >
            {one.hue.toFixed(0)}°
          </button>
        ))}
        <button
          type="button"
          className="plain"
          aria-label="take the spoke away"
          onClick={() => removeSpoke(at)}
        >
          ×
        </button>
      </div>
      {PARTS.map(({ name, label, unit, step, plain, text }) => (
        <DragNumber
          key={name}
          name={label}
          unit={unit}
          value={spoke[name]}
          text={text(spoke[name])}
          step={step}
          onChange={(value) => put(`${name} ${text(value)}`, { ...spoke, [name]: value })}
          onReset={() => put(`${name} reset`, { ...spoke, [name]: plain })}
        />
      ))}
      <div className="ends">
        <button
          type="button"
          className="plain"
          title="a fifth less colour"
          onClick={() => put("less of it", { ...spoke, colour: 0.8 * spoke.colour })}
        >
          less of it
        </button>
        <button
          type="button"
          className="plain"
          disabled={acting}
          title="turn it so that these colours lie on the skin's line; lightness and colour stay"
          onClick={() => void aimSpoke("skin line")}
        >
          on the skin line
        </button>
        <button
          type="button"
          className="plain"
          disabled={acting || !hasReference}
          title={
            hasReference
              ? "hue, colour and lightness as the reference has them"
              : "the family has no reference yet"
          }
          onClick={() => void aimSpoke("reference")}
        >
          as the reference
        </button>
      </div>
    </div>
  );
}
