import type { components } from "../generated/api";

type Schemas = components["schemas"];
export type Day = Schemas["DayOut"];
export type Shot = Schemas["ShotOut"];
export type Clip = Shot["clip"];
export type Change = Schemas["ChangeOut"];
/** A shot's readings along it, and what a hold or a steadying came to. */
export type Along = Schemas["AlongOut"];
export type Held = Schemas["HeldOut"];
export type Family = Schemas["FamilyOut"];
export type Camera = Schemas["CameraOut"];
export type Kept = Schemas["KeptOut"];
export type Operation = Schemas["OperationOut"];
export type Turned = Schemas["TurnedOut"];
export type Trim = Schemas["TrimOut"];
export type ProposedFamily = Schemas["ProposedFamily"];
export type LineUpAnswer = Schemas["LineUpOut"];
export type Live = Schemas["Show"];
export type Level = Live["level"];
/** What is left out of the picture to see it before: nothing, the current step, all of its level. */
export type Before = Live["before"];
export type Correction = Schemas["Correction"];
export type Step = Schemas["Step"];
export type Primary = Schemas["Primary"];
/** What a step holds. */
export type Values = Step["values"];
export type Curves = Schemas["Curves"];
export type Curve = Schemas["Curve"];
export type HueTurns = Schemas["HueTurns"];
export type Selection = Schemas["Selection"];
export type Pick = Schemas["Pick"];
export type Sample = Schemas["Sample"];
/** A track as corrections name it. */
export type Track = Omit<Schemas["NamedTrack"], "places">;
/** A shape of an area. */
export type Area = Schemas["Selection"]["shapes"][number];
export type Spoke = Schemas["Spoke"];
/** A step that is proposed before the balance, and why. */
export type Rescue = Schemas["RescueOut"];
/** A named place on the scopes. */
export type Marker = Schemas["Marker"];
export type Keyframe = Schemas["Keyframe"];
/** What of ten numbers can be copied by itself. */
export type Control = Schemas["BatchIn"]["controls"][number];
export type FourLevels = Schemas["FourLevels"];
export type Shared = Schemas["SharedOut"];
export type ReportOfMatch = Schemas["ReportOut"];
export type Version = Schemas["VersionOut"];
/** Looks that are kept, one of their files, and what one makes of a frame. */
export type Looks = Schemas["LooksOut"];
export type LookFile = Schemas["LookFileOut"];
export type LookAnswer = Schemas["LookedOut"];
export type MatchAnswer = Schemas["MatchOut"];
/** A match that is not sure enough to be applied unasked. */
export type Offer = Schemas["OfferOut"];
export type BalanceAnswer = Schemas["BalanceOut"];
/** Which frames of a shot with keyframes are handed over. */
export type Sampling = Schemas["HandoverIn"]["sampling"];
export type FilesCalled = Schemas["HandoverNamesOut"];
export type HandoverRecord = Schemas["HandoverOut"];
export type EncodingChoice = Schemas["EncodingOut"];
/** What is measured; everything if there is none. */
export type Meter = Schemas["MeterIn"] & { points: [number, number][] };
/** A patch in the reference and its partner in the shot. */
export type Tie = Schemas["TieIn"];
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

async function answered(method: string, path: string, body?: unknown): Promise<Response> {
  let response: Response;
  const isFile = body instanceof Blob;
  try {
    response = await fetch(`/api${path}`, {
      method,
      headers: {
        ...(body === undefined
          ? {}
          : { "Content-Type": isFile ? "application/octet-stream" : "application/json" }),
      },
      body: body === undefined || isFile ? body : JSON.stringify(body),
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
  return response;
}

const call = async <T>(method: string, path: string, body?: unknown): Promise<T> =>
  (await answered(method, path, body)).json();

/** What is no JSON. */
export const bytes = async (path: string) => (await answered("GET", path)).arrayBuffer();
export const get = <T>(path: string) => call<T>("GET", path);
export const post = <T>(path: string, body: unknown = {}) => call<T>("POST", path, body);
/** Send a file as it is. */
export const bring = <T>(path: string, file: Blob) => call<T>("POST", path, file);
export const put = <T>(path: string, body: unknown) => call<T>("PUT", path, body);
export const del = <T>(path: string) => call<T>("DELETE", path);
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
