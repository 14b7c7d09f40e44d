/** What treats the recorded picture: the camera's motion found, for the picture to be steadied. */
import { post, type Track } from "../shared/api";
import { editValues, flush } from "./saving";
import { inHandValues, useDesk } from "./state";
import { worked } from "./working";

const set = useDesk.setState;
const state = useDesk.getState;

/** Find where the camera looked on every frame, with progress, and put it into the current step. */
export async function findCameraPath() {
  await flush();
  const { shot, focus } = state();
  if (!shot) return;
  set({ refused: null, said: null });
  const found = await worked("Finding the camera’s motion", (work) =>
    post<{ path: Track }>(`/shots/${shot.id}/camera-path`, { work }),
  );
  const values = inHandValues(state());
  if (!found || values?.kind !== "steady" || state().shot?.id !== shot.id || state().focus !== focus) return;
  editValues("camera’s motion found", { ...values, path: found.path });
}
