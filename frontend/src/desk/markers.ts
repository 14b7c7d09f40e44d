/** Markers: named places on the scopes, kept with the production. What is let go near one lands on it. */
import { type Marker, type Production, patch } from "../shared/api";
import { redraw, useDesk } from "./state";

/** Percent within which a level, or a point of the vectorscope, lands on a marker. */
const NEAR = 0.8;
const SAVE_MS = 400;

let timer: number | undefined;
let saved: Marker[] = [];

/** Take over the production's markers as saved, unless some are being moved here. */
export function takeMarkers(markers: Marker[]) {
  if (timer !== undefined) return;
  saved = markers;
  useDesk.setState({ markers });
  redraw();
}

/** Change the markers; kept when the hand rests, and undone like any other setting. */
export function setMarkers(markers: Marker[]) {
  useDesk.setState({ markers });
  redraw();
  window.clearTimeout(timer);
  timer = window.setTimeout(() => void keep(), SAVE_MS);
}

async function keep() {
  timer = undefined;
  const { markers } = useDesk.getState();
  try {
    const kept = await patch<Production>("/production", { markers, base: { markers: saved } });
    saved = kept.markers;
    useDesk.setState(({ savedLevels }) => ({ savedLevels: savedLevels + 1 }));
  } catch (error) {
    useDesk.setState({ markers: saved, refused: `The markers are not kept: ${(error as Error).message}` });
    redraw();
  }
}

/** A level, or the marker's where one is near. */
export function landed(percent: number): number {
  const near = useDesk
    .getState()
    .markers.find((one) => one.level !== null && Math.abs((one.level ?? 0) - percent) < NEAR);
  return near?.level ?? percent;
}
