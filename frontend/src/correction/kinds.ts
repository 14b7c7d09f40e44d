/** The kinds of steps: what each is called, what it does, and what it holds when it is new. */
import type { Level, Values } from "../shared/api";
import { betweenCurves, NO_CURVES } from "./curve";
import { betweenTurns } from "./hues";
import { arrayOf, IDENTITY, primaryOf } from "./model";

export type Kind = Values["kind"];

interface About {
  /** What a new step of this kind is called, and what it is. */
  word: string;
  about: string;
  /** What it holds when it is new; none for kinds that are only proposed. */
  make?: () => Values;
}

export const KINDS: Record<Kind, About> = {
  primary: {
    word: "ten numbers",
    about: "readings and grips move its ten numbers while it is current",
    make: () => primaryOf(IDENTITY),
  },
  curves: {
    word: "curves",
    about: "grips at any level of parade, waveform and histogram hold it or move it",
    make: () => NO_CURVES,
  },
  hues: {
    word: "hues",
    about: "spokes on the vectorscope turn a hue, give it more or less colour, make it lighter or darker",
    make: () => ({ kind: "hues", spokes: [] }),
  },
  density: {
    word: "density",
    about: "colour that darkens as it deepens, and colour of pale tones",
    make: () => ({ kind: "density", density: 0, pale: 0 }),
  },
  zones: {
    word: "zone tints",
    about: "a tint of their own for lows, mids and highs",
    make: () => ({
      kind: "zones",
      lows: [0, 0],
      mids: [0, 0],
      highs: [0, 0],
      low: -2.5,
      high: 1,
      soft: 2.5,
      opposed: false,
    }),
  },
  limits: {
    word: "limits",
    about:
      "the display signal of the whole show kept within broadcast range (EBU R 103), or a range of the house",
    make: () => ({ kind: "limits", low: -1, high: 103, soft: 3 }),
  },
  denoise: {
    word: "denoise",
    about: "noise measured and reduced, along time and within the frame, before all colour",
    make: () => ({ kind: "denoise", luma: 0.6, chroma: 1, frames: 2 }),
  },
  steady: {
    word: "steady picture",
    about: "the camera's shake removed; how much of its motion stays is one number",
    make: () => ({ kind: "steady", path: null, stays: 0.5 }),
  },
  look: {
    word: "look",
    about: "a table file, in the space it expects, at a strength; compared before it is chosen",
  },
  soften: {
    word: "soften",
    about: "fine detail taken back, at the size chosen",
    make: () => ({ kind: "soften", size: 0.001, amount: 0.5 }),
  },
  sharpen: {
    word: "sharpen",
    about: "fine detail of luma made stronger, noise left as it is",
    make: () => ({ kind: "sharpen", size: 0.0008, amount: 0.5, least: 0.3 }),
  },
  halation: {
    word: "halation",
    about: "a glow around what is bright, strongest in red",
    make: () => ({ kind: "halation", size: 0.008, amount: 0.3, begins: 75, green: 0.35, blue: 0.1 }),
  },
  vignette: {
    word: "vignette",
    about: "the picture darker, or lighter, away from its middle",
    make: () => ({ kind: "vignette", stops: -0.5, begins: 0.4, soft: 0.7, round: 0.3, x: 0.5, y: 0.5 }),
  },
  grain: {
    word: "grain",
    about: "fine noise as film has it, another on each frame; scopes leave it out",
    make: () => ({ kind: "grain", size: 0.0009, lows: 0.8, mids: 2, highs: 0.8, colour: 0.3 }),
  },
  extended: {
    word: "extended",
    about: "a matrix and curves that a match went on with after the ten numbers; CDLs do not carry it",
  },
  selection: {
    word: "selection",
    about: "part of the picture, by colour or by place: its readings, grips and numbers while it is current",
  },
  rebuild: { word: "rebuilt", about: "a channel that the recording hardly holds, made of all three" },
  highs: { word: "highs", about: "highs that are clipped in one or two channels, moved to neutral" },
};

/** Kinds that finish the display signal: for families and the show, in a fixed order among themselves. */
const FINISH: Kind[] = ["soften", "sharpen", "halation", "vignette", "grain"];
const STANDS_AT: Partial<Record<Kind, Level[]>> = {
  limits: ["show"],
  denoise: ["camera", "shot"],
  steady: ["shot"],
  ...Object.fromEntries(FINISH.map((kind) => [kind, ["family", "show"]])),
};

/** Kinds that can be added by hand at a level, in the order in which they are offered. */
export const addable = (level: Level): Kind[] =>
  (Object.keys(KINDS) as Kind[]).filter(
    (kind) => KINDS[kind].make && (STANDS_AT[kind]?.includes(level) ?? true),
  );

const mixed = (a: number, b: number, part: number) => a + part * (b - a);

/** Whatever is a number in two values of one shape, `part` of the way; all else as in the nearer one. */
function mixedAlike<T>(a: T, b: T, part: number): T {
  if (typeof a === "number" && typeof b === "number") return mixed(a, b, part) as T;
  if (Array.isArray(a) && Array.isArray(b)) return a.map((one, i) => mixedAlike(one, b[i], part)) as T;
  if (a && b && typeof a === "object" && typeof b === "object") {
    const keys = Object.keys(a) as (keyof T)[];
    return Object.fromEntries(keys.map((key) => [key, mixedAlike(a[key], b[key], part)])) as T;
  }
  return part >= 0.5 ? b : a;
}

/** Each with its own, where both hold the same kinds; otherwise those of the nearer. */
function oneByOne<T extends { kind: string }>(
  a: T[],
  b: T[],
  part: number,
  mix: (one: T, other: T, part: number) => unknown,
): T[] {
  const alike = a.length === b.length && a.every((one, i) => one.kind === b[i].kind);
  return alike ? a.map((one, i) => mix(one, b[i], part) as T) : part >= 0.5 ? b : a;
}

/** `part` (0..1) of the way from one step's values to another's, both of one kind; as the core has it. */
export function between(a: Values, b: Values, part: number): Values {
  if (a.kind === "primary" && b.kind === "primary") {
    const other = arrayOf(b);
    return primaryOf(arrayOf(a).map((value, i) => mixed(value, other[i], part)));
  }
  if (a.kind === "curves" && b.kind === "curves")
    return {
      kind: "curves",
      all: betweenCurves(a.all, b.all, part),
      red: betweenCurves(a.red, b.red, part),
      green: betweenCurves(a.green, b.green, part),
      blue: betweenCurves(a.blue, b.blue, part),
    };
  if (a.kind === "hues" && b.kind === "hues") return betweenTurns(a, b, part);
  if (a.kind === "selection" && b.kind === "selection")
    return {
      ...(part >= 0.5 ? b : a),
      inside: oneByOne(a.inside, b.inside, part, between),
      outside: oneByOne(a.outside, b.outside, part, between),
      shapes: oneByOne(a.shapes, b.shapes, part, mixedAlike),
    };
  if (a.kind === "steady") return part >= 0.5 ? b : a;
  if (a.kind === "denoise" && b.kind === "denoise")
    return { ...mixedAlike(a, b, part), frames: (part >= 0.5 ? b : a).frames };
  return mixedAlike(a, b, part);
}
