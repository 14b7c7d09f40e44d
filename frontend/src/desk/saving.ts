/** Changes to the numbers: shown at once, saved when the hand rests. */
import { type Level, put, Refusal, type Shot } from "../shared/api";
import { type Extra, loadGhost, show } from "./exchange";
import { useDesk } from "./state";

const RETRY_MS = 1500;
const set = useDesk.setState;
const state = useDesk.getState;

/** One visit to a shot: the version that its next save goes on from. */
interface Visit {
  base: number | null;
}

/** An edit as it was when it was to be saved, wherever the desk has gone since. */
interface Edit {
  change: string;
  shot: Shot;
  level: Level;
  owner: number;
  numbers: number[];
  visit: Visit;
}

let visit: Visit = { base: null };
let unsaved: string | null = null;
let waiting = 0;
let saves: Promise<unknown> = Promise.resolve();

export const isUnsaved = () => unsaved !== null || waiting > 0;

/** Edits go on from this version: a shot was put on the desk, or the server changed it. */
export function goOnFrom(version: number | null) {
  visit = { base: version };
  set({ base: version });
}

/** Change the numbers; saved when the hand rests. `from` are the numbers the move started at. */
export function edit(change: string, extra: Extra & { numbers?: number[] }, from?: number[]) {
  unsaved = change;
  set({ saving: "saving", before: false, ...(extra.numbers ? { numbers: extra.numbers } : {}) });
  const { numbers: _, ...rest } = extra;
  show(rest, extra.numbers ?? from);
}

/** Move readings to their aims, the others held where they are. */
export function meet(
  change: string,
  aims: Map<number, number>,
  from?: { readings: number[]; numbers: number[] },
  dragged = false,
) {
  const readings = from?.readings ?? state().shown?.readings;
  if (!readings) return;
  const values = readings.map((reading, i) => aims.get(i) ?? reading);
  edit(change, { aim: { values, moved: [...aims.keys()], dragged } }, from?.numbers ?? state().numbers);
}

/** Save what is unsaved, after what is being saved. */
export function flush(): Promise<unknown> {
  const change = unsaved;
  const { shot, numbers, level, owners } = state();
  if (change === null || !shot) return saves;
  unsaved = null;
  waiting += 1;
  const owner = level === "shot" ? shot.id : owners[level];
  const edit = { change, shot, level, owner, numbers, visit };
  saves = saves.then(() => save(edit));
  return saves;
}

/** Save one edit; while the server does not answer it is tried again, and later ones wait. */
async function save(edit: Edit) {
  for (;;) {
    try {
      await write(edit);
      waiting -= 1;
      set({ saving: isUnsaved() ? "saving" : "saved" });
      return;
    } catch (error) {
      set({ saving: "failed", fault: (error as Refusal).message });
      if (error instanceof Refusal && error.status !== 0) {
        waiting -= 1;
        return;
      }
      await new Promise((resolve) => window.setTimeout(resolve, RETRY_MS));
    }
  }
}

async function write({ change, shot, level, owner, numbers, visit: its }: Edit) {
  if (level === "shot") {
    const saved = await put<Shot>(`/shots/${owner}/correction`, { numbers, change, base: its.base });
    its.base = saved.version_id;
    if (its === visit) set({ base: saved.version_id, shot: saved });
    set({ savedShot: saved });
  } else {
    await put<number[]>(`/levels/${level}/${owner}`, { numbers, change });
    set({ savedLevels: state().savedLevels + 1 });
    void loadGhost();
  }
  if (state().shot?.id === shot.id) set({ levels: { ...state().levels, [level]: numbers } });
}
