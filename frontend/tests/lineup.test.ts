/** The line-up's order, its cuts and what changes across them. */
import { describe, expect, it } from "vitest";
import { along, cutsOf, differenceOf, firstFrame, inOrder, lastFrame, rateOf } from "../src/lineup/cuts";
import { day, family, grey, shot } from "./day";

const shots = [
  shot(1, "12A-10"),
  shot(2, "12A-2", { corrected: grey(2, 50, 90) }),
  shot(3, "14A-1", { family_id: 2 }),
  shot(4, "9A-1", { progress: "measuring" }),
];
const families = [family(1, "Shop"), family(2, "Night")];
const order = (line_up: { shot: number; span: [number, number] | null; backwards?: boolean }[]) =>
  inOrder(
    day(
      shots,
      families,
      line_up.map((use) => ({ backwards: false, told: "", ...use })),
    ),
  );

describe("story order", () => {
  it("is by scene and slate as numbers where nothing is arranged, without what is not ready", () => {
    expect(order([]).map((use) => use.shot.name)).toEqual(["12A-2", "12A-10", "14A-1"]);
  });

  it("is as arranged, the rest behind it", () => {
    const uses = order([
      { shot: 3, span: null },
      { shot: 4, span: null },
      { shot: 77, span: null },
    ]);
    expect(uses.map((use) => use.shot.name)).toEqual(["14A-1", "12A-2", "12A-10"]);
  });

  it("shows a use that runs backwards from its last frame to its first", () => {
    const [use] = order([{ shot: 1, span: [10, 33], backwards: true }]);
    expect([firstFrame(use), lastFrame(use)]).toEqual([33, 10]);
    expect([along(use, 33, 5), along(use, 10, 5), along(use, 10, -3)]).toEqual([28, 10, 13]);
  });

  it("holds a shot as often as it is used, each use with a key and frames of its own", () => {
    const uses = order([
      { shot: 1, span: [10, 33] },
      { shot: 3, span: null },
      { shot: 1, span: [48, 59] },
    ]);
    expect(uses.map((use) => use.shot.name)).toEqual(["12A-10", "14A-1", "12A-10", "12A-2"]);
    expect(new Set(uses.map((use) => use.key)).size).toBe(4);
    expect(uses.map((use) => [firstFrame(use), lastFrame(use)])).toEqual([
      [10, 33],
      [0, 71],
      [48, 59],
      [0, 71],
    ]);
  });
});

describe("cuts", () => {
  it("jump only within a family", () => {
    const cuts = cutsOf(order([]));
    expect(cuts.map((cut) => cut.oneFamily)).toEqual([true, false]);
    expect(cuts[0].jump).toBeCloseTo(10, 9);
    expect(cuts[1].jump).toBe(0);
  });

  it("are the second shot less the first", () => {
    const from = grey(2, 40, 90);
    const to = [4, 46, 90, 3, 44, 91, 2, 42, 92, 10];
    const { levels, cast, stops } = differenceOf(from, to);
    expect(levels[0]).toBeCloseTo(0.2126 * 2 + 0.7152, 9);
    expect(cast).toEqual([4, 0]);
    expect(stops).toBeGreaterThan(0);
    const back = differenceOf(to, from);
    expect(back.stops).toBeCloseTo(-(stops ?? 0), 9);
  });

  it("are played at the clip's own rate", () => {
    expect(rateOf(shot(1, "12A-1", { clip: { rate: [24000, 1001] } }))).toBeCloseTo(23.976, 3);
    expect(rateOf(shot(1, "12A-1", { clip: {} }))).toBe(24);
  });
});
