/** The desk's state: one shot, one frame, ten numbers, and what the server last showed of them. */
import { create } from "zustand";
import type { Brush } from "../scopes/canvas";
import type { Controls, Densities, Header, Message } from "../scopes/densities";
import { unpack } from "../scopes/densities";
import { isOpen, useScopes, VECTOR_LEVELS } from "../scopes/settings";
import {
  type Day,
  IDENTITY,
  type Kept,
  type Level,
  levelsOf,
  type Meter,
  put,
  Refusal,
  type Shot,
  type Tie,
} from "../shared/api";
import { LiveChannel, type NamedPoint, type ShowRequest } from "./live";

const REST_MS = 220;
export const VIEWS = ["shot", "reference", "pair", "seam"] as const;
export type View = (typeof VIEWS)[number];

interface DeskState {
  shot: Shot | null;
  frame: number;
  /** The level that edits go to, its numbers, and the numbers of all levels as saved. */
  level: Level;
  numbers: number[];
  levels: Record<Level, number[]>;
  /** What follows the shot's balance where ten numbers do not do, and whether it is in force. */
  extended: number[] | null;
  extendedOn: boolean;
  /** The rows that the levels belong to. */
  owners: Record<Exclude<Level, "shot">, number>;
  base: number | null;
  reference: Kept | null;
  meter: Meter | null;
  referenceMeter: Meter | null;
  brushes: Brush[];
  ties: Tie[];
  /** Frames a frame's time: 0 at rest, 1 forward, -1 backward, 2 at twice the rate … */
  playing: number;
  loop: boolean;
  range: [first: number, last: number] | null;
  view: View;
  before: boolean;
  showNumbers: boolean;
  pivot: number;
  seam: number;
  shown: Header | null;
  referenceReadings: number[] | null;
  point: NamedPoint | null;
  held: string | null;
  saving: "saved" | "saving" | "failed";
  connected: "open" | "lost";
  fault: string | null;
  savedShot: Shot | null;
  /** Counts up whenever a camera's trim, a look or the finish was saved. */
  savedLevels: number;
}

export const MID_GREY = 0.4135884;
const PIVOT_KEY = "dovrel.pivot";

function storedPivot(): number {
  const kept = Number(window.localStorage.getItem(PIVOT_KEY));
  return kept >= 0.05 && kept <= 0.9 ? kept : MID_GREY;
}

export const useDesk = create<DeskState>(() => ({
  shot: null,
  frame: 0,
  level: "shot",
  numbers: IDENTITY,
  levels: { camera: IDENTITY, shot: IDENTITY, family: IDENTITY, show: IDENTITY },
  extended: null,
  extendedOn: true,
  owners: { camera: 0, family: 0, show: 0 },
  base: null,
  reference: null,
  meter: null,
  referenceMeter: null,
  brushes: [],
  ties: [],
  playing: 0,
  loop: true,
  range: null,
  view: "shot",
  before: false,
  showNumbers: false,
  pivot: storedPivot(),
  seam: 0.5,
  shown: null,
  referenceReadings: null,
  point: null,
  held: null,
  saving: "saved",
  connected: "open",
  fault: null,
  savedShot: null,
  savedLevels: 0,
}));

const set = useDesk.setState;
const state = useDesk.getState;

/** What the canvases draw; kept outside React so that nothing re-renders at the rate of the hand. */
export const drawn: { now: Densities | null; ghost: Densities | null } = { now: null, ghost: null };
type Listener = (picture: Blob | null) => void;
const listeners = new Set<Listener>();

/** Be told of every new picture and density; `null` when only marks changed. */
export function onDrawn(listener: Listener): () => void {
  listeners.add(listener);
  return () => listeners.delete(listener);
}
export const redraw = () => {
  for (const listener of listeners) listener(null);
};

let channel: LiveChannel | null = null;
let latest = 0;
let restTimer: number | undefined;
let unsaved: string | null = null;
let saves: Promise<unknown> = Promise.resolve();

function received(message: Message) {
  const { header, densities, picture } = message;
  if (header.shot !== state().shot?.id) return;
  drawn.now = densities;
  const newest = header.number === latest;
  set({
    shown: header,
    fault: null,
    // Answers to overtaken requests are shown but do not set the numbers back.
    ...(newest && !sameNumbers(header.numbers, state().numbers) ? { numbers: header.numbers } : {}),
  });
  for (const listener of listeners) listener(picture);
}

const sameNumbers = (a: number[], b: number[]) => a.every((value, i) => value === b[i]);

export function openDesk(): () => void {
  channel = new LiveChannel({
    message: received,
    point: (point) => {
      set({ point });
      redraw();
    },
    fault: (detail) => set({ fault: detail }),
    connected: (connected) => set({ connected }),
  });
  // A scope opened or a mark chosen may need what the last answer did not hold.
  let needed = JSON.stringify(wanted());
  const unsubscribe = useScopes.subscribe(() => {
    const now = JSON.stringify(wanted());
    if (now !== needed) {
      needed = now;
      show({});
    }
  });
  const warn = (event: BeforeUnloadEvent) => {
    if (unsaved !== null) event.preventDefault();
  };
  window.addEventListener("beforeunload", warn);
  return () => {
    window.removeEventListener("beforeunload", warn);
    unsubscribe();
    void flush();
    channel?.close();
    channel = null;
  };
}

/** Put a shot on the desk, as saved. */
export function openShot(shot: Shot, reference: Kept | null, day: Day) {
  const same = state().shot?.id === shot.id;
  void flush();
  const levels = levelsOf(shot, day);
  const middle = Math.floor(((shot.clip as { frames?: number }).frames ?? 1) / 2);
  drawn.now = same ? drawn.now : null;
  set({
    playing: 0,
    range: same ? state().range : null,
    brushes: same ? state().brushes : [],
    shot,
    reference,
    levels,
    extended: shot.extended,
    extendedOn: shot.extended_on,
    owners: { camera: shot.camera_id, family: shot.family_id ?? 0, show: day.production.id },
    numbers: levels[state().level],
    base: shot.version_id,
    frame: same ? state().frame : reference?.shot_id === shot.id ? reference.frame : middle,
    before: false,
    meter: same ? state().meter : null,
    ties: keptTies(shot, reference),
    shown: same ? state().shown : null,
    point: null,
    view: same ? state().view : "shot",
  });
  show({});
  void loadGhost();
}

/** Take over what the server saved: after undo, balance, match. */
export function adopt(shot: Shot) {
  const levels = { ...state().levels, shot: shot.numbers };
  set({
    shot,
    levels,
    extended: shot.extended,
    extendedOn: shot.extended_on,
    numbers: levels[state().level],
    base: shot.version_id,
    savedShot: shot,
    saving: "saved",
    before: false,
  });
  show({});
}

/** Put the extended part in force, or out of it; a version like any other change. */
export async function switchExtended() {
  const { shot, extended } = state();
  if (!shot || !extended) return;
  await flush();
  const on = !state().extendedOn;
  set({ extendedOn: on, saving: "saving" });
  show({});
  try {
    const saved = await put<Shot>(`/shots/${shot.id}/correction`, {
      numbers: state().level === "shot" ? state().numbers : state().levels.shot,
      change: `extended part ${on ? "on" : "off"}`,
      base: state().base,
      extended_on: on,
    });
    if (state().shot?.id === shot.id) set({ base: saved.version_id, shot: saved });
    set({ savedShot: saved, saving: "saved" });
  } catch (error) {
    set({ extendedOn: !on, saving: "failed", fault: (error as Refusal).message });
    show({});
  }
}

/** Send edits to another level. */
export function setLevel(level: Level) {
  if (level === "family" && !state().shot?.family_id) return;
  const levels = { ...state().levels, [state().level]: state().numbers };
  void flush();
  set({ level, levels, numbers: levels[level], before: false });
  show({});
}

/** Take over levels that were changed elsewhere, or undone. */
export function takeLevels(shot: Shot, day: Day) {
  if (unsaved !== null || state().saving === "saving" || state().shot?.id !== shot.id) return;
  const levels = levelsOf(shot, day);
  const now = { ...state().levels, [state().level]: state().numbers };
  const others = (["camera", "family", "show"] as const).some(
    (level) => !sameNumbers(levels[level], now[level]),
  );
  if (!others) return;
  const taken = { ...levels, shot: now.shot };
  set({ levels: taken, numbers: taken[state().level] });
  show({});
  void loadGhost();
}

async function loadGhost() {
  const { reference, referenceMeter } = state();
  if (!reference) {
    drawn.ghost = null;
    set({ referenceReadings: null });
    return redraw();
  }
  const response = await fetch(`/api/kept/${reference.id}/scopes`, {
    method: "POST",
    headers: { "Content-Type": "application/json" },
    body: JSON.stringify({ meter: referenceMeter }),
  });
  if (state().reference?.id !== reference.id) return;
  if (!response.ok) {
    const refused = (await response.json().catch(() => null)) as { detail?: string } | null;
    set({
      fault: `In the reference: ${refused?.detail ?? "it could not be measured"}.`,
      referenceMeter: null,
    });
    return;
  }
  const message = unpack(await response.arrayBuffer());
  drawn.ghost = message.densities;
  set({ referenceReadings: message.header.readings });
  redraw();
}

type Extra = {
  aim?: { values: number[]; moved: number[]; dragged: boolean };
  turn?: { control: keyof Controls; value: number };
};

/** What the open scopes and the marks need. */
function wanted(): Pick<ShowRequest, "mark" | "extra"> {
  const scopes = useScopes.getState();
  return {
    mark: scopes.mark,
    extra: {
      chroma: scopes.parade === "Y′CbCr" && isOpen(scopes, "parade"),
      cast: isOpen(scopes, "cast by level"),
      familiar: isOpen(scopes, "familiar colours"),
      vector_levels: isOpen(scopes, "vectorscope") ? VECTOR_LEVELS[scopes.vectorRange] : null,
    },
  };
}

/** All that is in force around the level that is edited. */
function inForce(): ShowRequest["levels"] {
  const { levels, extended, extendedOn } = state();
  return { ...levels, extended: extendedOn ? extended : null };
}

/** What is asked for whatever is asked: the shot, the frame, the meter, the open scopes. */
function asked(): Omit<ShowRequest, "numbers"> | null {
  const { shot, frame, meter, referenceMeter, before, reference, pivot, brushes, level } = state();
  if (!shot) return null;
  return {
    shot: shot.id,
    frame,
    level,
    levels: inForce(),
    meter,
    pivot,
    before,
    brushes,
    ...wanted(),
    reference: reference?.id ?? null,
    reference_meter: referenceMeter,
    ties: reference ? state().ties : [],
  };
}

/** Ask for the picture; measured on the preview now and on the full frame when the hand rests. */
export function show(extra: Extra, from?: number[]) {
  const request = asked();
  if (!request || !channel) return;
  const playing = state().playing !== 0;
  // What is typed or met is solved on the full frame, where it will be measured at rest.
  const full = extra.aim !== undefined && !extra.aim.dragged;
  latest = channel.show({ ...request, numbers: from ?? state().numbers, playing, full, ...extra });
  window.clearTimeout(restTimer);
  if (!playing) restTimer = window.setTimeout(rested, REST_MS);
}

function rested() {
  const { numbers, shown } = state();
  const request = asked();
  if (!request || !channel) return;
  if (shown?.number !== latest) {
    restTimer = window.setTimeout(rested, 60);
    return;
  }
  if (unsaved !== null) void flush();
  if (!shown.full) latest = channel.show({ ...request, numbers, full: true });
}

/** How many requests have not been answered yet. */
export const unanswered = () => latest - (state().shown?.number ?? 0);

/** Change the numbers; saved when the hand rests. `from` are the numbers the move started at. */
export function edit(change: string, extra: Extra & { numbers?: number[] }, from?: number[]) {
  unsaved = change;
  set({ saving: "saving", before: false, ...(extra.numbers ? { numbers: extra.numbers } : {}) });
  const { numbers: _, ...rest } = extra;
  show(rest, extra.numbers ?? from);
}

/** Save what is unsaved, after what is being saved. */
export function flush(): Promise<unknown> {
  const change = unsaved;
  if (change === null) return saves;
  unsaved = null;
  const { shot, numbers, level, owners } = state();
  if (!shot) return saves;
  saves = saves.then(async () => {
    try {
      if (level === "shot") {
        const base = state().shot?.id === shot.id ? state().base : shot.version_id;
        const saved = await put<Shot>(`/shots/${shot.id}/correction`, { numbers, change, base });
        if (state().shot?.id === shot.id) set({ base: saved.version_id, shot: saved });
        set({ savedShot: saved });
      } else {
        await put<number[]>(`/levels/${level}/${owners[level]}`, { numbers, change });
        set({ savedLevels: state().savedLevels + 1 });
        void loadGhost();
      }
      if (state().shot?.id === shot.id) set({ levels: { ...state().levels, [level]: numbers } });
      set({ saving: unsaved === null ? "saved" : "saving" });
    } catch (error) {
      set({ saving: "failed", fault: (error as Refusal).message });
      if (!(error instanceof Refusal) || error.status === 0) {
        unsaved = change;
        window.setTimeout(() => void flush(), 1500);
      }
    }
  });
  return saves;
}

export function setFrame(frame: number) {
  const frames = (state().shot?.clip as { frames?: number } | undefined)?.frames ?? 1;
  set({ frame: Math.min(Math.max(frame, 0), frames - 1) });
  show({});
}

/** Meter a part of the shot; the reference keeps its own meter, but for skin and neutrals, which are the same in both. */
export function setMeter(meter: Meter | null) {
  const both = meter === null || meter.kind === "skin" || meter.kind === "neutrals";
  set({ meter, ...(both ? { referenceMeter: meter && { ...meter, numbers: null } } : {}) });
  show({});
  if (both) void loadGhost();
}

/** Skin or neutrals as they look now; the same pixels stay metered while the correction moves. */
export function meterFamiliar(kind: "skin" | "neutrals") {
  setMeter({ kind, points: [], numbers: state().numbers });
}

export function setReferenceMeter(referenceMeter: Meter | null) {
  set({ referenceMeter });
  void loadGhost();
  show({});
}

const tiesKey = (shot: Shot, reference: Kept | null) => `dovrel.ties.${shot.id}.${reference?.id ?? 0}`;

/** Ties belong to a shot and the frame it is tied to. */
function keptTies(shot: Shot, reference: Kept | null): Tie[] {
  if (!reference || reference.shot_id === shot.id) return [];
  return JSON.parse(window.localStorage.getItem(tiesKey(shot, reference)) ?? "[]");
}

function setTies(ties: Tie[]) {
  const { shot, reference } = state();
  if (!shot) return;
  window.localStorage.setItem(tiesKey(shot, reference), JSON.stringify(ties));
  set({ ties });
  show({});
}

/** Tie the box that is metered in the reference to the one in the shot; says what is missing. */
export function tieBoxes() {
  const { meter, referenceMeter, ties } = state();
  if (meter?.kind !== "box" || referenceMeter?.kind !== "box") {
    set({
      fault:
        "A tie needs a box on each picture: in pair view, drag one on the reference and one on the shot.",
    });
    return;
  }
  const corners = (one: Meter) => one.points as Tie["shot"];
  const next = [...ties, { reference: corners(referenceMeter), shot: corners(meter) }].slice(-12);
  set({ meter: null, referenceMeter: null });
  void loadGhost();
  setTies(next);
}

export const removeTie = (index: number) => setTies(state().ties.filter((_, i) => i !== index));

/** Brush a range on a scope; one brush a signal, and one on the vectorscope. */
export function brush(next: Brush) {
  const other = (one: Brush) =>
    one.kind !== next.kind || (one.kind === "level" && next.kind === "level" && one.signal !== next.signal);
  set({ brushes: [...state().brushes.filter(other), next] });
  show({});
}

export function clearBrushes() {
  set({ brushes: [] });
  show({});
}

/** The pivot belongs to the desk, not to the shot: it says what contrast and exposure turn about. */
export function setPivot(pivot: number) {
  const kept = Math.min(Math.max(pivot, 0.05), 0.9);
  window.localStorage.setItem(PIVOT_KEY, String(kept));
  set({ pivot: kept });
  show({});
}

export function setBefore(before: boolean) {
  set({ before });
  show({});
}

export function setReference(reference: Kept | null) {
  const shot = state().shot;
  set({ reference, referenceMeter: null, ties: shot ? keptTies(shot, reference) : [] });
  void loadGhost();
  show({});
}

/** Ask for the colour under the cursor, or stop asking. */
export function lookAt(at: { x: number; y: number } | null) {
  const { shot, frame, numbers, before, level } = state();
  if (!at) {
    set({ point: null });
    redraw();
  } else if (shot)
    channel?.point({
      shot: shot.id,
      frame,
      level,
      levels: inForce(),
      numbers: before ? IDENTITY : numbers,
      ...at,
    });
}

/** Move readings to their aims, the others held where they are. */
export function meet(
  change: string,
  aims: Map<number, number>,
  from?: { readings: number[]; numbers: number[] },
  dragged = false,
) {
  const readings = from?.readings ?? state().shown?.readings;
  if (!readings) return;
  const values = readings.map((reading, i) => aims.get(i) ?? reading);
  edit(change, { aim: { values, moved: [...aims.keys()], dragged } }, from?.numbers ?? state().numbers);
}
