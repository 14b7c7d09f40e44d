/** Grips and brushes: what a press on a scope takes hold of, and what dragging it, nudging it or painting beside it does. */
import type { KeyboardEvent, PointerEvent } from "react";
import { primaryIn } from "../correction/selection";
import { type Brush, LEFT, type PlaneBrush, SIGNALS, yLevel } from "../scopes/canvas";
import { bandAt, bands, isLevel, xLevel } from "../scopes/histogram";
import { isRgb, lanes, span } from "../scopes/levels";
import { type ScopeKind, useScopes, type View, WHOLE_VIEW } from "../scopes/settings";
import { geometry } from "../scopes/vectorscope";
import type { Axis, Grip, Move, Place } from "./grip";
import { brush, clearBrushes } from "./looking";
import { markerGrips } from "./markerGrips";
import { addPoint, pointGrips } from "./pointGrips";
import { readingGrips } from "./readingGrips";
import { addSpoke, spokeGrips } from "./spokeGrips";
import { inHandValues, redraw, useDesk } from "./state";

const REACH = 9;
const LEAST_BRUSH = 4;

/** A scope's grips in the order keys go through them: those of the current step, then the markers. */
function gripsOf(kind: ScopeKind): Grip[] {
  const { markers } = useDesk.getState();
  const settings = useScopes.getState();
  const grips = [...stepGrips(kind), ...markerGrips(kind, markers, settings)];
  if (kind !== "histogram" || !settings.vertical) return grips;
  return grips.map((grip) => ({ ...grip, axis: "up", cursor: "ns-resize" }));
}

function stepGrips(kind: ScopeKind): Grip[] {
  const state = useDesk.getState();
  const { shown } = state;
  const values = inHandValues(state);
  if (!shown || !values) return [];
  const settings = useScopes.getState();
  if (primaryIn(values)) return readingGrips(kind, shown.readings, settings);
  if (values.kind === "curves") return pointGrips(kind, values, shown.greys, settings);
  if (values.kind === "hues") return spokeGrips(kind, values, shown.hues, settings);
  return [];
}

function gripAt(kind: ScopeKind, at: Place): Grip | null {
  const nearest = gripsOf(kind).reduce<{ grip: Grip; off: number } | null>((best, grip) => {
    const off = grip.off(at);
    return !best || off < best.off ? { grip, off } : best;
  }, null);
  return nearest && nearest.off < REACH ? nearest.grip : null;
}

/** Set a grip of the current step at a place of a scope, where its kind has grips that are set by hand. */
function addAt(kind: ScopeKind, at: Place): boolean {
  const values = inHandValues(useDesk.getState());
  if (values?.kind === "curves") return addPoint(kind, at, values);
  return values?.kind === "hues" && addSpoke(kind, at, values);
}

/** The brush that a drag between two places on a scope paints, if that scope takes one there. */
function brushed(kind: ScopeKind, a: Place, b: Place): ReturnType<typeof asLevel> | PlaneBrush | null {
  const settings = useScopes.getState();
  const rising = (p: number, q: number): [number, number] => [Math.min(p, q), Math.max(p, q)];
  if (kind === "vectorscope") {
    const { cx, cy, scale } = geometry(a.width, a.height, settings.gain);
    const cb = (p: Place) => ((p.x - cx) / scale) * 100;
    const cr = (p: Place) => ((cy - p.y) / scale) * 100;
    const inside = ([low, high]: [number, number]): [number, number] => [
      Math.max(low, -62),
      Math.min(high, 62),
    ];
    return { kind: "plane", cb: inside(rising(cb(a), cb(b))), cr: inside(rising(cr(a), cr(b))) };
  }
  if (kind === "histogram" && isLevel(settings)) {
    const band = bandAt(a.y, a.height, settings);
    const levels = rising(xLevel(a.x, a.width, settings.view), xLevel(b.x, b.width, settings.view));
    return asLevel(bands(settings) === 3 ? SIGNALS[band] : "luma", levels, [0, 1]);
  }
  if (kind !== "parade" && kind !== "waveform") return null;
  const parts = lanes(kind, settings).length;
  const lane = [0, 1, 2].slice(0, parts).find((c) => a.x <= span(a.width, c, parts)[1] + 6) ?? 0;
  if (kind === "parade" && !isRgb(kind, settings) && lane > 0) return null;
  const [left, right] = span(a.width, lane, parts);
  const part = (x: number) => Math.min(Math.max((x - left) / (right - left), 0), 1);
  const levels = rising(yLevel(a.y, a.height, settings.view), yLevel(b.y, b.height, settings.view));
  return asLevel(isRgb(kind, settings) ? SIGNALS[lane] : "luma", levels, rising(part(a.x), part(b.x)));
}

function asLevel(
  signal: "red" | "green" | "blue" | "luma",
  [low, high]: [number, number],
  [left, right]: [number, number],
) {
  return { kind: "level" as const, signal, low, high, left, right };
}

const ARROWS: Record<string, [right: number, up: number]> = {
  ArrowLeft: [-1, 0],
  ArrowRight: [1, 0],
  ArrowUp: [0, 1],
  ArrowDown: [0, -1],
};

const across = (axis: Axis, right: number, up: number) => (axis === "up" ? right : axis === "right" ? up : 0);

/** Percent that a key moves a brush, and half of what it marks at first. */
const BRUSH_STEP = 1;
const BRUSH_REACH = 5;
const ZOOMS: Record<string, number> = { "+": 0.8, "-": 1.25, "−": 1.25 };

/** The signal that a grip moves: a channel, or luma where it moves all of them. */
function signalOf(grip: Grip): (typeof SIGNALS)[number] | "luma" {
  const reading = /^r(\d)$/.exec(grip.name);
  if (reading) return SIGNALS[Math.floor(Number(reading[1]) / 3)];
  return SIGNALS.find((one) => grip.name.startsWith(`p ${one} `)) ?? "luma";
}

/** What a brush begins with by key: around the current grip, or the middle of the scale. */
function newBrush(kind: ScopeKind, grip: Grip | null): Brush | null {
  if (kind === "vectorscope")
    return { kind: "plane", cb: [-BRUSH_REACH, BRUSH_REACH], cr: [-BRUSH_REACH, BRUSH_REACH] };
  const settings = useScopes.getState();
  if (kind !== "parade" && kind !== "waveform" && !(kind === "histogram" && isLevel(settings))) return null;
  const level = grip?.at.value ?? (settings.view.low + settings.view.high) / 2;
  return asLevel(grip ? signalOf(grip) : "luma", [level - BRUSH_REACH, level + BRUSH_REACH], [0, 1]);
}

/** The brush moved by key, or with Shift made larger or smaller. */
function brushByKey(one: Brush, right: number, up: number, sizes: boolean): Brush {
  const by = (range: [number, number], way: number): [number, number] => {
    const step = BRUSH_STEP * way;
    const next: [number, number] = [range[0] + (sizes ? -step : step), range[1] + step];
    return next[1] - next[0] > BRUSH_STEP / 2 ? next : range;
  };
  if (one.kind === "plane") return { ...one, cb: by(one.cb, right), cr: by(one.cr, up) };
  const [low, high] = by([one.low, one.high], up || right);
  return { ...one, low, high };
}

/** Keys that look at the levels of a scope: plus and minus zoom, 0 shows all, Shift Enter marks a range, Alt with arrows moves it. */
function looked(kind: ScopeKind, event: KeyboardEvent, grip: Grip | null): boolean {
  const { view } = useScopes.getState();
  const { brushes } = useDesk.getState();
  const arrow = ARROWS[event.key];
  const factor = ZOOMS[event.key];
  if (factor && kind !== "vectorscope")
    useScopes.setState({ view: zoomed(view, grip?.at.value ?? (view.low + view.high) / 2, factor) });
  else if (event.key === "0" && !event.altKey) useScopes.setState({ view: WHOLE_VIEW });
  else if (event.key === "Enter" && event.shiftKey) {
    const next = newBrush(kind, grip);
    if (next) brush(next);
  } else if (arrow && event.altKey && brushes.length > 0)
    brush(brushByKey(brushes[brushes.length - 1], ...arrow, event.shiftKey));
  else if (event.key === "Backspace" && brushes.length > 0) clearBrushes();
  else return false;
  return true;
}

/** Say where the current grip of a scope stands to those who do not see it. */
export function sayGrip(kind: ScopeKind, element: HTMLElement) {
  const { held } = useDesk.getState();
  const grip = gripsOf(kind).find((one) => one.name === held);
  if (!grip) return;
  element.setAttribute("aria-label", `${kind}: ${grip.label}`);
  element.setAttribute("aria-valuemin", String(grip.at.low));
  element.setAttribute("aria-valuemax", grip.at.high.toFixed(1));
  element.setAttribute("aria-valuenow", grip.at.value.toFixed(1));
  element.setAttribute("aria-valuetext", grip.at.text);
}

/** Arrows along a grip's axis nudge it, across it (or with Ctrl) go to the next grip; Enter meets the reference. */
function pressed(kind: ScopeKind, event: KeyboardEvent) {
  const { shown, held } = useDesk.getState();
  const grips = gripsOf(kind);
  const at = grips.findIndex((one) => one.name === held);
  if (shown?.before !== "none") return;
  const grip = at < 0 ? null : grips[at];
  const arrow = ARROWS[event.key];
  if (looked(kind, event, grip)) redraw();
  else if (event.key === "Insert") addAt(kind, middleOf(event.currentTarget));
  else if (!grip) return;
  else if (arrow) {
    const [right, up] = arrow;
    if (event.ctrlKey || across(grip.axis, right, up)) {
      useDesk.setState({ held: grips[(at + right + up + grips.length) % grips.length].name });
      redraw();
    } else {
      const size = event.shiftKey ? 0.1 : 1;
      grip.nudge(right * size, up * size);
    }
  } else if (event.key === "Enter" && grip.meet) grip.meet();
  else if (event.key === "Delete" && grip.remove) grip.remove();
  else if (event.key === "Escape") (event.currentTarget as HTMLElement).blur();
  else return;
  event.preventDefault();
  event.stopPropagation();
}

/** Where on a scope; a vertical histogram is treated as a horizontal one. */
const whereOf = (
  kind: ScopeKind,
  event: { clientX: number; clientY: number; currentTarget: Element },
): Place => {
  const { left, top, width, height } = event.currentTarget.getBoundingClientRect();
  const [x, y] = [event.clientX - left, event.clientY - top];
  if (kind !== "histogram" || !useScopes.getState().vertical) return { x, y, width, height };
  return { x: height - y, y: width - x, width: height, height: width };
};

const middleOf = (element: Element): Place => {
  const { width, height } = element.getBoundingClientRect();
  return { x: width / 2, y: height / 2, width, height };
};

interface Hold {
  grip: Grip | null;
  move: Move | null;
  from: Place;
  moved: boolean;
}

/** Pointer, wheel and key handlers of one scope's canvas. */
export function handlers(kind: ScopeKind, hold: { current: Hold | null }) {
  return {
    onPointerDown: (event: PointerEvent) => {
      const { shown } = useDesk.getState();
      if (event.button !== 0 || !shown) return;
      const from = whereOf(kind, event);
      const grip = shown.before !== "none" ? null : gripAt(kind, from);
      event.currentTarget.setPointerCapture(event.pointerId);
      hold.current = { grip, move: grip?.take() ?? null, from, moved: false };
      useDesk.setState({ held: grip?.name ?? null });
      redraw();
    },
    onPointerMove: (event: PointerEvent) => {
      const to = whereOf(kind, event);
      const held = hold.current;
      if (!held) {
        (event.currentTarget as HTMLElement).style.cursor = gripAt(kind, to)?.cursor ?? "crosshair";
        return;
      }
      if (!held.moved && Math.hypot(to.x - held.from.x, to.y - held.from.y) < (held.grip ? 1 : LEAST_BRUSH))
        return;
      held.moved = true;
      if (held.move) held.move(held.from, to, event.shiftKey);
      else {
        const next = brushed(kind, held.from, to);
        if (next) brush(next);
      }
    },
    onPointerUp: () => {
      const held = hold.current;
      hold.current = null;
      // A press without a drag on an empty place takes the brushes away.
      if (held && !held.grip && !held.moved && useDesk.getState().brushes.length > 0) clearBrushes();
    },
    // A grip that was pressed stays current for the keys; coming by keyboard takes the first.
    onFocus: () => {
      if (hold.current) return;
      useDesk.setState({ held: gripsOf(kind)[0]?.name ?? null });
      redraw();
    },
    onBlur: () => {
      useDesk.setState({ held: null });
      redraw();
    },
    onKeyDown: (event: KeyboardEvent) => pressed(kind, event),
    onDoubleClick: (event: React.MouseEvent) => {
      const at = whereOf(kind, event);
      const grip = gripAt(kind, at);
      if (grip) grip.meet?.();
      else if (at.x < LEFT) useScopes.setState({ view: WHOLE_VIEW });
      else addAt(kind, at);
    },
    onWheel: (event: React.WheelEvent) => {
      if (kind === "vectorscope" || kind === "memory colours") return;
      const at = whereOf(kind, event);
      const { view } = useScopes.getState();
      const centre = kind === "histogram" ? xLevel(at.x, at.width, view) : yLevel(at.y, at.height, view);
      useScopes.setState({ view: zoomed(view, centre, event.deltaY < 0 ? 0.8 : 1.25) });
    },
  };
}

/** A view drawn together or apart about a level, within the whole. */
export function zoomed(view: View, centre: number, factor: number): View {
  const reach = Math.min(Math.max((view.high - view.low) * factor, 6), WHOLE_VIEW.high - WHOLE_VIEW.low);
  const part = (centre - view.low) / (view.high - view.low);
  const low = Math.min(Math.max(centre - part * reach, WHOLE_VIEW.low), WHOLE_VIEW.high - reach);
  return { low, high: low + reach };
}
