/** The line-up's order and its cuts. */
import type { Day, Shot } from "../shared/api";
import { castOf, lumaOf, stopsBetween } from "../shared/compare";

const timecode = (shot: Shot) => (shot.clip as { timecode?: string }).timecode ?? "";
export const framesOf = (shot: Shot) => (shot.clip as { frames?: number }).frames ?? 1;
export const rateOf = (shot: Shot) => {
  const [rate, per] = (shot.clip as { rate?: [number, number] }).rate ?? [24, 1];
  return rate / per;
};

/** Shots in story order: as arranged, then by scene and slate, then by timecode. */
export function inOrder(day: Day): Shot[] {
  const place = (shot: Shot) => shot.position ?? Number.MAX_SAFE_INTEGER;
  return day.shots
    .filter((shot) => shot.progress === "ready")
    .sort(
      (a, b) =>
        place(a) - place(b) ||
        a.name.localeCompare(b.name, undefined, { numeric: true }) ||
        timecode(a).localeCompare(timecode(b)),
    );
}

export const firstFrame = (shot: Shot) => shot.span?.[0] ?? 0;
export const lastFrame = (shot: Shot) => shot.span?.[1] ?? framesOf(shot) - 1;

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
  from: Shot;
  to: Shot;
  /** Whether both are of one family, so that they should look as one. */
  oneFamily: boolean;
  /** How far the middles of the two shots lie apart: of cuts within a family only. */
  jump: number;
}

export function cutsOf(shots: Shot[]): Cut[] {
  return shots.slice(1).map((to, i) => {
    const from = shots[i];
    const oneFamily = from.family_id === to.family_id;
    if (!oneFamily || !from.corrected || !to.corrected) return { from, to, oneFamily, jump: 0 };
    const { levels, cast } = differenceOf(from.corrected, to.corrected);
    return { from, to, oneFamily, jump: Math.abs(levels[1]) + Math.hypot(...cast) };
  });
}
