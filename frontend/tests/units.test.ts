/** Units of level, against the standards they come from. */
import { describe, expect, it } from "vitest";
import { differenceOf, fromUnit, levelText, toUnit, UNITS } from "../src/shared/units";

describe("units", () => {
  it("counts 10-bit narrow range from 64 to 940", () => {
    expect(toUnit(0, "code", "rec709")).toBe(64);
    expect(toUnit(100, "code", "rec709")).toBeCloseTo(940, 9);
    expect(levelText(50, "code", "rec709")).toBe("502");
  });

  it("gives light by BT.1886 for a monitor of 100 cd/m²", () => {
    expect(toUnit(100, "cd/m²", "rec709")).toBeCloseTo(100, 9);
    expect(toUnit(50, "cd/m²", "rec709")).toBeCloseTo(18.946, 3);
    expect(toUnit(-5, "cd/m²", "rec709")).toBe(0);
  });

  it("gives light by ST 2084 where the output is PQ", () => {
    // ITU-R BT.2408: HDR reference white of 203 cd/m² lies at 58 %, 100 cd/m² at 50.8 %.
    expect(toUnit(58.06, "cd/m²", "pq1000")).toBeCloseTo(203, 0);
    expect(toUnit(50.81, "cd/m²", "pq1000")).toBeCloseTo(100, 0);
    expect(toUnit(100, "cd/m²", "pq1000")).toBeCloseTo(10000, 3);
    expect(fromUnit(1000, "cd/m²", "pq1000")).toBeCloseTo(75.18, 2);
  });

  it("comes back from every unit to the percentage", () => {
    for (const output of ["rec709", "pq1000"])
      for (const unit of UNITS)
        for (const percent of [0.5, 12.5, 50, 99, 104])
          expect(fromUnit(toUnit(percent, unit, output), unit, output)).toBeCloseTo(percent, 6);
  });

  it("gives each unit its digits", () => {
    expect(levelText(12.345, "%", "rec709")).toBe("12.3");
    expect(levelText(5, "cd/m²", "rec709")).toBe("0.08");
    expect(levelText(50, "cd/m²", "rec709")).toBe("18.9");
    expect(levelText(75, "cd/m²", "pq1000")).toBe("983");
    expect(levelText(50, "cd/m²", "p3-d65")).toBe("16.5");
    expect(fromUnit(toUnit(50, "cd/m²", "p3-d65"), "cd/m²", "p3-d65")).toBeCloseTo(50);
  });

  it("takes differences in the unit, not of it", () => {
    expect(differenceOf(51, 50, "code", "rec709")).toBeCloseTo(8.76, 9);
    expect(differenceOf(100, 50, "cd/m²", "rec709")).toBeCloseTo(81.054, 3);
  });
});
