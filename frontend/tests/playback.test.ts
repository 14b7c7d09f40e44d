// @vitest-environment happy-dom
/** Playing: at the clip's rate, round and round, and rather late than in leaps. */
import { afterEach, beforeEach, describe, expect, it, vi } from "vitest";
import { openDesk, openShot } from "../src/desk/opening";
import { backward, forward, mark, pause, play, toggle, wholeRange } from "../src/desk/playback";
import { useDesk } from "../src/desk/state";
import { day, family, shot } from "./day";
import { line, Socket, serve } from "./server";

const here = day([shot(1, "12A-1")], [family(1, "Shop")]);
const state = useDesk.getState;
let now = 0;
let close: () => void = () => undefined;
let waiting: FrameRequestCallback[] = [];

/** Let time pass in frames of a 60 Hz screen; the server answers everything at once, unless it is `slow`. */
function pass(milliseconds: number, { slow = false } = {}) {
  for (let left = milliseconds; left > 0; left -= 1000 / 60) {
    now += 1000 / 60;
    const due = waiting;
    waiting = [];
    for (const each of due) each(now);
    if (!slow) answerAll();
  }
}

let answered = 0;
function answerAll() {
  for (const one of line().shows.filter((each) => (each.number as number) > answered)) {
    answered = one.number as number;
    line().answer({ number: answered, frame: one.frame as number, playing: one.playing as boolean });
  }
}
const played = () => line().shows.filter((one) => one.playing);

beforeEach(() => {
  vi.useFakeTimers();
  vi.stubGlobal("WebSocket", Socket);
  vi.stubGlobal("requestAnimationFrame", (each: FrameRequestCallback) => waiting.push(each));
  vi.stubGlobal("cancelAnimationFrame", () => {
    waiting = [];
  });
  vi.spyOn(performance, "now").mockImplementation(() => now);
  serve(() => ({ body: {} }));
  Socket.all = [];
  waiting = [];
  answered = 0;
  now = 1000;
  useDesk.setState({
    focus: { level: "shot", step: "balance" },
    shown: null,
    playing: 0,
    loop: true,
    range: null,
  });
  close = openDesk();
  line().open();
  openShot(here.shots[0], null, here);
  useDesk.setState({ frame: 0 });
  answerAll();
});

afterEach(() => {
  pause();
  close();
  vi.restoreAllMocks();
  vi.unstubAllGlobals();
  vi.useRealTimers();
});

describe("playing", () => {
  it("shows every frame at the clip's rate", () => {
    play(1);
    pass(1000);
    expect(state().frame).toBeGreaterThanOrEqual(23);
    expect(state().frame).toBeLessThanOrEqual(24);
    const frames = played().map((one) => one.frame as number);
    expect(frames).toEqual(frames.map((_, i) => frames[0] + i));
  });

  it("goes backward, and faster when asked again", () => {
    useDesk.setState({ frame: 60 });
    backward();
    pass(500);
    expect(state().frame).toBeGreaterThanOrEqual(47);
    expect(state().frame).toBeLessThanOrEqual(49);
    backward();
    expect(state().playing).toBe(-2);
    forward();
    expect(state().playing).toBe(1);
    for (let i = 0; i < 6; i++) forward();
    expect(state().playing).toBe(8);
  });

  it("goes round and round between in and out", () => {
    useDesk.setState({ frame: 10 });
    mark("first");
    useDesk.setState({ frame: 15 });
    mark("last");
    expect(state().range).toEqual([10, 15]);
    useDesk.setState({ frame: 10 });
    play(1);
    pass(2000);
    const frames = new Set(played().map((one) => one.frame as number));
    expect([...frames].sort((a, b) => a - b)).toEqual([10, 11, 12, 13, 14, 15]);
    wholeRange();
    expect(state().range).toBeNull();
  });

  it("stops at the end where it does not go round, and shows the full frame there", () => {
    useDesk.setState({ loop: false, frame: 66 });
    play(1);
    pass(1000);
    expect(state().playing).toBe(0);
    expect(state().frame).toBe(71);
    vi.advanceTimersByTime(300);
    const last = line().shows[line().shows.length - 1];
    expect(last).toMatchObject({ frame: 71, full: true });
    expect(last.playing ?? false).toBe(false);
  });

  it("keeps no more than two requests under way", () => {
    play(1);
    pass(300, { slow: true });
    expect(played().length).toBeLessThanOrEqual(2);
  });

  it("is late rather than in leaps where the server cannot keep up", () => {
    play(1);
    for (let i = 0; i < 8; i++) {
      pass(350, { slow: true });
      answerAll();
    }
    const frames = played().map((one) => one.frame as number);
    const steps = frames.slice(1).map((frame, i) => (frame - frames[i] + 72) % 72);
    expect(frames.length).toBeGreaterThan(8);
    expect(Math.max(...steps)).toBeLessThanOrEqual(3);
  });

  it("stops and starts by one key, resting on the frame it stopped at", () => {
    toggle();
    pass(500);
    toggle();
    const { frame, playing } = state();
    expect(playing).toBe(0);
    pass(500);
    expect(state().frame).toBe(frame);
    expect(line().shows[line().shows.length - 1].playing).toBe(false);
  });

  it("tells the figures a few times a second, and at once when it rests", () => {
    const changes = { shown: 0, told: 0 };
    const stop = useDesk.subscribe((after, before) => {
      for (const one of ["shown", "told"] as const) if (after[one] !== before[one]) changes[one] += 1;
    });
    play(1);
    pass(1000);
    stop();
    expect(changes.shown).toBeGreaterThanOrEqual(23);
    expect(changes.told).toBeGreaterThanOrEqual(5);
    expect(changes.told).toBeLessThanOrEqual(9);
    pause();
    pass(50);
    expect(state().told).toBe(state().shown);
  });

  it("turns a range round that was marked behind itself", () => {
    useDesk.setState({ frame: 40 });
    mark("last");
    useDesk.setState({ frame: 50 });
    mark("first");
    expect(state().range).toEqual([50, 71]);
    useDesk.setState({ frame: 20 });
    mark("last");
    expect(state().range).toEqual([0, 20]);
  });
});
