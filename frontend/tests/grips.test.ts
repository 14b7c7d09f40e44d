// @vitest-environment happy-dom
/** Holding the scopes: what a press takes hold of, and what drags, keys and brushes ask for. */
import { afterEach, beforeEach, describe, expect, it, vi } from "vitest";
import { handlers, sayGrip } from "../src/desk/grips";
import { openDesk, openShot } from "../src/desk/opening";
import { useDesk } from "../src/desk/state";
import { levelY } from "../src/scopes/canvas";
import { bandBox, levelX } from "../src/scopes/histogram";
import { span } from "../src/scopes/levels";
import { type ScopeKind, useScopes, WHOLE_VIEW } from "../src/scopes/settings";
import { castCentre, geometry, saturationGrip } from "../src/scopes/vectorscope";
import { day, family, shot } from "./day";
import { line, Socket, serve } from "./server";

const [WIDE, TALL] = [420, 220];
const READINGS = [3, 48, 92, 2, 40, 88, 1, 30, 80, 14];
const REFERENCE = [2, 45, 90, 2, 42, 90, 2, 40, 88, 12];
let close: () => void = () => undefined;

/** A scope on the page, and the events a hand makes on it. */
function scope(kind: ScopeKind) {
  const on = handlers(kind, { current: null });
  const canvas = document.createElement("canvas");
  canvas.getBoundingClientRect = () => new DOMRect(100, 50, WIDE, TALL);
  canvas.setPointerCapture = () => undefined;
  const at = (x: number, y: number, more: object = {}) =>
    ({ clientX: 100 + x, clientY: 50 + y, currentTarget: canvas, button: 0, pointerId: 1, ...more }) as never;
  const key = (name: string, more: object = {}) => {
    const event = {
      key: name,
      currentTarget: canvas,
      preventDefault: vi.fn(),
      stopPropagation: vi.fn(),
      ...more,
    };
    on.onKeyDown(event as never);
    return event;
  };
  return {
    on,
    at,
    key,
    canvas,
    drag: (x: number, y: number, dx: number, dy: number, more: object = {}) => {
      on.onPointerDown(at(x, y));
      on.onPointerMove(at(x + dx, y + dy, more));
      on.onPointerUp();
    },
  };
}

const asked = () => line().shows[line().shows.length - 1];
const aims = () => (asked().aim as { values: number[]; moved: number[]; dragged: boolean }) ?? null;
const percentTall = (pixels: number) => (pixels / TALL) * (WHOLE_VIEW.high - WHOLE_VIEW.low);

beforeEach(() => {
  vi.useFakeTimers();
  vi.stubGlobal("WebSocket", Socket);
  serve(() => ({ body: {} }));
  Socket.all = [];
  useDesk.setState({
    focus: { level: "shot", step: "balance" },
    brushes: [],
    meter: null,
    held: null,
    shown: null,
  });
  useScopes.setState({ view: WHOLE_VIEW, parade: "R′G′B′", waveform: "luma", histogram: "R G B", gain: 2 });
  close = openDesk();
  line().open();
  openShot(shot(1, "12A-1"), null, day([shot(1, "12A-1")], [family(1, "Shop")]));
  line().answer({ number: asked().number as number, readings: READINGS });
  useDesk.setState({ referenceReadings: REFERENCE });
});

afterEach(() => {
  close();
  vi.unstubAllGlobals();
  vi.useRealTimers();
});

const inLane = (c: number) => {
  const [left, right] = span(WIDE, c, 3);
  return (left + right) / 2;
};
const yOf = (level: number) => levelY(level, TALL, WHOLE_VIEW);

describe("the parade's grips", () => {
  it("move the one reading that is held by what the hand moved", () => {
    const parade = scope("parade");
    parade.drag(inLane(0), yOf(92) + 2, 5, 20);
    expect(aims().moved).toEqual([2]);
    expect(aims().dragged).toBe(true);
    expect(aims().values[2]).toBeCloseTo(92 - percentTall(20), 6);
    expect(aims().values.filter((_, i) => i !== 2)).toEqual(READINGS.filter((_, i) => i !== 2));
    expect(useDesk.getState().held).toBe("r2");
  });

  it("move a tenth of it with Shift", () => {
    scope("parade").drag(inLane(2), yOf(30), 0, -30, { shiftKey: true });
    expect(aims().moved).toEqual([7]);
    expect(aims().values[7]).toBeCloseTo(30 + percentTall(3), 6);
  });

  it("go on from where they were pressed, not from what came back meanwhile", () => {
    const parade = scope("parade");
    parade.on.onPointerDown(parade.at(inLane(1), yOf(40)));
    parade.on.onPointerMove(parade.at(inLane(1), yOf(40) - 10));
    line().answer({ number: asked().number as number, readings: READINGS.map((v) => v + 3) });
    parade.on.onPointerMove(parade.at(inLane(1), yOf(40) - 20));
    expect(aims().values[4]).toBeCloseTo(40 + percentTall(20), 6);
  });

  it("never ask for less than black or more than the scope holds", () => {
    scope("parade").drag(inLane(2), yOf(1), 0, 150);
    expect(aims().values[6]).toBe(0);
    scope("parade").drag(inLane(0), yOf(92), 0, -300);
    expect(aims().values[2]).toBe(108);
  });

  it("meet the reference by a double press", () => {
    const parade = scope("parade");
    parade.on.onDoubleClick(parade.at(inLane(0), yOf(48)));
    expect(aims()).toMatchObject({ moved: [1], dragged: false });
    expect(aims().values[1]).toBe(45);
  });

  it("are not held while the picture before the correction is looked at", () => {
    useDesk.setState({ shown: { ...(useDesk.getState().shown as never as object), before: true } as never });
    const before = line().shows.length;
    const parade = scope("parade");
    parade.on.onPointerDown(parade.at(inLane(0), yOf(92)));
    expect(useDesk.getState().held).toBeNull();
    parade.on.onPointerUp();
    expect(line().shows.length).toBe(before);
  });
});

describe("other scopes' grips", () => {
  it("of the waveform move all three channels together", () => {
    const luma = 0.2126 * 48 + 0.7152 * 40 + 0.0722 * 30;
    scope("waveform").drag(200, yOf(luma), 0, -22);
    expect(aims().moved).toEqual([1, 4, 7]);
    const by = percentTall(22);
    [1, 4, 7].forEach((i) => {
      expect(aims().values[i]).toBeCloseTo(READINGS[i] + by, 6);
    });
  });

  it("of the histogram lie along its level axis, each band its own", () => {
    const { bottom } = bandBox(TALL, 1, useScopes.getState());
    scope("histogram").drag(levelX(40, WIDE, WHOLE_VIEW), bottom - 5, 40, 0);
    expect(aims().moved).toEqual([4]);
    expect(aims().values[4]).toBeGreaterThan(45);
  });

  it("of a histogram that stands lie along its levels upwards", () => {
    useScopes.setState({ vertical: true });
    const { bottom } = bandBox(WIDE, 1, useScopes.getState());
    scope("histogram").drag(WIDE - bottom + 5, TALL - levelX(40, TALL, WHOLE_VIEW), 0, -30);
    useScopes.setState({ vertical: false });
    expect(aims().moved).toEqual([4]);
    expect(aims().values[4]).toBeGreaterThan(45);
  });

  it("of the vectorscope bring the cast to the middle", () => {
    const { cx, cy, scale } = geometry(WIDE, TALL, 2);
    const [cb, cr] = castCentre(READINGS);
    const [x, y] = [cx + (cb / 100) * scale, cy - (cr / 100) * scale];
    scope("vectorscope").drag(x, y, cx - x, cy - y);
    expect([...aims().moved].sort()).toEqual([0, 1, 2, 3, 4, 5, 6, 7, 8]);
    expect(Math.hypot(...castCentre(aims().values))).toBeLessThan(0.3);
  });

  it("of the saturation's ring move saturation alone", () => {
    const [x, y] = saturationGrip(READINGS, WIDE, TALL, 2);
    const { cx, cy, scale } = geometry(WIDE, TALL, 2);
    const reach = Math.hypot(x - cx, y - cy);
    const out = 1 + 20 / reach;
    scope("vectorscope").drag(x, y, (x - cx) * (out - 1), (y - cy) * (out - 1));
    expect(aims().moved).toEqual([9]);
    expect(aims().values[9]).toBeCloseTo(14 + (20 / scale) * 100, 6);
  });
});

describe("keys on a scope", () => {
  it("take the first grip, go from grip to grip and nudge", () => {
    const parade = scope("parade");
    parade.on.onFocus();
    expect(useDesk.getState().held).toBe("r0");
    parade.key("ArrowRight");
    parade.key("ArrowRight");
    expect(useDesk.getState().held).toBe("r2");
    parade.key("ArrowLeft", { ctrlKey: true });
    expect(useDesk.getState().held).toBe("r1");
    const event = parade.key("ArrowUp");
    expect(event.preventDefault).toHaveBeenCalled();
    expect(aims().values[1]).toBeCloseTo(49, 9);
    parade.key("ArrowDown", { shiftKey: true });
    expect(aims().values[1]).toBeCloseTo(47.9, 9);
  });

  it("go round at the ends", () => {
    const waveform = scope("waveform");
    waveform.on.onFocus();
    waveform.key("ArrowLeft");
    expect(useDesk.getState().held).toBe("z2");
  });

  it("meet the reference with Enter, and leave other keys to the page", () => {
    const parade = scope("parade");
    parade.on.onFocus();
    parade.key("Enter");
    expect(aims().moved).toEqual([0]);
    expect(aims().values[0]).toBe(2);
    const other = parade.key("b");
    expect(other.preventDefault).not.toHaveBeenCalled();
  });

  it("move the cast anywhere on the plane", () => {
    const plane = scope("vectorscope");
    plane.on.onFocus();
    expect(useDesk.getState().held).toBe("cast");
    plane.key("ArrowRight");
    const [before] = castCentre(READINGS);
    const [after] = castCentre(aims().values);
    expect(after).toBeGreaterThan(before);
    plane.key("ArrowRight", { ctrlKey: true });
    expect(useDesk.getState().held).toBe("saturation");
    plane.key("ArrowUp");
    expect(aims().values[9]).toBe(15);
  });
});

describe("brushes", () => {
  it("are painted where no grip is, in the lane they begin in", () => {
    scope("parade").drag(inLane(1) - 40, yOf(70), 60, 30);
    const [brushed] = useDesk.getState().brushes;
    expect(brushed).toMatchObject({ kind: "level", signal: "green" });
    if (brushed.kind !== "level") throw new Error("a level was brushed");
    expect(brushed.high).toBeCloseTo(70, 6);
    expect(brushed.low).toBeCloseTo(70 - percentTall(30), 6);
    const [left, right] = span(WIDE, 1, 3);
    expect(brushed.left).toBeCloseTo((inLane(1) - 40 - left) / (right - left), 6);
  });

  it("on the plane are rectangles of Cb and Cr", () => {
    const { cx, cy, scale } = geometry(WIDE, TALL, 2);
    scope("vectorscope").drag(cx + 50, cy + 60, -20, 10);
    const [brushed] = useDesk.getState().brushes;
    if (brushed.kind !== "plane") throw new Error("the plane was brushed");
    expect(brushed.cb[0]).toBeCloseTo((30 / scale) * 100, 6);
    expect(brushed.cb[1]).toBeCloseTo((50 / scale) * 100, 6);
    expect(brushed.cr[1]).toBeCloseTo((-60 / scale) * 100, 6);
  });

  it("go away by a press without a drag on an empty place", () => {
    const parade = scope("parade");
    parade.drag(inLane(1), yOf(70), 40, 30);
    expect(useDesk.getState().brushes).toHaveLength(1);
    parade.on.onPointerDown(parade.at(inLane(2), yOf(60)));
    parade.on.onPointerUp();
    expect(useDesk.getState().brushes).toHaveLength(0);
  });
});

describe("the wheel", () => {
  it("zooms levels about the cursor, and a double press at the names shows them whole again", () => {
    const parade = scope("parade");
    parade.on.onWheel({ ...(parade.at(200, yOf(20)) as object), deltaY: -1 } as never);
    const { view } = useScopes.getState();
    expect(view.high - view.low).toBeLessThan(WHOLE_VIEW.high - WHOLE_VIEW.low);
    expect(levelY(20, TALL, view)).toBeCloseTo(yOf(20), 6);
    parade.on.onDoubleClick(parade.at(5, 3));
    expect(useScopes.getState().view).toEqual(WHOLE_VIEW);
  });
});

describe("a focused scope, by keys", () => {
  it("says where its current grip stands, in the grip's own range and unit", () => {
    const parade = scope("parade");
    parade.on.onFocus();
    parade.key("ArrowRight");
    sayGrip("parade", parade.canvas);
    const said = (name: string) => parade.canvas.getAttribute(name);
    expect(said("aria-label")).toBe("parade: red mids");
    expect(["aria-valuemin", "aria-valuenow", "aria-valuemax"].map(said)).toEqual(["0", "48.0", "108.0"]);
    expect(said("aria-valuetext")).toBe("48.0 %");
  });

  it("zooms about the current grip, and shows the whole scale again", () => {
    const waveform = scope("waveform");
    waveform.on.onFocus();
    waveform.key("+");
    const { low, high } = useScopes.getState().view;
    expect(high - low).toBeCloseTo(0.8 * (WHOLE_VIEW.high - WHOLE_VIEW.low), 6);
    waveform.key("0");
    expect(useScopes.getState().view).toEqual(WHOLE_VIEW);
  });

  it("marks a range around the grip, moves and sizes it, and clears it", () => {
    const parade = scope("parade");
    parade.on.onFocus();
    parade.key("Enter", { shiftKey: true });
    const brush = () => useDesk.getState().brushes[0];
    expect(brush()).toMatchObject({ kind: "level", signal: "red", low: -2, high: 8 });
    parade.key("ArrowUp", { altKey: true });
    expect(brush()).toMatchObject({ low: -1, high: 9 });
    parade.key("ArrowUp", { altKey: true, shiftKey: true });
    expect(brush()).toMatchObject({ low: -2, high: 10 });
    for (let i = 0; i < 20; i++) parade.key("ArrowDown", { altKey: true, shiftKey: true });
    expect(brush()).toMatchObject({ low: 3, high: 5 });
    parade.key("Backspace");
    expect(useDesk.getState().brushes).toEqual([]);
  });

  it("marks a part of the vectorscope's plane", () => {
    const vectorscope = scope("vectorscope");
    vectorscope.key("Enter", { shiftKey: true });
    vectorscope.key("ArrowLeft", { altKey: true });
    expect(useDesk.getState().brushes).toEqual([{ kind: "plane", cb: [-6, 4], cr: [-5, 5] }]);
  });
});
