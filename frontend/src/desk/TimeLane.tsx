import { type KeyboardEvent, type PointerEvent, useMemo } from "react";
import { useDrift } from "../shared/day";
import { KEYS, shownOf } from "../shared/keys";
import { Flags } from "./Flags";
import { setFrame } from "./looking";
import { pause, toggle } from "./playback";
import { useDesk } from "./state";

const WIDTH = 1000;
const LANE = 26;

function path(points: [number, number][], low: number, high: number, top: number): string {
  const span = Math.max(high - low, 1e-6);
  return points
    .map(
      ([x, value], i) =>
        `${i ? "L" : "M"}${x.toFixed(1)},${(top + LANE - ((value - low) / span) * LANE).toFixed(1)}`,
    )
    .join("");
}

/** Level and cast along the shot as recorded, with the playhead. */
export function TimeLane() {
  const shot = useDesk((state) => state.shot);
  const frame = useDesk((state) => state.frame);
  const clip = shot?.clip;
  const frames = clip?.frames ?? 1;
  const drifts = useDrift();
  const drift = shot ? drifts[shot.id] : undefined;
  const lanes = useMemo(() => {
    const rows = drift ?? [];
    const x = (index: number) => (index / Math.max(frames - 1, 1)) * WIDTH;
    const level = rows.map((d): [number, number] => [x(d[0]), 0.2126 * d[2] + 0.7152 * d[5] + 0.0722 * d[8]]);
    const cast = rows.map((d): [number, number] => [x(d[0]), d[2] - d[8]]);
    const middle = (points: [number, number][]) =>
      points.reduce((s, p) => s + p[1], 0) / Math.max(points.length, 1);
    const [l, c] = [middle(level), middle(cast)];
    return { level: path(level, l - 15, l + 15, 6), cast: path(cast, c - 12, c + 12, 6 + LANE + 4) };
  }, [drift, frames]);
  const go = (event: PointerEvent<SVGSVGElement>) => {
    const box = event.currentTarget.getBoundingClientRect();
    pause();
    setFrame(Math.round(((event.clientX - box.left) / box.width) * (frames - 1)));
  };
  const onKey = (event: KeyboardEvent) => {
    const to = { Home: 0, End: frames - 1 }[event.key];
    if (to === undefined) return;
    setFrame(to);
    event.preventDefault();
  };
  const open = useDesk((state) => state.laneOpen);
  const range = useDesk((state) => state.range);
  const playing = useDesk((state) => state.playing);
  const loop = useDesk((state) => state.loop);
  const xOf = (index: number) => (index / Math.max(frames - 1, 1)) * WIDTH;
  const at = xOf(frame);
  return (
    <div className="time-lane">
      <div className="lane-names">
        <span>level</span>
        <span>cast</span>
      </div>
      <div className="lane-drawn">
        <svg
          viewBox={`0 0 ${WIDTH} ${2 * LANE + 14}`}
          preserveAspectRatio="none"
          // biome-ignore lint/a11y/noNoninteractiveElementToInteractiveRole: the lane is drawn, and is the slider
          role="slider"
          tabIndex={0}
          aria-label="frame"
          aria-valuemin={0}
          aria-valuemax={frames - 1}
          aria-valuenow={frame}
          onKeyDown={onKey}
          onPointerDown={(event) => {
            event.currentTarget.setPointerCapture(event.pointerId);
            go(event);
          }}
          onPointerMove={(event) => event.buttons === 1 && go(event)}
        >
          {range && (
            <>
              <rect className="left-out" x={0} y={0} width={xOf(range[0])} height={2 * LANE + 14} />
              <rect
                className="left-out"
                x={xOf(range[1])}
                y={0}
                width={Math.max(WIDTH - xOf(range[1]), 0)}
                height={2 * LANE + 14}
              />
            </>
          )}
          {shot?.course?.changes.map((one) => (
            <rect
              key={one.first}
              className="change"
              x={xOf(one.first)}
              y={0}
              width={Math.max(xOf(one.last) - xOf(one.first), 2)}
              height={2 * LANE + 14}
            >
              <title>{`light changes in frames ${one.first + 1} to ${one.last + 1}: ${one.said}`}</title>
            </rect>
          ))}
          <path d={lanes.level} />
          <path d={lanes.cast} />
          <line x1={at} x2={at} y1={0} y2={2 * LANE + 14} className="playhead" />
        </svg>
        <Flags frames={frames} />
      </div>
      <span className="mono counter">
        <span data-testid="frame">
          {frame + 1}/{frames}
        </span>
        <button
          type="button"
          className="plain"
          aria-label={playing ? "stop" : "play"}
          title="Space; J K L shuttle, I and O set the ends"
          onClick={toggle}
        >
          {playing === 0 ? "play" : `${playing > 0 ? "" : "−"}${Math.abs(playing)}×`}
        </button>
        <button
          type="button"
          className="plain"
          aria-pressed={loop}
          onClick={() => useDesk.setState({ loop: !loop })}
        >
          loop
        </button>
        <button
          type="button"
          className="plain"
          aria-pressed={open}
          title={`draw the lane out, with keyframes, Hold and Steady light (${shownOf(KEYS.lane)})`}
          onClick={() => useDesk.setState({ laneOpen: !open })}
        >
          time
        </button>
      </span>
    </div>
  );
}
