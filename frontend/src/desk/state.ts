/** The desk's state: one shot, one frame, its corrections, and what the server last showed of them. */
import { create } from "zustand";
import type { Channel } from "../correction/curve";
import { numbersAt, valuesInHand } from "../correction/keyframes";
import { type Focus, NOTHING_DONE, OWN } from "../correction/model";
import type { Brush } from "../scopes/canvas";
import type { Densities, Header, Message } from "../scopes/densities";
import type {
  Along,
  Before,
  FourLevels,
  Held,
  Kept,
  Level,
  Marker,
  Meter,
  Rescue,
  Shot,
  Tie,
  Values,
} from "../shared/api";
import type { NamedPoint, ShowRequest } from "./live";
import { ALL, type Zoom } from "./zoom";

export const VIEWS = ["shot", "reference", "pair", "split"] as const;
export type View = (typeof VIEWS)[number];

export type Side = "shot" | "reference";

export const LISTS = ["family", "versions", "kept"] as const;
export type List = (typeof LISTS)[number];

/** A picture to compare with, by its address, and what it is called. */
export interface Compared {
  label: string;
  source: string;
}

/** Numbers that the server is still to find, for an aim or for a turn of a control. */
export interface Finding {
  request: ShowRequest;
  /** The numbers that the move began at. */
  from: number[];
  /** The corrections as they stood then, or as the search has come with them since. */
  under: FourLevels;
}

/** What readings along a shot were asked for under. */
interface Seen {
  shot: number;
  under: FourLevels;
  meter: Meter | null;
}

/** An edit of a step with keyframes, made where none stands. */
export interface Offered {
  change: string;
  focus: Focus;
  frame: number;
  go: () => void;
}

export interface DeskState {
  shot: Shot | null;
  frame: number;
  /** The corrections of all levels as saved, and as they are under the hand. */
  saved: FourLevels;
  now: FourLevels;
  /** The current step: edits go to it. */
  focus: Focus;
  /** The rows that the levels belong to. */
  owners: Record<Exclude<Level, "shot">, number>;
  /** Whether edits go to all keyframes at once, the same change to each. */
  allKeyframes: boolean;
  /** An edit that waits for a keyframe to be set at this frame. */
  offered: Offered | null;
  /** What of a step was copied at a keyframe. */
  copied: Values | null;
  /** Whether the time lane is drawn out in the place of the readings. */
  laneOpen: boolean;
  /** Readings along the shot, and what was on the desk when they were asked for. */
  along: (Along & Seen) | null;
  /** What was left of a change that was held. */
  left: Pick<Held, "mean" | "largest" | "was"> | null;
  /** Work on the server that takes seconds. */
  work: { name: string; what: string; part: number } | null;
  base: number | null;
  reference: Kept | null;
  meter: Meter | null;
  /** The frame on which the shot's meter was drawn: a box is followed from there. */
  meterFrame: number;
  /** Further frames on which the same subject's box was drawn by hand. */
  drawnAgain: { frame: number; meter: Meter }[];
  /** CIEDE2000 that a hold may leave. */
  tolerance: number;
  referenceMeter: Meter | null;
  /** In pair view, whose meter the keys move. */
  side: Side;
  brushes: Brush[];
  ties: Tie[];
  /** How often places of tracks have come; what shows these looks again. */
  placesHere: number;
  /** Frames a frame's time: 0 at rest, 1 forward, -1 backward, 2 at twice the rate … */
  playing: number;
  loop: boolean;
  range: [first: number, last: number] | null;
  view: View;
  before: Before;
  /** How many stops the picture is pushed to look into it; what is measured stays. */
  peek: number;
  /** What the shot is compared with in the place of the reference. */
  compared: Compared | null;
  zoom: Zoom;
  /** How wide the picture's place on the screen is, in CSS pixels. */
  placeWidth: number;
  /** Whether the picture takes the whole surface, the scopes small beside it. */
  wide: boolean;
  /** What the list at the left shows. */
  list: List;
  /** Counts up whenever a frame was kept. */
  keptCount: number;
  showNumbers: boolean;
  pivot: number;
  split: number;
  /** What was moved last, until its numbers have come. */
  finding: Finding | null;
  /** What was changed and is not on its way to be saved yet, by its name. */
  unsaved: string | null;
  /** The number of the last request, whether or not it has been answered. */
  asked: number;
  shown: Header | null;
  /** The same as far as words and figures tell it: a few times a second while the shot plays. */
  told: Header | null;
  referenceReadings: number[] | null;
  point: NamedPoint | null;
  /** Which curve of a curves step is current, and which spoke of hue turns. */
  channel: Channel;
  spoke: number;
  /** Where a colour is to be taken that is not named yet. */
  taking: { x: number; y: number } | null;
  /** Whether the next press in the picture begins a pick, and which shape of an area is current. */
  picking: boolean;
  shape: number;
  /** Whether what is part of the current selection is shown, in the place of its numbers. */
  belonging: boolean;
  /** The production's, as they are under the hand. */
  markers: Marker[];
  /** Whether the kinds of steps to add are offered. */
  adding: boolean;
  /** Whether looks are being compared. */
  lookSheet: boolean;
  /** What of the shot's recording can be rescued before it is balanced. */
  rescues: Rescue[];
  held: string | null;
  /** `waiting` while the server cannot save and is asked again, `failed` where it refused. */
  saving: "saved" | "saving" | "waiting" | "failed";
  connected: "open" | "lost";
  fault: string | null;
  /** Whether the server is doing something to the shot that was asked for here. */
  acting: boolean;
  /** What was refused, or what another window did: said until the next thing is done. */
  refused: string | null;
  /** What was done, in a sentence: said until the next thing is done. */
  said: string | null;
  savedShot: Shot | null;
  /** Counts up whenever a camera's trim, a look or the finish was saved. */
  savedLevels: number;
}

export const MID_GREY = 0.4135884;
export const PIVOT_KEY = "dovrel.pivot";

function storedPivot(): number {
  const kept = Number(window.localStorage.getItem(PIVOT_KEY));
  return kept >= 0.05 && kept <= 0.9 ? kept : MID_GREY;
}

export const useDesk = create<DeskState>(() => ({
  shot: null,
  frame: 0,
  saved: NOTHING_DONE,
  now: NOTHING_DONE,
  focus: { level: "shot", step: OWN.shot },
  owners: { camera: 0, family: 0, show: 0 },
  allKeyframes: false,
  offered: null,
  copied: null,
  laneOpen: false,
  along: null,
  left: null,
  work: null,
  base: null,
  reference: null,
  meter: null,
  meterFrame: 0,
  drawnAgain: [],
  tolerance: 1,
  referenceMeter: null,
  side: "shot",
  brushes: [],
  ties: [],
  placesHere: 0,
  playing: 0,
  loop: true,
  range: null,
  view: "shot",
  before: "none",
  peek: 0,
  compared: null,
  zoom: ALL,
  placeWidth: 0,
  wide: false,
  list: "family",
  keptCount: 0,
  showNumbers: false,
  pivot: storedPivot(),
  split: 0.5,
  finding: null,
  unsaved: null,
  asked: 0,
  shown: null,
  told: null,
  referenceReadings: null,
  point: null,
  channel: "all",
  spoke: 0,
  taking: null,
  picking: false,
  shape: 0,
  belonging: false,
  markers: [],
  adding: false,
  lookSheet: false,
  rescues: [],
  held: null,
  saving: "saved",
  connected: "open",
  fault: null,
  acting: false,
  refused: null,
  said: null,
  savedShot: null,
  savedLevels: 0,
}));

/** The ten numbers of the current step, at this frame. */
export const inHand = ({ now, focus, frame }: Pick<DeskState, "now" | "focus" | "frame">) =>
  numbersAt(now, focus, frame);

/** What the current step holds at this frame. */
export const inHandValues = ({ now, focus, frame }: Pick<DeskState, "now" | "focus" | "frame">) =>
  valuesInHand(now, focus, frame);

/** What the canvases draw; kept outside React so that nothing re-renders at the rate of the hand. */
export const drawn: { now: Densities | null; referenceTrace: Densities | null } = {
  now: null,
  referenceTrace: null,
};
type Listener = (picture: Message["picture"]) => void;
const listeners = new Set<Listener>();

/** Be told of every new picture and density; `null` when only marks changed. */
export function onDrawn(listener: Listener): () => void {
  listeners.add(listener);
  return () => listeners.delete(listener);
}
/** Tell of a new picture. */
export const handOn: Listener = (picture) => {
  for (const listener of listeners) listener(picture);
};
export const redraw = () => handOn(null);
