/** Parts of a picture as values: samples, shapes, how they follow. */
import { describe, expect, it, vi } from "vitest";
import { numbersAt, withKeyframe, withNumbers } from "../src/correction/keyframes";
import { between } from "../src/correction/kinds";
import { IDENTITY, isInForce, NOTHING_DONE, newStep, withStep } from "../src/correction/model";
import {
  carried,
  drawnOf,
  handlesOf,
  isTracked,
  lineOf,
  motionAt,
  newPick,
  newShape,
  selectionOf,
  shifted,
  withCorner,
  withHandle,
  withoutCorner,
  withoutSample,
  withSamples,
  withShape,
} from "../src/correction/selection";
import { havePlaces, keepPlaces, placesOf } from "../src/correction/tracks";
import type { Area, Track } from "../src/shared/api";

const ASPECT = 16 / 9;
const RED = { level: 0.4, x: 0.1, y: 0.02 };
const GREY = { level: 0.4, x: 0, y: 0 };
const ELLIPSE: Area = newShape("ellipse", null, ASPECT);
const SHAPES = (["ellipse", "gradient", "outline"] as const).map((kind) => newShape(kind, null, ASPECT));
const TRACK: Track = { drawn: 2, first: 0, frames: 4, aspect: ASPECT, digest: "d".repeat(32) };
const PLACES = [
  [0.3, 0.5, 0, 1],
  [0.32, 0.5, 5, 1.1],
  [0.34, 0.52, 10, 1.2],
  [0.5, 0.4, 30, 1.5],
];
keepPlaces(TRACK.digest, new Float64Array(PLACES.flat()));

describe("a pick", () => {
  it("takes each colour in once, in or out", () => {
    const pick = withSamples(newPick([RED], 0.02, 0.02), [RED, GREY], true);
    expect(pick.taken).toEqual([RED]);
    expect(pick.left).toEqual([GREY]);
    expect(withSamples(pick, [GREY], false)).toEqual(pick);
  });
  it("keeps one colour taken in", () => {
    const pick = withSamples(newPick([RED], 0.02, 0.02), [GREY], true);
    expect(withoutSample(pick, false, 0)).toBeNull();
    expect(withoutSample(pick, true, 0)?.left).toEqual([]);
  });
  it("gives the oldest samples up where there are too many", () => {
    const many = Array.from({ length: 30 }, (_, i) => ({ ...RED, x: i / 100 }));
    expect(withSamples(newPick([GREY], 0.02, 0.02), many, false).taken).toHaveLength(24);
  });
});

describe("the numbers of a selection", () => {
  const step = newStep("red", selectionOf({ pick: newPick([RED], 0.02, 0.02) }));
  const levels = { ...NOTHING_DONE, shot: withStep(NOTHING_DONE.shot, step) };
  const numbers = IDENTITY.map((value, i) => (i === 9 ? 0.8 : value));
  it("are those of the current side", () => {
    const focus = { level: "shot" as const, step: "red" };
    const changed = withNumbers(levels, focus, 0, numbers);
    expect(numbersAt(changed, focus, 0)).toEqual(numbers);
    expect(numbersAt(changed, { ...focus, side: "outside" }, 0)).toEqual(IDENTITY);
    const both = withNumbers(changed, { ...focus, side: "outside" }, 0, numbers);
    expect(numbersAt(both, { ...focus, side: "outside" }, 0)).toEqual(numbers);
  });
  it("say whether it does anything", () => {
    expect(isInForce(step)).toBe(false);
    const changed = withNumbers(levels, { level: "shot", step: "red" }, 0, numbers);
    expect(changed.shot.steps.map(isInForce)).toEqual([false, true]);
  });
  it("go to all keyframes by as much", () => {
    const two = withKeyframe(withKeyframe(step, 0), 10);
    const there = withNumbers(
      { ...levels, shot: withStep(levels.shot, two) },
      { level: "shot", step: "red" },
      10,
      numbers,
      true,
    );
    expect(numbersAt(there, { level: "shot", step: "red" }, 0)[9]).toBeCloseTo(0.8, 12);
  });
});

describe("between two keyframes", () => {
  it("shapes and numbers go on, a pick is that of the nearer", () => {
    const one = selectionOf({ pick: newPick([RED], 0.02, 0.02), shapes: [ELLIPSE] });
    const other = selectionOf({ pick: newPick([GREY], 0.04, 0.02), shapes: [shifted(ELLIPSE, 0.2, 0)] });
    const part = between(one, other, 0.25);
    if (part.kind !== "selection" || part.shapes[0].kind !== "ellipse") throw new Error("another kind");
    expect(part.shapes[0].x).toBeCloseTo(0.55, 12);
    expect(part.pick).toEqual(one.pick);
  });
});

describe("a shape", () => {
  it("is carried by its track and brought back", () => {
    for (const shape of SHAPES)
      for (const frame of [0, 2, 3, 99]) {
        const motion = motionAt(TRACK, frame);
        const back = drawnOf(carried(shape, motion), motion);
        const places = (one: Area) => lineOf(one, ASPECT).flat();
        const [was, now] = [places(shape), places(back)];
        for (const [i, value] of was.entries()) expect(now[i]).toBeCloseTo(value, 9);
      }
  });
  it("stays where its subject was last seen", () => {
    expect(motionAt(TRACK, 99)).toEqual(motionAt(TRACK, 3));
    expect(motionAt(TRACK, 2).scale).toBe(1);
  });
  it("stands still while the places of its track are on their way", async () => {
    const far: Track = { ...TRACK, digest: "e".repeat(32) };
    expect(placesOf(far)).toBeNull();
    expect(motionAt(far, 3)).toMatchObject({ by: [0, 0], angle: 0, scale: 1 });
    const content = new Float64Array(PLACES.flat()).buffer;
    const asked = vi.fn(async () => new Response(content));
    vi.stubGlobal("fetch", asked);
    const step = { values: { shapes: [ELLIPSE], track: far } };
    expect(await Promise.all([havePlaces([step, step]), havePlaces(step)])).toEqual([true, true]);
    expect(asked.mock.calls).toEqual([[`/api/tracks/${far.digest}`, expect.anything()]]);
    expect(motionAt(far, 3)).toEqual(motionAt(TRACK, 3));
    expect(await havePlaces(step)).toBe(false);
    expect([isTracked(far, 3), isTracked(far, 4)]).toEqual([true, false]);
    vi.unstubAllGlobals();
  });
  it("is changed by its handles", () => {
    for (const shape of SHAPES)
      for (const { name, at } of handlesOf(shape, ASPECT)) {
        const moved = withHandle(shape, name, [at[0] + 0.05, at[1] - 0.03], ASPECT);
        const there = handlesOf(moved, ASPECT).find((one) => one.name === name)?.at;
        expect(there?.[0]).toBeCloseTo(at[0] + 0.05, 9);
        expect(there?.[1]).toBeCloseTo(at[1] - 0.03, 9);
      }
  });
  it("never comes to nothing", () => {
    const [, gradient] = SHAPES;
    if (gradient.kind !== "gradient") throw new Error("another kind");
    expect(withHandle(gradient, "none", [gradient.x, gradient.y], ASPECT)).toBe(gradient);
    const flat = withHandle(ELLIPSE, "width", [0.5, 0.5], ASPECT);
    expect(flat.kind === "ellipse" && flat.width).toBeGreaterThan(0.002);
  });
  it("gets corners on its longest side, and keeps three", () => {
    const outline = newShape(
      "outline",
      [
        [0.1, 0.4],
        [0.9, 0.5],
      ],
      ASPECT,
    );
    const more = withCorner(outline);
    expect(more.kind === "outline" && more.corners[1]).toEqual([0.5, 0.4]);
    const three = withoutCorner(outline, 0);
    expect(withoutCorner(three, 0)).toBe(three);
  });
  it("removed leaves something selected, or is not", () => {
    expect(withShape(selectionOf({ shapes: [ELLIPSE] }), 0, null)).toBeNull();
    const picked = selectionOf({ pick: newPick([RED], 0.02, 0.02), shapes: [ELLIPSE] });
    expect(withShape(picked, 0, null)?.shapes).toEqual([]);
  });
});
