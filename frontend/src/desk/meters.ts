/** Meters as values: what is drawn on a picture, moved and sized. */
import { NO_STEPS } from "../correction/model";
import type { Meter } from "../shared/api";

type Point = [number, number];
/** A box narrower or flatter than this, in parts of the picture, is none. */
export const LEAST = 0.01;

const box = (low: Point, high: Point): Meter => ({
  kind: "box",
  points: [low, high],
  correction: NO_STEPS,
});
export const MIDDLE = box([0.4, 0.4], [0.6, 0.6]);

export const isDrawn = (meter: Meter | null): meter is Meter =>
  meter?.kind === "box" || meter?.kind === "outline";

export function bounds(points: Point[]): [left: number, top: number, right: number, bottom: number] {
  const xs = points.map((p) => p[0]);
  const ys = points.map((p) => p[1]);
  return [Math.min(...xs), Math.min(...ys), Math.max(...xs), Math.max(...ys)];
}

/** A meter from what was drawn: a line's two ends span a box; null where it is too small to measure. */
export function drawnMeter(points: Point[], freehand: boolean): Meter | null {
  const [left, top, right, bottom] = bounds(points);
  if (right - left < LEAST || bottom - top < LEAST) return null;
  return freehand ? { kind: "outline", points, correction: NO_STEPS } : box([left, top], [right, bottom]);
}

/** Moved by parts of the picture, as far as it stays inside. */
export function moved(meter: Meter, dx: number, dy: number): Meter {
  const [left, top, right, bottom] = bounds(meter.points);
  const x = Math.min(Math.max(dx, -left), 1 - right);
  const y = Math.min(Math.max(dy, -top), 1 - bottom);
  return { ...meter, points: meter.points.map(([px, py]): Point => [px + x, py + y]) };
}

/** Wider and higher by parts of the picture about its middle, as far as it stays inside and can be measured. */
export function sized(meter: Meter, dx: number, dy: number): Meter {
  const [left, top, right, bottom] = bounds(meter.points);
  const along = (low: number, high: number, by: number) => {
    const middle = (low + high) / 2;
    const size = Math.max(high - low + by, 2 * LEAST);
    const factor = size / (high - low);
    return (at: number) => Math.min(Math.max(middle + (at - middle) * factor, 0), 1);
  };
  const [x, y] = [along(left, right, dx), along(top, bottom, dy)];
  return { ...meter, points: meter.points.map(([px, py]): Point => [x(px), y(py)]) };
}
