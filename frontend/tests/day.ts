/** A small made-up day for the page's tests. */
import type { Camera, Day, Family, Kept, Shot } from "../src/shared/api";
import { IDENTITY } from "../src/shared/api";

/** Ten readings of a grey picture: lows, mids and highs the same in all channels. */
export const grey = (lows: number, mids: number, highs: number, saturation = 10) => [
  ...[0, 1, 2].flatMap(() => [lows, mids, highs]),
  saturation,
];

export const shot = (id: number, name: string, more: Partial<Shot> = {}): Shot => ({
  id,
  family_id: 1,
  camera_id: 1,
  name,
  file: `${name}.mov`,
  roll: "A003",
  clip: { frames: 72, rate: [24, 1], timecode: "09:14:02:00" },
  reading: {},
  off: false,
  checksum: "",
  fault: "",
  progress: "ready",
  state: "new",
  measured: {},
  corrected: grey(2, 40, 90),
  distance: null,
  tolerance: 3,
  note: "",
  version_id: null,
  numbers: IDENTITY,
  extended: null,
  extended_on: true,
  report: null,
  ...more,
});

export const kept = (id: number, of: number, readings = grey(2, 40, 90)): Kept => ({
  id,
  shot_id: of,
  frame: 36,
  numbers: IDENTITY,
  readings,
  kept_at: "2026-03-03T22:00:00",
});

export const family = (id: number, name: string, reference: Kept | null = null): Family => ({
  id,
  name,
  reference,
  numbers: IDENTITY,
  framing: "whole",
});

export const camera = (id: number, letter: string, more: Partial<Camera> = {}): Camera => ({
  id,
  letter,
  name: `camera ${letter}`,
  make: "",
  model: "",
  encoding: "rec709",
  assumed: false,
  reason: "",
  numbers: IDENTITY,
  ...more,
});

export const day = (shots: Shot[], families: Family[], line_up: Day["production"]["line_up"] = []): Day => ({
  production: {
    id: 1,
    name: "Quire Lane",
    day: "day 3",
    output: "rec709",
    percentiles: [1, 50, 99],
    tolerance: 3,
    assumed_encoding: "rec709",
    encodings: [],
    numbers: IDENTITY,
    line_up,
    line_up_stamp: "",
  },
  cameras: [camera(1, "A"), camera(2, "B")],
  families,
  shots,
  operations: [],
});
