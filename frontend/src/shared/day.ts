import { useQuery, useQueryClient } from "@tanstack/react-query";
import { useCallback } from "react";
import { type Day, get, type Operation, type Shot } from "./api";

export const isRunning = (operation: Operation) =>
  operation.done < operation.total && !operation.cancelled && !operation.undone;

const busy = (day: Day | undefined) =>
  (day?.shots.some((shot) => shot.progress === "waiting" || shot.progress === "measuring") ||
    day?.operations.some(isRunning)) ??
  false;

const asked = {
  queryKey: ["day"],
  queryFn: () => get<Day>("/day"),
  refetchInterval: (query: { state: { data?: Day; status: string } }) =>
    busy(query.state.data) ? 1000 : query.state.status === "error" ? 2000 : false,
} as const;

const onTheDay = (day: Day): Day =>
  day.shots.some((shot) => shot.off) ? { ...day, shots: day.shots.filter((shot) => !shot.off) } : day;

/** The day that is worked on; asked for again while measurements are under way. */
export const useDay = () => useQuery({ ...asked, select: onTheDay });

/** The same with the shots that were removed it. */
export const useWholeDay = () => useQuery(asked);

/** How the readings of every measured shot go along it, by the shot's number; empty until they are here. */
export function useDrift(): Record<number, number[][]> {
  const day = useDay();
  const ready = day.data?.shots.filter((shot) => shot.progress === "ready").length ?? 0;
  const drift = useQuery({
    queryKey: ["drift", ready],
    queryFn: () => get<Record<number, number[][]>>("/drift"),
    enabled: ready > 0,
    placeholderData: (before) => before,
  });
  return drift.data ?? NOTHING;
}

const NOTHING = {};

/** Put a changed shot into the day without asking for all of it again. */
export function useShotChanged() {
  const client = useQueryClient();
  return useCallback(
    (shot: Shot) => {
      // A day that was asked for before the change must not take its place.
      void client.cancelQueries({ queryKey: ["day"] }).then(() => {
        client.setQueryData<Day>(["day"], (day) =>
          day ? { ...day, shots: day.shots.map((other) => (other.id === shot.id ? shot : other)) } : day,
        );
        void client.invalidateQueries({ queryKey: ["day"] });
      });
    },
    [client],
  );
}

/** Ask for the day again. */
export function useDayChanged() {
  const client = useQueryClient();
  return useCallback(() => client.invalidateQueries({ queryKey: ["day"] }), [client]);
}
