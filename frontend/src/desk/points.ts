/** Points of a curves step on the scopes: where they are shown, what is made of them. */
import {
  CHANNELS,
  type Channel,
  curveAt,
  curvesAt,
  levelSentTo,
  MOST_POINTS,
  withoutPoint,
  withPoint,
} from "../correction/curve";
import type { Curves } from "../shared/api";

/** What a working value that the step sends out is shown at, percent. */
export function percentOf(greys: number[], level: number): number {
  const place = Math.min(Math.max(level, 0), 1) * (greys.length - 1);
  const i = Math.min(Math.floor(place), greys.length - 2);
  return greys[i] + (place - i) * (greys[i + 1] - greys[i]);
}

/** The working value that is shown at a percent: the inverse of {@link percentOf}; the middle of what is shown alike. */
export function levelOf(greys: number[], percent: number): number {
  const last = greys.length - 1;
  const up = greys.findIndex((shown) => shown > percent + 1e-6);
  const down = greys.filter((shown) => shown < percent - 1e-6).length - 1;
  if (up <= 0) return up < 0 ? Math.max(down, 0) / last : 0;
  if (down < 0) return up / last;
  if (up - down > 1) return (up + down) / 2 / last;
  return (down + (percent - greys[down]) / (greys[up] - greys[down])) / last;
}

/** A point as it is shown: which curve, which point of it, at what percent it is in the end. */
export interface Shown {
  channel: Channel;
  at: number;
  percent: number;
}

/** What one of a channel's points is sent to by the whole step. */
function sentTo(curves: Curves, channel: Channel, at: number): number {
  const [, out] = curves[channel].points[at];
  if (channel !== "all") return out;
  return (["red", "green", "blue"] as const).reduce((sum, one) => sum + curveAt(curves[one], out) / 3, 0);
}

export const shownPoints = (curves: Curves, greys: number[]): Shown[] =>
  CHANNELS.flatMap((channel) =>
    curves[channel].points.map((_, at) => ({
      channel,
      at,
      percent: percentOf(greys, sentTo(curves, channel, at)),
    })),
  );

/** What comes into a channel's own curve where the whole step sends out `out`. */
const comingIn = (curves: Curves, channel: Channel, out: number): number => {
  if (channel !== "all") return levelSentTo(curves[channel], out);
  let [low, high] = [-0.5, 1.5];
  for (let i = 0; i < 40; i++) {
    const middle = (low + high) / 2;
    const sent = (["red", "green", "blue"] as const).reduce(
      (sum, one) => sum + curvesAt(curves, one, middle) / 3,
      0,
    );
    if (sent < out) low = middle;
    else high = middle;
  }
  return (low + high) / 2;
};

/** Blacks and whites stay where they are when a first point is set between them. */
const ENDS = [0.1, 0.72];

/** The same curves with a point at what is sent out at `out`, where it stands now. */
export function withPointAt(curves: Curves, channel: Channel, out: number): Curves {
  const curve = curves[channel];
  const first =
    curve.points.length === 0 ? ENDS.reduce((one, end) => withPoint(one, end, end), curve) : curve;
  const level = comingIn({ ...curves, [channel]: first }, channel, out);
  return { ...curves, [channel]: withPoint(first, level, curveAt(first, level)) };
}

/** The same curves, what is sent out at `from` now being sent to `to`: by the point that stands there, or a new one. */
export function pulled(curves: Curves, channel: Channel, from: number, to: number): Curves {
  const near = curves[channel].points.findIndex(([, out]) => Math.abs(out - from) < 0.012);
  const made = near >= 0 ? curves : withPointAt(curves, channel, from);
  const at = near >= 0 ? near : made[channel].points.findIndex(([, out]) => Math.abs(out - from) < 0.005);
  return at < 0 ? curves : withPointMoved(made, channel, at, to);
}

/** The same curves, a point of one being sent to `out`. */
export function withPointMoved(curves: Curves, channel: Channel, at: number, out: number): Curves {
  const curve = curves[channel];
  const point = curve.points[at];
  return point ? { ...curves, [channel]: withPoint(curve, point[0], out, at) } : curves;
}

export const withPointGone = (curves: Curves, channel: Channel, at: number): Curves => ({
  ...curves,
  [channel]: withoutPoint(curves[channel], at),
});

/** Blacks, lows, mids, highs and whites: percent at which the five places stand. */
export const FIVE = [2, 15, 42, 72, 95];

/** The same curves with a point at each of the five places, where each stands now. */
export function withFive(curves: Curves, channel: Channel, greys: number[]): Curves {
  let next = curves;
  for (const percent of FIVE) {
    if (next[channel].points.length >= MOST_POINTS) break;
    const out = levelOf(greys, percent);
    const level = comingIn(next, channel, out);
    const near = next[channel].points.some(([one]) => Math.abs(one - level) < 0.02);
    if (!near) next = { ...next, [channel]: withPoint(next[channel], level, curveAt(next[channel], level)) };
  }
  return next;
}
