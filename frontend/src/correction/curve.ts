/** A curve of a curves step as the core has it: through its points as a monotone cubic, straight on beyond them, or held there. */
import type { Curve, Curves } from "../shared/api";

export const LEAST_APART = 0.002;
export const LEAST_RISE = 0.02;
export const MOST_POINTS = 24;

export const CHANNELS = ["all", "red", "green", "blue"] as const;
export type Channel = (typeof CHANNELS)[number];

export const NO_CURVE: Curve = { points: [], low_held: false, high_held: false };
export const NO_CURVES: Curves = {
  kind: "curves",
  all: NO_CURVE,
  red: NO_CURVE,
  green: NO_CURVE,
  blue: NO_CURVE,
};

/** How steep a monotone cubic is at its points (Fritsch and Carlson 1980, as SciPy has it). */
function slopes(points: Curve["points"]): number[] {
  const n = points.length;
  const wide = points.slice(1).map(([x], i) => x - points[i][0]);
  const rise = points.slice(1).map(([, y], i) => (y - points[i][1]) / wide[i]);
  if (n === 2) return [rise[0], rise[0]];
  const inner = points.slice(1, -1).map((_, i) => {
    const [a, b] = [rise[i], rise[i + 1]];
    if (a * b <= 0) return 0;
    const [w1, w2] = [2 * wide[i + 1] + wide[i], wide[i + 1] + 2 * wide[i]];
    return (w1 + w2) / (w1 / a + w2 / b);
  });
  const end = (h0: number, h1: number, d0: number, d1: number) => {
    const slope = ((2 * h0 + h1) * d0 - h0 * d1) / (h0 + h1);
    if (Math.sign(slope) !== Math.sign(d0)) return 0;
    return Math.sign(d0) !== Math.sign(d1) && Math.abs(slope) > 3 * Math.abs(d0) ? 3 * d0 : slope;
  };
  return [
    end(wide[0], wide[1], rise[0], rise[1]),
    ...inner,
    end(wide[n - 2], wide[n - 3], rise[n - 2], rise[n - 3]),
  ];
}

/** The curve at a level. */
export function curveAt({ points, low_held, high_held }: Curve, level: number): number {
  if (points.length === 0) return level;
  const [first, last] = [points[0], points[points.length - 1]];
  const held = (out: number) => {
    const above = low_held ? Math.max(out, first[1]) : out;
    return high_held ? Math.min(above, last[1]) : above;
  };
  if (points.length === 1) return held(level + first[1] - first[0]);
  const steep = slopes(points);
  if (level <= first[0]) return held(first[1] + Math.max(steep[0], LEAST_RISE) * (level - first[0]));
  if (level >= last[0])
    return held(last[1] + Math.max(steep[steep.length - 1], LEAST_RISE) * (level - last[0]));
  const i = points.findIndex(([x]) => x > level) - 1;
  const [x0, y0] = points[i];
  const [x1, y1] = points[i + 1];
  const h = x1 - x0;
  const t = (level - x0) / h;
  return (
    y0 * (1 + 2 * t) * (1 - t) ** 2 +
    h * steep[i] * t * (1 - t) ** 2 +
    y1 * t * t * (3 - 2 * t) +
    h * steep[i + 1] * t * t * (t - 1)
  );
}

/** The level that a curve sends to `out`, by halving. */
export function levelSentTo(curve: Curve, out: number): number {
  let [low, high] = [-0.5, 1.5];
  for (let i = 0; i < 40; i++) {
    const middle = (low + high) / 2;
    if (curveAt(curve, middle) < out) low = middle;
    else high = middle;
  }
  return (low + high) / 2;
}

/** The same curve with a point where `level` is sent to `out`, kept between its neighbours; `at` is the one that is moved. */
export function withPoint(curve: Curve, level: number, out: number, at?: number): Curve {
  const others = curve.points.filter((_, i) => i !== at);
  if (others.length >= MOST_POINTS) return curve;
  const near = others.findIndex(([x]) => Math.abs(x - level) < LEAST_APART);
  if (near >= 0) return curve;
  const before = others.filter(([x]) => x < level).at(-1);
  const after = others.find(([x]) => x > level);
  // Rising, and a little more than the least that a curve may.
  const rise = 1.2 * LEAST_RISE;
  const lowest = before ? before[1] + rise * (level - before[0]) : -2;
  const highest = after ? after[1] - rise * (after[0] - level) : 4;
  if (lowest > highest) return curve;
  const point: [number, number] = [level, Math.min(Math.max(out, lowest), highest)];
  return { ...curve, points: [...others, point].sort((a, b) => a[0] - b[0]) };
}

/** The same curve without a point; what was held at an end that is gone is held no longer. */
export function withoutPoint(curve: Curve, at: number): Curve {
  const points = curve.points.filter((_, i) => i !== at);
  return points.length > 0 ? { ...curve, points } : NO_CURVE;
}

/** What becomes of a level of one channel in the whole step. */
export const curvesAt = (curves: Curves, channel: Exclude<Channel, "all">, level: number) =>
  curveAt(curves[channel], curveAt(curves.all, level));

/** `part` (0..1) of the way from one curve to another, at the levels of both. */
export function betweenCurves(a: Curve, b: Curve, part: number): Curve {
  const levels = [...new Set([...a.points, ...b.points].map(([x]) => x))].sort((x, y) => x - y);
  const apart = levels.filter((x, i) => i === 0 || x - levels[i - 1] >= LEAST_APART).slice(0, MOST_POINTS);
  const nearer = part >= 0.5 ? b : a;
  return {
    points: apart.map((x) => [x, curveAt(a, x) + part * (curveAt(b, x) - curveAt(a, x))]),
    low_held: nearer.low_held && apart.length > 0,
    high_held: nearer.high_held && apart.length > 0,
  };
}
