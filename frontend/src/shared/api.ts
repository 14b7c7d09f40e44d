import type { components } from "../generated/api";

type Schemas = components["schemas"];
export type Day = Schemas["DayOut"];
export type Shot = Schemas["ShotOut"];
export type Family = Schemas["FamilyOut"];
export type Camera = Schemas["CameraOut"];
export type Kept = Schemas["KeptOut"];
export type Version = Schemas["VersionOut"];
export type BalanceAnswer = Schemas["BalanceOut"];
export type MatchAnswer = Schemas["MatchOut"];
export type HandoverRecord = Schemas["HandoverOut"];
export type EncodingChoice = Schemas["EncodingOut"];
/** What is measured; everything if there is none. */
export type Meter = Omit<Schemas["MeterIn"], "points" | "numbers"> & {
  points: [number, number][];
  numbers: number[] | null;
};
export type IntakeAnswer = Schemas["IntakeOut"];

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

/** The shot's thumbnail with its correction; changes its address with the version. */
export const thumbnail = (shot: Shot) =>
  `/api/shots/${shot.id}/thumbnail.jpg?v=${shot.version_id ?? 0}.${shot.progress}`;
