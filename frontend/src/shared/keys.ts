/**
 * Every action with its key, screen by screen, in the order of work: chords as of ./chords. The handlers read their keys from here
 * too. A letter means the same on every screen, or nothing. An action without a key as it ships is `none:` and a name; the Finder
 * reaches it, and Settings gives it a key. Of several chords, `which` says that they mean different things: the press itself tells
 * which.
 */
import { CHANGEABLE, printedOf, UNSET } from "./ownKeys";

export type Key = { key: string; does: string } | { key: string; does: string; which: true; shown: string };

/** A key as the page writes it. */
export const shownOf = (one: Key): string => ("which" in one ? one.shown : printedOf(one.key));

const UNDO = { key: "mod+z", does: "undo the last change" };
const REDO = { key: "mod+shift+z mod+y", does: "redo it" };
const OPEN = { key: "enter", does: "open the shot on the Desk" };
const NEXT = { key: "shift+pagedown", does: "go to the next shot that needs you" };
const BEFORE = { key: "shift+pageup", does: "go to the shot before that needs you" };

export const KEYS = {
  toggle: { key: "space", does: "play or stop" },
  backward: { key: "j", does: "play backward; again: faster" },
  pause: { key: "k", does: "stop" },
  forward: { key: "l", does: "play forward; again: faster" },
  first: { key: "i", does: "set the in point at this frame" },
  last: { key: "o", does: "set the out point at this frame" },
  wholeRange: { key: "shift+o", does: "clear in and out points" },
  loop: { key: "shift+l", does: "play in a loop, or once" },
  stepBack: { key: "left", does: "one frame back" },
  stepOn: { key: "right", does: "one frame on" },
  balance: { key: "b", does: "balance the shot" },
  match: { key: "m", does: "match to the family's reference" },
  balanceBy: { key: "shift+b", does: "compare all proposed balances and choose one" },
  matchBy: {
    key: "shift+m",
    does: "match with options: strength, parts of the look, extended step, ties alone",
  },
  extended: { key: "e", does: "switch the match's extended step on or off" },
  tie: { key: "y", does: "tie the box on the reference to the box on the shot" },
  keep: { key: "r", does: "make this frame the family's reference" },
  keepFrame: { key: "shift+r", does: "keep this frame as it looks now, to compare with" },
  check: { key: "shift+v", does: "mark the shot as checked, or no longer" },
  note: { key: "shift+w", does: "write a note for whoever comes next" },
  view: { key: "v", does: "next view: shot, reference, pair, split" },
  before: { key: "x", does: "before all steps of the current level, and after" },
  beforeStep: { key: "shift+x", does: "before the current step, and after" },
  wide: { key: "p", does: "the picture over the whole window, and back" },
  zoomIn: { key: "+", does: "zoom in; the wheel zooms at the cursor" },
  zoomOut: { key: "-", does: "zoom out" },
  all: { key: "0", does: "fit the whole picture" },
  oneToOne: { key: "shift+0 alt+0", does: "zoom to 1:1" },
  pan: {
    key: "alt+left alt+right alt+up alt+down",
    which: true,
    shown: "Alt ← → ↑ ↓",
    does: "move the picture; Alt and drag does it too",
  },
  darker: {
    key: "d",
    does: "peek: three stops darker while you hold it; a short press leaves it on, or off",
  },
  lighter: { key: "shift+d", does: "peek: three stops lighter, in the same way" },
  tone: { key: "a", does: "tone only, without colours" },
  list: { key: "h", does: "next list at the left: family, versions, kept frames" },
  box: {
    key: "q",
    does: "meter a box in the middle of the picture; in pair view again: in the other picture",
  },
  boxAgain: { key: "alt+q", does: "set the subject's box again on this frame; Ctrl and drag draws it" },
  moveBox: {
    key: "shift+left shift+right shift+up shift+down",
    which: true,
    shown: "Shift ← → ↑ ↓",
    does: "move the metered box or outline",
  },
  sizeBox: {
    key: "mod+left mod+right mod+up mod+down",
    which: true,
    shown: "Ctrl ← → ↑ ↓",
    does: "make it narrower, wider, taller, flatter",
  },
  split: { key: ", .", which: true, shown: ", .", does: "move the split to the left, to the right" },
  matte: { key: "z", does: "show what the current pick or area selects, from black to white" },
  side: { key: "shift+z", does: "work inside or outside the selection" },
  leaveOut: {
    key: "shift+insert",
    does: "exclude the colour under the cursor from the current pick; Shift and click does it too",
  },
  meter: { key: "escape", does: "clear the brushes, then the meter" },
  skin: { key: "s", does: "meter the skin, in shot and reference" },
  neutrals: { key: "w", does: "meter the neutrals, in shot and reference" },
  referenceTrace: { key: "g", does: "show or hide the reference traces on the scopes" },
  unit: { key: "u", does: "next unit: %, code, cd/m²" },
  mark: { key: "c", does: "mark clipping, then what is out of range, then exposure in false colour" },
  numbers: { key: "n", does: "show or hide the CDL values" },
  level: { key: "t", does: "next level for edits: camera, shot, family, show" },
  steps: {
    key: "1 2 3 4 5 6 7 8 9",
    which: true,
    shown: "1 … 9",
    does: "make a step of the current level the current one, by its place",
  },
  addStep: {
    key: "shift+n",
    does: "add a step after the current one: CDL, curves, hues, density, zone tints",
  },
  looks: { key: "shift+k", does: "compare looks and choose one, at family or show level" },
  take: {
    key: "insert",
    does: "for curves or hues: add a point, or a spoke, at the colour under the cursor; a click does it too",
  },
  five: { key: "shift+5 alt+5", does: "for curves: add points at blacks, lows, mids, highs and whites" },
  keyframe: { key: "f", does: "set a keyframe here on the current step; an edit that waits goes on" },
  allSteps: { key: "shift+f", does: "set a keyframe here on every step of the shot" },
  removeKeyframe: { key: "backspace", does: "remove the keyframe here" },
  removeKeyframes: { key: "shift+backspace", does: "remove all keyframes of the current step" },
  previousKeyframe: { key: "[", does: "go to the keyframe before" },
  nextKeyframe: { key: "]", does: "go to the next keyframe" },
  nudgeKeyframe: {
    key: "alt+shift+left alt+shift+right",
    which: true,
    shown: "Alt Shift ← →",
    does: "move the keyframe here by a frame; in the lane, drag its flag",
  },
  copyKeyframe: { key: "mod+c", does: "copy what the current step does at this frame" },
  pasteKeyframe: { key: "mod+v", does: "paste it as a keyframe here" },
  hold: {
    key: "shift+h",
    does: "Hold: what is metered, or all, stays as it looks at this frame, by keyframes",
  },
  steady: {
    key: "shift+s",
    does: "Steady light: remove a slow drift of the camera's white or exposure, by keyframes",
  },
  ease: { key: "shift+e", does: "ease the way to the next keyframe, or make it straight" },
  allKeyframes: { key: "shift+a", does: "edit all keyframes at once, or the one here" },
  lane: { key: "shift+t", does: "draw the time lane out in place of the readings, and back" },
  nextShot: { key: "pagedown", does: "next shot of the family" },
  previousShot: { key: "pageup", does: "previous shot of the family" },
  nextNeeding: NEXT,
  previousNeeding: BEFORE,
  undo: UNDO,
  redo: REDO,
} as const;

export const INTAKE_KEYS = {
  walk: {
    key: "up down shift+up shift+down",
    which: true,
    shown: "↑ ↓",
    does: "go from clip to clip; with Shift select on the way",
  },
  choose: { key: "space", does: "select the clip, or not" },
  all: { key: "mod+a", does: "select all that is shown" },
  none: { key: "escape", does: "select none" },
  open: OPEN,
  decide: { key: "shift+q", does: "show what needs a decision, or everything" },
  check: { key: "shift+v", does: "confirm what is assumed of the selected clips" },
  move: { key: "shift+g", does: "move them to another camera, or a new one" },
  join: { key: "shift+j", does: "join the files of one take" },
  again: { key: "shift+u", does: "measure them again" },
  range: { key: "none:range", does: "their code values: narrow or full range" },
  matrix: { key: "none:matrix", does: "their matrix: the next one" },
  bars: { key: "none:bars", does: "set the active picture, without its bars, by hand" },
  fields: { key: "none:fields", does: "read them as two fields, or as whole pictures" },
  rate: { key: "none:rate", does: "frames a second of picture sequences: the next usual rate" },
  off: { key: "delete", does: "set them aside, or bring them back" },
  search: { key: "/", does: "search names, files, cameras, remarks" },
  undo: UNDO,
  redo: REDO,
} as const;

export const WALL_KEYS = {
  walk: {
    key: "left right up down shift+left shift+right shift+up shift+down",
    which: true,
    shown: "← → ↑ ↓",
    does: "go from shot to shot; with Shift select on the way",
  },
  choose: { key: "space", does: "select the shot, or not" },
  open: OPEN,
  family: { key: "=", does: "select its whole family" },
  all: { key: "mod+a", does: "select all that is shown" },
  none: { key: "escape", does: "select none" },
  decide: { key: "shift+q", does: "show the shots that need you, or all" },
  balance: { key: "b", does: "balance the selected shots, or the current one" },
  keep: { key: "r", does: "make the current shot its family's reference" },
  match: { key: "m", does: "match the selected shots to their families' references" },
  matchBy: { key: "shift+m", does: "match them with options: strength, extended step" },
  copy: {
    key: "shift+c",
    does: "copy the current shot's correction to the selected shots, all of it or some steps",
  },
  move: { key: "shift+g", does: "move the selected shots to another family, or a new one" },
  check: { key: "shift+v", does: "mark them as checked, or no longer" },
  note: { key: "shift+w", does: "write a note for whoever comes next" },
  shared: {
    key: "shift+p",
    does: "what the family's shots share, and the link path of each to the reference",
  },
  join: { key: "shift+j", does: "propose families by scene, place and measured light" },
  search: { key: "/", does: "search names, rolls, families, cameras, notes" },
  nextNeeding: NEXT,
  previousNeeding: BEFORE,
  undo: UNDO,
  redo: REDO,
} as const;

export const LINE_UP_KEYS = {
  walk: { key: "left right", which: true, shown: "← →", does: "the cut before, the cut after" },
  earlier: { key: "shift+left", does: "move the shot after the cut one place earlier" },
  later: { key: "shift+right", does: "move it one place later" },
  play: { key: "space", does: "play across the cut" },
  nextNeeding: { ...NEXT, does: "go to the next worst cut" },
  open: { ...OPEN, does: "open the shot after the cut on the Desk" },
  undo: UNDO,
  redo: REDO,
} as const;

/** Those of every screen. */
export const GENERAL_KEYS = {
  find: { key: "shift+space", does: "find any action, shot, family or screen by its name" },
  notices: { key: "!", does: "list what was reported tonight" },
  help: { key: "?", does: "list the keys" },
} as const;

export const SETTINGS_KEYS = { undo: UNDO, redo: REDO } as const;

/** The Desk's keys by what they are for, each under one heading. */
export const DESK_TASKS: [string, (keyof typeof KEYS)[]][] = [
  [
    "Play",
    ["toggle", "backward", "pause", "forward", "first", "last", "wholeRange", "loop", "stepBack", "stepOn"],
  ],
  ["Go from shot to shot", ["nextShot", "previousShot", "nextNeeding", "previousNeeding", "list"]],
  [
    "Balance and match",
    [
      "balance",
      "balanceBy",
      "match",
      "matchBy",
      "extended",
      "tie",
      "keep",
      "keepFrame",
      "looks",
      "check",
      "note",
    ],
  ],
  [
    "See the picture",
    [
      "view",
      "split",
      "before",
      "beforeStep",
      "wide",
      "zoomIn",
      "zoomOut",
      "all",
      "oneToOne",
      "pan",
      "darker",
      "lighter",
      "tone",
      "mark",
    ],
  ],
  [
    "Measure",
    ["box", "boxAgain", "moveBox", "sizeBox", "skin", "neutrals", "meter", "referenceTrace", "unit"],
  ],
  ["Steps", ["level", "steps", "addStep", "numbers", "take", "five", "leaveOut", "matte", "side"]],
  [
    "Along time",
    [
      "keyframe",
      "allSteps",
      "removeKeyframe",
      "removeKeyframes",
      "previousKeyframe",
      "nextKeyframe",
      "nudgeKeyframe",
      "copyKeyframe",
      "pasteKeyframe",
      "ease",
      "allKeyframes",
      "hold",
      "steady",
      "lane",
    ],
  ],
  ["Take back", ["undo", "redo"]],
];

/** The keys of each screen. */
export const SCREEN_KEYS: Record<string, Record<string, Key>> = {
  Intake: INTAKE_KEYS,
  Wall: WALL_KEYS,
  Desk: KEYS,
  "Line-up": LINE_UP_KEYS,
  Handover: {},
  Settings: SETTINGS_KEYS,
};

/** An action that can be given another key, with the screens that it is on. */
export interface NamedAction {
  key: string;
  does: string;
  screens: string[];
}

/** The chords that always mean the same, by what they do: those that come in rows, and those with Ctrl, Alt or a named key. */
export function fixedChords(): Map<string, string> {
  const changeable = new Set(everyAction().map(({ key }) => key));
  const all = [...Object.values(SCREEN_KEYS), GENERAL_KEYS].flatMap((keys) => Object.values(keys) as Key[]);
  return new Map(
    all
      .filter(({ key }) => !changeable.has(key))
      .flatMap(({ key, does }) => key.split(" ").map((chord): [string, string] => [chord, does])),
  );
}

/** Every action whose key can be changed, once: those of one chord each, without Ctrl or Alt and not a named key like Space. */
export function everyAction(): NamedAction[] {
  const all = new Map<string, NamedAction>();
  const { Intake, ...others } = SCREEN_KEYS;
  const screens = Object.entries({ ...others, Intake, "every screen": GENERAL_KEYS });
  for (const [screen, keys] of screens)
    for (const one of Object.values(keys) as Key[]) {
      if ("which" in one || !(one.key.startsWith(UNSET) || CHANGEABLE.test(one.key))) continue;
      const known = all.get(one.key);
      if (known) known.screens.push(screen);
      else all.set(one.key, { key: one.key, does: one.does, screens: [screen] });
    }
  return [...all.values()];
}
