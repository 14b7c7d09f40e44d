// @vitest-environment happy-dom
/** Where things lie on the scopes, and how the scopes are arranged. */
import { beforeEach, describe, expect, it } from "vitest";
import { zoomed } from "../src/desk/grips";
import { brightness, levelY, yLevel } from "../src/scopes/canvas";
import { bandBox, levelX, xLevel } from "../src/scopes/histogram";
import { isRgb, lanes, span } from "../src/scopes/levels";
import { isOpen, place, useScopes, WHOLE_VIEW } from "../src/scopes/settings";
import { geometry, plane, saturationGrip } from "../src/scopes/vectorscope";
import { grey } from "./day";

const FOUR = ["parade", "waveform", "vectorscope", "histogram"] as const;

beforeEach(() => useScopes.setState({ slots: [...FOUR], enlarged: null, view: WHOLE_VIEW }));

describe("levels on a canvas", () => {
  it("go from the foot to the head of the view", () => {
    expect(levelY(WHOLE_VIEW.low, 220, WHOLE_VIEW)).toBe(220);
    expect(levelY(WHOLE_VIEW.high, 220, WHOLE_VIEW)).toBe(0);
    expect(levelX(100, 300, WHOLE_VIEW)).toBeGreaterThan(levelX(0, 300, WHOLE_VIEW));
  });

  it("come back to the level they were", () => {
    const view = { low: 20, high: 45 };
    for (const level of [20, 33.3, 45]) {
      expect(yLevel(levelY(level, 317, view), 317, view)).toBeCloseTo(level, 9);
      expect(xLevel(levelX(level, 317, view), 317, view)).toBeCloseTo(level, 9);
    }
  });

  it("have their lanes side by side without overlap", () => {
    const parts = [0, 1, 2].map((c) => span(500, c, 3));
    expect(parts[0][1]).toBeLessThan(parts[1][0]);
    expect(parts[1][1]).toBeLessThan(parts[2][0]);
    expect(parts[2][1]).toBeLessThanOrEqual(500);
    const wide = parts.map(([left, right]) => right - left);
    expect(Math.max(...wide) - Math.min(...wide)).toBeLessThan(1e-9);
  });

  it("have their histogram's bands one above the other", () => {
    const boxes = [0, 1, 2].map((band) => bandBox(300, band, useScopes.getState()));
    for (const [above, below] of [
      [0, 1],
      [1, 2],
    ])
      expect(boxes[above].bottom).toBeLessThanOrEqual(boxes[below].bottom - boxes[below].tall);
    expect(boxes[2].bottom).toBeLessThanOrEqual(300);
  });
});

describe("zooming a scope", () => {
  it("keeps the level under the cursor where it is", () => {
    const view = { low: 10, high: 90 };
    const nearer = zoomed(view, 30, 0.8);
    expect(levelY(30, 200, nearer)).toBeCloseTo(levelY(30, 200, view), 9);
    expect(nearer.high - nearer.low).toBeCloseTo(64, 9);
  });

  it("never leaves the whole, nor goes closer than six percent", () => {
    let view = WHOLE_VIEW;
    for (let i = 0; i < 40; i++) view = zoomed(view, 100, 0.8);
    expect(view.high - view.low).toBeCloseTo(6, 9);
    expect(view.high).toBeLessThanOrEqual(WHOLE_VIEW.high);
    for (let i = 0; i < 40; i++) view = zoomed(view, 100, 1.25);
    expect(view).toEqual(WHOLE_VIEW);
  });
});

describe("the vectorscope's plane", () => {
  it("doubles its scale with its gain", () => {
    const one = geometry(300, 200, 1);
    expect(geometry(300, 200, 2).scale).toBeCloseTo(2 * one.scale, 9);
    expect([one.cx, one.cy]).toEqual([150, 100]);
  });

  it("holds all primaries at gain 1", () => {
    const { radius, scale } = geometry(300, 300, 1);
    for (const [r, g, b] of [
      [1, 0, 0],
      [0, 1, 0],
      [0, 0, 1],
      [1, 1, 0],
      [0, 1, 1],
      [1, 0, 1],
    ])
      expect(Math.hypot(...plane(r, g, b)) * scale).toBeLessThanOrEqual(radius);
  });

  it("keeps the saturation's grip on the canvas however much there is", () => {
    for (const saturation of [0, 20, 400]) {
      const [x, y] = saturationGrip(grey(0, 50, 100, saturation), 300, 200, 4);
      expect(x).toBeGreaterThanOrEqual(0);
      expect(x).toBeLessThanOrEqual(300);
      expect(y).toBeGreaterThanOrEqual(0);
      expect(y).toBeLessThanOrEqual(200);
    }
  });
});

describe("the arrangement", () => {
  it("lets two scopes change places, so that none stands twice", () => {
    place(0, "histogram");
    expect(useScopes.getState().slots).toEqual(["histogram", "waveform", "vectorscope", "parade"]);
    place(1, "cast by level");
    expect(useScopes.getState().slots).toEqual(["histogram", "cast by level", "vectorscope", "parade"]);
  });

  it("is remembered in the browser", () => {
    place(2, "memory colours");
    const stored = JSON.parse(window.localStorage.getItem("dovrel.scopes") ?? "{}");
    expect(stored.slots[2]).toBe("memory colours");
  });

  it("counts an enlarged scope as the only one open", () => {
    expect(isOpen(useScopes.getState(), "parade")).toBe(true);
    useScopes.setState({ enlarged: "vectorscope" });
    expect(isOpen(useScopes.getState(), "parade")).toBe(false);
    expect(isOpen(useScopes.getState(), "vectorscope")).toBe(true);
  });

  it("has three lanes for the signals and one for luma", () => {
    const settings = useScopes.getState();
    expect(lanes("parade", settings)).toHaveLength(3);
    expect(lanes("waveform", settings)).toHaveLength(1);
    expect(lanes("waveform", { ...settings, waveform: "R′G′B′" })[0]).toHaveLength(3);
    expect(isRgb("parade", { ...settings, parade: "Y′CbCr" })).toBe(false);
  });
});

describe("brightness of a trace", () => {
  it("shows a single pixel, rises with the crowd and never burns out", () => {
    const table = brightness(40);
    expect(table[0]).toBe(0);
    expect(table[1]).toBeGreaterThanOrEqual(70);
    for (let i = 1; i < table.length; i++) expect(table[i]).toBeGreaterThanOrEqual(table[i - 1]);
    expect(table[1023]).toBeLessThanOrEqual(255);
  });
});
