/** One packed message of the server: a JSON header, then named blobs (see the service's packing). */
export interface Densities {
  parade: Uint16Array | Uint32Array;
  waveform: Uint16Array | Uint32Array;
  vector: Uint32Array;
  histogram: Uint32Array;
  columns: number;
  pixels: number;
}

export interface Header {
  number: number;
  shot: number;
  frame: number;
  numbers: number[];
  readings: number[];
  controls: Controls;
  missed: { reading: number; difference: number; reason: string }[];
  full: boolean;
  before: boolean;
  width: number;
  height: number;
  pixels: number;
  distance: number | null;
}

export interface Controls {
  exposure: number;
  warmth: number;
  tint: number;
  contrast: number;
  saturation: number;
}

export interface Message {
  header: Header;
  densities: Densities;
  picture: Blob | null;
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
  return {
    header,
    densities: {
      parade: blobs.parade.data as Uint16Array,
      waveform: blobs.waveform.data as Uint16Array,
      vector: blobs.vector.data as Uint32Array,
      histogram: blobs.histogram.data as Uint32Array,
      columns: blobs.parade.shape[1],
      pixels: header.pixels,
    },
    picture: blobs.picture
      ? new Blob([blobs.picture.data as Uint8Array<ArrayBuffer>], { type: "image/jpeg" })
      : null,
  };
}
