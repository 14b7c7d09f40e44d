/**
 * Every key, screen by screen, in the order of work: chords as of ./pressing. The handlers read their keys from here too. Of
 * several chords, `which` says that they mean different things: the press itself tells which.
 */
export interface Key {
  key: string;
  shown: string;
  does: string;
  which?: true;
}

export const KEYS = {
  toggle: { key: "space", shown: "Space", does: "play or stop" },
  backward: { key: "j", shown: "J", does: "play backward; again: faster" },
  pause: { key: "k", shown: "K", does: "stop" },
  forward: { key: "l", shown: "L", does: "play forward; again: faster" },
  first: { key: "i", shown: "I", does: "first frame that is played: this one" },
  last: { key: "o", shown: "O", does: "last frame that is played: this one" },
  wholeRange: { key: "shift+o", shown: "Shift O", does: "play the whole shot again" },
  loop: { key: "shift+l", shown: "Shift L", does: "play round and round, or once" },
  stepBack: { key: "left", shown: "←", does: "one frame back" },
  stepOn: { key: "right", shown: "→", does: "one frame on" },
  balance: { key: "b", shown: "B", does: "balance the shot" },
  match: { key: "m", shown: "M", does: "match to the family's reference" },
  balanceBy: { key: "shift+b", shown: "Shift B", does: "see all proposed balances and choose one" },
  matchBy: {
    key: "shift+m",
    shown: "Shift M",
    does: "match with a strength, parts of the look, an extended step, or by ties alone",
  },
  extended: { key: "e", shown: "E", does: "the extended step of the match on or off, where there is one" },
  tie: { key: "y", shown: "Y", does: "tie the box on the reference to the box on the shot" },
  keep: { key: "r", shown: "R", does: "make this frame the family's reference" },
  keepFrame: { key: "shift+r", shown: "Shift R", does: "keep this frame as it looks now, to compare with" },
  view: { key: "v", shown: "V", does: "next view: shot, reference, pair, seam" },
  before: { key: "x", shown: "X", does: "before all that is done at the level in hand, and after" },
  beforeStep: { key: "shift+x", shown: "Shift X", does: "before the step in hand, and after" },
  wide: { key: "p", shown: "P", does: "the picture over the whole surface, and back" },
  zoomIn: { key: "+", shown: "+", does: "nearer; the wheel does it at the cursor" },
  zoomOut: { key: "-", shown: "−", does: "farther" },
  all: { key: "0", shown: "0", does: "all of the picture" },
  oneToOne: { key: "shift+0 alt+0", shown: "Shift 0", does: "one pixel of the clip on one of the screen" },
  pan: {
    key: "alt+left alt+right alt+up alt+down",
    which: true,
    shown: "Alt ← → ↑ ↓",
    does: "move the picture; Alt and drag does it too",
  },
  darker: {
    key: "d",
    shown: "D",
    does: "peek: three stops darker while it is held; a short press leaves it on, or takes it away",
  },
  lighter: { key: "shift+d", shown: "Shift D", does: "peek: three stops lighter, in the same way" },
  tone: { key: "a", shown: "A", does: "tone only, without colours" },
  list: { key: "h", shown: "H", does: "the list at the left: family, versions of the shot, kept frames" },
  box: {
    key: "q",
    shown: "Q",
    does: "meter a box in the middle of the picture; in pair view again: of the other picture",
  },
  boxAgain: {
    key: "alt+q",
    shown: "Alt Q",
    does: "the same subject's box, set again on this frame; Ctrl and drag draws it",
  },
  moveBox: {
    key: "shift+left shift+right shift+up shift+down",
    which: true,
    shown: "Shift ← → ↑ ↓",
    does: "move what is metered, a box or an outline",
  },
  sizeBox: {
    key: "mod+left mod+right mod+up mod+down",
    which: true,
    shown: "Ctrl ← → ↑ ↓",
    does: "make it narrower, wider, taller, flatter",
  },
  seam: { key: ", .", which: true, shown: ", .", does: "move the seam to the left, to the right" },
  matte: { key: "z", shown: "Z", does: "what the pick or area in hand selects, from black to white" },
  side: { key: "shift+z", shown: "Shift Z", does: "work inside, or outside, of what is selected" },
  leaveOut: {
    key: "shift+insert",
    shown: "Shift Insert",
    does: "leave the colour under the cursor out of the pick in hand; as Shift and a press",
  },
  meter: { key: "escape", shown: "Esc", does: "take the brushes away, then the meter" },
  skin: { key: "s", shown: "S", does: "meter the skin, in shot and reference" },
  neutrals: { key: "w", shown: "W", does: "meter the neutrals, in shot and reference" },
  ghost: { key: "g", shown: "G", does: "show or hide the reference on the scopes" },
  unit: { key: "u", shown: "U", does: "next unit: %, code, cd/m²" },
  mark: { key: "c", shown: "C", does: "mark clipping, then legality, then exposure in false colour" },
  numbers: { key: "n", shown: "N", does: "show or hide the ten numbers" },
  level: { key: "t", shown: "T", does: "next level that edits go to: camera, shot, family, show" },
  steps: {
    key: "1 2 3 4 5 6 7 8 9",
    which: true,
    shown: "1 … 9",
    does: "take a step of the level in hand, by its place",
  },
  addStep: {
    key: "shift+n",
    shown: "Shift N",
    does: "add a step after the one in hand: ten numbers, curves, hues, density, zone tints",
  },
  looks: {
    key: "shift+k",
    shown: "Shift K",
    does: "with the family or the show in hand: compare looks and choose one",
  },
  take: {
    key: "insert",
    shown: "Insert",
    does: "with curves or hues in hand: a point, or a spoke, at the colour under the cursor; a click does it too",
  },
  five: {
    key: "shift+5 alt+5",
    shown: "Shift 5",
    does: "with curves in hand: points at blacks, lows, mids, highs and whites",
  },
  keyframe: {
    key: "f",
    shown: "F",
    does: "set a keyframe here on the step in hand; an edit that waited goes on",
  },
  allSteps: { key: "shift+f", shown: "Shift F", does: "set a keyframe here on every step of the shot" },
  removeKeyframe: { key: "backspace", shown: "Backspace", does: "take the keyframe here away" },
  removeKeyframes: {
    key: "shift+backspace",
    shown: "Shift Backspace",
    does: "take all keyframes of the step in hand away",
  },
  previousKeyframe: { key: "[", shown: "[", does: "to the keyframe before" },
  nextKeyframe: { key: "]", shown: "]", does: "to the next keyframe" },
  nudgeKeyframe: {
    key: "alt+shift+left alt+shift+right",
    which: true,
    shown: "Alt Shift ← →",
    does: "move the keyframe here by a frame; in the lane, drag its flag",
  },
  copyKeyframe: { key: "mod+c", shown: "Ctrl C", does: "copy what the step in hand does at this frame" },
  pasteKeyframe: { key: "mod+v", shown: "Ctrl V", does: "set it as a keyframe here" },
  hold: {
    key: "shift+h",
    shown: "Shift H",
    does: "hold: what is metered, or all, stays as it looks at this frame, by keyframes",
  },
  steady: {
    key: "shift+s",
    shown: "Shift S",
    does: "steady light: a slow wander of the camera's white or exposure is taken off, by keyframes",
  },
  ease: { key: "shift+e", shown: "Shift E", does: "the way to the next keyframe: eased, or straight" },
  allKeyframes: {
    key: "shift+a",
    shown: "Shift A",
    does: "edits go to all keyframes at once, or to the one here",
  },
  lane: {
    key: "shift+t",
    shown: "Shift T",
    does: "draw the time lane out, in the place of the readings, and back",
  },
  nextShot: { key: "pagedown", shown: "Page down", does: "next shot of the family" },
  previousShot: { key: "pageup", shown: "Page up", does: "previous shot of the family" },
  undo: { key: "mod+z", shown: "Ctrl Z", does: "undo" },
  redo: { key: "mod+shift+z mod+y", shown: "Ctrl Shift Z", does: "redo" },
} as const;

export const INTAKE_KEYS = {
  walk: {
    key: "up down shift+up shift+down",
    which: true,
    shown: "↑ ↓",
    does: "go from clip to clip; with Shift choose on the way",
  },
  choose: { key: "space", shown: "Space", does: "choose the clip, or leave it" },
  all: { key: "shift+a", shown: "Shift A", does: "choose all that is shown" },
  none: { key: "escape", shown: "Esc", does: "choose none" },
  open: { key: "enter", shown: "Enter", does: "open the shot on the Desk" },
  decide: { key: "q", shown: "Q", does: "show what needs a decision, or everything" },
  right: { key: "y", shown: "Y", does: "what is assumed of the chosen clips is right" },
  range: { key: "r", shown: "R", does: "their code values: narrow or full range" },
  matrix: { key: "m", shown: "M", does: "their matrix: the next one" },
  camera: { key: "c", shown: "C", does: "move them to another camera, or a new one" },
  bars: { key: "b", shown: "B", does: "set the active picture, without its bars, by hand" },
  fields: { key: "f", shown: "F", does: "read them as two fields, or as whole pictures" },
  rate: { key: "s", shown: "S", does: "frames a second of picture sequences: the next usual rate" },
  join: { key: "j", shown: "J", does: "join the files of one take" },
  again: { key: "t", shown: "T", does: "measure them again" },
  off: { key: "delete", shown: "Del", does: "take them off the day, or put them back" },
  search: { key: "/", shown: "/", does: "search names, files, cameras, what is said" },
  undo: { key: "mod+z", shown: "Ctrl Z", does: "take back the last thing done" },
  redo: { key: "mod+shift+z mod+y", shown: "Ctrl Shift Z", does: "do it again" },
} as const;

export const WALL_KEYS = {
  walk: {
    key: "left right up down shift+left shift+right shift+up shift+down",
    which: true,
    shown: "← → ↑ ↓",
    does: "go from shot to shot; with Shift choose on the way",
  },
  choose: { key: "space", shown: "Space", does: "choose the shot, or leave it" },
  open: { key: "enter", shown: "Enter", does: "open the shot on the Desk" },
  family: { key: "a", shown: "A", does: "choose its whole family" },
  all: { key: "shift+a", shown: "Shift A", does: "choose all that is shown" },
  none: { key: "escape", shown: "Esc", does: "choose none" },
  balance: { key: "b", shown: "B", does: "balance the chosen shots, or the one in hand" },
  reference: { key: "r", shown: "R", does: "make the shot in hand its family's reference" },
  match: { key: "m", shown: "M", does: "match the chosen shots to their families' references" },
  matchExtended: {
    key: "shift+m",
    shown: "Shift M",
    does: "match them and go on with a matrix and curves, an extended step",
  },
  copy: {
    key: "c",
    shown: "C",
    does: "copy from the shot in hand to the chosen ones, all of it or some steps",
  },
  move: { key: "f", shown: "F", does: "move the chosen shots to another family, or a new one" },
  check: { key: "k", shown: "K", does: "mark as checked, or no longer" },
  note: { key: "n", shown: "N", does: "note something for whoever comes next" },
  shared: {
    key: "t",
    shown: "T",
    does: "what the shots of its family share, and by which each hangs on the reference",
  },
  propose: { key: "p", shown: "P", does: "propose families by scene, place and measured light" },
  search: { key: "/", shown: "/", does: "search names, rolls, families, cameras, notes" },
  undo: { key: "mod+z", shown: "Ctrl Z", does: "take back the last thing done, as one" },
  redo: { key: "mod+shift+z mod+y", shown: "Ctrl Shift Z", does: "do it again" },
} as const;

export const LINE_UP_KEYS = {
  walk: { key: "left right", which: true, shown: "← →", does: "the cut before, the cut after" },
  earlier: { key: "shift+left", shown: "Shift ←", does: "move the shot behind the cut one place earlier" },
  later: { key: "shift+right", shown: "Shift →", does: "move it one place later" },
  play: { key: "space", shown: "Space", does: "play across the cut" },
  worst: { key: "w", shown: "W", does: "the next worst cut" },
  open: { key: "enter", shown: "Enter", does: "open the shot behind the cut on the Desk" },
  undo: { key: "mod+z", shown: "Ctrl Z", does: "take back the last thing done" },
  redo: { key: "mod+shift+z mod+y", shown: "Ctrl Shift Z", does: "do it again" },
} as const;

/** Those of every screen. */
export const GENERAL_KEYS = {
  find: {
    key: "shift+space",
    shown: "Shift Space",
    does: "find anything that can be done here, or gone to, by its name",
  },
  help: { key: "?", shown: "?", does: "the list of keys" },
} as const;

export const SETTINGS_KEYS = { undo: LINE_UP_KEYS.undo, redo: LINE_UP_KEYS.redo } as const;

/** The Desk's keys by what they are for, each under one heading. */
export const DESK_TASKS: [string, (keyof typeof KEYS)[]][] = [
  [
    "Play",
    ["toggle", "backward", "pause", "forward", "first", "last", "wholeRange", "loop", "stepBack", "stepOn"],
  ],
  ["Go from shot to shot", ["nextShot", "previousShot", "list"]],
  [
    "Balance and match",
    ["balance", "balanceBy", "match", "matchBy", "extended", "tie", "keep", "keepFrame", "looks"],
  ],
  [
    "See the picture",
    [
      "view",
      "seam",
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
  ["Measure", ["box", "boxAgain", "moveBox", "sizeBox", "skin", "neutrals", "meter", "ghost", "unit"]],
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
