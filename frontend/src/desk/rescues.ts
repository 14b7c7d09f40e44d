/** What of a shot's recording can be rescued before it is balanced: looked for when it is opened, and after each rescue. */
import type { Rescue } from "../shared/api";
import { useDesk } from "./state";
import { addBefore } from "./steps";

const set = useDesk.setState;

/** Ask what can be rescued of the frame on the desk; nothing is said where it cannot be told. */
export async function lookForRescues(shotId: number) {
  set({ rescues: [] });
  const { frame } = useDesk.getState();
  const response = await fetch(`/api/shots/${shotId}/rescues?frame=${frame}`);
  if (!response.ok || useDesk.getState().shot?.id !== shotId) return;
  set({ rescues: (await response.json()) as Rescue[] });
}

/** Put a proposed step before the balance, and look again: what is left may read differently. */
export async function rescue(one: Rescue) {
  const { shot } = useDesk.getState();
  if (!shot) return;
  await addBefore(one.name, one.values);
  await lookForRescues(shot.id);
}
