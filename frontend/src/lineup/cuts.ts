/** The line-up's order and its cuts. */
import type { Day, Shot } from "../shared/api";
import { castOf, lumaOf, stopsBetween } from "../shared/compare";

const timecode = (shot: Shot) => shot.clip.timecode ?? "";
export const framesOf = (shot: Shot) => shot.clip.frames ?? 1;
export const rateOf = (shot: Shot) => {
  const [rate, per] = shot.clip.rate ?? [24, 1];
  return rate / per;
};

/** A shot's place in the line-up; it may have several, each with the frames used there. */
export interface Use {
  key: string;
  shot: Shot;
  span: [first: number, last: number] | null;
  backwards: boolean;
  /** What is no plain use: a speed, a dissolve. */
  told: string;
}

/** What is used in story order: as arranged; behind it the rest, by scene and slate, then by timecode. */
export function inOrder(day: Day): Use[] {
  const ready = new Map(day.shots.filter((one) => one.progress === "ready").map((one) => [one.id, one]));
  const times = new Map<number, number>();
  const uses: Use[] = [];
  for (const { shot: id, span, backwards, told } of day.production.line_up) {
    const shot = ready.get(id);
    if (!shot) continue;
    const time = times.get(id) ?? 0;
    times.set(id, time + 1);
    uses.push({
      key: `${id}-${time}`,
      shot,
      span: span ?? null,
      backwards: backwards ?? false,
      told: told ?? "",
    });
  }
  const rest = [...ready.values()].filter((shot) => !times.has(shot.id));
  rest.sort(
    (a, b) =>
      a.name.localeCompare(b.name, undefined, { numeric: true }) || timecode(a).localeCompare(timecode(b)),
  );
  return [
    ...uses,
    ...rest.map((shot): Use => ({ key: `${shot.id}-0`, shot, span: null, backwards: false, told: "" })),
  ];
}

const lowest = (use: Use) => use.span?.[0] ?? 0;
const highest = (use: Use) => use.span?.[1] ?? framesOf(use.shot) - 1;
/** The frames that are seen first and last. */
export const firstFrame = (use: Use) => (use.backwards ? highest(use) : lowest(use));
export const lastFrame = (use: Use) => (use.backwards ? lowest(use) : highest(use));
/** A frame so many before or behind another as the use is seen, not beyond its ends. */
export const along = (use: Use, frame: number, by: number) =>
  Math.min(Math.max(frame + (use.backwards ? -by : by), lowest(use)), highest(use));

/** A use as the line-up keeps it. */
export const kept = ({ shot, span, backwards, told }: Use) => ({ shot: shot.id, span, backwards, told });

/** What changes across a cut: the second less the first. */
export interface Difference {
  stops: number | null;
  /** Lows, mids and highs; warm–cool and green–magenta, percent. */
  levels: [number, number, number];
  cast: [number, number];
}

export function differenceOf(from: number[], to: number[]): Difference {
  const [castA, castB] = [castOf(from), castOf(to)];
  return {
    stops: stopsBetween(to, from),
    levels: [0, 1, 2].map((zone) => lumaOf(to, zone) - lumaOf(from, zone)) as [number, number, number],
    cast: [castB[0] - castA[0], castB[1] - castA[1]],
  };
}

export interface Cut {
  from: Use;
  to: Use;
  /** Whether both are of one family, so that they should look as one. */
  oneFamily: boolean;
  /** How far the middles of the two shots lie apart: of cuts within a family only. */
  jump: number;
}

export function cutsOf(uses: Use[]): Cut[] {
  return uses.slice(1).map((to, i) => {
    const from = uses[i];
    const [a, b] = [from.shot, to.shot];
    const oneFamily = a.family_id === b.family_id;
    if (!oneFamily || !a.corrected || !b.corrected) return { from, to, oneFamily, jump: 0 };
    const { levels, cast } = differenceOf(a.corrected, b.corrected);
    return { from, to, oneFamily, jump: Math.abs(levels[1]) + Math.hypot(...cast) };
  });
}
