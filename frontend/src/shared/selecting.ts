/** Selecting among things in a list: one current, some selected, a range begun somewhere. */
import type { StoreApi } from "zustand";

export interface Selected {
  selected: ReadonlySet<number>;
  /** The one that keys act on, and where a range began. */
  at: number | null;
  anchor: number | null;
}

export const NONE_SELECTED: Selected = { selected: new Set(), at: null, anchor: null };

/** What a hand does to a screen's selection. */
export function selecting({ setState, getState }: Pick<StoreApi<Selected>, "setState" | "getState">) {
  function toggle(id: number) {
    const selected = new Set(getState().selected);
    if (!selected.delete(id)) selected.add(id);
    setState({ selected, at: id, anchor: id });
  }
  return {
    toggle,
    /** Select from where the range began to here, in the order shown. */
    extend(to: number, order: number[]) {
      const from = getState().anchor ?? getState().at ?? to;
      const [a, b] = [order.indexOf(from), order.indexOf(to)];
      if (a < 0 || b < 0) return toggle(to);
      setState({
        selected: new Set(order.slice(Math.min(a, b), Math.max(a, b) + 1)),
        at: to,
        anchor: from,
      });
    },
    select: (ids: Iterable<number>) => setState({ selected: new Set(ids) }),
  };
}
