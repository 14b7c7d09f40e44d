/** Grips and brushes: what a press on a scope takes hold of, and what dragging it asks for. */
import type { KeyboardEvent, PointerEvent } from "react";
import { LEFT, levelY, type PlaneBrush, SIGNALS, yLevel } from "../scopes/canvas";
import { bandBox, bands, isLevel, levelX, xLevel } from "../scopes/histogram";
import { isRgb, type LevelKind, lanes, span } from "../scopes/levels";
import { type ScopeKind, type Settings, useScopes, type View, WHOLE_VIEW } from "../scopes/settings";
import { castCentre, geometry, saturationGrip } from "../scopes/vectorscope";
import { lumaOf } from "../shared/compare";
import { brush, clearBrushes } from "./looking";
import { readingName, ZONES } from "./readings";
import { meet } from "./saving";
import { inHand, redraw, useDesk } from "./state";

const REACH = 9;
const LEAST_BRUSH = 4;

interface Place {
  x: number;
  y: number;
  width: number;
  height: number;
}

/** Something held: moving from where it was pressed to `to` asks for these aims. */
interface Grip {
  name: string;
  label: string;
  cursor: string;
  off: number;
  /** The readings' indices, for meeting the reference. */
  indices: number[];
  aims: (readings: number[], from: Place, to: Place, fine: boolean) => Map<number, number>;
}

const NINE = [0, 1, 2, 3, 4, 5, 6, 7, 8];
const within = (value: number) => Math.min(Math.max(value, 0), 108);
const withinSaturation = (value: number) => Math.min(Math.max(value, 0.1), 60);

function shifted(indices: number[], readings: number[], by: number): Map<number, number> {
  return new Map(indices.map((i) => [i, within(readings[i] + by)]));
}

/** Three readings of all channels at a zone, or one channel's. */
function zoneGrip(
  channel: number | null,
  zone: number,
  off: number,
  cursor: string,
  level: (place: Place) => number,
): Grip {
  const indices = channel === null ? [zone, 3 + zone, 6 + zone] : [channel * 3 + zone];
  return {
    name: channel === null ? `z${zone}` : `r${channel * 3 + zone}`,
    label: channel === null ? `all ${ZONES[zone]}` : readingName(channel * 3 + zone),
    cursor,
    off,
    indices,
    aims: (readings, from, to, fine) =>
      shifted(indices, readings, (level(to) - level(from)) * (fine ? 0.1 : 1)),
  };
}

const levelOf = (readings: number[], channel: number | null, zone: number) =>
  channel === null ? lumaOf(readings, zone) : readings[channel * 3 + zone];

function levelGrips(kind: LevelKind, at: Place, readings: number[], settings: Settings): Grip[] {
  const rgb = isRgb(kind, settings);
  const parts = lanes(kind, settings).length;
  const channels = rgb ? [0, 1, 2] : [null];
  const beside = (c: number | null) => {
    const [left, right] = span(at.width, c ?? 0, parts);
    return at.x >= left - 8 && at.x <= right + 8;
  };
  return channels.filter(beside).flatMap((c) =>
    [0, 1, 2].map((zone) => {
      const off = Math.abs(levelY(levelOf(readings, c, zone), at.height, settings.view) - at.y);
      return zoneGrip(c, zone, off, "ns-resize", (p) => yLevel(p.y, p.height, settings.view));
    }),
  );
}

function histogramGrips(at: Place, readings: number[], settings: Settings): Grip[] {
  if (!isLevel(settings)) return [];
  const channels = bands(settings) === 3 ? [0, 1, 2] : [null];
  const beside = (c: number | null) => {
    const { bottom, tall } = bandBox(at.height, c ?? 0, channels.length);
    return at.y >= bottom - tall && at.y <= bottom + 10;
  };
  return channels.filter(beside).flatMap((c) =>
    [0, 1, 2].map((zone) => {
      const off = Math.abs(levelX(levelOf(readings, c, zone), at.width, settings.view) - at.x);
      return zoneGrip(c, zone, off, "ew-resize", (p) => xLevel(p.x, p.width, settings.view));
    }),
  );
}

/** Move the cast's centre: every zone by its level's share, so that blacks stay black. */
export function castAims(readings: number[], cb: number, cr: number): Map<number, number> {
  const levels = [0, 1, 2].map((zone) => Math.max(lumaOf(readings, zone), 1));
  const mean = (levels[0] + levels[1] + levels[2]) / 3;
  const red = 1.5748 * cr;
  const blue = 1.8556 * cb;
  const green = -(0.2126 * red + 0.0722 * blue) / 0.7152;
  const aims = new Map<number, number>();
  for (let zone = 0; zone < 3; zone++)
    [red, green, blue].forEach((by, c) => {
      aims.set(c * 3 + zone, within(readings[c * 3 + zone] + (by * levels[zone]) / mean));
    });
  return aims;
}

function planeGrips(at: Place, readings: number[], settings: Settings): Grip[] {
  const { cx, cy, scale } = geometry(at.width, at.height, settings.gain);
  const [cb, cr] = castCentre(readings);
  const cast: Grip = {
    name: "cast",
    label: "cast",
    cursor: "move",
    off: Math.hypot(cx + (cb / 100) * scale - at.x, cy - (cr / 100) * scale - at.y),
    indices: NINE,
    aims: (from, a, b, fine) => {
      const by = (100 / scale) * (fine ? 0.1 : 1);
      return castAims(from, (b.x - a.x) * by, (a.y - b.y) * by);
    },
  };
  const [gx, gy] = saturationGrip(readings, at.width, at.height, settings.gain);
  const saturation: Grip = {
    name: "saturation",
    label: "saturation",
    cursor: "nwse-resize",
    off: Math.hypot(gx - at.x, gy - at.y),
    indices: [9],
    aims: (from, a, b, fine) => {
      const reach = (p: Place) => Math.hypot(p.x - cx, p.y - cy);
      const by = ((reach(b) - reach(a)) / scale) * 100 * (fine ? 0.1 : 1);
      return new Map([[9, withinSaturation(from[9] + by)]]);
    },
  };
  return [cast, saturation];
}

function gripAt(kind: ScopeKind, at: Place): Grip | null {
  const readings = useDesk.getState().shown?.readings;
  if (!readings) return null;
  const settings = useScopes.getState();
  const found =
    kind === "parade" || kind === "waveform"
      ? levelGrips(kind, at, readings, settings)
      : kind === "histogram"
        ? histogramGrips(at, readings, settings)
        : kind === "vectorscope"
          ? planeGrips(at, readings, settings)
          : [];
  const nearest = found.reduce<Grip | null>((a, b) => (!a || b.off < a.off ? b : a), null);
  return nearest && nearest.off < REACH ? nearest : null;
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
    const band = [0, 1, 2].find((i) => a.y <= bandBox(a.height, i, bands(settings)).bottom + 8) ?? 0;
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

/** Where keys move a grip: along the level axis of its scope, or anywhere on the plane. */
type Axis = "up" | "right" | "plane";

interface KeyGrip {
  name: string;
  label: string;
  indices: number[];
  axis: Axis;
  /** The aims one nudge away; `right` and `up` in percent. */
  aims: (readings: number[], right: number, up: number) => Map<number, number>;
}

/** A scope's grips in the order keys go through them. */
function keyGrips(kind: ScopeKind, settings: Settings): KeyGrip[] {
  if (kind === "vectorscope")
    return [
      {
        name: "cast",
        label: "cast",
        indices: NINE,
        axis: "plane",
        aims: (readings, right, up) => castAims(readings, right / 2, up / 2),
      },
      {
        name: "saturation",
        label: "saturation",
        indices: [9],
        axis: "up",
        aims: (readings, _, up) => new Map([[9, withinSaturation(readings[9] + up)]]),
      },
    ];
  const isHistogram = kind === "histogram";
  if (isHistogram ? !isLevel(settings) : kind !== "parade" && kind !== "waveform") return [];
  const apart = isHistogram ? bands(settings) === 3 : isRgb(kind as LevelKind, settings);
  return (apart ? [0, 1, 2] : [null]).flatMap((channel) =>
    [0, 1, 2].map((zone): KeyGrip => {
      const { name, label, indices } = zoneGrip(channel, zone, 0, "", () => 0);
      return {
        name,
        label,
        indices,
        axis: isHistogram ? "right" : "up",
        aims: (readings, right, up) => shifted(indices, readings, right + up),
      };
    }),
  );
}

const ARROWS: Record<string, [right: number, up: number]> = {
  ArrowLeft: [-1, 0],
  ArrowRight: [1, 0],
  ArrowUp: [0, 1],
  ArrowDown: [0, -1],
};

/** Arrows along a grip's axis nudge it, across it (or with Ctrl) go to the next grip; Enter meets the reference. */
function pressed(kind: ScopeKind, event: KeyboardEvent) {
  const { shown, held, referenceReadings } = useDesk.getState();
  const grips = keyGrips(kind, useScopes.getState());
  const at = grips.findIndex((one) => one.name === held);
  if (shown?.before !== "none" || at < 0) return;
  const grip = grips[at];
  const arrow = ARROWS[event.key];
  if (arrow) {
    const [right, up] = arrow;
    const across = grip.axis === "up" ? right : grip.axis === "right" ? up : 0;
    if (event.ctrlKey || across) {
      useDesk.setState({ held: grips[(at + right + up + grips.length) % grips.length].name });
      redraw();
    } else {
      const size = event.shiftKey ? 0.1 : 1;
      meet(`${grip.label} nudged`, grip.aims(shown.readings, right * size, up * size));
    }
  } else if (event.key === "Enter" && referenceReadings) meetReference(grip, referenceReadings);
  else if (event.key === "Escape") (event.currentTarget as HTMLElement).blur();
  else return;
  event.preventDefault();
  event.stopPropagation();
}

const meetReference = ({ label, indices }: { label: string; indices: number[] }, aims: number[]) =>
  meet(`${label} met the reference`, new Map(indices.map((i) => [i, aims[i]])));

const whereOf = (event: { clientX: number; clientY: number; currentTarget: Element }): Place => {
  const box = event.currentTarget.getBoundingClientRect();
  return { x: event.clientX - box.left, y: event.clientY - box.top, width: box.width, height: box.height };
};

interface Hold {
  grip: Grip | null;
  from: Place;
  readings: number[];
  numbers: number[];
  moved: boolean;
}

/** Pointer, wheel and key handlers of one scope's canvas. */
export function handlers(kind: ScopeKind, hold: { current: Hold | null }) {
  return {
    onPointerDown: (event: PointerEvent) => {
      const { shown } = useDesk.getState();
      if (event.button !== 0 || !shown) return;
      const from = whereOf(event);
      const grip = shown.before !== "none" ? null : gripAt(kind, from);
      event.currentTarget.setPointerCapture(event.pointerId);
      hold.current = {
        grip,
        from,
        readings: shown.readings,
        numbers: inHand(useDesk.getState()),
        moved: false,
      };
      useDesk.setState({ held: grip?.name ?? null });
      redraw();
    },
    onPointerMove: (event: PointerEvent) => {
      const to = whereOf(event);
      const held = hold.current;
      if (!held) {
        (event.currentTarget as HTMLElement).style.cursor = gripAt(kind, to)?.cursor ?? "crosshair";
        return;
      }
      if (!held.moved && Math.hypot(to.x - held.from.x, to.y - held.from.y) < (held.grip ? 1 : LEAST_BRUSH))
        return;
      held.moved = true;
      if (held.grip) {
        const aims = held.grip.aims(held.readings, held.from, to, event.shiftKey);
        meet(`${held.grip.label} dragged`, aims, held, true);
      } else {
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
    // A grip that was pressed stays in hand for the keys; coming by keyboard takes the first.
    onFocus: () => {
      if (hold.current) return;
      useDesk.setState({ held: keyGrips(kind, useScopes.getState())[0]?.name ?? null });
      redraw();
    },
    onBlur: () => {
      useDesk.setState({ held: null });
      redraw();
    },
    onKeyDown: (event: KeyboardEvent) => pressed(kind, event),
    onDoubleClick: (event: React.MouseEvent) => {
      const at = whereOf(event);
      const grip = gripAt(kind, at);
      const aims = useDesk.getState().referenceReadings;
      if (grip && aims) meetReference(grip, aims);
      else if (!grip && at.x < LEFT) useScopes.setState({ view: WHOLE_VIEW });
    },
    onWheel: (event: React.WheelEvent) => {
      if (kind === "vectorscope" || kind === "familiar colours") return;
      const at = whereOf(event);
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
