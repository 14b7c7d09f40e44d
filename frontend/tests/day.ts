/** A small made-up day for the page's tests. */
import { NOTHING_DONE, OWN, primaryOf } from "../src/correction/model";
import type { Camera, Correction, Day, Family, Kept, Level, Shot } from "../src/shared/api";

/** A correction of ten numbers and nothing else. */
export const ten = (level: Level, numbers: number[]): Correction => ({
  steps: [{ id: OWN[level], values: primaryOf(numbers), on: true, keyframes: [] }],
});

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
  course: null,
  changes: false,
  beyond: [],
  clip: { frames: 72, rate: [24, 1], timecode: "09:14:02:00" },
  reading: {},
  off: false,
  checksum: "",
  fault: "",
  progress: "ready",
  footage: "here",
  state: "new",
  measured: {},
  corrected: grey(2, 40, 90),
  distance: null,
  tolerance: 3,
  standing: (more.distance ?? 0) > (more.tolerance ?? 3) ? "out of tolerance" : (more.state ?? "new"),
  left_as_it_was: "",
  note: "",
  version_id: null,
  correction: NOTHING_DONE.shot,
  left_out: {},
  report: null,
  ...more,
});

export const kept = (id: number, of: number, readings = grey(2, 40, 90)): Kept => ({
  id,
  shot_id: of,
  frame: 36,
  readings,
  kept_at: "2026-03-03T22:00:00",
});

export const family = (id: number, name: string, reference: Kept | null = null): Family => ({
  id,
  name,
  reference,
  correction: NOTHING_DONE.family,
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
  correction: NOTHING_DONE.camera,
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
    markers: [],
    correction: NOTHING_DONE.show,
    template: { shot: NOTHING_DONE.shot, family: NOTHING_DONE.family },
    line_up,
    line_up_stamp: "",
  },
  cameras: [camera(1, "A"), camera(2, "B")],
  families,
  shots,
  operations: [],
});
