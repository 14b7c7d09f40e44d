/** Choosing among things in a list: one current, some chosen, a range begun somewhere. */
import type { StoreApi } from "zustand";

export interface Chosen {
  chosen: ReadonlySet<number>;
  /** The one that keys act on, and where a range began. */
  at: number | null;
  anchor: number | null;
}

export const NONE_CHOSEN: Chosen = { chosen: new Set(), at: null, anchor: null };

/** What a hand does to a screen's choice. */
export function choosing({ setState, getState }: Pick<StoreApi<Chosen>, "setState" | "getState">) {
  function toggle(id: number) {
    const chosen = new Set(getState().chosen);
    if (!chosen.delete(id)) chosen.add(id);
    setState({ chosen, at: id, anchor: id });
  }
  return {
    toggle,
    /** Choose from where the range began to here, in the order shown. */
    extend(to: number, order: number[]) {
      const from = getState().anchor ?? getState().at ?? to;
      const [a, b] = [order.indexOf(from), order.indexOf(to)];
      if (a < 0 || b < 0) return toggle(to);
      setState({
        chosen: new Set(order.slice(Math.min(a, b), Math.max(a, b) + 1)),
        at: to,
        anchor: from,
      });
    },
    choose: (ids: Iterable<number>) => setState({ chosen: new Set(ids) }),
  };
}
