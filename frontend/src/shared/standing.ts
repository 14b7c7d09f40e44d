/** Which shots need the user, in the order that they are shown in. */
import type { Shot } from "./api";

export type Standing = Shot["standing"];

/** All that can be known first of a shot, the order of the work and then what is wrong. */
export const STANDINGS: Standing[] = [
  "new",
  "balanced",
  "matched",
  "checked",
  "reference",
  "out of tolerance",
  "parts are off",
  "a rescue would help",
  "left as it was",
];

const IN_ORDER: Standing[] = ["balanced", "matched", "checked", "reference"];

/** Whether the user has something to decide: nothing was done yet, or what was done is not good enough. */
export const needsYou = (shot: Shot): boolean =>
  !IN_ORDER.includes(shot.standing) ||
  (shot.state !== "checked" && (shot.fault !== "" || shot.footage !== "here"));

/** The next shot that needs the user, going round from where one is; undefined if none does. */
export function nextNeeding(shots: Shot[], at: number | null, by: 1 | -1): Shot | undefined {
  const count = shots.length;
  const here = shots.findIndex((shot) => shot.id === at);
  const from = here < 0 && by < 0 ? 0 : here;
  return shots.map((_, i) => shots[(((from + by * (i + 1)) % count) + count) % count]).find(needsYou);
}
