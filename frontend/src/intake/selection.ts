/** What Intake shows and what is chosen on it. */
import { create } from "zustand";
import type { Filter } from "./clips";

interface IntakeState {
  filter: Filter | "passed over";
  camera: number | null;
  search: string;
  chosen: ReadonlySet<number>;
  at: number | null;
  anchor: number | null;
}

export const useIntake = create<IntakeState>(() => ({
  filter: "everything",
  camera: null,
  search: "",
  chosen: new Set(),
  at: null,
  anchor: null,
}));

const set = useIntake.setState;
const state = useIntake.getState;

export const look = (to: Partial<Pick<IntakeState, "filter" | "camera" | "search">>) => set(to);

export function toggle(id: number) {
  const chosen = new Set(state().chosen);
  if (!chosen.delete(id)) chosen.add(id);
  set({ chosen, at: id, anchor: id });
}

/** Choose from where the range began to here, in the order shown. */
export function extend(to: number, order: number[]) {
  const from = state().anchor ?? state().at ?? to;
  const [a, b] = [order.indexOf(from), order.indexOf(to)];
  if (a < 0 || b < 0) return toggle(to);
  set({ chosen: new Set(order.slice(Math.min(a, b), Math.max(a, b) + 1)), at: to, anchor: from });
}

export const choose = (ids: Iterable<number>) => set({ chosen: new Set(ids) });

/** Go up or down the list; with `choosing`, choose on the way. */
export function walk(by: number, order: number[], choosing: boolean) {
  if (order.length === 0) return;
  const here = order.indexOf(state().at ?? -1);
  const to = order[Math.min(Math.max(here + by, 0), order.length - 1)];
  if (choosing) extend(to, order);
  else set({ at: to, anchor: to });
}
