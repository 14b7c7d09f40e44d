/** The unit that levels are shown and typed in. Inside, a level is a percentage of the output signal. */
export const UNITS = ["%", "code", "cd/m²"] as const;
export type Unit = (typeof UNITS)[number];

/** SMPTE ST 2084: signal 0..1 to cd/m². */
function pq(signal: number): number {
  const power = Math.max(signal, 0) ** (1 / 78.84375);
  return 10000 * (Math.max(power - 0.8359375, 0) / (18.8515625 - 18.6875 * power)) ** (1 / 0.1593017578125);
}

function pqSignal(luminance: number): number {
  const y = (Math.max(luminance, 0) / 10000) ** 0.1593017578125;
  return ((0.8359375 + 18.8515625 * y) / (1 + 18.6875 * y)) ** 78.84375;
}

const isPq = (output: string) => output.startsWith("pq");

/** The power of a display, from signal to light: SMPTE RP 431-2 for P3, else BT.1886. */
const gammaOf = (output: string) => (output.startsWith("p3") ? 2.6 : 2.4);

/** Percent to a unit: 10-bit narrow-range code is 64 + 8.76 · %, light by the display's power or ST 2084. */
export function toUnit(percent: number, unit: Unit, output: string): number {
  if (unit === "%") return percent;
  if (unit === "code") return 64 + 8.76 * percent;
  return isPq(output) ? pq(percent / 100) : 100 * Math.max(percent / 100, 0) ** gammaOf(output);
}

export function fromUnit(value: number, unit: Unit, output: string): number {
  if (unit === "%") return value;
  if (unit === "code") return (value - 64) / 8.76;
  return 100 * (isPq(output) ? pqSignal(value) : (Math.max(value, 0) / 100) ** (1 / gammaOf(output)));
}

/** A level in a unit, with the digits that unit deserves. */
export function levelText(percent: number, unit: Unit, output: string): string {
  const value = toUnit(percent, unit, output);
  if (unit === "code") return value.toFixed(0);
  if (unit === "cd/m²") return value >= 99.95 ? value.toFixed(0) : value.toFixed(value < 1 ? 2 : 1);
  return value.toFixed(1);
}

/** A difference of two levels in a unit, signed. */
export function differenceOf(percent: number, aim: number, unit: Unit, output: string): number {
  return toUnit(percent, unit, output) - toUnit(aim, unit, output);
}
