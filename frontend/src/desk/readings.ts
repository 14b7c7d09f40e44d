/** The ten readings' names, and the nine in their other form: level, warm–cool, green–magenta. */
export const ZONES = ["lows", "mids", "highs"];
const NAMES = [...["red", "green", "blue"].flatMap((c) => ZONES.map((z) => `${c} ${z}`)), "saturation"];
export const readingName = (index: number) => NAMES[index];

export const FORMS = ["R G B", "level · cast"] as const;
export type Form = (typeof FORMS)[number];
export const ROWS: Record<Form, [short: string, long: string][]> = {
  "R G B": [
    ["R", "red"],
    ["G", "green"],
    ["B", "blue"],
  ],
  "level · cast": [
    ["Y", "level"],
    ["W", "warm–cool"],
    ["M", "green–magenta"],
  ],
};

const [WR, WG, WB] = [0.2126, 0.7152, 0.0722];

/** A reading in a form: row 0, 1, 2 of a zone, in percent. */
export function inForm(readings: number[], form: Form, row: number, zone: number): number {
  if (form === "R G B") return readings[row * 3 + zone];
  const [r, g, b] = [readings[zone], readings[3 + zone], readings[6 + zone]];
  if (row === 0) return WR * r + WG * g + WB * b;
  return row === 1 ? r - b : g - (r + b) / 2;
}

/** The aims of red, green and blue that put one row of a form at a value, the other two rows held. */
export function aimsFor(
  readings: number[],
  form: Form,
  row: number,
  zone: number,
  value: number,
): Map<number, number> {
  if (form === "R G B") return new Map([[row * 3 + zone, value]]);
  const [level, warm, green] = [0, 1, 2].map((r) => (r === row ? value : inForm(readings, form, r, zone)));
  // With M the mean of red and blue: R = M + W/2, B = M − W/2, G = M + green.
  const mean = level - ((WR - WB) / 2) * warm - WG * green;
  const clip = (v: number) => Math.min(Math.max(v, 0), 110);
  return new Map([
    [zone, clip(mean + warm / 2)],
    [3 + zone, clip(mean + green)],
    [6 + zone, clip(mean - warm / 2)],
  ]);
}
