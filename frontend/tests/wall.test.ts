/** What is shown on the Wall, in which order, and what keys select. */
import { beforeEach, describe, expect, it } from "vitest";
import { castDifference, exposureDifference, isOff } from "../src/shared/compare";
import { needsYou, nextNeeding } from "../src/shared/standing";
import { extend, type Filter, focus, rowsOf, select, targets, toggle, useWall } from "../src/wall/selection";
import { day, family, grey, kept, shot } from "./day";

const reference = kept(9, 1, grey(2, 40, 90));
const shots = [
  shot(1, "12A-1", { state: "matched", distance: 0 }),
  shot(2, "12A-2", { distance: 7.5, note: "hot lamp at left" }),
  shot(3, "12B-1", { camera_id: 2, distance: 2.1, state: "checked" }),
  shot(4, "14A-1", { family_id: 2, distance: 3 }),
];
const whole = day(shots, [family(1, "Shop, window", reference), family(2, "Night"), family(3, "Yard")]);
const names = () =>
  rowsOf(whole, useWall.getState()).map((row) => [row.family.name, ...row.members.map((m) => m.name)]);

beforeEach(() => useWall.setState(useWall.getInitialState()));

describe("rows", () => {
  it("are the families with their shots, empty ones too", () => {
    expect(names()).toEqual([["Shop, window", "12A-1", "12A-2", "12B-1"], ["Night", "14A-1"], ["Yard"]]);
  });

  it("go worst first, families too", () => {
    useWall.setState({ order: "worst first" });
    expect(names()).toEqual([["Shop, window", "12A-2", "12B-1", "12A-1"], ["Night", "14A-1"], ["Yard"]]);
    const worse = day([...shots.slice(0, 3), { ...shots[3], distance: 9 }], whole.families);
    expect(rowsOf(worse, useWall.getState())[0].family.name).toBe("Night");
  });

  it("hold what the filter lets through, and say how many it hides", () => {
    useWall.setState({ filter: "out of tolerance" });
    expect(names()).toEqual([["Shop, window", "12A-2"]]);
    expect(rowsOf(whole, useWall.getState())[0].hidden).toBe(2);
    useWall.setState({ filter: "checked" });
    expect(names()).toEqual([["Shop, window", "12B-1"]]);
    useWall.setState({ filter: "with a note" });
    expect(names()).toEqual([["Shop, window", "12A-2"]]);
  });

  it("are searched by all words, in names, notes, families and cameras", () => {
    useWall.setState({ search: "LAMP shop" });
    expect(names()).toEqual([["Shop, window", "12A-2"]]);
    useWall.setState({ search: "camera b" });
    expect(names()).toEqual([["Shop, window", "12B-1"]]);
    useWall.setState({ search: "nothing like it" });
    expect(names()).toEqual([]);
  });
});

describe("shots that need the user", () => {
  const standing = [
    shot(1, "12A-1", { state: "matched" }),
    shot(2, "12A-2"),
    shot(3, "12A-3", { state: "matched", standing: "parts are off" }),
    shot(4, "12B-1", { state: "checked", fault: "the file is cut short" }),
    shot(5, "12B-2", { state: "balanced", footage: "offline" }),
  ];
  it("are those with nothing done, something wrong, or no footage, until they are checked", () => {
    expect(standing.map(needsYou)).toEqual([false, true, true, false, true]);
  });
  it("come one after another, round and round, either way", () => {
    const next = (at: number | null, by: 1 | -1) => nextNeeding(standing, at, by)?.id;
    expect([next(null, 1), next(2, 1), next(3, 1), next(5, 1)]).toEqual([2, 3, 5, 2]);
    expect([next(null, -1), next(2, -1), next(3, -1)]).toEqual([5, 5, 2]);
    expect(nextNeeding([standing[0]], 1, 1)).toBeUndefined();
  });
  it("are filtered by where they stand, and parts that are off count as out of tolerance in the day's sum", () => {
    const all = day(standing, [family(1, "Shop, window", reference)]);
    const shown = (filter: Filter) =>
      rowsOf(all, { ...useWall.getState(), filter }).flatMap((row) => row.members);
    expect(shown("needs you").map(({ id }) => id)).toEqual([2, 3, 5]);
    expect(shown("parts are off").map(({ id }) => id)).toEqual([3]);
    expect(standing.filter(isOff).map(({ id }) => id)).toEqual([3]);
  });
});

describe("selecting", () => {
  const order = [1, 2, 3, 4];

  it("goes from where the range began, either way", () => {
    toggle(2);
    extend(4, order);
    expect([...useWall.getState().selected]).toEqual([2, 3, 4]);
    extend(1, order);
    expect([...useWall.getState().selected]).toEqual([1, 2]);
  });

  it("takes a shot back that is selected twice", () => {
    toggle(2);
    toggle(3);
    toggle(2);
    expect([...useWall.getState().selected]).toEqual([3]);
  });

  it("acts on the selected shots that are seen, otherwise on the current one", () => {
    focus(3);
    expect(targets(shots).map((s) => s.id)).toEqual([3]);
    select([1, 2, 99]);
    expect(targets(shots).map((s) => s.id)).toEqual([1, 2]);
    expect(targets(shots.slice(1)).map((s) => s.id)).toEqual([2]);
  });
});

describe("beside the reference", () => {
  it("a shot is off above its own tolerance", () => {
    expect(shots.map(isOff)).toEqual([false, true, false, false]);
    expect(isOff({ ...shots[1], tolerance: 8 })).toBe(false);
  });

  it("exposure and cast are the corrected middle's less the reference's", () => {
    const brighter = shot(5, "12A-3", { corrected: [2, 44, 90, 2, 42, 90, 2, 40, 90, 10] });
    expect(exposureDifference(brighter, whole.families[0].reference)).toBeCloseTo(
      2.4 * Math.log2((0.2126 * 44 + 0.7152 * 42 + 0.0722 * 40) / 40),
      9,
    );
    expect(castDifference(brighter, whole.families[0].reference)).toEqual([4, 0]);
    expect(exposureDifference(brighter, null)).toBeNull();
    expect(castDifference({ ...brighter, corrected: null }, whole.families[0].reference)).toBeNull();
  });
});
