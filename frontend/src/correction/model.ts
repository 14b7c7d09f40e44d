/** Corrections as values: what is read off them and made of them; nothing here knows the desk or the server. */
import type {
  Correction,
  Day,
  FourLevels,
  Keyframe,
  Level,
  Primary,
  Shot,
  Step,
  Values,
} from "../shared/api";

export const LEVELS: Level[] = ["camera", "shot", "family", "show"];

/** The step that a level always has: ten numbers. */
export const OWN: Record<Level, string> = {
  camera: "trim",
  shot: "balance",
  family: "look",
  show: "finish",
};
/** The step in which a match goes on where ten numbers do not do. */
export const EXTENDED = "extended";

/** The current step, and of a selection whose numbers: inside where nothing is said. */
export interface Focus {
  level: Level;
  step: string;
  side?: "inside" | "outside";
}

/** Ten numbers that do nothing. */
export const IDENTITY = [1, 1, 1, 0, 0, 0, 1, 1, 1, 1];

/** Arrays of primaries that were asked for before, so that one primary is one array. */
const arrays = new WeakMap<Primary, number[]>();

/** A primary's ten numbers: slopes, offsets, powers, saturation. */
export function arrayOf(primary: Primary): number[] {
  const known = arrays.get(primary);
  if (known) return known;
  const numbers = [...primary.slope, ...primary.offset, ...primary.power, primary.saturation];
  arrays.set(primary, numbers);
  return numbers;
}

type Three = [number, number, number];

export function primaryOf(numbers: number[]): Primary {
  const three = (first: number) => numbers.slice(first, first + 3) as Three;
  const primary: Primary = {
    kind: "primary",
    slope: three(0),
    offset: three(3),
    power: three(6),
    saturation: numbers[9],
  };
  arrays.set(primary, numbers);
  return primary;
}

/** A correction that does nothing. */
export const NO_STEPS: Correction = { steps: [] };

/** A step that does the same in all of the shot; without values, one of ten numbers that does nothing yet. */
export const newStep = (id: string, values: Values = primaryOf(IDENTITY)): Step => ({
  id,
  values,
  on: true,
  keyframes: [],
});

const plain = (level: Level): Correction => ({
  steps: [newStep(OWN[level])],
});
/** What every level begins with. */
export const NOTHING_DONE: FourLevels = {
  camera: plain("camera"),
  shot: plain("shot"),
  family: plain("family"),
  show: plain("show"),
};

export const stepOf = (correction: Correction, name: string): Step | undefined =>
  correction.steps.find((step) => step.id === name);

/** The same correction with a step in the place of the one of its name, or at the end. */
export function withStep(correction: Correction, step: Step): Correction {
  if (!stepOf(correction, step.id)) return { steps: [...correction.steps, step] };
  return { steps: correction.steps.map((one) => (one.id === step.id ? step : one)) };
}

/** The same with a step switched on or off. */
export function switched(correction: Correction, name: string): Correction {
  return {
    steps: correction.steps.map((step) => (step.id === name ? { ...step, on: !step.on } : step)),
  };
}

export const sameNumbers = (a: number[], b: number[]) => a.every((value, i) => value === b[i]);

/** Whether two corrections do the same by the same steps. */
export const sameCorrection = (a: Correction, b: Correction): boolean =>
  a === b ||
  (a.steps.length === b.steps.length &&
    a.steps.every((step, i) => {
      const other = b.steps[i];
      return (
        step.id === other.id &&
        step.on === other.on &&
        sameValues(step.values, other.values) &&
        sameKeyframes(step.keyframes, other.keyframes)
      );
    }));

const sameKeyframes = (a: Keyframe[], b: Keyframe[]): boolean =>
  a === b ||
  (a.length === b.length &&
    a.every(
      (one, i) => one.frame === b[i].frame && one.ease === b[i].ease && sameValues(one.values, b[i].values),
    ));

/** Whether two steps' values are the same, number by number. */
export function sameValues(a: unknown, b: unknown): boolean {
  if (a === b) return true;
  if (!a || !b || typeof a !== "object" || typeof b !== "object") return false;
  const keys = Object.keys(a);
  return (
    keys.length === Object.keys(b).length &&
    keys.every((key) => sameValues((a as Record<string, unknown>)[key], (b as Record<string, unknown>)[key]))
  );
}

/** What other shots, or families, can start with: all steps, but a shot's balance does nothing yet. */
export function asTemplate(level: Level, correction: Correction): Correction {
  if (level !== "shot") return correction;
  const steps = correction.steps.filter((step) => step.values.kind !== "extended");
  return {
    steps: steps.map((step) => {
      if (step.id === OWN.shot) return newStep(step.id);
      // Where a camera looked is its own shot's alone.
      const values = step.values.kind === "steady" ? { ...step.values, path: null } : step.values;
      return { ...step, values, keyframes: [] };
    }),
  };
}

const isMoved = (numbers: number[]) => numbers.some((value, i) => Math.abs(value - IDENTITY[i]) > 1e-9);

/** Whether values do anything. */
function doSomething(values: Values): boolean {
  switch (values.kind) {
    case "primary":
      return isMoved(arrayOf(values));
    case "curves":
      return [values.all, values.red, values.green, values.blue].some(
        ({ points, low_held, high_held }) =>
          low_held || high_held || points.some(([level, out]) => level !== out),
      );
    case "hues":
      return values.spokes.some((one) => one.turn !== 0 || one.colour !== 1 || one.lightness !== 0);
    case "density":
      return values.density !== 0 || values.pale !== 0;
    case "zones":
      return [...values.lows, ...values.mids, ...values.highs].some((tint) => tint !== 0);
    case "selection":
      return [...values.inside, ...values.outside].some(doSomething);
    case "look":
      return values.strength > 0;
    case "denoise":
      return values.luma > 0 || values.chroma > 0;
    case "steady":
      return values.path != null && values.stays < 1;
    default:
      return true;
  }
}

/** Whether a step does anything. */
export const isInForce = (step: Step): boolean =>
  step.on && [step.values, ...step.keyframes.map((one) => one.values)].some(doSomething);

/** Whether a level does anything. */
export const doesSomething = (correction: Correction) => correction.steps.some(isInForce);

/** The corrections of all levels in force on a shot, as saved. */
export function levelsOf(shot: Shot, day: Day): FourLevels {
  return {
    camera: day.cameras.find((camera) => camera.id === shot.camera_id)?.correction ?? NOTHING_DONE.camera,
    shot: shot.correction,
    family: day.families.find((family) => family.id === shot.family_id)?.correction ?? NOTHING_DONE.family,
    show: day.production.correction,
  };
}

/** Sums of corrections that were asked for before: a day's shots share their levels. */
const sums = new WeakMap<Correction, number>();

/** A number that changes with a correction. */
export function sumOf(correction: Correction): number {
  const known = sums.get(correction);
  if (known !== undefined) return known;
  const text = JSON.stringify(correction);
  let sum = 0;
  for (let i = 0; i < text.length; i++) sum = (sum * 31 + text.charCodeAt(i)) | 0;
  sums.set(correction, sum);
  return sum;
}

/** What a picture of a shot depends on: its files, its version, and the levels around it. */
export function lookOf(shot: Shot, day: Day): string {
  const { camera, family, show } = levelsOf(shot, day);
  return `${shot.version_id ?? 0}.${sumOf(camera)}.${sumOf(family)}.${sumOf(show)}.${shot.progress}.${shot.checksum.slice(0, 8)}`;
}

/** A name that no step of a correction has yet: the word, then with a number. */
export function freeName(correction: Correction, word: string): string {
  for (let n = 1; ; n++) {
    const name = n === 1 ? word : `${word} ${n}`;
    if (!stepOf(correction, name)) return name;
  }
}

/** Steps that move, go and get other names: all but a level's own, which is always there under its name. */
export const isOwn = (level: Level, name: string) => name === OWN[level];

/** An extended step goes wherever the step before it goes, so the two are one place. */
function places(correction: Correction): Step[][] {
  const found: Step[][] = [];
  for (const step of correction.steps) {
    if (step.values.kind === "extended" && found.length > 0) found[found.length - 1].push(step);
    else found.push([step]);
  }
  return found;
}

/** The same correction with a step, and an extended one that follows it, one place earlier (-1) or later (1). */
export function moved(correction: Correction, name: string, by: number): Correction {
  const groups = places(correction);
  const at = groups.findIndex((group) => group.some((step) => step.id === name));
  const to = Math.min(Math.max(at + by, 0), groups.length - 1);
  const [group] = groups.splice(at, 1);
  groups.splice(to, 0, group);
  return { steps: groups.flat() };
}

/** The same correction without a step; one that extended it goes with it. */
export function removed(correction: Correction, name: string): Correction {
  const groups = places(correction).map((group) =>
    group[0].id === name ? [] : group.filter((step) => step.id !== name),
  );
  return { steps: groups.flat() };
}

/** The same correction with a step under another name. */
export const renamed = (correction: Correction, name: string, to: string): Correction => ({
  steps: correction.steps.map((step) => (step.id === name ? { ...step, id: to } : step)),
});

/** The same correction with a new step right after another, or at the end. */
export function added(correction: Correction, step: Step, after: string): Correction {
  const groups = places(correction);
  const at = groups.findIndex((group) => group[0].id === after);
  groups.splice(at < 0 ? groups.length : at + 1, 0, [step]);
  return { steps: groups.flat() };
}
