/** What Intake shows and what is chosen on it. */
import { create } from "zustand";
import { type Chosen, choosing, NONE_CHOSEN } from "../shared/choosing";
import type { Filter } from "./clips";

interface IntakeState extends Chosen {
  filter: Filter | "skipped";
  camera: number | null;
  search: string;
}

export const useIntake = create<IntakeState>(() => ({
  filter: "everything",
  camera: null,
  search: "",
  ...NONE_CHOSEN,
}));

const set = useIntake.setState;
const state = useIntake.getState;

export const { toggle, extend, choose } = choosing(useIntake);

export const look = (to: Partial<Pick<IntakeState, "filter" | "camera" | "search">>) => set(to);

/** Go up or down the list; with `choosing`, choose on the way. */
export function walk(by: number, order: number[], choosing: boolean) {
  if (order.length === 0) return;
  const here = order.indexOf(state().at ?? -1);
  const to = order[Math.min(Math.max(here + by, 0), order.length - 1)];
  if (choosing) extend(to, order);
  else set({ at: to, anchor: to });
}
