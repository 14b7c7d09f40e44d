import { useState } from "react";
import type { Refusal } from "./api";
import { useDayChanged } from "./day";

/** Do something to the day, then ask for it again; what was said, or went wrong, is kept as a sentence. */
export function useDoing() {
  const changed = useDayChanged();
  const [said, setSaid] = useState<string | null>(null);
  const doing = async (work: () => Promise<string | null>) => {
    try {
      setSaid(await work());
    } catch (error) {
      setSaid((error as Refusal).message);
    }
    await changed();
  };
  return { said, setSaid, doing };
}
