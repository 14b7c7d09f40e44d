/** Which shots need the user, in the order that they are shown in. */
import type { Shot } from "./api";

export type Standing = Shot["standing"];

/** Where a shot can stand, the order of the work and then what is wrong, and whether it needs the user there. */
const NEEDS: Record<Standing, boolean> = {
  new: true,
  balanced: false,
  matched: false,
  checked: false,
  reference: false,
  "out of tolerance": true,
  "parts are off": true,
  "a rescue would help": true,
  "left as it was": true,
};
export const STANDINGS = Object.keys(NEEDS) as Standing[];

/** Whether the user has something to decide: nothing was done yet, or what was done is not good enough. */
export const needsYou = (shot: Shot): boolean =>
  NEEDS[shot.standing] || (shot.state !== "checked" && (shot.fault !== "" || shot.footage !== "here"));

/** The next shot that needs the user, going round from where one is; undefined if none does. */
export function nextNeeding(shots: Shot[], at: number | null, by: 1 | -1): Shot | undefined {
  const count = shots.length;
  const here = shots.findIndex((shot) => shot.id === at);
  const from = here < 0 && by < 0 ? 0 : here;
  return shots.map((_, i) => shots[(((from + by * (i + 1)) % count) + count) % count]).find(needsYou);
}
