/** What keeps a shot's light along it: a subject held, a drift removed; with progress, and an end to it on request. */
import { type Along, type Held, post } from "../shared/api";
import { adopt } from "./opening";
import { flush } from "./saving";
import { useDesk } from "./state";
import { cancelWork, worked } from "./working";

const set = useDesk.setState;
const state = useDesk.getState;

/** What was asked for gives way to what is asked for now. */
async function overtaken() {
  cancelWork();
  while (state().work) await new Promise((resolve) => window.setTimeout(resolve, 50));
}

async function keyframed(what: string, path: string, order: object) {
  await flush();
  const { shot, base, focus } = state();
  if (!shot) return;
  if (focus.level !== "shot") {
    set({ refused: `${what} works on a step of the shot; make one current.` });
    return;
  }
  set({ refused: null, fault: null, said: null });
  await overtaken();
  const found = await worked(what, (work) =>
    post<Held>(`/shots/${shot.id}/${path}`, { ...order, base, step: focus.step, work }),
  );
  if (!found || state().shot?.id !== shot.id) return;
  if (found.keyframes > 0) adopt(found.shot);
  const text = found.notes.join("; ");
  set({ left: found.keyframes > 0 ? found : null, said: `${text.charAt(0).toUpperCase()}${text.slice(1)}.` });
}

/** Keep what is metered, or all of the picture, as it looks at this frame. */
export function hold() {
  const { frame, meter, meterFrame, drawnAgain: again, tolerance } = state();
  return keyframed("Hold", "hold", { frame, drawn: meter ? meterFrame : null, meter, again, tolerance });
}

/** Take a slow wander of the camera's white or exposure off. */
export const steadyLight = () => keyframed("Steady light", "steady", {});

/** Readings along the shot under what is on the desk now. */
export async function loadAlong() {
  const { shot, now, meter, meterFrame } = state();
  if (!shot) return;
  const found = await worked("Looking along the shot", (work) =>
    post<Along>(`/shots/${shot.id}/along`, { levels: now, frame: meterFrame, meter, work }),
  );
  if (state().shot?.id !== shot.id) return;
  // What cannot be had is not asked for again until something changes.
  const course = shot.course ?? { steadiness: "steady", changes: [], flicker: null };
  const none: Along = { frames: [], recorded: [], corrected: [], course };
  set({ along: { shot: shot.id, under: now, meter, ...(found ?? none) } });
}
