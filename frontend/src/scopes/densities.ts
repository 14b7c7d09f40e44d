/** One packed message of the server: a JSON header, then named blobs (see the service's packing). */
import type { Before } from "../shared/api";

export type Counts = Uint16Array | Uint32Array;

export interface Densities {
  parade: Counts;
  waveform: Counts;
  vector: Counts;
  histogram: Uint32Array;
  columns: number;
  pixels: number;
  /** Counted only where a scope that shows them is open. */
  chroma: Uint32Array | null;
  cast: Uint32Array | null;
  limitedVector: Uint32Array | null;
  /** The same scopes of the brushed pixels alone. */
  brushed: Densities | null;
}

export interface Limits {
  recorded_high: number;
  recorded_low: number;
  corrected_high: number;
  corrected_low: number;
  illegal: number;
}

export interface Familiar {
  name: string;
  share: number;
  lightness?: number;
  chroma?: number;
  hue?: number;
  off?: number;
}

export interface Header {
  number: number;
  shot: number;
  frame: number;
  /** Of the current step, where it is one of ten numbers. */
  numbers: number[] | null;
  controls: Controls | null;
  /** Luma in percent of greys that a step of curves sends out, from working value 0 to 1. */
  greys: number[] | null;
  /** Degrees from +Cb of every fifth hue that a step of hue turns sends out. */
  hues: number[] | null;
  readings: number[];
  missed: { reading: number; difference: number; reason: string }[];
  /** The aims are not met yet and a thorough search is under way; its answer follows. */
  searching: boolean;
  full: boolean;
  playing: boolean;
  before: Before;
  width: number;
  height: number;
  pixels: number;
  /** The part of the picture that the current selection selects; null where none is current. */
  selected: number | null;
  brushed: number | null;
  limits: Limits;
  familiar: Familiar[] | null;
  /** Colours of the exposure bands, from most stops below mid grey to most above. */
  bands: [number, number, number][] | null;
  distance: number | null;
  /** What the two patches of each tie measure, percent, and their difference in CIEDE2000. */
  ties: ({ reference: number[]; shot: number[]; difference: number } | null)[];
  /** With noise reduction current: deviations of luma's and chroma's noise, percent. */
  noise: { before: [number, number]; after: [number, number] } | null;
  /** With a steadied picture current: the part of its width that is lost at the edges. */
  crop: number | null;
  /** Names of the looks whose files are gone: the picture is shown without them. */
  lost_looks: string[];
}

export interface Controls {
  exposure: number;
  warmth: number;
  tint: number;
  contrast: number;
  saturation: number;
  /** The working value that they turn about. */
  pivot: number;
}

/** One of them that can be turned. */
export type Control = Exclude<keyof Controls, "pivot">;

export interface Message {
  header: Header;
  densities: Densities;
  /** A JPEG. */
  picture: Uint8Array<ArrayBuffer> | null;
}

type BlobEntry = [name: string, kind: "u1" | "u2" | "u4", shape: number[], bytes: number];

export function unpack(buffer: ArrayBuffer): Message {
  const length = new DataView(buffer).getUint32(0, true);
  const header = JSON.parse(new TextDecoder().decode(new Uint8Array(buffer, 4, length)));
  const blobs: Record<string, { data: Uint8Array | Uint16Array | Uint32Array; shape: number[] }> = {};
  let at = 4 + length;
  for (const [name, kind, shape, bytes] of header.blobs as BlobEntry[]) {
    const data =
      kind === "u1"
        ? new Uint8Array(buffer, at, bytes)
        : kind === "u2"
          ? new Uint16Array(buffer, at, bytes / 2)
          : new Uint32Array(buffer, at, bytes / 4);
    blobs[name] = { data, shape };
    at += bytes + ((4 - (bytes % 4)) % 4);
  }
  const densities = (prefix: string, pixels: number): Densities => ({
    parade: blobs[`${prefix}parade`].data as Uint16Array,
    waveform: blobs[`${prefix}waveform`].data as Uint16Array,
    vector: blobs[`${prefix}vector`].data as Counts,
    histogram: blobs[`${prefix}histogram`].data as Uint32Array,
    columns: blobs[`${prefix}parade`].shape[1],
    pixels,
    chroma: (blobs[`${prefix}chroma`]?.data as Uint32Array) ?? null,
    cast: (blobs[`${prefix}cast`]?.data as Uint32Array) ?? null,
    limitedVector: (blobs[`${prefix}limited vector`]?.data as Uint32Array) ?? null,
    brushed: null,
  });
  const whole = densities("", header.pixels);
  if (blobs["brushed parade"]) whole.brushed = densities("brushed ", header.brushed);
  return {
    header,
    densities: whole,
    picture: (blobs.picture?.data as Uint8Array<ArrayBuffer>) ?? null,
  };
}
