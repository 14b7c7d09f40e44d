/** What the Wall shows and what is selected on it: the page's own state, kept while other screens are open. */
import { create } from "zustand";
import type { Day, Family, Shot } from "../shared/api";
import { NONE_SELECTED, type Selected, selecting } from "../shared/selecting";
import { needsYou, STANDINGS } from "../shared/standing";

export const ORDERS = ["shooting order", "worst first"] as const;
export const FILTERS = ["all", "needs you", ...STANDINGS, "with a note"] as const;
export type Filter = (typeof FILTERS)[number];

interface WallState extends Selected {
  order: (typeof ORDERS)[number];
  filter: Filter;
  search: string;
}

export const useWall = create<WallState>(() => ({
  order: "shooting order",
  filter: "all",
  search: "",
  ...NONE_SELECTED,
}));

const set = useWall.setState;
const state = useWall.getState;

export const { toggle, extend, select } = selecting(useWall);

function passes(
  shot: Shot,
  family: Family,
  { filter, search }: Pick<WallState, "filter" | "search">,
  letter: string,
): boolean {
  const kept =
    filter === "all" ||
    (filter === "needs you"
      ? needsYou(shot)
      : filter === "with a note"
        ? shot.note !== ""
        : shot.standing === filter);
  const words = search.toLowerCase().split(/\s+/).filter(Boolean);
  const text =
    `${shot.name} ${shot.file} ${shot.roll} ${shot.note} ${family.name} camera ${letter}`.toLowerCase();
  return kept && words.every((word) => text.includes(word));
}

export interface Row {
  family: Family;
  members: Shot[];
  /** How many the filter leaves out. */
  hidden: number;
}

/** Families with the shots that are to be seen, in order; empty families last. */
export function rowsOf(day: Day, wall: Pick<WallState, "order" | "filter" | "search">): Row[] {
  const letters = new Map(day.cameras.map((camera) => [camera.id, camera.letter]));
  const worst = (shot: Shot) => (wall.order === "worst first" ? -(shot.distance ?? -1) : 0);
  const rows = day.families.map((family) => {
    const all = day.shots.filter((shot) => shot.family_id === family.id);
    const members = all
      .filter((shot) => passes(shot, family, wall, letters.get(shot.camera_id) ?? ""))
      .sort((a, b) => worst(a) - worst(b));
    return { family, members, hidden: all.length - members.length };
  });
  const filtered = wall.filter !== "all" || wall.search !== "";
  const shown = rows.filter((row) => row.members.length > 0 || (!filtered && row.hidden === 0));
  const most = (row: Row) => Math.max(-1, ...row.members.map((shot) => shot.distance ?? -1));
  if (wall.order === "worst first") shown.sort((a, b) => most(b) - most(a));
  return shown;
}

export function focus(id: number) {
  if (state().at !== id) set({ at: id });
}

/** What an action is for: the selected shots that are seen, or the current one. */
export function targets(shown: Shot[]): Shot[] {
  const { selected, at } = state();
  const found = shown.filter((shot) => selected.has(shot.id));
  return found.length > 0 ? found : shown.filter((shot) => shot.id === at);
}
