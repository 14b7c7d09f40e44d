/** How a shot stands beside its family's reference, and within the day: figures of Wall and Line-up. */
import type { Day, Family, Kept, Shot } from "./api";

/** Whether a shot differs from its reference by more than is tolerated, as a whole or in parts. */
export const isOff = (shot: Shot) =>
  (shot.distance !== null && shot.distance > shot.tolerance) || shot.standing === "parts are off";

export const familyOf = (shot: Shot, day: Day): Family | undefined =>
  day.families.find((family) => family.id === shot.family_id);

/** Luma of lows, mids or highs of ten readings, percent. */
export const lumaOf = (readings: number[], zone: number) =>
  0.2126 * readings[zone] + 0.7152 * readings[3 + zone] + 0.0722 * readings[6 + zone];

/** Warm–cool and green–magenta of a zone, percent. */
export const castOf = (readings: number[], zone = 1): [warm: number, green: number] => [
  readings[zone] - readings[6 + zone],
  readings[3 + zone] - (readings[zone] + readings[6 + zone]) / 2,
];

/** How far the corrected middle lies from the reference's, in stops of light on the monitor. */
export function exposureDifference(shot: Shot, reference: Kept | null | undefined): number | null {
  if (!reference || !shot.corrected) return null;
  return stopsBetween(shot.corrected, reference.readings as number[]);
}

/** Stops of light on the monitor between the mids of two readings. */
export function stopsBetween(a: number[], b: number[]): number | null {
  const [here, there] = [lumaOf(a, 1), lumaOf(b, 1)];
  return here > 0 && there > 0 ? 2.4 * Math.log2(here / there) : null;
}

/** The cast beside the reference's, or beside neutral where there is none. */
export function castDifference(
  shot: Shot,
  reference: Kept | null | undefined,
): [warm: number, green: number] | null {
  if (!shot.corrected) return null;
  const [warm, green] = castOf(shot.corrected);
  const [otherWarm, otherGreen] = reference ? castOf(reference.readings as number[]) : [0, 0];
  return [warm - otherWarm, green - otherGreen];
}
