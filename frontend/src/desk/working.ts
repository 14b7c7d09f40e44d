/** Work on the server that takes seconds: how far it is, and an end to it on request. */
import { endWork, underway, workName } from "../shared/works";
import { useDesk } from "./state";

const set = useDesk.setState;
const state = useDesk.getState;

/** Do work on the server that takes seconds; says how far it is, and what went wrong. Null where it was not done. */
export async function worked<T>(what: string, ask: (work: string) => Promise<T>): Promise<T | null> {
  if (state().work) return null;
  const name = workName();
  set({ work: { name, what, part: 0 } });
  const told = (part: number) => {
    const { work } = state();
    if (work?.name === name) set({ work: { ...work, part } });
  };
  try {
    return await underway(ask, told, name);
  } catch (error) {
    const { message } = error as Error;
    if (!message.startsWith("cancelled")) set({ refused: `${what}: ${message}` });
    return null;
  } finally {
    set({ work: null });
  }
}

/** End the work under way; nothing of it is kept. */
export function cancelWork() {
  const { work } = state();
  if (work) endWork(work.name);
}
