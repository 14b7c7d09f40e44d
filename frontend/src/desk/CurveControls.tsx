import { CHANNELS, type Channel, curveAt, NO_CURVE, withPoint } from "../correction/curve";
import { TRACE } from "../scopes/canvas";
import type { Curves } from "../shared/api";
import { DragNumber } from "./DragNumber";
import { pointName, sayStopped } from "./pointGrips";
import { levelOf, percentOf, withFive, withPointGone, withPointMoved } from "./points";
import { editValues } from "./saving";
import { inHandValues, redraw, useDesk } from "./state";

const SIZE = 84;
const [LOW, HIGH] = [0.05, 0.8];
const SAMPLES = 60;
const COLOURS: Record<Channel, string> = {
  all: "#f0f0f0",
  red: `rgb(${TRACE[0].join(",")})`,
  green: `rgb(${TRACE[1].join(",")})`,
  blue: `rgb(${TRACE[2].join(",")})`,
};

const at = (level: number) => ((level - LOW) / (HIGH - LOW)) * SIZE;

/** The whole shape of the four curves; the current one with its points. */
function Plot({ values, channel }: { values: Curves; channel: Channel }) {
  const line = (one: Channel) =>
    Array.from({ length: SAMPLES + 1 }, (_, i) => {
      const level = LOW + (i / SAMPLES) * (HIGH - LOW);
      return `${at(level).toFixed(1)},${(SIZE - at(curveAt(values[one], level))).toFixed(1)}`;
    }).join(" ");
  return (
    <svg className="curve-plot" viewBox={`0 0 ${SIZE} ${SIZE}`} role="img" aria-label={`curve of ${channel}`}>
      <line x1={0} y1={SIZE} x2={SIZE} y2={0} className="plain-way" />
      {CHANNELS.filter((one) => values[one].points.length > 0 || one === channel).map((one) => (
        <polyline
          key={one}
          points={line(one)}
          stroke={COLOURS[one]}
          strokeWidth={one === channel ? 1.8 : 0.8}
          fill="none"
        />
      ))}
      {values[channel].points.map(([level, out]) => (
        <rect
          key={level}
          x={at(level) - 2}
          y={SIZE - at(out) - 2}
          width={4}
          height={4}
          fill={COLOURS[channel]}
        />
      ))}
    </svg>
  );
}

/** Curves current: which curve, its points as numbers, what its ends do, and its shape. */
export function CurveControls({ values }: { values: Curves }) {
  const channel = useDesk((state) => state.channel);
  const held = useDesk((state) => state.held);
  const greys = useDesk((state) => state.told?.greys);
  const curve = values[channel];
  const put = (what: string, next: Curves) => editValues(`${what} of ${channel}`, next);
  const turned = (end: "low_held" | "high_held") =>
    put(end === "low_held" ? "black held" : "white held", {
      ...values,
      [channel]: { ...curve, [end]: !curve[end] },
    });
  return (
    <div className="curve-controls">
      <div className="channels">
        {CHANNELS.map((one) => (
          <button
            key={one}
            type="button"
            className="plain"
            aria-pressed={one === channel}
            onClick={() => useDesk.setState({ channel: one })}
          >
            {one}
          </button>
        ))}
      </div>
      <Plot values={values} channel={channel} />
      <div className="points">
        {curve.points.length === 0 && (
          <p className="second">
            Double-click at a level of a scope, or click in the picture: it is held, and can be moved.
          </p>
        )}
        {greys &&
          curve.points.map(([level, out], i) => (
            <div
              key={pointName(channel, i)}
              className={`point-row${held === pointName(channel, i) ? " held" : ""}`}
            >
              <DragNumber
                name="from"
                value={percentOf(greys, level)}
                text={percentOf(greys, level).toFixed(1)}
                step={0.1}
                onChange={(percent) =>
                  put("a point moved", {
                    ...values,
                    [channel]: withPoint(curve, levelOf(greys, percent), out, i),
                  })
                }
                onReset={() => undefined}
              />
              <DragNumber
                name="to"
                value={percentOf(greys, out)}
                text={percentOf(greys, out).toFixed(1)}
                unit="%"
                step={0.1}
                onChange={(percent) => {
                  const next = withPointMoved(values, channel, i, levelOf(greys, percent));
                  const shown = percentOf(greys, next[channel].points[i][1]);
                  put(`${percentOf(greys, level).toFixed(0)} % to ${shown.toFixed(1)} %`, next);
                  sayStopped(percent, shown);
                  useDesk.setState({ held: pointName(channel, i) });
                  redraw();
                }}
                onReset={() => put("point reset", withPointMoved(values, channel, i, level))}
              />
              <button
                type="button"
                className="plain"
                aria-label={`take the point at ${percentOf(greys, level).toFixed(0)} % away`}
                onClick={() => put("point removed", withPointGone(values, channel, i))}
              >
                ×
              </button>
            </div>
          ))}
      </div>
      <div className="ends">
        <button
          type="button"
          className="plain"
          title="points for blacks, lows, mids, highs and whites, each where it stands now (Shift 5)"
          onClick={() => setFive()}
        >
          five
        </button>
        <button
          type="button"
          className="plain"
          disabled={curve.points.length === 0}
          aria-pressed={curve.low_held}
          title="nothing goes below the first point"
          onClick={() => turned("low_held")}
        >
          hold black
        </button>
        <button
          type="button"
          className="plain"
          disabled={curve.points.length === 0}
          aria-pressed={curve.high_held}
          title="nothing goes above the last point"
          onClick={() => turned("high_held")}
        >
          hold white
        </button>
        <button
          type="button"
          className="plain"
          disabled={curve.points.length === 0}
          onClick={() => put("no points", { ...values, [channel]: NO_CURVE })}
        >
          none
        </button>
      </div>
    </div>
  );
}

/** Set points at blacks, lows, mids, highs and whites of the current curve. */
export function setFive() {
  const state = useDesk.getState();
  const values = inHandValues(state);
  const greys = state.shown?.greys;
  if (!greys || values?.kind !== "curves") return;
  editValues(`five points of ${state.channel}`, withFive(values, state.channel, greys));
}
