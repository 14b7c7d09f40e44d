/** What of a shot's recording can be rescued before it is balanced: looked for when it is opened, and after each rescue. */
import { isInForce, OWN, stepOf } from "../correction/model";
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
  const { shot, now } = useDesk.getState();
  if (!shot) return;
  const balance = stepOf(now.shot, OWN.shot);
  const anew = one.values.kind === "rebuild";
  await addBefore(one.name, one.values, anew);
  if (anew && balance && isInForce(balance))
    set({
      said: "The balance was found on a picture without this channel; it starts anew: B balances, M matches.",
    });
  await lookForRescues(shot.id);
}
