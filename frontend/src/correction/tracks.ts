/** Places of tracks, which corrections name by a digest: asked for once, and kept. */
import { bytes, type Track } from "../shared/api";

/** Numbers of a place: x, y, angle, size. */
export const NUMBERS = 4;

const kept = new Map<string, Float64Array>();
const asked = new Map<string, Promise<void>>();

export const keepPlaces = (digest: string, places: Float64Array) => void kept.set(digest, places);

/** The places of a track, four numbers a frame; null while they are not here. */
export const placesOf = (track: Track): Float64Array | null => kept.get(track.digest) ?? null;

/** Every track that a part of a correction names. */
export function tracksIn(part: unknown): Track[] {
  if (typeof part !== "object" || part === null) return [];
  if ("digest" in part && "drawn" in part) return [part as Track];
  return Object.values(part).flatMap(tracksIn);
}

/** Have the places of all tracks that a part of a correction names here; `true` if some had to be asked for. */
export async function havePlaces(part: unknown): Promise<boolean> {
  const missing = tracksIn(part).filter((track) => !kept.has(track.digest));
  await Promise.all(missing.map((track) => asked.get(track.digest) ?? ask(track.digest)));
  return missing.length > 0;
}

function ask(digest: string): Promise<void> {
  const answer = bytes(`/tracks/${digest}`)
    .then((content) => keepPlaces(digest, new Float64Array(content)))
    .finally(() => asked.delete(digest));
  asked.set(digest, answer);
  return answer;
}
