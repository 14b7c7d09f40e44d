/** Which shots Handover lists, and in what order. */
import type { Shot } from "../shared/api";
import { needsYou, STANDINGS } from "../shared/standing";

export const SHOWN = ["all shots", "what needs you", ...STANDINGS] as const;
export type Shown = (typeof SHOWN)[number];
export const ORDERS = ["as on the Wall", "farthest from the reference first", "by state"] as const;
export type Order = (typeof ORDERS)[number];

const KEPT: Record<string, (shot: Shot) => boolean> = {
  "all shots": () => true,
  "what needs you": needsYou,
};

const COMPARED: Record<Order, (a: Shot, b: Shot) => number> = {
  "as on the Wall": () => 0,
  "farthest from the reference first": (a, b) => (b.distance ?? -1) - (a.distance ?? -1),
  "by state": (a, b) => STANDINGS.indexOf(a.standing) - STANDINGS.indexOf(b.standing),
};

export const filtered = (shots: Shot[], shown: Shown, order: Order): Shot[] =>
  shots.filter(KEPT[shown] ?? ((shot) => shot.standing === shown)).sort(COMPARED[order]);
