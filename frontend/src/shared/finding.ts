/** What can be done or gone to from a screen, found by name. */
import Fuse from "fuse.js";
import { DESK_TASKS, SCREEN_KEYS, shownOf } from "./keys";
import { actOf } from "./pressing";
import { SYNONYMS } from "./synonyms";

export interface Found {
  /** Its own among all. */
  id: string;
  /** What stands in the list, and what it is. */
  text: string;
  about: string;
  /** Its key, if it has one. */
  shown: string;
  /** Other words for it. */
  also: string[];
  run: () => void;
}

const TASK_OF = new Map(DESK_TASKS.flatMap(([task, names]) => names.map((name) => [name as string, task])));

/** The actions of a screen that can be done now. */
export function actionsOf(screen: string): Found[] {
  return Object.entries(SCREEN_KEYS[screen] ?? {}).flatMap(([name, one]) => {
    const run = "which" in one ? null : actOf(one.key);
    if (!run) return [];
    const about = screen === "Desk" ? (TASK_OF.get(name) ?? "") : screen;
    return [
      { id: `action ${name}`, text: one.does, about, shown: shownOf(one), also: SYNONYMS[name] ?? [], run },
    ];
  });
}

const MOST = 12;

/** What fits words best; everything in its order where there are none. */
export function bestOf(among: Found[], words: string): Found[] {
  if (words.trim() === "") return among.slice(0, MOST);
  const keys = [
    { name: "text", weight: 3 },
    { name: "also", weight: 2 },
    { name: "about", weight: 1 },
  ];
  const search = new Fuse(among, { keys, threshold: 0.35, ignoreLocation: true, minMatchCharLength: 2 });
  return search.search(words, { limit: MOST }).map(({ item }) => item);
}
