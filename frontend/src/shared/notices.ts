/** What was reported in this browser since the night began, with times; kept over a reload. */
import { create } from "zustand";
import { persist } from "zustand/middleware";
import { useDesk } from "../desk/state";
import type { Day } from "./api";

export interface Notice {
  /** Milliseconds of the epoch. */
  at: number;
  text: string;
}

const MOST = 200;
const NIGHT_MS = 16 * 3600 * 1000;

export const useNotices = create(persist<{ all: Notice[] }>(() => ({ all: [] }), { name: "dovrel.notices" }));

/** Keep a sentence in the list. */
export function keepNotice(text: string) {
  const now = Date.now();
  const { all } = useNotices.getState();
  useNotices.setState({
    all: [...all.filter(({ at }) => now - at < NIGHT_MS), { at: now, text }].slice(-MOST),
  });
}

// The Desk reports in its own state.
useDesk.subscribe((desk, before) => {
  for (const from of ["said", "refused", "fault"] as const) {
    const text = desk[from];
    if (text && text !== before[from]) keepNotice(desk.shot ? `${desk.shot.name}: ${text}` : text);
  }
});

/** Notices of this browser and batches of the shooting day, newest first. */
export function listed(notices: Notice[], day: Day | undefined): Notice[] {
  const name = (id: number) => day?.shots.find((shot) => shot.id === id)?.name ?? "a shot";
  const batches = (day?.operations ?? [])
    .filter((one) => one.total > 1 || one.failed.length > 0)
    .map(({ what, total, failed, undone, cancelled, made_at }) => {
      const ended = undone ? " Undone since." : cancelled ? " Cancelled." : "";
      const left = failed.map((item) => ` ${name(item.target_id)}: ${item.said}.`).join("");
      const text = `${what}: ${total - failed.length} of ${total} changed.${left}${ended}`;
      return { at: new Date(`${made_at.replace(/Z$/, "")}Z`).getTime(), text };
    });
  return [...notices, ...batches].sort((a, b) => b.at - a.at);
}
