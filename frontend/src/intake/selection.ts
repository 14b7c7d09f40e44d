/** What Intake shows and what is selected on it. */
import { create } from "zustand";
import { NONE_SELECTED, type Selected, selecting } from "../shared/selecting";
import type { Filter } from "./clips";

interface IntakeState extends Selected {
  filter: Filter | "skipped";
  camera: number | null;
  search: string;
}

export const useIntake = create<IntakeState>(() => ({
  filter: "everything",
  camera: null,
  search: "",
  ...NONE_SELECTED,
}));

const set = useIntake.setState;
const state = useIntake.getState;

export const { toggle, extend, select } = selecting(useIntake);

export const look = (to: Partial<Pick<IntakeState, "filter" | "camera" | "search">>) => set(to);

/** Go up or down the list; with `selecting`, select on the way. */
export function walk(by: number, order: number[], selecting: boolean) {
  if (order.length === 0) return;
  const here = order.indexOf(state().at ?? -1);
  const to = order[Math.min(Math.max(here + by, 0), order.length - 1)];
  if (selecting) extend(to, order);
  else set({ at: to, anchor: to });
}
