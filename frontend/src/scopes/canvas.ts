/** What every scope draws with: a canvas at the screen's density, levels, grips, notches, rings. */
import type { View } from "./settings";

export const LEVELS = 256;
export const WELL = "#141414";
export const RULE = "#3c3c3c";
export const LABEL = "#9a9a9a";
const FONT = '10px "Atkinson Hyperlegible Mono", monospace';
export const LEFT = 30;
export const RIGHT = 10;

/** Percent at the lower edge of a scope's lowest level, and above its highest. */
export const LEVEL_LOW = -12.5;
export const LEVEL_HIGH = 112.5;

/** Trace colours: the signals' own, lightened so that all three read alike on the dark well. */
export const TRACE = [
  [255, 106, 92],
  [92, 222, 120],
  [108, 152, 255],
] as const;
export const WHITE = [240, 240, 240] as const;
export const REFERENCE_TRACE = [150, 150, 150] as const;
export type Colour = readonly [number, number, number];

export const levelY = (percent: number, height: number, view: View) =>
  height * (1 - (percent - view.low) / (view.high - view.low));
export const yLevel = (y: number, height: number, view: View) =>
  view.low + (1 - y / height) * (view.high - view.low);

/** What is marked on the scopes beside the densities. */
export interface Marks {
  readings: number[] | null;
  reference: number[] | null;
  /** Readings that could not be met. */
  missed: number[];
  held: string | null;
  point: Point | null;
  brushes: Brush[];
  /** Points of curves, in the place of the readings' grips, while a step of curves is current. */
  points: PointMark[] | null;
  /** Spokes, in the place of the vectorscope's grips, while a step of hue turns is current. */
  spokes: SpokeMark[] | null;
  markers: MarkerMark[];
  /** Whether the readings' grips are drawn: the current step can move them. */
  grips: boolean;
}

/** A marker: a level in percent, or a point of the vectorscope. */
export interface MarkerMark {
  name: string;
  level?: number | null;
  cb?: number | null;
  cr?: number | null;
}

/** A point of a curve at the percent at which it is shown. */
export interface PointMark {
  name: string;
  channel: "all" | "red" | "green" | "blue";
  percent: number;
}

/** A spoke: the directions of its hue and of where it is turned to, in degrees from +Cb, and how far it reaches. */
export interface SpokeMark {
  name: string;
  hue: number;
  turned: number;
  sides: [number, number];
  colour: number;
  inHand: boolean;
}

export interface Point {
  x: number;
  red: number;
  green: number;
  blue: number;
  luma: number;
  hue: number;
  chroma: number;
}

export interface LevelBrush {
  kind: "level";
  signal: "red" | "green" | "blue" | "luma";
  low: number;
  high: number;
  left: number;
  right: number;
}

export interface PlaneBrush {
  kind: "plane";
  cb: [number, number];
  cr: [number, number];
}

export type Brush = LevelBrush | PlaneBrush;
export const SIGNALS = ["red", "green", "blue"] as const;

/** Fit a canvas to its box at the screen's density and clear it; gives width and height in CSS pixels. */
export function begin(canvas: HTMLCanvasElement): {
  context: CanvasRenderingContext2D;
  width: number;
  height: number;
} {
  const ratio = window.devicePixelRatio || 1;
  const width = canvas.clientWidth;
  const height = canvas.clientHeight;
  const wanted = [Math.round(width * ratio), Math.round(height * ratio)];
  if (canvas.width !== wanted[0] || canvas.height !== wanted[1]) {
    canvas.width = wanted[0];
    canvas.height = wanted[1];
  }
  const context = canvas.getContext("2d", { alpha: false }) as CanvasRenderingContext2D;
  context.setTransform(ratio, 0, 0, ratio, 0, 0);
  context.fillStyle = WELL;
  context.fillRect(0, 0, width, height);
  context.font = FONT;
  context.textBaseline = "middle";
  return { context, width, height };
}

const scratch = new Map<
  string,
  { canvas: HTMLCanvasElement; image: ImageData; context: CanvasRenderingContext2D }
>();

export function scratchImage(width: number, height: number) {
  const key = `${width}x${height}`;
  let found = scratch.get(key);
  if (!found) {
    const canvas = document.createElement("canvas");
    canvas.width = width;
    canvas.height = height;
    const context = canvas.getContext("2d") as CanvasRenderingContext2D;
    found = { canvas, context, image: context.createImageData(width, height) };
    scratch.set(key, found);
  }
  found.image.data.fill(0);
  return found;
}

/** Brightness of a count: soft, so that single pixels are seen and crowds do not burn out. */
export function brightness(full: number): Uint8Array {
  const table = new Uint8Array(1024);
  for (let i = 1; i < 1024; i++)
    table[i] = Math.min(255, 70 + 185 * (1 - Math.exp((-i / 1024) * (1024 / full))));
  return table;
}

/** A grip: a white block at the trace's left edge with a line across. */
export function grip(context: CanvasRenderingContext2D, x: number, right: number, y: number, held: boolean) {
  context.strokeStyle = held ? "#ffffff" : "rgba(244,244,244,0.55)";
  context.lineWidth = 1;
  context.beginPath();
  context.moveTo(x + 8, Math.round(y) + 0.5);
  context.lineTo(right, Math.round(y) + 0.5);
  context.stroke();
  context.fillStyle = "#f4f4f4";
  context.fillRect(x, y - 3, 8, 6);
  context.fillStyle = WELL;
  context.fillRect(x + 2, y - 0.5, 4, 1);
}

/** A marker's line across a lane, its name above its right end. */
export function markerLine(
  context: CanvasRenderingContext2D,
  left: number,
  right: number,
  y: number,
  name: string | null,
) {
  context.strokeStyle = "#b8b8b8";
  context.lineWidth = 1;
  context.setLineDash([6, 4]);
  context.beginPath();
  context.moveTo(left, Math.round(y) + 0.5);
  context.lineTo(right, Math.round(y) + 0.5);
  context.stroke();
  context.setLineDash([]);
  if (name === null) return;
  context.textAlign = "right";
  context.fillStyle = WELL;
  const wide = context.measureText(name).width;
  context.fillRect(right - wide - 2, y - 13, wide + 3, 11);
  context.fillStyle = "#d8d8d8";
  context.fillText(name, right, y - 7);
}

/** The sign of a reading that stays off: an exclamation mark beside its grip. */
export function unmet(context: CanvasRenderingContext2D, x: number, y: number) {
  context.fillStyle = "#f4f4f4";
  context.textAlign = "left";
  context.fillText("!", x + 9, y - 6);
}

/** A notch: a hollow arrowhead at the trace's right edge. */
export function notch(context: CanvasRenderingContext2D, x: number, y: number) {
  context.strokeStyle = "#f4f4f4";
  context.lineWidth = 1.2;
  context.beginPath();
  context.moveTo(x - 1, y - 4.5);
  context.lineTo(x + 6.5, y);
  context.lineTo(x - 1, y + 4.5);
  context.closePath();
  context.stroke();
}

/** Lines at round levels, named at the left edge in the unit chosen. */
export function ruleLevels(
  context: CanvasRenderingContext2D,
  left: number,
  right: number,
  height: number,
  view: View,
  name: ((percent: number) => string) | null,
) {
  const reach = view.high - view.low;
  const step = reach > 70 ? 25 : reach > 30 ? 10 : reach > 12 ? 5 : 1;
  context.fillStyle = LABEL;
  context.textAlign = "right";
  for (let percent = Math.ceil(view.low / step) * step; percent <= view.high; percent += step) {
    const y = Math.round(levelY(percent, height, view)) + 0.5;
    context.strokeStyle = percent === 0 || percent === 100 ? "#6a6a6a" : RULE;
    context.lineWidth = 1;
    context.beginPath();
    context.moveTo(left, y);
    context.lineTo(right, y);
    context.stroke();
    if (name && y > 4 && y < height - 4) context.fillText(name(percent), left - 4, y);
  }
}

export function ring(context: CanvasRenderingContext2D, x: number, y: number) {
  context.strokeStyle = "#000";
  context.lineWidth = 3;
  context.beginPath();
  context.arc(x, y, 5, 0, 2 * Math.PI);
  context.stroke();
  context.strokeStyle = "#fff";
  context.lineWidth = 1.4;
  context.stroke();
}

export function empty(context: CanvasRenderingContext2D, width: number, height: number) {
  context.fillStyle = LABEL;
  context.textAlign = "center";
  context.fillText("nothing measured yet", width / 2, height / 2);
}

/** A brushed range: a framed rectangle. */
export function frameBrush(
  context: CanvasRenderingContext2D,
  left: number,
  top: number,
  right: number,
  bottom: number,
) {
  context.strokeStyle = "#f4f4f4";
  context.lineWidth = 1;
  context.setLineDash([3, 2]);
  context.strokeRect(Math.round(left) + 0.5, Math.round(top) + 0.5, right - left, bottom - top);
  context.setLineDash([]);
}

/** How strongly a trace is drawn: the brushed part stands out from the rest. */
export const strengthBeside = (brushed: unknown) => (brushed ? 0.3 : 1);
