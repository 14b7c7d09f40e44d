/** Grips that are markers: their names at the right edge of parade and waveform, above the histogram, on the vectorscope. */
import { levelY, RIGHT, yLevel } from "../scopes/canvas";
import { isLevel, levelX, xLevel } from "../scopes/histogram";
import type { ScopeKind, Settings } from "../scopes/settings";
import { geometry } from "../scopes/vectorscope";
import type { Marker } from "../shared/api";
import type { Grip, Place } from "./grip";
import { setMarkers } from "./markers";
import { useDesk } from "./state";

const FAR = 1e6;
/** CSS pixels at the end of a marker's line that take hold of it. */
const HANDLE = 42;

const LEVELS = [-12, 112] as const;
const CHROMAS = [-62, 62] as const;

export const markerName = (at: number) => `marker ${at}`;

const changed = (at: number, to: Partial<Marker>) =>
  setMarkers(useDesk.getState().markers.map((one, i) => (i === at ? { ...one, ...to } : one)));

const rounded = (value: number, low: number, high: number) =>
  Math.round(10 * Math.min(Math.max(value, low), high)) / 10;

/** The markers that are grips of a scope. */
export function markerGrips(kind: ScopeKind, markers: Marker[], settings: Settings): Grip[] {
  return markers.flatMap((marker, at) => {
    const grip =
      marker.level !== null && marker.level !== undefined
        ? levelGrip(kind, marker, marker.level, at, settings)
        : planeGrip(kind, marker, at, settings);
    return grip ? [grip] : [];
  });
}

function levelGrip(
  kind: ScopeKind,
  marker: Marker,
  level: number,
  at: number,
  settings: Settings,
): Grip | null {
  const across = kind === "histogram";
  if (across ? !isLevel(settings) : kind !== "parade" && kind !== "waveform") return null;
  const percent = (p: Place) =>
    across ? xLevel(p.x, p.width, settings.view) : yLevel(p.y, p.height, settings.view);
  const put = (to: number) => changed(at, { level: rounded(to, ...LEVELS) });
  return {
    name: markerName(at),
    label: marker.name,
    cursor: across ? "ew-resize" : "ns-resize",
    axis: across ? "right" : "up",
    at: { value: level, low: LEVELS[0], high: LEVELS[1], text: `${level.toFixed(1)} %` },
    off: (p) => {
      if (across) return p.y > 14 ? FAR : Math.abs(levelX(level, p.width, settings.view) - p.x);
      if (p.x < p.width - RIGHT - HANDLE) return FAR;
      return Math.abs(levelY(level, p.height, settings.view) - p.y);
    },
    take: () => (from, to, fine) => put(level + (percent(to) - percent(from)) * (fine ? 0.1 : 1)),
    nudge: (right, up) => put((useDesk.getState().markers[at].level ?? level) + right + up),
    remove: () => setMarkers(useDesk.getState().markers.filter((_, i) => i !== at)),
  };
}

function planeGrip(kind: ScopeKind, marker: Marker, at: number, settings: Settings): Grip | null {
  if (kind !== "vectorscope") return null;
  const [cb, cr] = [marker.cb ?? 0, marker.cr ?? 0];
  const middle = (p: Place) => geometry(p.width, p.height, settings.gain);
  const put = (x: number, y: number) =>
    changed(at, { cb: rounded(x, ...CHROMAS), cr: rounded(y, ...CHROMAS) });
  return {
    name: markerName(at),
    label: marker.name,
    cursor: "move",
    axis: "plane",
    at: { value: Math.hypot(cb, cr), low: 0, high: Math.hypot(...CHROMAS), text: `Cb ${cb} %, Cr ${cr} %` },
    off: (p) => {
      const { cx, cy, scale } = middle(p);
      return Math.hypot(cx + (cb / 100) * scale - p.x, cy - (cr / 100) * scale - p.y);
    },
    take: () => (from, to, fine) => {
      const by = (100 / middle(to).scale) * (fine ? 0.1 : 1);
      put(cb + (to.x - from.x) * by, cr + (from.y - to.y) * by);
    },
    nudge: (right, up) => {
      const now = useDesk.getState().markers[at];
      put((now.cb ?? 0) + right, (now.cr ?? 0) + up);
    },
    remove: () => setMarkers(useDesk.getState().markers.filter((_, i) => i !== at)),
  };
}
