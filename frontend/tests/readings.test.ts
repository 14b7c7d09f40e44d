// @vitest-environment happy-dom
/** The nine readings in their two forms. */
import { describe, expect, it } from "vitest";
import { castAims } from "../src/desk/readingGrips";
import { aimsFor, FORMS, inForm, readingName } from "../src/desk/readings";
import { castCentre, plane } from "../src/scopes/vectorscope";
import { castOf, lumaOf, stopsBetween } from "../src/shared/compare";
import { grey } from "./day";

const warm = [3, 48, 92, 2, 40, 88, 1, 30, 80, 14];
const met = (readings: number[], aims: Map<number, number>) =>
  readings.map((value, i) => aims.get(i) ?? value);

describe("forms of the readings", () => {
  it("are named in order", () => {
    expect([0, 4, 8, 9].map(readingName)).toEqual(["red lows", "green mids", "blue highs", "saturation"]);
  });

  it("weigh luma as BT.709 does, and say which way a cast goes", () => {
    expect(lumaOf(grey(1, 50, 99), 1)).toBeCloseTo(50, 9);
    expect(lumaOf(warm, 1)).toBeCloseTo(0.2126 * 48 + 0.7152 * 40 + 0.0722 * 30, 9);
    expect(castOf(warm)).toEqual([18, 1]);
    expect(castOf(grey(1, 50, 99))).toEqual([0, 0]);
  });

  it("put one row of a form at a value and hold the other two", () => {
    for (const form of FORMS)
      for (const row of [0, 1, 2])
        for (const zone of [0, 1, 2]) {
          const value = inForm(warm, form, row, zone) + (zone === 0 ? 0.5 : 4);
          const after = met(warm, aimsFor(warm, form, row, zone, value));
          for (const other of [0, 1, 2]) {
            const expected = other === row ? value : inForm(warm, form, other, zone);
            expect(inForm(after, form, other, zone)).toBeCloseTo(expected, 6);
          }
          for (const elsewhere of [0, 1, 2].filter((z) => z !== zone))
            expect(inForm(after, form, 0, elsewhere)).toBe(inForm(warm, form, 0, elsewhere));
        }
  });

  it("never aim below black", () => {
    const aims = aimsFor(grey(0.5, 40, 90), "level · cast", 1, 0, 30);
    for (const value of aims.values()) expect(value).toBeGreaterThanOrEqual(0);
  });

  it("tell stops on the monitor from the mids", () => {
    expect(stopsBetween(grey(0, 40 * 2 ** (1 / 2.4), 90), grey(0, 40, 90))).toBeCloseTo(1, 9);
    expect(stopsBetween(grey(0, 0, 90), grey(0, 40, 90))).toBeNull();
  });
});

describe("the cast's grip", () => {
  it("stands in the middle for a grey picture and on the plane where BT.709 puts it", () => {
    for (const value of castCentre(grey(2, 40, 90))) expect(value).toBeCloseTo(0, 9);
    const [cb, cr] = plane(1, 0, 0);
    expect(cb).toBeCloseTo(-0.1146, 4);
    expect(cr).toBeCloseTo(0.5, 4);
  });

  it("moves the centre by what it was dragged, and keeps luma and black", () => {
    const [cb, cr] = castCentre(warm);
    const after = met(warm, castAims(warm, -cb, -cr));
    const [left, up] = castCentre(after);
    expect(Math.hypot(left, up)).toBeLessThan(0.25);
    for (const zone of [1, 2]) expect(lumaOf(after, zone)).toBeCloseTo(lumaOf(warm, zone), 6);
    expect(Math.abs(after[0] - warm[0])).toBeLessThan(0.6);
    expect(Math.abs(after[1] - warm[1])).toBeGreaterThan(3);
  });
});
