/** Spokes of a hue-turns step as the core has them. */
import type { HueTurns, Spoke } from "../shared/api";

export const NARROWEST = 5;
export const WIDEST = 180;
export const MOST_SPOKES = 24;
const MOST_COLOUR = 4;
const MOST_STOPS = 3;
const FURTHEST = 120;
/** The largest turn of a spoke, in parts of its width, that keeps the order of hues. */
const ROOM = 0.58;

export const newSpoke = (hue: number): Spoke => ({
  hue: ((hue % 360) + 360) % 360,
  width: 35,
  turn: 0,
  colour: 1,
  lightness: 0,
});

const within = (value: number, low: number, high: number) => Math.min(Math.max(value, low), high);

/** A spoke with its numbers within their ranges; one that would lead hues past each other is turned less. */
export function allowed(spoke: Spoke): Spoke {
  const width = within(spoke.width, NARROWEST, WIDEST);
  const furthest = Math.min(FURTHEST, ROOM * width);
  return {
    hue: ((spoke.hue % 360) + 360) % 360,
    width,
    turn: within(spoke.turn, -furthest, furthest),
    colour: within(spoke.colour, 0, MOST_COLOUR),
    lightness: within(spoke.lightness, -MOST_STOPS, MOST_STOPS),
  };
}

export const withSpoke = (turns: HueTurns, at: number, spoke: Spoke): HueTurns => ({
  ...turns,
  spokes: turns.spokes.map((one, i) => (i === at ? allowed(spoke) : one)),
});

export const withoutSpoke = (turns: HueTurns, at: number): HueTurns => ({
  ...turns,
  spokes: turns.spokes.filter((_, i) => i !== at),
});

/** The hue of working values in the opponent space of the core: 0 is red, 120 green, 240 blue. */
export function hueOf([red, green, blue]: number[]): number {
  const x = (2 * red - green - blue) / Math.sqrt(6);
  const y = (green - blue) / Math.sqrt(2);
  return ((Math.atan2(y, x) * 180) / Math.PI + 360) % 360;
}

const EVERY = 5;

/** Where a hue is shown: degrees from +Cb, by what the server says of every fifth degree. */
export function shownAt(hues: number[], hue: number): number {
  const place = (((hue % 360) + 360) % 360) / EVERY;
  const i = Math.floor(place);
  const here = hues[i];
  const after = i + 1 < hues.length ? hues[i + 1] : hues[0] + 360;
  return here + (place - i) * (after - here);
}

/** The hue that is shown at an angle: the inverse of {@link shownAt}. */
export function hueShownAt(hues: number[], degrees: number): number {
  const first = hues[0];
  const wanted = first + ((((degrees - first) % 360) + 360) % 360);
  for (let i = 0; i < hues.length; i++) {
    const after = i + 1 < hues.length ? hues[i + 1] : first + 360;
    if (wanted <= after && after > hues[i]) return EVERY * (i + (wanted - hues[i]) / (after - hues[i]));
  }
  return 0;
}

/** `part` (0..1) of the way from one to the other: spokes that stand alike go on, the others come and go. */
export function betweenTurns(a: HueTurns, b: HueTurns, part: number): HueTurns {
  const key = (spoke: Spoke) => `${spoke.hue} ${spoke.width}`;
  const here = new Map(a.spokes.map((spoke) => [key(spoke), spoke]));
  const there = new Map(b.spokes.map((spoke) => [key(spoke), spoke]));
  const spokes = [...new Set([...here.keys(), ...there.keys()])].slice(0, MOST_SPOKES).map((place) => {
    const known = (here.get(place) ?? there.get(place)) as Spoke;
    const plain = { ...known, turn: 0, colour: 1, lightness: 0 };
    const [one, two] = [here.get(place) ?? plain, there.get(place) ?? plain];
    const mixed = (from: number, to: number) => from + part * (to - from);
    return {
      ...plain,
      turn: mixed(one.turn, two.turn),
      colour: mixed(one.colour, two.colour),
      lightness: mixed(one.lightness, two.lightness),
    };
  });
  return { kind: "hues", spokes };
}
