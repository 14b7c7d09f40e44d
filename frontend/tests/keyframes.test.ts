// @vitest-environment happy-dom
import { afterEach, beforeEach, describe, expect, it, vi } from "vitest";
import {
  around,
  correctionAt,
  easeTurned,
  framesOf,
  movedKeyframe,
  numbersAt,
  sameEverywhere,
  valuesAt,
  withKeyframe,
  withNumbers,
  withNumbersAt,
  withoutKeyframe,
} from "../src/correction/keyframes";
import { arrayOf, IDENTITY, NOTHING_DONE, newStep, primaryOf, sameCorrection } from "../src/correction/model";
import { hold } from "../src/desk/holding";
import {
  copyHere,
  goToKeyframe,
  moveKeyframe,
  pasteHere,
  removeAllKeyframes,
  removeKeyframe,
  setAllKeyframes,
  setKeyframe,
  turnAllKeyframes,
  turnEase,
} from "../src/desk/keyframes";
import { openShot } from "../src/desk/opening";
import { edit, flush } from "../src/desk/saving";
import { useDesk } from "../src/desk/state";
import { cancelWork } from "../src/desk/working";
import type { Shot, Step } from "../src/shared/api";
import { changeWords } from "../src/shared/marks";
import { day, family, shot } from "./day";
import { serve } from "./server";

const lit = (stops: number) => IDENTITY.map((value, i) => (i >= 3 && i < 6 ? stops / 17.52 : value));
const stopsAt = (step: Step, frame: number) => {
  const values = valuesAt(step, frame);
  return values.kind === "primary" ? values.offset[1] * 17.52 : Number.NaN;
};
const walk: Step = {
  ...newStep("balance"),
  keyframes: [
    { frame: 10, values: primaryOf(lit(-1)), ease: "straight" },
    { frame: 20, values: primaryOf(lit(1)), ease: "eased" },
    { frame: 40, values: primaryOf(lit(0)), ease: "straight" },
  ],
};

describe("a step with keyframes", () => {
  it("goes on between them as the server has it", () => {
    for (const [frame, stops] of [
      [0, -1],
      [15, 0],
      [20, 1],
      [25, 0.84375],
      [30, 0.5],
      [99, 0],
    ])
      expect(stopsAt(walk, frame)).toBeCloseTo(stops, 6);
    expect(around(walk, 20).before?.frame).toBe(10);
    expect(around(walk, 20).after?.frame).toBe(40);
    expect(framesOf({ steps: [walk, newStep("deep")] })).toEqual([10, 20, 40]);
    expect(correctionAt({ steps: [walk] }, 10).steps[0].keyframes).toEqual([]);
  });

  it("takes an edit at its keyframe, or at all of them by as much", () => {
    const here = withNumbersAt(walk, 20, lit(2), false);
    expect([10, 20, 40].map((frame) => Math.round(stopsAt(here, frame)))).toEqual([-1, 2, 0]);
    expect(here.keyframes[1].ease).toBe("eased");
    const all = withNumbersAt(walk, 30, lit(1.5), true);
    for (const [frame, stops] of [
      [10, 0],
      [20, 2],
      [40, 1],
    ])
      expect(stopsAt(all, frame)).toBeCloseTo(stops, 6);
  });

  it("gets keyframes, loses, moves and eases them, and stays as it is elsewhere", () => {
    expect(stopsAt(withKeyframe(walk, 15), 15)).toBeCloseTo(0, 6);
    expect(withoutKeyframe(walk, 20).keyframes).toHaveLength(2);
    const one = withKeyframe(newStep("a"), 5, primaryOf(lit(1)));
    expect(stopsAt({ ...withoutKeyframe(one, 5) }, 0)).toBeCloseTo(1, 6);
    expect(movedKeyframe(walk, 20, 30).keyframes.map((k) => k.frame)).toEqual([10, 30, 40]);
    expect(movedKeyframe(walk, 20, 40)).toBe(walk);
    expect(easeTurned(walk, 15).keyframes[0].ease).toBe("eased");
    expect(sameEverywhere(walk, 20).keyframes).toEqual([]);
    expect(sameCorrection({ steps: [walk] }, { steps: [easeTurned(walk, 15)] })).toBe(false);
  });

  it("never gets numbers that a correction cannot hold", () => {
    const darker = {
      ...walk,
      keyframes: [{ ...walk.keyframes[0], values: primaryOf(IDENTITY) }, walk.keyframes[1]],
    };
    const off = IDENTITY.map((value, i) => (i === 9 ? -3 : value));
    const found = withNumbersAt(darker, 20, off, true).keyframes[0].values;
    expect(found.kind === "primary" && arrayOf(found)[9]).toBe(0);
  });
});

describe("on the desk", () => {
  const state = useDesk.getState;
  const inHand = () => state().now.shot.steps[0];
  const open = (step: Step = newStep("balance")) => {
    const one: Shot = shot(1, "23A-1", {
      correction: { steps: [step] },
      clip: { frames: 96, rate: [24, 1] },
    });
    openShot(one, null, day([one], [family(1, "Yard to shop")]));
  };
  beforeEach(() => {
    serve(({ body }) => ({ body: { ...shot(1, "23A-1"), correction: body.correction, version_id: 7 } }));
    useDesk.setState({
      focus: { level: "shot", step: "balance" },
      allKeyframes: false,
      frame: 0,
      work: null,
    });
    open();
  });

  afterEach(() => vi.unstubAllGlobals());

  it("nothing is made silently: an edit between keyframes waits until one is set, and goes on then", async () => {
    open(walk);
    useDesk.setState({ frame: 15 });
    edit("exposure", { numbers: lit(3) });
    expect(state().unsaved).toBeNull();
    expect(state().refused).toContain("has keyframes at frames 11 and 21, none at this one: F sets one here");
    await setKeyframe();
    expect(inHand().keyframes.map((one) => one.frame)).toEqual([10, 15, 20, 40]);
    expect(stopsAt(inHand(), 15)).toBeCloseTo(3, 6);
    expect(state().unsaved).toBe("exposure");
    await flush();
  });

  it("a first keyframe says what to do next, all steps get one at once, and each is stepped to", async () => {
    useDesk.setState({ frame: 10 });
    await setKeyframe();
    expect(state().said).toContain("changes along the shot from now on");
    useDesk.setState({ frame: 50 });
    await setAllKeyframes();
    expect(inHand().keyframes.map((one) => one.frame)).toEqual([10, 50]);
    goToKeyframe(-1);
    expect(state().frame).toBe(10);
    goToKeyframe(1);
    expect(state().frame).toBe(50);
    await moveKeyframe(50, 60);
    expect([state().frame, inHand().keyframes[1].frame]).toEqual([60, 60]);
    await turnEase();
    expect(inHand().keyframes[1].ease).toBe("eased");
    await removeKeyframe();
    await removeAllKeyframes();
    expect(inHand().keyframes).toEqual([]);
  });

  it("what a keyframe does is copied to another frame", async () => {
    open(walk);
    useDesk.setState({ frame: 20 });
    copyHere();
    useDesk.setState({ frame: 70 });
    await pasteHere();
    expect(stopsAt(inHand(), 70)).toBeCloseTo(1, 6);
  });

  it("edits go to all keyframes while that is asked for", () => {
    open(walk);
    useDesk.setState({ frame: 15 });
    turnAllKeyframes();
    edit("exposure", { numbers: lit(1) });
    expect(stopsAt(inHand(), 10)).toBeCloseTo(0, 6);
    expect(numbersAt(state().now, state().focus, 15)[4]).toBeCloseTo(1 / 17.52, 6);
    expect(withNumbers(NOTHING_DONE, state().focus, 0, lit(1)).shot.steps[0].keyframes).toEqual([]);
  });

  it("keyframes stand on the shot's own steps alone", async () => {
    useDesk.setState({ focus: { level: "family", step: "look" } });
    await setKeyframe();
    expect(state().refused).toContain("Only a shot's own steps change along the shot");
    await hold();
    expect(state().refused).toContain("Hold works on a step of the shot");
  });

  it("work under way is reported, and can be ended", async () => {
    const asked: string[] = [];
    vi.stubGlobal("fetch", (path: string, options?: { method?: string }) => {
      asked.push(`${options?.method ?? "GET"} ${path}`);
      if (path.endsWith("/hold")) return new Promise(() => undefined);
      return Promise.resolve(new Response(JSON.stringify({ part: 0.5 })));
    });
    void hold();
    await vi.waitFor(() => expect(state().work?.what).toBe("Hold"));
    cancelWork();
    expect(asked.some((one) => one.startsWith("DELETE /api/works/"))).toBe(true);
  });
});

describe("a shot whose light changes", () => {
  it("is informed of, with whether that has been dealt with", () => {
    const change = {
      first: 9,
      last: 40,
      stops: -1.5,
      warm: 0.4,
      green: 0,
      seen: 12,
      said: "−1.5 stops, warmer",
    };
    const course = { steadiness: "changing" as const, changes: [change], flicker: null };
    expect(changeWords({ course, changes: false })).toBe(
      "Its light changes inside: −1.5 stops, warmer. No keyframe goes with it yet.",
    );
    expect(changeWords({ course, changes: true })).toContain("Keyframes go with it.");
    expect(changeWords({ course: { ...course, steadiness: "steady" }, changes: false })).toBeNull();
    expect(changeWords({ course: null, changes: false })).toBeNull();
  });
});
