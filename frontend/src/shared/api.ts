import type { components } from "../generated/api";

type Schemas = components["schemas"];
export type Day = Schemas["DayOut"];
export type Shot = Schemas["ShotOut"];
export type Family = Schemas["FamilyOut"];
export type Camera = Schemas["CameraOut"];
export type Kept = Schemas["KeptOut"];
export type Operation = Schemas["OperationOut"];
export type Turned = Schemas["TurnedOut"];
export type Trim = Schemas["TrimOut"];
export type ProposedFamily = Schemas["ProposedFamily"];
export type LineUpAnswer = Schemas["LineUpOut"];
export type Level = "camera" | "shot" | "family" | "show";
export type ReportOfMatch = Schemas["ReportOut"];
export type Version = Schemas["VersionOut"];
export type MatchAnswer = Schemas["MatchOut"];
/** A match that is not sure enough to be applied unasked. */
export type Offer = Schemas["OfferOut"];
export type BalanceAnswer = Schemas["BalanceOut"];
export type HandoverRecord = Schemas["HandoverOut"];
export type EncodingChoice = Schemas["EncodingOut"];
/** What is measured; everything if there is none. */
export type Meter = Omit<Schemas["MeterIn"], "points" | "numbers"> & {
  points: [number, number][];
  numbers: number[] | null;
};
type Corners = [[number, number], [number, number]];
/** A patch in the reference and its partner in the shot. */
export type Tie = { reference: Corners; shot: Corners };
export type IntakeAnswer = Schemas["IntakeOut"];
export type TakingIn = Schemas["TakingInOut"];
export type Written = Schemas["WrittenOut"];
export type Reading = Schemas["ReadingIn"];
export type Production = Schemas["ProductionOut"];
export type OutputChoice = Schemas["OutputOut"];
export type EncodingEntry = Schemas["EncodingEntry"];

/** A refusal of the server; `message` is its sentence. */
export class Refusal extends Error {
  constructor(
    message: string,
    readonly status: number,
  ) {
    super(message);
  }
}

async function call<T>(method: string, path: string, body?: unknown): Promise<T> {
  let response: Response;
  try {
    response = await fetch(`/api${path}`, {
      method,
      headers: body === undefined ? undefined : { "Content-Type": "application/json" },
      body: body === undefined ? undefined : JSON.stringify(body),
    });
  } catch {
    throw new Refusal("The server does not answer. Is it still running?", 0);
  }
  if (!response.ok) {
    const detail = await response.json().catch(() => null);
    throw new Refusal(
      detail?.detail ?? `The server answered with fault ${response.status}.`,
      response.status,
    );
  }
  return (await response.json()) as T;
}

export const get = <T>(path: string) => call<T>("GET", path);
export const post = <T>(path: string, body: unknown = {}) => call<T>("POST", path, body);
export const put = <T>(path: string, body: unknown) => call<T>("PUT", path, body);
export const patch = <T>(path: string, body: unknown) => call<T>("PATCH", path, body);

/** Whether a request may go well later, as it is: server or database is away, the disc is full, this browser is out. */
export const isForNow = (error: unknown) =>
  error instanceof Refusal && (error.status === 0 || error.status === 401 || error.status >= 500);

/** A note for shots, and the notes that it takes the place of. */
export const noteOrder = (shots: Shot[], note: string) => ({
  shots: shots.map((shot) => shot.id),
  note,
  notes_before: shots.map((shot) => shot.note),
});

/** Ten numbers that do nothing. */
export const IDENTITY = [1, 1, 1, 0, 0, 0, 1, 1, 1, 1];

/** The numbers of all levels in force on a shot. */
export function levelsOf(shot: Shot, day: Day): Record<Level, number[]> {
  return {
    camera: day.cameras.find((camera) => camera.id === shot.camera_id)?.numbers ?? IDENTITY,
    shot: shot.numbers,
    family: day.families.find((family) => family.id === shot.family_id)?.numbers ?? IDENTITY,
    show: day.production.numbers,
  };
}

/** What a picture of a shot depends on: its version, and the levels around it. */
export function lookOf(shot: Shot, day: Day): string {
  const { camera, family, show } = levelsOf(shot, day);
  return `${shot.version_id ?? 0}.${sumOf(camera)}.${sumOf(family)}.${sumOf(show)}.${shot.progress}`;
}

/** Sums of numbers that were asked for before: a day's shots share their levels. */
const sums = new WeakMap<number[], number>();

function sumOf(numbers: number[]): number {
  const known = sums.get(numbers);
  if (known !== undefined) return known;
  const text = numbers.map((n) => n.toFixed(5)).join();
  let sum = 0;
  for (let i = 0; i < text.length; i++) sum = (sum * 31 + text.charCodeAt(i)) | 0;
  sums.set(numbers, sum);
  return sum;
}

/** The shot's thumbnail with its correction; changes its address with the look. */
export const thumbnail = (shot: Shot, day: Day) =>
  `/api/shots/${shot.id}/thumbnail.jpg?v=${lookOf(shot, day)}`;

/** A frame as recorded, with its bars if it has any. */
export const wholeFrame = (shot: Shot, frame: number) =>
  `/api/shots/${shot.id}/frames/${frame}.jpg?whole=true&v=${shot.checksum.slice(0, 8)}`;

/** A frame as corrected, small. */
export const frameAt = (shot: Shot, day: Day, frame: number) =>
  `/api/shots/${shot.id}/frames/${frame}.jpg?v=${lookOf(shot, day)}`;
