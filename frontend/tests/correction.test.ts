// @vitest-environment happy-dom
/** Corrections as values: steps made current, switched, moved, named, removed; and how near the picture is looked at. */
import { describe, expect, it } from "vitest";
import { numbersAt, withNumbers } from "../src/correction/keyframes";
import {
  added,
  asTemplate,
  doesSomething,
  freeName,
  IDENTITY,
  moved,
  NOTHING_DONE,
  newStep,
  primaryOf,
  removed,
  renamed,
  sameCorrection,
  switched,
} from "../src/correction/model";
import { ALL, MOST, panned, placed, zoomedAt } from "../src/desk/zoom";
import type { Correction, Step } from "../src/shared/api";
import { ten } from "./day";

const WARM = [1, 1, 1, 0.02, 0, -0.02, 1, 1, 1, 1];
const PART: Step["values"] = {
  kind: "extended",
  matrix: [
    [0.9, 0.1, 0],
    [0, 1, 0],
    [0, 0, 1],
  ],
  curves: [
    [0, 0, 0, 0, 0],
    [0, 0, 0, 0, 0],
    [0, 0, 0, 0, 0],
  ],
};
const step = (id: string, values: Step["values"] = primaryOf(IDENTITY), on = true): Step => ({
  id,
  values,
  on,
  keyframes: [],
});
const matched: Correction = {
  steps: [step("balance", primaryOf(WARM)), step("extended", PART), step("deep")],
};
const names = (correction: Correction) => correction.steps.map((one) => one.id);

describe("steps", () => {
  it("have their own numbers, and a change of one puts it in force", () => {
    const off = { ...NOTHING_DONE, shot: switched(NOTHING_DONE.shot, "balance") };
    expect(off.shot.steps[0].on).toBe(false);
    const changed = withNumbers(off, { level: "shot", step: "balance" }, 0, WARM);
    expect(numbersAt(changed, { level: "shot", step: "balance" }, 9)).toBe(WARM);
    expect(changed.shot.steps[0].on).toBe(true);
    expect(numbersAt(changed, { level: "family", step: "look" }, 0)).toEqual(IDENTITY);
    expect(doesSomething(off.shot)).toBe(false);
    expect(doesSomething(changed.shot)).toBe(true);
  });

  it("move with the extended step that follows them", () => {
    expect(names(moved(matched, "balance", 1))).toEqual(["deep", "balance", "extended"]);
    expect(names(moved(matched, "deep", -1))).toEqual(["deep", "balance", "extended"]);
    expect(names(moved(matched, "deep", 1))).toEqual(names(matched));
  });

  it("are added after the current one and its extended step, under a name of their own", () => {
    expect(names(added(matched, newStep("step"), "balance"))).toEqual([
      "balance",
      "extended",
      "step",
      "deep",
    ]);
    expect(freeName(matched, "deep")).toBe("deep 2");
    expect(freeName(matched, "new")).toBe("new");
  });

  it("go with what extended them, get other names, and stay else as they are", () => {
    expect(names(removed(matched, "balance"))).toEqual(["deep"]);
    expect(names(removed(matched, "extended"))).toEqual(["balance", "deep"]);
    const named = renamed(matched, "deep", "dusk");
    expect(names(named)).toEqual(["balance", "extended", "dusk"]);
    expect(sameCorrection(renamed(named, "dusk", "deep"), matched)).toBe(true);
    expect(sameCorrection(switched(matched, "deep"), matched)).toBe(false);
    expect(sameCorrection(ten("shot", WARM), ten("shot", IDENTITY))).toBe(false);
  });

  it("of a template are all but what is part of one shot's own light", () => {
    const template = asTemplate("shot", matched);
    expect(names(template)).toEqual(["balance", "deep"]);
    expect(numbersAt({ ...NOTHING_DONE, shot: template }, { level: "shot", step: "balance" }, 0)).toEqual(
      IDENTITY,
    );
    expect(asTemplate("family", ten("family", WARM))).toEqual(ten("family", WARM));
  });
});

describe("looking nearer", () => {
  it("keeps the point under the cursor where it is seen", () => {
    const near = zoomedAt(ALL, 0.3, 0.4, 2);
    const seen = (at: number, middle: number, scale: number) => (at - middle) * scale + 0.5;
    expect(seen(0.3, near.x, near.scale)).toBeCloseTo(0.3, 6);
    expect(seen(0.4, near.y, near.scale)).toBeCloseTo(0.4, 6);
  });

  it("never leaves the picture, nor goes on without end", () => {
    expect(zoomedAt(ALL, 0.5, 0.5, 1000).scale).toBe(MOST);
    expect(zoomedAt(zoomedAt(ALL, 0, 0, 4), 1, 1, 0.01)).toEqual(ALL);
    const corner = panned(zoomedAt(ALL, 0.5, 0.5, 2), -9, 9);
    expect(corner).toEqual({ scale: 2, x: 0.25, y: 0.75 });
    expect(placed(corner)).toBe("translate(0%, -100%) scale(2)");
    expect(placed(ALL)).toBeUndefined();
  });
});
