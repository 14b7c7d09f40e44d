import { type PointerEvent, useEffect } from "react";
import { Button } from "react-bootstrap";
import { KEYS, shownOf } from "../shared/keys";
import { Flags } from "./Flags";
import { hold, loadAlong, steadyLight } from "./holding";
import { setAllKeyframes, setKeyframe } from "./keyframes";
import { setFrame } from "./looking";
import { pause } from "./playback";
import { useDesk } from "./state";

const REST_MS = 500;
const LEAST_SPAN = 12;
const ROW = 40;
const LUMA = [0.2126, 0.7152, 0.0722];

const lumaOf = (zone: number) => (readings: number[]) =>
  LUMA.reduce((sum, weight, channel) => sum + weight * readings[channel * 3 + zone], 0);

/** What the lane draws: a reading of ten, and what it is called. */
const ROWS: [name: string, of: (readings: number[]) => number][] = [
  ["highs", lumaOf(2)],
  ["mids", lumaOf(1)],
  ["lows", lumaOf(0)],
  ["warm–cool", (readings) => readings[1] - readings[7]],
];

/** Readings of the shot are asked for again when what is on the desk has changed and rests. */
function useAlong() {
  const shot = useDesk((state) => state.shot?.id);
  const now = useDesk((state) => state.now);
  const meter = useDesk((state) => state.meter);
  const along = useDesk((state) => state.along);
  const busy = useDesk((state) => state.work !== null);
  const fresh = along?.shot === shot && along?.under === now && along?.meter === meter;
  useEffect(() => {
    if (fresh || busy || shot === undefined) return;
    const timer = window.setTimeout(() => void loadAlong(), along?.shot === shot ? REST_MS : 0);
    return () => window.clearTimeout(timer);
  }, [fresh, busy, shot, along?.shot]);
  return along?.shot === shot ? along : null;
}

/** Each reading along the shot, as recorded and as corrected, with its aim; changes of light; keyframes. */
export function OpenLane() {
  const along = useAlong();
  const frame = useDesk((state) => state.frame);
  const frames = useDesk((state) => state.shot?.clip.frames ?? 1);
  const range = useDesk((state) => state.range);
  const reference = useDesk((state) => state.referenceReadings);
  const meter = useDesk((state) => state.meter?.kind ?? "all");
  const left = useDesk((state) => state.left);
  const again = useDesk((state) => state.drawnAgain.length);
  const tolerance = useDesk((state) => state.tolerance);
  const work = useDesk((state) => state.work);
  const at = (one: number) => (one / Math.max(frames - 1, 1)) * 1000;
  const go = (event: PointerEvent<SVGSVGElement>) => {
    const box = event.currentTarget.getBoundingClientRect();
    pause();
    setFrame(Math.round(((event.clientX - box.left) / box.width) * (frames - 1)));
  };
  const height = ROW * ROWS.length;
  const rows = ROWS.map(([name, of], row) => {
    if (!along) return { name, recorded: "", corrected: "", aim: null };
    const values = [along.recorded, along.corrected].map((side) => side.map(of));
    const aim = reference ? of(reference) : null;
    const all = [...values.flat(), ...(aim === null ? [] : [aim])];
    const [low, high] = [Math.min(...all), Math.max(...all)];
    const span = Math.max(high - low, LEAST_SPAN);
    const middle = (low + high) / 2;
    const y = (value: number) => row * ROW + ROW / 2 - ((value - middle) / span) * (ROW - 8);
    const path = (side: number[]) =>
      side
        .map((value, i) => `${i ? "L" : "M"}${at(along.frames[i]).toFixed(1)},${y(value).toFixed(1)}`)
        .join("");
    return { name, recorded: path(values[0]), corrected: path(values[1]), aim: aim === null ? null : y(aim) };
  });
  const changes = along?.course.changes ?? [];
  const told = changes.map(
    (one) => `light changes in frames ${one.first + 1} to ${one.last + 1}: ${one.said}`,
  );
  return (
    <section className="open-lane" aria-label="the shot along time">
      <div className="lane-rows">
        {rows.map((row) => (
          <span key={row.name}>{row.name}</span>
        ))}
      </div>
      <div className="lane-drawn">
        <svg
          viewBox={`0 0 1000 ${height}`}
          preserveAspectRatio="none"
          role="img"
          aria-label={told.join("; ") || "readings along the shot"}
          onPointerDown={(event) => {
            event.currentTarget.setPointerCapture(event.pointerId);
            go(event);
          }}
          onPointerMove={(event) => event.buttons === 1 && go(event)}
        >
          <defs>
            <pattern
              id="changing"
              width="6"
              height="6"
              patternUnits="userSpaceOnUse"
              patternTransform="rotate(45)"
            >
              <line x1="0" y1="0" x2="0" y2="6" className="hatch" />
            </pattern>
          </defs>
          {changes.map((one) => (
            <rect
              key={one.first}
              className="change"
              x={at(one.first)}
              width={Math.max(at(one.last) - at(one.first), 2)}
              y={0}
              height={height}
              fill="url(#changing)"
            />
          ))}
          {range && (
            <rect className="played" x={at(range[0])} width={at(range[1]) - at(range[0])} y={0} height={2} />
          )}
          {rows.map((row) => (
            <g key={row.name}>
              {row.aim !== null && <line className="aimed" x1={0} x2={1000} y1={row.aim} y2={row.aim} />}
              <path className="recorded" d={row.recorded} />
              <path className="corrected" d={row.corrected} />
            </g>
          ))}
          <line className="playhead" x1={at(frame)} x2={at(frame)} y1={0} y2={height} />
        </svg>
        <Flags frames={frames} />
      </div>
      <p className="lane-told">
        thin: as recorded, thick: as corrected{reference ? ", dotted: the reference" : ""}.{" "}
        {along?.course.steadiness === "steady" ? "The light is steady." : told.join("; ")}
        {along?.course.flicker ? ` It flickers by ${along.course.flicker.toFixed(1)}.` : ""}
      </p>
      <div className="lane-actions">
        <Button
          variant="action"
          title={`set a keyframe here on the current step (${shownOf(KEYS.keyframe)})`}
          onClick={() => void setKeyframe()}
        >
          Keyframe here
        </Button>
        <button
          type="button"
          className="plain link"
          title={`set a keyframe here on every step of the shot (${shownOf(KEYS.allSteps)})`}
          onClick={() => void setAllKeyframes()}
        >
          on every step
        </button>
        <Button
          variant="action"
          disabled={work !== null}
          title={`keep what is metered, or all, as it looks at this frame (${shownOf(KEYS.hold)})`}
          onClick={() => void hold()}
        >
          Hold {meter}
          {again > 0 && ` from ${again + 1} frames`}
        </Button>
        <label className="within" title="CIEDE2000 that a hold may leave: less takes more keyframes">
          within{" "}
          <input
            type="number"
            min={0.2}
            max={10}
            step={0.1}
            value={tolerance}
            onChange={(event) => {
              const wanted = event.target.valueAsNumber;
              if (wanted >= 0.2 && wanted <= 10) useDesk.setState({ tolerance: wanted });
            }}
          />
        </label>
        <Button
          variant="action"
          disabled={work !== null}
          title={`remove a slow drift of the camera's white or exposure (${shownOf(KEYS.steady)})`}
          onClick={() => void steadyLight()}
        >
          Steady light
        </Button>
        {left && (
          <span className="left mono" title="CIEDE2000 at the worst frame, after and before">
            left <b>{left.largest.toFixed(1)}</b> of {left.was.toFixed(1)}
          </span>
        )}
      </div>
    </section>
  );
}
