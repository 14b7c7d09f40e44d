import { useQueryClient } from "@tanstack/react-query";
import { useCallback, useState } from "react";
import { type Day, type Operation, post, type Refusal, type Turned } from "./api";
import { useDayChanged } from "./day";
import { keepNotice } from "./notices";

/** Things done to the day go one after another: each knows what the one before it did. */
let doings: Promise<unknown> = Promise.resolve();

/** Do something to the day, then ask for it again; what was said, or went wrong, is kept as a sentence. */
export function useDoing() {
  const changed = useDayChanged();
  const [said, setShown] = useState<string | null>(null);
  const setSaid = useCallback((text: string | null) => {
    setShown(text);
    if (text) keepNotice(text);
  }, []);
  /** `begins` is shown at once, and gives way to what came of it. */
  const doing = (work: () => Promise<string | null>, begins: string | null = null) => {
    if (begins) setShown(begins);
    const done = doings.then(async () => {
      try {
        setSaid(await work());
      } catch (error) {
        setSaid((error as Refusal).message);
      }
      await changed();
    });
    doings = done;
    return done;
  };
  return { said, setSaid, doing };
}

/** The operation that undo takes back, or that redo does again, as far as the page knows. */
export function meant(day: Day | undefined, way: "undo" | "redo"): Operation | undefined {
  const operations = day?.operations ?? [];
  const done = operations.find((one) => !one.undone);
  if (way === "undo") return done;
  const undone = operations.filter((one) => one.undone && one.id > (done?.id ?? 0));
  return done ? undone[undone.length - 1] : undefined;
}

/** Take back what was done last to the day, or do it again; refused if another window did something since. Gives a sentence. */
export function useTurning() {
  const client = useQueryClient();
  return async (way: "undo" | "redo") => {
    const { what, left } = await post<Turned>(`/operations/${way}`, {
      last: meant(client.getQueryData<Day>(["day"]), way)?.id ?? null,
    });
    const words = `${way === "undo" ? "Undone" : "Done again"}: ${what}.`;
    return left.length === 0 ? words : `${words} Changed since, and left as they are: ${left.join(", ")}.`;
  };
}
