/** What the desk asks of the server and what comes back: pictures, scopes, the reference's trace. */

import { valuesInHand, withNumbers } from "../correction/keyframes";
import { sameNumbers } from "../correction/model";
import { carried, isSelection, motionAt, selectionOf } from "../correction/selection";
import type { Control, Message } from "../scopes/densities";
import { unpack } from "../scopes/densities";
import { isOpen, useScopes, VECTOR_LEVELS } from "../scopes/settings";
import { LiveChannel, type ShowRequest } from "./live";
import { type DeskState, drawn, type Finding, handOn, inHand, redraw, useDesk } from "./state";
import { previewWidth } from "./zoom";

const REST_MS = 220;
const AGAIN_MS = 1500;
/** Between two tellings of the figures while the shot plays: nobody reads them faster. */
const TOLD_MS = 120;
const set = useDesk.setState;
const state = useDesk.getState;

let channel: LiveChannel | null = null;
let restTimer: number | undefined;
let atRest: () => void = () => undefined;
let onFailure: (detail: string) => void = () => undefined;
let toldAt = 0;

function received(message: Message) {
  const { header, densities, picture } = message;
  if (header.shot !== state().shot?.id) return;
  drawn.now = densities;
  const going = goingOn();
  const newest = header.number === state().asked;
  const now = performance.now();
  const telling = !header.playing || now - toldAt > TOLD_MS;
  if (telling) toldAt = now;
  set({
    shown: header,
    ...(telling ? { told: header } : {}),
    fault: null,
    // Answers to overtaken requests are shown but do not set the numbers back.
    ...(newest && state().finding && header.numbers ? taken(header.numbers) : {}),
  });
  if (newest && !header.searching) set({ finding: null });
  else if (newest && going) set({ finding: { ...going, under: state().now } });
  handOn(picture);
}

/** The numbers that the server found, in the current step; nothing where they stand there already. */
function taken(numbers: number[]): Partial<DeskState> {
  const { now, focus, frame, allKeyframes } = state();
  if (sameNumbers(numbers, inHand(state()))) return {};
  return { now: withNumbers(now, focus, frame, numbers, allKeyframes) };
}

/**
 * Open the live channel; `resting` is called whenever the hand has come to rest, `failed` when what
 * was moved cannot be answered. Returns what closes it.
 */
export function connect(resting: () => void, failed: (detail: string) => void = () => undefined): () => void {
  atRest = resting;
  onFailure = failed;
  set({ finding: null });
  channel = new LiveChannel({
    message: received,
    point: (point) => {
      set({ point });
      redraw();
    },
    fault: notAnswered,
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
  return () => {
    unsubscribe();
    window.clearTimeout(restTimer);
    channel?.close();
    channel = null;
  };
}

/** A request that the server could not answer: asked again where that may help, else there is nothing to wait for. */
function notAnswered(detail: string, number: number | undefined, again: boolean) {
  set({ fault: detail });
  if (number !== state().asked) return;
  window.clearTimeout(restTimer);
  if (again) {
    restTimer = window.setTimeout(() => {
      if (channel) set({ asked: channel.again() });
      restTimer = window.setTimeout(rested, REST_MS);
    }, AGAIN_MS);
  } else if (state().finding) {
    set({ finding: null });
    onFailure(detail);
  } else atRest();
}

/** What the current selection is at this frame, whose pixels are looked for in the reference. */
function selectedNow() {
  const { now, focus, frame } = state();
  const values = valuesInHand(now, focus, frame);
  if (!isSelection(values)) return null;
  const motion = motionAt(values.track, frame);
  const shapes = values.shapes.map((one) => carried(one, motion));
  // What is done to them changes nothing of which pixels they are.
  const { inside, outside } = selectionOf({ shapes });
  const { level, step, side } = focus;
  return {
    values: { ...values, shapes, inside, outside, track: null },
    level,
    step,
    side: side ?? "inside",
    // In whole hundredths, so that noise from frame to frame does not ask anew.
    covers: Math.round(100 * (state().shown?.selected ?? 0)) / 100,
  };
}

/** What the reference's trace was last asked for by. */
let traceOf = "";

/** How many times the reference's trace is being asked for. */
let tracesComing = 0;
let traceComing: Promise<void> = Promise.resolve();

const isTraceOld = () => state().reference !== null && JSON.stringify(selectedNow()) !== traceOf;

/** The reference's trace and readings, as its meter has them, and of the colours or places that are current. */
export function loadTrace(): Promise<void> {
  tracesComing += 1;
  traceComing = askForTrace().finally(() => {
    tracesComing -= 1;
  });
  return traceComing;
}

const MOST_ASKED = 10;

/** Go on with the reference's readings: at once if they are here, and else when those of what is current have come. */
export function withAims(goOn: (aims: number[]) => void) {
  const { shot, focus } = state();
  const now = () => {
    const { referenceReadings: aims } = state();
    if (aims && state().shot?.id === shot?.id && state().focus === focus) goOn(aims);
  };
  if (tracesComing === 0 && !isTraceOld()) return now();
  const wait = async () => {
    for (let asked = 0; asked < MOST_ASKED && (tracesComing > 0 || isTraceOld()); asked++)
      await (isTraceOld() ? loadTrace() : traceComing);
    now();
  };
  void wait();
}

async function askForTrace() {
  const { reference, referenceMeter } = state();
  const selected = selectedNow();
  const asked = JSON.stringify(selected);
  traceOf = asked;
  if (!reference) {
    drawn.referenceTrace = null;
    set({ referenceReadings: null });
    return redraw();
  }
  const response = await fetch(`/api/kept/${reference.id}/scopes`, {
    method: "POST",
    headers: { "Content-Type": "application/json" },
    body: JSON.stringify({ meter: referenceMeter, selected }),
  });
  if (state().reference?.id !== reference.id || asked !== traceOf || isTraceOld()) return;
  if (!response.ok) {
    const refused = (await response.json().catch(() => null)) as { detail?: string } | null;
    drawn.referenceTrace = null;
    set({
      fault: `In the reference: ${refused?.detail ?? "it could not be measured"}.`,
      referenceReadings: null,
      ...(selected ? {} : { referenceMeter: null }),
    });
    redraw();
    return;
  }
  const message = unpack(await response.arrayBuffer());
  drawn.referenceTrace = message.densities;
  set({ referenceReadings: message.header.readings });
  redraw();
}

type Aim = NonNullable<ShowRequest["aim"]>;

export type Extra = {
  aim?: Aim;
  turn?: { control: Control; value: number };
};

/** What the open scopes and the marks need. */
function wanted(): Pick<ShowRequest, "mark" | "extra"> {
  const scopes = useScopes.getState();
  return {
    mark: scopes.mark,
    extra: {
      chroma: scopes.parade === "Y′CbCr" && isOpen(scopes, "parade"),
      cast: isOpen(scopes, "cast by level"),
      familiar: isOpen(scopes, "memory colours"),
      vector_levels: isOpen(scopes, "vectorscope") ? VECTOR_LEVELS[scopes.vectorRange] : null,
    },
  };
}

/** What is asked for whatever is asked: the shot, the frame, the meter, the open scopes. */
function onTheDesk(): Omit<ShowRequest, "full" | "playing"> | null {
  const { shot, frame, meter, referenceMeter, before, reference, pivot, brushes, now, focus, peek } = state();
  if (!shot) return null;
  return {
    shot: shot.id,
    frame,
    levels: now,
    ...focus,
    side: focus.side ?? "inside",
    meter,
    pivot,
    before,
    peek,
    brushes,
    width: previewWidth(state()),
    ...wanted(),
    reference: reference?.id ?? null,
    reference_meter: referenceMeter,
    ties: reference ? state().ties : [],
  };
}

/** The aims still searched for that newer ones join: typed or met, with nothing changed on the desk since. */
function goingOn(): Finding | null {
  const { finding, shot, frame, meter, focus, now } = state();
  const same =
    finding?.request.aim?.dragged === false &&
    finding.request.shot === shot?.id &&
    finding.request.frame === frame &&
    finding.request.meter === meter &&
    finding.request.level === focus.level &&
    finding.request.step === focus.step &&
    finding.request.side === (focus.side ?? "inside") &&
    finding.under === now;
  return same ? finding : null;
}

/** Aims that keep their place under newer ones: what was moved is still wanted, what was held still held. */
function joined(newer: Aim | undefined, going: Aim | null | undefined): Aim | undefined {
  if (!going) return newer;
  if (!newer) return going;
  return {
    dragged: false,
    values: going.values.map((value, i) => (newer.moved.includes(i) ? newer.values[i] : value)),
    moved: [...new Set([...going.moved, ...newer.moved])],
  };
}

/** Ask for the picture; measured on the preview now and on the full frame when the hand rests. */
export function show(extra: Extra, from?: number[]) {
  const request = onTheDesk();
  if (!request || !channel) return;
  const { playing, finding, now, focus, frame, allKeyframes } = state();
  const going = extra.turn || extra.aim?.dragged ? null : goingOn();
  // Something else is looked at before what was moved is answered: it is saved as it will be found.
  if (finding && !extra.turn && !extra.aim && !going && !from) atRest();
  const aim = joined(extra.aim, going?.request.aim);
  const numbers = going?.from ?? from ?? inHand(state());
  const levels = sameNumbers(numbers, inHand(state()))
    ? now
    : withNumbers(now, focus, frame, numbers, allKeyframes);
  // What is typed or met is solved on the full frame, where it will be measured at rest.
  const full = aim !== undefined && !aim.dragged;
  const asking = { ...request, levels, playing: playing !== 0, full, ...extra, aim };
  const toBeFound = aim !== undefined || extra.turn !== undefined;
  set({
    asked: channel.show(asking),
    finding: toBeFound ? { request: asking, from: numbers, under: state().now } : null,
  });
  window.clearTimeout(restTimer);
  if (playing === 0) restTimer = window.setTimeout(rested, REST_MS);
}

function rested() {
  const { shown } = state();
  const request = onTheDesk();
  if (!request || !channel) return;
  if (shown?.number !== state().asked || shown.searching) {
    restTimer = window.setTimeout(rested, 60);
    return;
  }
  atRest();
  if (isTraceOld()) void loadTrace();
  if (!shown.full) set({ asked: channel.show({ ...request, full: true, playing: false }) });
}

/** What was moved and is not answered yet: the desk goes on, and somebody else finds its numbers. */
export function takeUnfound(): ShowRequest | null {
  const request = state().finding?.request ?? null;
  set({ finding: null });
  return request;
}

/** How many requests have not been answered yet. */
export const unanswered = () => state().asked - (state().shown?.number ?? 0);

/** Ask for the colour under the cursor, or stop asking. */
export function lookAt(at: { x: number; y: number } | null) {
  const { shot, frame, now, focus, before } = state();
  if (!at) {
    set({ point: null });
    redraw();
  } else if (shot)
    channel?.point({
      shot: shot.id,
      frame,
      levels: now,
      ...focus,
      side: focus.side ?? "inside",
      before,
      ...at,
    });
}
