/** Curves, spokes and kinds of steps as values. */
import { describe, expect, it } from "vitest";
import {
  betweenCurves,
  curveAt,
  LEAST_RISE,
  levelSentTo,
  NO_CURVE,
  NO_CURVES,
  withoutPoint,
  withPoint,
} from "../src/correction/curve";
import {
  allowed,
  betweenTurns,
  hueOf,
  hueShownAt,
  newSpoke,
  shownAt,
  withSpoke,
} from "../src/correction/hues";
import { addable, between, KINDS } from "../src/correction/kinds";
import { isInForce, newStep } from "../src/correction/model";
import { FIVE, levelOf, percentOf, pulled, shownPoints, withFive, withPointAt } from "../src/desk/points";
import type { Curve, HueTurns } from "../src/shared/api";

const BENT: Curve = {
  points: [
    [0.15, 0.12],
    [0.35, 0.37],
    [0.6, 0.62],
  ],
  low_held: true,
  high_held: false,
};
/** A display that shows working values evenly, but nothing below 0.1 and nothing more above 0.7. */
const GREYS = Array.from({ length: 129 }, (_, i) => Math.min(Math.max((i / 128 - 0.1) / 0.6, 0), 1) * 100);
const HUES = Array.from({ length: 72 }, (_, i) => 100 + 5 * i + 8 * Math.sin(i / 6));

describe("a curve", () => {
  it("is the core's: what SciPy makes of the same points", () => {
    // PchipInterpolator([0.15, 0.35, 0.6], [0.12, 0.37, 0.62]) at these places.
    for (const [level, out] of [
      [0.2, 0.1868840392561984],
      [0.3, 0.31231878443526173],
      [0.5, 0.5277768595041322],
    ])
      expect(curveAt(BENT, level)).toBeCloseTo(out, 12);
    expect(curveAt(BENT, 0.05)).toBe(0.12);
    expect(curveAt(BENT, 0.8)).toBeGreaterThan(0.62);
    expect(curveAt(NO_CURVE, 0.3)).toBe(0.3);
  });

  it("leads back to where a level came from", () => {
    for (const level of [0.2, 0.4, 0.55])
      expect(levelSentTo(BENT, curveAt(BENT, level))).toBeCloseTo(level, 5);
  });

  it("always rises: a point is kept between its neighbours", () => {
    const pushed = withPoint(BENT, 0.35, 0.9, 1);
    expect(pushed.points[1][1]).toBeLessThan(0.62);
    expect((pushed.points[2][1] - pushed.points[1][1]) / 0.25).toBeGreaterThanOrEqual(LEAST_RISE);
    expect(withPoint(BENT, 0.351, 0.4)).toBe(BENT);
    expect(withoutPoint(withPoint(NO_CURVE, 0.3, 0.4), 0)).toEqual(NO_CURVE);
  });

  it("has parts of two between two", () => {
    const half = betweenCurves(NO_CURVE, BENT, 0.5);
    expect(curveAt(half, 0.35)).toBeCloseTo(0.36, 6);
    expect(betweenCurves(NO_CURVE, NO_CURVE, 0.5)).toEqual(NO_CURVE);
  });
});

describe("points on the scopes", () => {
  it("are shown where what they send out is shown, and set where they are pressed", () => {
    expect(levelOf(GREYS, percentOf(GREYS, 0.4))).toBeCloseTo(0.4, 6);
    const set = withPointAt(NO_CURVES, "red", levelOf(GREYS, 50));
    // The ends are set with the first, so that they stay.
    expect(set.red.points).toHaveLength(3);
    const shown = shownPoints(set, GREYS).map(({ percent }) => percent);
    expect(shown[1]).toBeCloseTo(50, 3);
    expect(curveAt(set.red, 0.3)).toBeCloseTo(0.3, 6);
  });

  it("are pulled from one level to another", () => {
    const moved = pulled(NO_CURVES, "green", levelOf(GREYS, 40), levelOf(GREYS, 46));
    expect(curveAt(moved.green, levelOf(GREYS, 40))).toBeCloseTo(levelOf(GREYS, 46), 4);
    expect(curveAt(moved.red, 0.4)).toBe(0.4);
  });

  it("stand at five places at once, and change nothing yet", () => {
    const five = withFive(NO_CURVES, "all", GREYS);
    expect(five.all.points).toHaveLength(FIVE.length);
    for (const [level, out] of five.all.points) expect(out).toBeCloseTo(level, 6);
    expect(withFive(five, "all", GREYS).all.points).toHaveLength(FIVE.length);
    expect(isInForce(newStep("curves", five))).toBe(false);
  });
});

describe("spokes", () => {
  const turns: HueTurns = { kind: "hues", spokes: [newSpoke(10), newSpoke(200)] };

  it("keep their numbers within their ranges, and never lead hues past each other", () => {
    expect(allowed({ ...newSpoke(370), turn: 90, colour: -1, lightness: 9, width: 2 })).toEqual({
      hue: 10,
      width: 5,
      turn: 0.58 * 5,
      colour: 0,
      lightness: 3,
    });
    expect(withSpoke(turns, 1, { ...newSpoke(200), turn: 12 }).spokes[1].turn).toBe(12);
  });

  it("stand where their hue is shown", () => {
    for (const hue of [0, 33, 181, 359]) expect(hueShownAt(HUES, shownAt(HUES, hue))).toBeCloseTo(hue, 5);
    expect(hueOf([0.6, 0.4, 0.4])).toBeCloseTo(0, 6);
    expect(hueOf([0.4, 0.6, 0.4])).toBeCloseTo(120, 6);
  });

  it("come and go between two keyframes", () => {
    const other: HueTurns = { kind: "hues", spokes: [{ ...newSpoke(10), turn: 10 }] };
    const half = betweenTurns(turns, other, 0.5);
    expect(half.spokes.map((one) => one.turn)).toEqual([5, 0]);
  });
});

describe("kinds", () => {
  it("are offered where they may stand; new ones do nothing yet but for noise reduction", () => {
    expect(addable("show")).toContain("limits");
    expect(addable("shot")).not.toContain("limits");
    expect(addable("shot")).toContain("steady");
    expect(addable("camera")).toContain("denoise");
    expect(addable("camera")).not.toContain("steady");
    for (const kind of ["soften", "sharpen", "halation", "vignette", "grain"] as const) {
      expect(addable("show")).toContain(kind);
      expect(addable("family")).toContain(kind);
      expect(addable("shot")).not.toContain(kind);
    }
    for (const kind of addable("shot")) {
      const values = KINDS[kind].make?.();
      expect(values?.kind).toBe(kind);
      if (values) expect(isInForce(newStep("new", values))).toBe(kind === "denoise");
    }
  });

  it("have parts of each between two, whatever their numbers are called", () => {
    const zones = KINDS.zones.make?.();
    if (zones?.kind !== "zones") throw new Error("no zones");
    const warm = { ...zones, lows: [0.04, 0] as [number, number], opposed: true };
    const half = between(zones, warm, 0.5);
    expect(half.kind === "zones" && half.lows[0]).toBeCloseTo(0.02, 9);
    expect(half.kind === "zones" && half.opposed).toBe(true);
  });
});
