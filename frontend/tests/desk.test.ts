// @vitest-environment happy-dom
/** The desk with a made-up server: what is asked, what is shown, what is saved, what is never lost. */
import { afterEach, beforeEach, describe, expect, it, vi } from "vitest";
import { IDENTITY, NO_STEPS } from "../src/correction/model";
import { keepPlaces } from "../src/correction/tracks";
import { connect, loadTrace, lookAt, show, withAims } from "../src/desk/exchange";
import {
  brush,
  clearBrushes,
  meterFamiliar,
  setBefore,
  setFrame,
  setMeter,
  setReference,
} from "../src/desk/looking";
import { adopt, openDesk, openShot, setLevel, takeLevels, takeShot } from "../src/desk/opening";
import { edit, flush, isUnsaved, meet } from "../src/desk/saving";
import { inHand, onDrawn, useDesk } from "../src/desk/state";
import { addStep, moveStep, removeStep, renameStep } from "../src/desk/steps";
import { followTie, tieAt, tieBoxes } from "../src/desk/ties";
import type { FourLevels } from "../src/shared/api";
import { day, family, grey, kept, shot, ten } from "./day";
import { line, Socket, serve } from "./server";

const BRIGHTER = [1, 1, 1, 0.05, 0.05, 0.05, 1, 1, 1, 1];
const WARMER = [1, 1, 1, 0.02, 0, -0.02, 1, 1, 1, 1];
const here = day(
  [shot(1, "12A-1", { version_id: 10 }), shot(2, "12A-2", { version_id: 20 })],
  [family(1, "Shop")],
);
const state = useDesk.getState;
const numbers = () => inHand(state());
let versions = 100;
let close: () => void = () => undefined;

/** Saves go well, each giving a new version. */
const saving = () =>
  serve(({ path, body }) => {
    const id = Number(path.split("/")[2]);
    const found = here.shots.find((one) => one.id === id);
    versions += 1;
    return { body: { ...found, correction: body.correction, version_id: versions } };
  });

const corner = (x: number): [[number, number], [number, number]] => [
  [x, 0.1],
  [x + 0.1, 0.2],
];

const settle = () => vi.advanceTimersByTimeAsync(50);

beforeEach(() => {
  vi.useFakeTimers();
  vi.stubGlobal("WebSocket", Socket);
  Socket.all = [];
  versions = 100;
  window.localStorage.clear();
  useDesk.setState({
    focus: { level: "shot", step: "balance" },
    shown: null,
    fault: null,
    refused: null,
    saving: "saved",
    brushes: [],
    meter: null,
  });
});

afterEach(async () => {
  close();
  close = () => undefined;
  await vi.advanceTimersByTimeAsync(5000);
  vi.unstubAllGlobals();
  vi.useRealTimers();
});

function opened() {
  close = openDesk();
  line().open();
  openShot(here.shots[0], null, here);
  return line();
}

describe("asking and showing", () => {
  it("numbers its requests and asks for the full frame when the hand rests", async () => {
    saving();
    const channel = opened();
    const first = channel.shows[0];
    expect(first).toMatchObject({ shot: 1, frame: 36, level: "shot", full: false, playing: false });
    channel.answer({ number: first.number as number });
    await vi.advanceTimersByTimeAsync(400);
    const last = channel.shows[channel.shows.length - 1];
    expect(last.full).toBe(true);
    expect(last.number).toBe((first.number as number) + 1);
    channel.answer({ number: last.number as number, full: true });
    await vi.advanceTimersByTimeAsync(2000);
    expect(channel.shows).toHaveLength(2);
  });

  it("waits for the answer before it rests", async () => {
    const channel = opened();
    await vi.advanceTimersByTimeAsync(1500);
    expect(channel.shows.filter((one) => one.full)).toHaveLength(0);
  });

  it("takes over solved numbers of the newest request only", () => {
    saving();
    const channel = opened();
    meet("red mids dragged", new Map([[1, 45]]), undefined, true);
    const before = channel.shows.length;
    channel.answer({ number: channel.shows[0].number as number });
    meet("red mids dragged", new Map([[1, 46]]), undefined, true);
    meet("red mids dragged", new Map([[1, 47]]), undefined, true);
    const [overtaken, newest] = channel.shows.slice(-2);
    expect(channel.shows.length).toBe(before + 2);
    channel.answer({ number: overtaken.number as number, numbers: WARMER });
    expect(state().shown?.numbers).toEqual(WARMER);
    expect(numbers()).toEqual(IDENTITY);
    channel.answer({ number: newest.number as number, numbers: BRIGHTER });
    expect(numbers()).toEqual(BRIGHTER);
  });

  it("meters skin under the shot's own numbers whichever level is edited", () => {
    saving();
    const channel = opened();
    edit("exposure", { numbers: BRIGHTER });
    meterFamiliar("skin");
    expect(state().meter?.correction).toEqual(ten("shot", BRIGHTER));
    setLevel("family");
    edit("warmth", { numbers: WARMER });
    meterFamiliar("skin");
    expect(state().meter?.correction).toEqual(ten("shot", BRIGHTER));
    expect(channel.shows[channel.shows.length - 1]).toMatchObject({ level: "family", numbers: WARMER });
  });

  it("names a point under what is shown, also before the correction", () => {
    saving();
    const channel = opened();
    edit("exposure", { numbers: BRIGHTER });
    setBefore("level");
    lookAt({ x: 0.5, y: 0.5 });
    const asked = channel.sent[channel.sent.length - 1];
    expect(asked).toMatchObject({ kind: "point", before: "level", level: "shot" });
  });

  it("holds the readings that are not moved", () => {
    saving();
    const channel = opened();
    channel.answer({ number: channel.shows[0].number as number, readings: grey(2, 40, 90) });
    meet("green highs typed", new Map([[5, 95]]));
    const asked = channel.shows[channel.shows.length - 1];
    expect(asked.aim).toEqual({ values: [2, 40, 90, 2, 40, 95, 2, 40, 90, 10], moved: [5], dragged: false });
    expect(asked.full).toBe(true);
  });

  it("keeps aims that are still searched for under newer ones, from where the search began", () => {
    saving();
    const channel = opened();
    const last = () => channel.shows[channel.shows.length - 1];
    const answer = (more: object) => channel.answer({ number: last().number as number, ...more });
    answer({ readings: grey(2, 40, 90) });
    meet("green highs typed", new Map([[5, 95]]));
    answer({ readings: grey(3, 42, 91), numbers: WARMER, searching: true });
    expect(numbers()).toEqual(WARMER);
    meet("red mids typed", new Map([[1, 50]]));
    expect(last().aim).toEqual({
      values: [2, 50, 90, 2, 40, 95, 2, 40, 90, 10],
      moved: [5, 1],
      dragged: false,
    });
    expect(last().numbers).toEqual(IDENTITY);
    answer({ readings: grey(2, 40, 90), numbers: BRIGHTER, full: true });
    meet("blue lows typed", new Map([[6, 1]]));
    expect(last().aim).toMatchObject({ moved: [6] });
  });

  it("goes on searching when only the look changes, and not when the numbers do", () => {
    saving();
    const channel = opened();
    const last = () => channel.shows[channel.shows.length - 1];
    channel.answer({ number: last().number as number });
    meet("green highs typed", new Map([[5, 95]]));
    const aim = last().aim;
    clearBrushes();
    expect(last()).toMatchObject({ aim, numbers: IDENTITY, full: true, brushes: [] });
    channel.answer({ number: last().number as number, numbers: WARMER, searching: true });
    show({});
    expect(last()).toMatchObject({ aim, numbers: IDENTITY });
    edit("exposure", { numbers: BRIGHTER });
    expect(last().aim).toBeUndefined();
    expect(last().numbers).toEqual(BRIGHTER);
  });

  it("saves what a search ends with, not what it has found so far", async () => {
    const calls = saving();
    const channel = opened();
    const last = () => channel.shows[channel.shows.length - 1];
    channel.answer({ number: last().number as number });
    meet("green highs typed", new Map([[5, 95]]));
    channel.answer({ number: last().number as number, numbers: WARMER, searching: true, full: true });
    await vi.advanceTimersByTimeAsync(3000);
    expect(calls.filter((one) => one.method === "PUT")).toEqual([]);
    expect(state().saving).toBe("saving");
    channel.answer({ number: last().number as number, numbers: BRIGHTER, full: true });
    await vi.advanceTimersByTimeAsync(500);
    const saved = calls.filter((one) => one.method === "PUT");
    expect(saved.map((one) => one.body.numbers)).toEqual([BRIGHTER]);
    expect(state().saving).toBe("saved");
  });

  it("ignores answers for a shot that has left the desk, and says faults", () => {
    const channel = opened();
    channel.answer({ number: 1, shot: 2 });
    expect(state().shown).toBeNull();
    channel.say({ kind: "fault", detail: "12A-1.mov: frame 36 cannot be decoded" });
    expect(state().fault).toContain("cannot be decoded");
    channel.answer({ number: 1 });
    expect(state().fault).toBeNull();
  });

  it("tells the canvases of every picture without going through React", () => {
    const channel = opened();
    const told = vi.fn();
    const stop = onDrawn(told);
    channel.answer({ number: 1 });
    channel.answer({ number: 2 });
    expect(told).toHaveBeenCalledTimes(2);
    stop();
    channel.answer({ number: 3 });
    expect(told).toHaveBeenCalledTimes(2);
  });
});

describe("a dropped connection", () => {
  it("is said, retried, and goes on with what was asked last", async () => {
    const channel = opened();
    setFrame(12);
    channel.lose();
    expect(state().connected).toBe("lost");
    setFrame(13);
    expect(Socket.all).toHaveLength(1);
    await vi.advanceTimersByTimeAsync(800);
    expect(Socket.all).toHaveLength(2);
    line().open();
    expect(state().connected).toBe("open");
    expect(line().shows).toHaveLength(1);
    expect(line().shows[0]).toMatchObject({ frame: 13 });
  });

  it("is not retried once the desk is closed", async () => {
    opened();
    close();
    close = () => undefined;
    await vi.advanceTimersByTimeAsync(3000);
    expect(Socket.all).toHaveLength(1);
  });
});

describe("saving", () => {
  it("happens once, when the hand rests", async () => {
    const calls = saving();
    const channel = opened();
    for (const numbers of [WARMER, BRIGHTER]) edit("exposure", { numbers });
    expect(calls).toHaveLength(0);
    expect(isUnsaved()).toBe(true);
    channel.answer({ number: channel.shows[channel.shows.length - 1].number as number, numbers: BRIGHTER });
    await vi.advanceTimersByTimeAsync(400);
    expect(calls).toHaveLength(1);
    expect(calls[0]).toMatchObject({ method: "PUT", path: "/shots/1/correction" });
    expect(calls[0].body).toEqual({
      numbers: BRIGHTER,
      correction: ten("shot", BRIGHTER),
      change: "exposure",
      base: 10,
    });
    expect(state()).toMatchObject({ saving: "saved", base: 101 });
    expect(isUnsaved()).toBe(false);
  });

  it("goes on from the version that was saved before", async () => {
    const calls = saving();
    opened();
    edit("exposure", { numbers: BRIGHTER });
    void flush();
    edit("warmth", { numbers: WARMER });
    await flush();
    expect(calls.map((call) => call.body.base)).toEqual([10, 101]);
  });

  it("keeps an edit of a shot that has left the desk for that shot, however long the server is away", async () => {
    let away = true;
    const calls = serve(({ path, body }) => {
      if (away) return "unreachable";
      versions += 1;
      return { body: { ...here.shots[Number(path.split("/")[2]) - 1], ...body, version_id: versions } };
    });
    opened();
    edit("exposure", { numbers: BRIGHTER });
    openShot(here.shots[1], null, here);
    await settle();
    expect(state().saving).toBe("waiting");
    expect(state().fault).toContain("does not answer");
    edit("warmth", { numbers: WARMER });
    const last = flush();
    await vi.advanceTimersByTimeAsync(4000);
    expect(isUnsaved()).toBe(true);
    away = false;
    await vi.advanceTimersByTimeAsync(4000);
    await last;
    const done = calls.slice(-2).map(({ path, body }) => [path, body.numbers, body.base]);
    expect(done).toEqual([
      ["/shots/1/correction", BRIGHTER, 10],
      ["/shots/2/correction", WARMER, 20],
    ]);
    expect(state()).toMatchObject({ saving: "saved", base: 102 });
    expect(isUnsaved()).toBe(false);
  });

  describe("of what was moved and is not answered yet", () => {
    const FOUND = [1, 1, 1, 0.03, 0.03, 0.03, 1, 1, 1, 1];
    let refused = false;
    const finding = () =>
      serve(({ path, body }) => {
        const found = here.shots[Number(path.split("/")[2]) - 1];
        if (path.endsWith("/solved"))
          return refused ? { status: 400, body: { detail: "nothing was measured" } } : { body: FOUND };
        versions += 1;
        return { body: { ...found, correction: body.correction, version_id: versions } };
      });
    const typed = () => {
      const channel = opened();
      channel.answer({ number: channel.shows[0].number as number });
      meet("red mids typed", new Map([[1, 45]]));
      return channel;
    };
    const saved = (calls: ReturnType<typeof serve>) =>
      calls
        .filter((call) => call.method !== "GET" && !call.path.endsWith("/scopes"))
        .map(({ path, body }) => [path, body.change ?? body.aim ?? body.turn, body.numbers]);

    beforeEach(() => {
      refused = false;
    });

    it("goes to its shot with the numbers that it comes to, when another shot is opened", async () => {
      const calls = finding();
      typed();
      openShot(here.shots[1], null, here);
      await settle();
      expect(saved(calls)).toEqual([
        ["/shots/1/solved", expect.objectContaining({ moved: [1] }), IDENTITY],
        ["/shots/1/correction", "red mids typed", FOUND],
      ]);
      expect(numbers()).toEqual(IDENTITY);
      expect(state().saving).toBe("saved");
      expect(isUnsaved()).toBe(false);
    });

    it("stays with its level when another level is edited, and is shown", async () => {
      const calls = finding();
      const channel = typed();
      setLevel("family");
      await settle();
      expect(saved(calls).slice(-1)).toEqual([["/shots/1/correction", "red mids typed", FOUND]]);
      expect(state().saved.shot).toEqual(ten("shot", FOUND));
      expect(numbers()).toEqual(IDENTITY);
      const last = channel.shows[channel.shows.length - 1];
      expect(last).toMatchObject({
        level: "family",
        levels: expect.objectContaining({ shot: ten("shot", FOUND) }),
      });
    });

    it("is found as it was asked when something else is looked at before", async () => {
      const calls = finding();
      opened();
      edit("exposure typed", { turn: { control: "exposure", value: 1 } });
      setFrame(3);
      await settle();
      expect(saved(calls)).toEqual([
        ["/shots/1/solved", { control: "exposure", value: 1 }, IDENTITY],
        ["/shots/1/correction", "exposure typed", FOUND],
      ]);
      expect(calls[0].body.frame).toBe(36);
      expect(state().frame).toBe(3);
      expect(numbers()).toEqual(FOUND);
    });

    it("is reported by its name when it cannot be found, and nothing is saved", async () => {
      refused = true;
      const calls = finding();
      typed();
      openShot(here.shots[1], null, here);
      await settle();
      expect(saved(calls).map(([path]) => path)).toEqual(["/shots/1/solved"]);
      expect(state().refused).toBe("red mids typed is not saved: nothing was measured");
      expect(isUnsaved()).toBe(false);
    });
  });

  it.each([
    503, 507, 500, 401,
  ])("is tried again through a fault %i, as it was, and says so", async (status) => {
    let away = true;
    const calls = serve(({ body }) => {
      if (away) return { status, body: { detail: "the database does not answer" } };
      return { body: { ...here.shots[0], ...body, version_id: 101 } };
    });
    opened();
    edit("exposure", { numbers: BRIGHTER });
    void flush();
    await vi.advanceTimersByTimeAsync(4000);
    expect(state()).toMatchObject({ saving: "waiting", fault: "the database does not answer" });
    expect(isUnsaved()).toBe(true);
    const tries = calls.length;
    expect(tries).toBeGreaterThan(1);
    away = false;
    await vi.advanceTimersByTimeAsync(2000);
    expect(calls).toHaveLength(tries + 1);
    expect(calls[tries].body).toEqual(calls[0].body);
    expect(state()).toMatchObject({ saving: "saved", base: 101 });
  });

  it("asks again for what the server could not answer for now, and saves what it finds then", async () => {
    const calls = saving();
    const channel = opened();
    const last = () => channel.shows[channel.shows.length - 1];
    channel.answer({ number: last().number as number });
    meet("green highs typed", new Map([[5, 95]]));
    const asked = last();
    channel.say({ kind: "fault", number: asked.number, detail: "the database is away", again: true });
    await vi.advanceTimersByTimeAsync(1600);
    expect(last()).toMatchObject({ aim: asked.aim, numbers: asked.numbers });
    expect(last().number).toBeGreaterThan(asked.number as number);
    channel.answer({ number: last().number as number, numbers: BRIGHTER, full: true });
    await vi.advanceTimersByTimeAsync(500);
    expect(calls.map((one) => one.body.numbers)).toEqual([BRIGHTER]);
  });

  it("saves nothing of a move that cannot be answered, and saves numbers that are known", async () => {
    const calls = saving();
    const channel = opened();
    const last = () => channel.shows[channel.shows.length - 1];
    channel.answer({ number: last().number as number });
    meet("green highs typed", new Map([[5, 95]]));
    channel.say({ kind: "fault", number: last().number, detail: "frame 36 cannot be decoded" });
    await vi.advanceTimersByTimeAsync(3000);
    expect(calls).toEqual([]);
    expect(state().refused).toBe("green highs typed was not done: frame 36 cannot be decoded");
    edit("trim", { numbers: WARMER });
    channel.say({ kind: "fault", number: last().number, detail: "frame 36 cannot be decoded" });
    await vi.advanceTimersByTimeAsync(3000);
    expect(calls.map((one) => one.body.numbers)).toEqual([WARMER]);
  });

  it("of two edits made before the shot left the desk, the second follows the first", async () => {
    const calls = saving();
    opened();
    edit("exposure", { numbers: BRIGHTER });
    void flush();
    edit("warmth", { numbers: WARMER });
    openShot(here.shots[1], null, here);
    await settle();
    expect(calls.map(({ path, body }) => [path, body.base])).toEqual([
      ["/shots/1/correction", 10],
      ["/shots/1/correction", 101],
    ]);
    expect(state().base).toBe(20);
  });

  it("says what another window did instead of writing over it", async () => {
    serve(() => ({ status: 409, body: { detail: "12A-1 was changed in another window" } }));
    opened();
    edit("exposure", { numbers: BRIGHTER });
    await flush();
    expect(state()).toMatchObject({
      saving: "failed",
      refused: "exposure is not saved: 12A-1 was changed in another window",
    });
    expect(isUnsaved()).toBe(false);
  });

  it("is done before the desk is closed", async () => {
    const calls = saving();
    opened();
    edit("exposure", { numbers: BRIGHTER });
    const leave = new Event("beforeunload", { cancelable: true });
    window.dispatchEvent(leave);
    expect(leave.defaultPrevented).toBe(true);
    close();
    close = () => undefined;
    await settle();
    expect(calls).toHaveLength(1);
  });

  it("takes over what the server made, and goes on from there", async () => {
    const calls = saving();
    opened();
    adopt(shot(1, "12A-1", { version_id: 55, correction: ten("shot", WARMER) }));
    expect(numbers()).toEqual(WARMER);
    expect(state()).toMatchObject({ base: 55 });
    edit("exposure", { numbers: BRIGHTER });
    await flush();
    expect(calls[0].body.base).toBe(55);
  });
});

describe("another window", () => {
  it("changed the shot: its version is taken over, and said", () => {
    saving();
    opened();
    takeShot(shot(1, "12A-1", { version_id: 11, correction: ten("shot", WARMER) }));
    expect(numbers()).toEqual(WARMER);
    expect(state()).toMatchObject({ base: 11 });
    expect(state().refused).toContain("12A-1 was changed elsewhere");
    takeShot(shot(2, "12A-2", { version_id: 21, correction: ten("shot", BRIGHTER) }));
    expect(numbers()).toEqual(WARMER);
  });

  it("is not this one, whose own order the server is working on", () => {
    saving();
    opened();
    useDesk.setState({ acting: true });
    takeShot(shot(1, "12A-1", { version_id: 11, correction: ten("shot", WARMER) }));
    expect(numbers()).toEqual(IDENTITY);
    expect(state()).toMatchObject({ base: 10, refused: null });
    useDesk.setState({ acting: false });
  });

  it("changed the shot under the hand: nothing is taken over, and the save is refused", async () => {
    serve(() => ({ status: 409, body: { detail: "12A-1 was changed in another window" } }));
    opened();
    edit("exposure", { numbers: BRIGHTER });
    takeShot(shot(1, "12A-1", { version_id: 11, correction: ten("shot", WARMER) }));
    expect(numbers()).toEqual(BRIGHTER);
    await flush();
    takeShot(shot(1, "12A-1", { version_id: 11, correction: ten("shot", WARMER) }));
    expect(numbers()).toEqual(WARMER);
    expect(state().refused).toContain("exposure is not saved");
  });

  it("is reported what a look was made from", async () => {
    const calls = saving();
    opened();
    setLevel("family");
    edit("exposure", { numbers: BRIGHTER });
    await flush();
    edit("warmth", { numbers: WARMER });
    await flush();
    expect(calls.map((call) => call.body.base)).toEqual([ten("family", IDENTITY), ten("family", BRIGHTER)]);
  });
});

describe("levels", () => {
  it("send edits where the switch says, with the others in force around them", async () => {
    const calls = saving();
    const channel = opened();
    edit("exposure", { numbers: BRIGHTER });
    setLevel("family");
    edit("warmth", { numbers: WARMER });
    const asked = channel.shows[channel.shows.length - 1];
    expect(asked).toMatchObject({ level: "family", numbers: WARMER });
    expect((asked.levels as FourLevels).shot).toEqual(ten("shot", BRIGHTER));
    await flush();
    await settle();
    const puts = calls.filter((call) => call.method === "PUT");
    expect(puts.map((call) => call.path)).toEqual(["/shots/1/correction", "/levels/family/1"]);
    expect(state().savedLevels).toBeGreaterThan(0);
  });

  it("stay on the shot where there is no family to send to", () => {
    close = openDesk();
    line().open();
    openShot(shot(3, "99A-1", { family_id: null }), null, here);
    setLevel("family");
    expect(state().focus.level).toBe("shot");
  });

  it("changed elsewhere are taken over, but never under the hand", () => {
    saving();
    const channel = opened();
    const trimmed = {
      ...here,
      cameras: here.cameras.map((camera) => ({ ...camera, correction: ten("camera", WARMER) })),
    };
    edit("exposure", { numbers: BRIGHTER });
    takeLevels(here.shots[0], trimmed);
    expect(state().now.camera).toEqual(ten("camera", IDENTITY));
    useDesk.setState({ saving: "saved" });
    const before = channel.shows.length;
    return flush().then(() => {
      takeLevels(here.shots[0], trimmed);
      expect(state().now.camera).toEqual(ten("camera", WARMER));
      expect(numbers()).toEqual(BRIGHTER);
      expect(channel.shows.length).toBeGreaterThan(before);
    });
  });
});

describe("steps", () => {
  it("come into hand and go with what is asked, so that none is asked for that is not there", async () => {
    const calls = saving();
    const channel = opened();
    await addStep();
    expect(state().focus.step).toBe("step");
    await renameStep({ level: "shot", step: "step" }, "dusk");
    expect(state().focus.step).toBe("dusk");
    await moveStep({ level: "shot", step: "dusk" }, -1);
    await removeStep({ level: "shot", step: "dusk" });
    expect(state().focus.step).toBe("balance");
    for (const asked of channel.shows) {
      const { steps } = (asked.levels as FourLevels).shot;
      expect(steps.map((one) => one.id)).toContain(asked.step);
    }
    const saved = calls.filter((call) => call.method === "PUT").map(({ body }) => body.change);
    expect(saved).toEqual(["step added", "step is now dusk", "dusk moved earlier", "dusk removed"]);
  });
});

describe("looking", () => {
  it("keeps frames within the clip", () => {
    opened();
    setFrame(-5);
    expect(state().frame).toBe(0);
    setFrame(500);
    expect(state().frame).toBe(71);
  });

  it("brushes one range a signal, and one on the plane", () => {
    const channel = opened();
    const level = (signal: "red" | "luma", low: number) =>
      ({ kind: "level", signal, low, high: low + 10, left: 0, right: 1 }) as const;
    brush(level("red", 10));
    brush(level("luma", 20));
    brush(level("red", 50));
    brush({ kind: "plane", cb: [0, 5], cr: [0, 5] });
    expect(state().brushes).toHaveLength(3);
    const asked = channel.shows[channel.shows.length - 1].brushes as { signal?: string; low?: number }[];
    expect(asked.find((one) => one.signal === "red")?.low).toBe(50);
    clearBrushes();
    expect(channel.shows[channel.shows.length - 1].brushes).toEqual([]);
  });

  it("meters skin in both pictures, a box in its own", () => {
    const reference = kept(7, 2);
    serve(() => ({ status: 400, body: { detail: "nothing looks like skin there" } }));
    opened();
    setReference(reference);
    setMeter({ kind: "skin", points: [], correction: ten("shot", WARMER) });
    expect(state().referenceMeter).toEqual({ kind: "skin", points: [], correction: NO_STEPS });
    const box = {
      kind: "box" as const,
      points: [
        [0.1, 0.1],
        [0.2, 0.2],
      ] as [number, number][],
      correction: NO_STEPS,
    };
    setMeter(null);
    setMeter(box);
    expect(state().referenceMeter).toBeNull();
  });

  it("ties two boxes, says when one is missing, and finds the ties again", () => {
    serve(() => ({ status: 400, body: {} }));
    opened();
    setReference(kept(7, 2));
    tieBoxes();
    expect(state().fault).toContain("box on each picture");
    const box = (x: number) => ({
      kind: "box" as const,
      points: [
        [x, 0.1],
        [x + 0.1, 0.2],
      ] as [number, number][],
      correction: NO_STEPS,
    });
    useDesk.setState({ meter: box(0.1), referenceMeter: box(0.5) });
    tieBoxes();
    const tie = { reference: box(0.5).points, shot: box(0.1).points };
    expect(state().ties).toEqual([tie]);
    expect(state().meter).toBeNull();
    openShot(here.shots[1], kept(7, 2), here);
    expect(state().ties).toEqual([]);
    openShot(here.shots[0], kept(7, 2), here);
    expect(state().ties).toEqual([tie]);
  });

  it("follows a tie's subject, leaves it out where it is lost, and lets it stay", async () => {
    const track = { drawn: 0, first: 0, frames: 2, aspect: 1, digest: "f".repeat(32) };
    keepPlaces(track.digest, new Float64Array([0.15, 0.15, 0, 1, 0.35, 0.15, 0, 2]));
    const asked: unknown[] = [];
    serve(({ path, body }) => {
      if (path.endsWith("/follow")) asked.push(body);
      return path.endsWith("/follow")
        ? { body: { track, notes: ["lost on frame 3"] } }
        : { status: 400, body: {} };
    });
    opened();
    setReference(kept(7, 2));
    const tie = { reference: corner(0.5), shot: corner(0.1) };
    useDesk.setState({ ties: [tie], frame: 0 });
    const following = followTie(0);
    await settle();
    await following;
    expect(asked).toMatchObject([{ frame: 0, shapes: [{ kind: "outline" }] }]);
    const [followed] = state().ties;
    expect(followed.track).toEqual(track);
    expect(state().said).toBe("Tie 1 follows from frame 1 to 2; lost on frame 3.");
    expect(
      tieAt(followed, 1)
        ?.flat()
        .map((place) => Number(place.toFixed(3))),
    ).toEqual([0.25, 0.05, 0.45, 0.25]);
    expect(tieAt(followed, 2)).toBeNull();
    setFrame(1);
    await followTie(0);
    expect(state().ties[0].track).toBeUndefined();
    expect(state().ties[0].shot[0][0]).toBeCloseTo(0.25);
  });
});

describe("the reference's readings", () => {
  it("are waited for where those of what is current have not come yet", async () => {
    const answers: (() => void)[] = [];
    serve(({ path }) => ({ status: 400, body: path }));
    opened();
    vi.stubGlobal(
      "fetch",
      () => new Promise((resolve) => answers.push(() => resolve({ ok: false, json: async () => ({}) }))),
    );
    useDesk.setState({ reference: kept(7, 2), referenceReadings: Array(10).fill(50) });
    const met = vi.fn();
    void loadTrace();
    withAims(met);
    expect(met).not.toHaveBeenCalled();
    useDesk.setState({ referenceReadings: Array(10).fill(60) });
    for (const answer of answers) answer();
    await settle();
    expect(met).not.toHaveBeenCalled();
    expect(state().referenceReadings).toBeNull();
    useDesk.setState({ referenceReadings: Array(10).fill(70) });
    withAims(met);
    expect(met).toHaveBeenCalledWith(Array(10).fill(70));
  });
});

describe("the channel alone", () => {
  it("asks nothing when it is closed", () => {
    const disconnect = connect(() => undefined);
    line().open();
    disconnect();
    show({});
    expect(line().shows).toHaveLength(0);
  });
});
