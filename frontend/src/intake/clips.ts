/** What is reported of a clip, and what of it needs a decision. */
import type { Camera, Clip, Shot } from "../shared/api";

export type Need = "replaced" | "offline" | "faulty" | "warned" | "assumed" | "no camera";

export interface Decision {
  need: Need;
  says: string;
}

/** What a camera is called. */
export const nameOf = (camera: Camera) =>
  camera.name || [camera.make, camera.model].filter(Boolean).join(" ") || "not named by its clips";

const isUnknown = (camera: Camera | undefined) => !camera || !(camera.make || camera.model || camera.name);

/** What of a clip's reading is only assumed. */
export function assumedOf(shot: Shot, camera: Camera | undefined): string[] {
  const of = (shot.clip.assumed ?? []).filter((name) => name !== "transfer");
  return camera?.assumed ? [...of, "encoding"] : of;
}

/** Encodings that a transfer tag leaves no doubt of. */
const CODED: Record<string, string> = { HLG: "hlg", PQ: "pq" };

/** Primaries wider than BT.709's, and the encodings that know of no others than those. */
const WIDE = ["BT.2020", "P3", "P3-D65"];
const AS_BT709 = ["rec709", "srgb"];

/** What is to be done about footage that is elsewhere. */
const TO_DO = {
  replaced: "T takes it in again, Del sets it aside",
  offline: "connect the card or disc again",
};

/** What needs a decision, the gravest first; nothing of a shot that is set aside. */
export function decisionsOf(shot: Shot, camera: Camera | undefined): Decision[] {
  if (shot.off) return [];
  const found: Decision[] = [];
  if (shot.footage !== "here") found.push({ need: shot.footage, says: TO_DO[shot.footage] });
  if (shot.progress === "faulty") return [{ need: "faulty", says: shot.fault }];
  for (const says of shot.clip.warnings ?? []) found.push({ need: "warned", says });
  const { transfer, primaries } = shot.clip;
  const tagged = transfer && CODED[transfer];
  if (tagged && camera && camera.encoding !== tagged)
    found.push({ need: "warned", says: `tagged ${transfer}, but its camera's encoding is another` });
  if (primaries && WIDE.includes(primaries) && camera && AS_BT709.includes(camera.encoding))
    found.push({
      need: "warned",
      says: `its colours are tagged ${primaries}; its camera's encoding takes them as BT.709`,
    });
  if (isUnknown(camera)) found.push({ need: "no camera", says: "the file names no camera" });
  const assumed = assumedOf(shot, camera);
  if (assumed.length > 0) found.push({ need: "assumed", says: `${listed(assumed)} assumed` });
  return found;
}

const listed = (names: string[]) =>
  names.length < 2 ? names.join("") : `${names.slice(0, -1).join(", ")} and ${names[names.length - 1]}`;

export function rateText(rate: [number, number] | undefined): string {
  if (!rate) return "";
  const value = rate[0] / rate[1];
  return Number.isInteger(value) ? String(value) : value.toFixed(2);
}

/** Whether a clip is a run of numbered pictures. */
export const isSequence = (shot: Shot) => "numbers" in shot.reading;

const RATES: [number, number][] = [
  [24, 1],
  [25, 1],
  [30, 1],
  [48, 1],
  [50, 1],
  [60, 1],
  [24000, 1001],
  [30000, 1001],
];

/** The usual rate after this one, round and round. */
export function nextRate(rate: [number, number] | undefined): [number, number] {
  const at = RATES.findIndex((one) => rate && one[0] * rate[1] === rate[0] * one[1]);
  return RATES[(at + 1) % RATES.length];
}

/** What is done to a clip's picture before it is seen, and what else is worth knowing. */
export function seenAs(shot: Shot): string[] {
  const clip = shot.clip;
  const told: string[] = [];
  const { aspect = [1, 1], turn = 0, active = [0, 0, 1, 1] } = clip.geometry ?? {};
  if (turn) told.push(`turned ${turn}°`);
  if (aspect[0] !== aspect[1]) told.push(`pixels ${(aspect[0] / aspect[1]).toFixed(2)} wide`);
  if (active.join() !== "0,0,1,1" && clip.width && clip.height) {
    const by = shot.reading.active ? "set" : "found";
    told.push(`bars ${by}: ${(clip.width / clip.height).toFixed(2)}:1`);
  }
  if (clip.interlaced) told.push(`fields, ${clip.top_first ? "upper" : "lower"} first`);
  if ((clip.ceiling ?? 1) > 1) told.push("beyond 100 %");
  if (clip.floating) told.push("linear light");
  return told;
}

export function soundText(clip: Clip): string {
  const tracks = clip.sound ?? [];
  if (tracks.length === 0) return "no sound";
  const channels = tracks.reduce((sum, track) => sum + track.channels, 0);
  return `${channels} ch ${tracks[0].rate / 1000} kHz`;
}

export const FILTERS = [
  "everything",
  "to decide",
  "replaced",
  "offline",
  "faulty",
  "warned",
  "no camera",
  "assumed",
  "set aside",
] as const;
export type Filter = (typeof FILTERS)[number];

export interface Row {
  shot: Shot;
  camera: Camera | undefined;
  decisions: Decision[];
}

const GRAVITY: Need[] = ["replaced", "offline", "faulty", "warned", "no camera", "assumed"];
const gravity = (row: Row) =>
  row.decisions.length === 0
    ? GRAVITY.length
    : Math.min(...row.decisions.map((one) => GRAVITY.indexOf(one.need)));

export function passes(row: Row, filter: Filter): boolean {
  if (filter === "set aside") return row.shot.off;
  if (row.shot.off) return false;
  if (filter === "everything") return true;
  if (filter === "to decide") return row.decisions.length > 0;
  return row.decisions.some((one) => one.need === filter);
}

export const rowsOf = (shots: Shot[], cameras: Camera[]): Row[] => {
  const by = new Map(cameras.map((camera) => [camera.id, camera]));
  return shots.map((shot) => {
    const camera = by.get(shot.camera_id);
    return { shot, camera, decisions: decisionsOf(shot, camera) };
  });
};

/** The rows that are to be seen; what needs a decision comes first. */
export function shownRows(rows: Row[], filter: Filter, camera: number | null, search: string): Row[] {
  const words = search.toLowerCase().split(/\s+/).filter(Boolean);
  const text = (row: Row) =>
    `${row.shot.name} ${row.shot.file} ${row.shot.roll} camera ${row.camera?.letter} ${row.camera?.name} ${row.shot.clip.codec} ${row.decisions.map((one) => one.says).join(" ")}`.toLowerCase();
  return rows
    .filter((row) => passes(row, filter))
    .filter((row) => camera === null || row.shot.camera_id === camera)
    .filter((row) => words.length === 0 || words.every((word) => text(row).includes(word)))
    .map((row, place) => ({ row, place, weight: gravity(row) }))
    .sort((a, b) => a.weight - b.weight || a.place - b.place)
    .map(({ row }) => row);
}
