/** How near the picture is looked at: a scale, and the point that lies in the middle of its place. */
import { type DeskState, useDesk } from "./state";

export interface Zoom {
  /** 1 is all of the picture. */
  scale: number;
  /** The point in the middle, in parts of the picture's width and height. */
  x: number;
  y: number;
}

export const ALL: Zoom = { scale: 1, x: 0.5, y: 0.5 };
export const MOST = 16;

/** Keeps a point that near enough to the picture's edges that the place stays filled. */
function within({ scale, x, y }: Zoom): Zoom {
  const s = Math.min(Math.max(scale, 1), MOST);
  const clamp = (at: number) => Math.min(Math.max(at, 0.5 / s), 1 - 0.5 / s);
  return { scale: s, x: clamp(x), y: clamp(y) };
}

/** A zoom drawn nearer or farther, the point (x, y) of the picture staying where it is seen. */
export function zoomedAt(zoom: Zoom, x: number, y: number, factor: number): Zoom {
  const scale = Math.min(Math.max(zoom.scale * factor, 1), MOST);
  const keep = zoom.scale / scale;
  return within({ scale, x: x + (zoom.x - x) * keep, y: y + (zoom.y - y) * keep });
}

/** A zoom moved by parts of the place it is seen in. */
export const panned = (zoom: Zoom, dx: number, dy: number): Zoom =>
  within({ ...zoom, x: zoom.x + dx / zoom.scale, y: zoom.y + dy / zoom.scale });

/** Where a layer as large as the place goes, as CSS. */
export const placed = ({ scale, x, y }: Zoom): string | undefined =>
  scale === 1
    ? undefined
    : `translate(${100 * (0.5 - x * scale)}%, ${100 * (0.5 - y * scale)}%) scale(${scale})`;

const set = (zoom: Zoom) => useDesk.setState({ zoom });
const now = () => useDesk.getState().zoom;

export const zoomBy = (factor: number, at: { x: number; y: number } = now()) =>
  set(zoomedAt(now(), at.x, at.y, factor));
export const panBy = (dx: number, dy: number) => set(panned(now(), dx, dy));
export const showAll = () => set(ALL);

const STEP = 320;
const [LEAST_WIDTH, MOST_WIDTH] = [960, 1920];

/** How wide the picture is asked for while the hand moves: as wide as it is seen, in steps. */
export function previewWidth({ placeWidth, zoom }: Pick<DeskState, "placeWidth" | "zoom">): number {
  const seen = placeWidth * zoom.scale * window.devicePixelRatio;
  return Math.min(Math.max(STEP * Math.ceil(seen / STEP), LEAST_WIDTH), MOST_WIDTH);
}

/** One pixel of the clip on one of the screen. */
export function oneToOne() {
  const { placeWidth, shot } = useDesk.getState();
  const width = shot?.clip.width ?? 0;
  const shown = placeWidth * window.devicePixelRatio;
  if (shown > 0 && width > 0) set(within({ ...now(), scale: width / shown }));
}
