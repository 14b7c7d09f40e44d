/** Grips that move readings, with a current step of ten numbers: lows, mids and highs, the cast, the saturation. */
import { levelY, yLevel } from "../scopes/canvas";
import { bandBox, bands, isLevel, levelX, xLevel } from "../scopes/histogram";
import { isRgb, type LevelKind, lanes, span } from "../scopes/levels";
import type { ScopeKind, Settings } from "../scopes/settings";
import { castCentre, geometry, saturationGrip } from "../scopes/vectorscope";
import { lumaOf } from "../shared/compare";
import { withAims } from "./exchange";
import type { Axis, Grip, Place, Standing } from "./grip";
import { landed } from "./markers";
import { readingName, ZONES } from "./readings";
import { meet } from "./saving";
import { inHand, useDesk } from "./state";

const NINE = [0, 1, 2, 3, 4, 5, 6, 7, 8];
const LEVELS = [0, 108] as const;
const SATURATIONS = [0.1, 60] as const;
const within = (value: number) => Math.min(Math.max(value, LEVELS[0]), LEVELS[1]);
const withinSaturation = (value: number) => Math.min(Math.max(value, SATURATIONS[0]), SATURATIONS[1]);
const standsAt = (value: number, [low, high]: readonly [number, number]): Standing => ({
  value,
  low,
  high,
  text: `${value.toFixed(1)} %`,
});

type Aims = Map<number, number>;

function shifted(indices: number[], readings: number[], by: number): Aims {
  return new Map(indices.map((i) => [i, within(readings[i] + by)]));
}

/** A grip that asks for readings: `dragged` and `nudged` say which, from those that it was taken at. */
function readingGrip(
  parts: Pick<Grip, "name" | "label" | "cursor" | "axis" | "at" | "off">,
  indices: number[],
  dragged: (readings: number[], from: Place, to: Place, fine: boolean) => Aims,
  nudged: (readings: number[], right: number, up: number) => Aims,
): Grip {
  const now = () => useDesk.getState().shown?.readings ?? [];
  return {
    ...parts,
    take: () => {
      const began = { readings: now(), numbers: inHand(useDesk.getState()) };
      return (from, to, fine) =>
        meet(`${parts.label} dragged`, dragged(began.readings, from, to, fine), began, true);
    },
    nudge: (right, up) => meet(`${parts.label} nudged`, nudged(now(), right, up)),
    meet: () =>
      withAims((aims) => meet(`${parts.label} met the reference`, new Map(indices.map((i) => [i, aims[i]])))),
  };
}

/** Three readings of all channels at a zone, or one channel's. */
function zoneGrip(
  channel: number | null,
  zone: number,
  axis: Axis,
  now: number,
  off: (at: Place) => number,
  level: (place: Place) => number,
): Grip {
  const indices = channel === null ? [zone, 3 + zone, 6 + zone] : [channel * 3 + zone];
  return readingGrip(
    {
      name: channel === null ? `z${zone}` : `r${channel * 3 + zone}`,
      label: channel === null ? `all ${ZONES[zone]}` : readingName(channel * 3 + zone),
      cursor: axis === "up" ? "ns-resize" : "ew-resize",
      axis,
      at: standsAt(now, LEVELS),
      off,
    },
    indices,
    (readings, from, to, fine) => {
      const now = channel === null ? lumaOf(readings, zone) : readings[indices[0]];
      const wanted = now + (level(to) - level(from)) * (fine ? 0.1 : 1);
      return shifted(indices, readings, (fine ? wanted : landed(wanted)) - now);
    },
    (readings, right, up) => shifted(indices, readings, right + up),
  );
}

const levelOf = (readings: number[], channel: number | null, zone: number) =>
  channel === null ? lumaOf(readings, zone) : readings[channel * 3 + zone];

const FAR = 1e6;
const FARTHEST_CHROMA = 90;

function levelGrips(kind: LevelKind, readings: number[], settings: Settings): Grip[] {
  const rgb = isRgb(kind, settings);
  const parts = lanes(kind, settings).length;
  return (rgb ? [0, 1, 2] : [null]).flatMap((c) =>
    [0, 1, 2].map((zone) =>
      zoneGrip(
        c,
        zone,
        "up",
        levelOf(readings, c, zone),
        (at) => {
          const [left, right] = span(at.width, c ?? 0, parts);
          if (at.x < left - 8 || at.x > right + 8) return FAR;
          return Math.abs(levelY(levelOf(readings, c, zone), at.height, settings.view) - at.y);
        },
        (p) => yLevel(p.y, p.height, settings.view),
      ),
    ),
  );
}

function histogramGrips(readings: number[], settings: Settings): Grip[] {
  if (!isLevel(settings)) return [];
  const channels = bands(settings) === 3 ? [0, 1, 2] : [null];
  return channels.flatMap((c) =>
    [0, 1, 2].map((zone) =>
      zoneGrip(
        c,
        zone,
        "right",
        levelOf(readings, c, zone),
        (at) => {
          const { bottom, tall } = bandBox(at.height, c ?? 0, settings);
          if (at.y < bottom - tall || at.y > bottom + 10) return FAR;
          return Math.abs(levelX(levelOf(readings, c, zone), at.width, settings.view) - at.x);
        },
        (p) => xLevel(p.x, p.width, settings.view),
      ),
    ),
  );
}

/** Move the cast's centre: every zone by its level's share, so that blacks stay black. */
export function castAims(readings: number[], cb: number, cr: number): Aims {
  const levels = [0, 1, 2].map((zone) => Math.max(lumaOf(readings, zone), 1));
  const mean = (levels[0] + levels[1] + levels[2]) / 3;
  const red = 1.5748 * cr;
  const blue = 1.8556 * cb;
  const green = -(0.2126 * red + 0.0722 * blue) / 0.7152;
  const aims: Aims = new Map();
  for (let zone = 0; zone < 3; zone++)
    [red, green, blue].forEach((by, c) => {
      aims.set(c * 3 + zone, within(readings[c * 3 + zone] + (by * levels[zone]) / mean));
    });
  return aims;
}

function planeGrips(readings: number[], settings: Settings): Grip[] {
  const [castCb, castCr] = castCentre(readings);
  const middle = (at: Place) => geometry(at.width, at.height, settings.gain);
  const cast = readingGrip(
    {
      name: "cast",
      label: "cast",
      cursor: "move",
      axis: "plane",
      at: {
        value: Math.hypot(castCb, castCr),
        low: 0,
        high: FARTHEST_CHROMA,
        text: `Cb ${castCb.toFixed(1)} %, Cr ${castCr.toFixed(1)} %`,
      },
      off: (at) => {
        const { cx, cy, scale } = middle(at);
        return Math.hypot(cx + (castCb / 100) * scale - at.x, cy - (castCr / 100) * scale - at.y);
      },
    },
    NINE,
    (began, from, to, fine) => {
      const by = (100 / middle(from).scale) * (fine ? 0.1 : 1);
      return castAims(began, (to.x - from.x) * by, (from.y - to.y) * by);
    },
    (now, right, up) => castAims(now, right / 2, up / 2),
  );
  const saturation = readingGrip(
    {
      name: "saturation",
      label: "saturation",
      cursor: "nwse-resize",
      axis: "up",
      at: standsAt(readings[9], SATURATIONS),
      off: (at) => {
        const [x, y] = saturationGrip(readings, at.width, at.height, settings.gain);
        return Math.hypot(x - at.x, y - at.y);
      },
    },
    [9],
    (began, from, to, fine) => {
      const { cx, cy, scale } = middle(from);
      const reach = (p: Place) => Math.hypot(p.x - cx, p.y - cy);
      const by = ((reach(to) - reach(from)) / scale) * 100 * (fine ? 0.1 : 1);
      return new Map([[9, withinSaturation(began[9] + by)]]);
    },
    (now, _, up) => new Map([[9, withinSaturation(now[9] + up)]]),
  );
  return [cast, saturation];
}

/** The grips of a scope that move readings. */
export function readingGrips(kind: ScopeKind, readings: number[], settings: Settings): Grip[] {
  if (kind === "parade" || kind === "waveform") return levelGrips(kind, readings, settings);
  if (kind === "histogram") return histogramGrips(readings, settings);
  return kind === "vectorscope" ? planeGrips(readings, settings) : [];
}
