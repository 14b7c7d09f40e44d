/** Histograms: of the signals, of luma, of hue and of saturation. */

import { lumaOf } from "../shared/compare";
import { levelText } from "../shared/units";
import {
  begin,
  empty,
  frameBrush,
  LABEL,
  LEVEL_HIGH,
  LEVEL_LOW,
  LEVELS,
  type Marks,
  RULE,
  ring,
  SIGNALS,
  TRACE,
} from "./canvas";
import type { Densities } from "./densities";
import type { Settings, View } from "./settings";

const SPIKE = 0.97;
const LEFT = 14;
const RIGHT = 6;
const HUE_BINS = 180;
const SATURATION_BINS = 128;

/** Bands one above the other: three for the signals apart, otherwise one. */
export const bands = (settings: Settings) => (settings.histogram === "R G B" ? 3 : 1);
/** Whether the axis along the histogram is the level. */
export const isLevel = (settings: Settings) =>
  settings.histogram !== "hue" && settings.histogram !== "saturation";

export const levelX = (percent: number, width: number, view: View) =>
  LEFT + ((percent - view.low) / (view.high - view.low)) * (width - LEFT - RIGHT);
export const xLevel = (x: number, width: number, view: View) =>
  view.low + ((x - LEFT) / (width - LEFT - RIGHT)) * (view.high - view.low);

/** The foot and the height of a band, in CSS pixels; where the histogram stands, red is the leftmost. */
export function bandBox(height: number, band: number, settings: Settings): { bottom: number; tall: number } {
  const count = bands(settings);
  const place = settings.vertical ? count - 1 - band : band;
  // One band leaves room for the names of its axis.
  const foot = count === 1 ? 22 : 10;
  const each = (height - 8) / count;
  return { bottom: Math.round(6 + (place + 1) * each - foot), tall: each - foot - 8 };
}

/** The band at a height. */
export function bandAt(y: number, height: number, settings: Settings): number {
  const among = [0, 1, 2].slice(0, bands(settings));
  const below = among.filter((band) => y <= bandBox(height, band, settings).bottom + 8);
  const nearest = (a: number, b: number) =>
    bandBox(height, b, settings).bottom < bandBox(height, a, settings).bottom ? b : a;
  return below.length > 0 ? below.reduce(nearest) : among[among.length - 1];
}

interface Shape {
  bins: Float32Array;
  /** The axis' values at the first bin's lower and the last bin's upper edge. */
  from: number;
  to: number;
  colour: string;
}

const rgb = (c: number) => `rgb(${TRACE[c].join(",")})`;

function signal(densities: Densities, c: number): Shape {
  const count = densities.histogram.length / 3;
  return {
    bins: Float32Array.from(densities.histogram.subarray(c * count, (c + 1) * count)),
    from: LEVEL_LOW,
    to: LEVEL_HIGH,
    colour: rgb(c),
  };
}

function luma(densities: Densities): Shape {
  const bins = new Float32Array(LEVELS);
  for (let i = 0; i < densities.waveform.length; i++) bins[i % LEVELS] += densities.waveform[i];
  return { bins, from: LEVEL_LOW, to: LEVEL_HIGH, colour: "rgb(225,225,225)" };
}

/** Hue and saturation come from the vectorscope's counts. */
function polar(densities: Densities, what: "hue" | "saturation"): Shape {
  const bins = new Float32Array(what === "hue" ? HUE_BINS : SATURATION_BINS);
  for (let i = 0; i < densities.vector.length; i++) {
    const count = densities.vector[i];
    if (count === 0) continue;
    const cb = ((i & 255) + 0.5) / 256 - 0.5;
    const cr = 0.5 - ((i >> 8) + 0.5) / 256;
    const chroma = Math.hypot(cb, cr) * 1.25;
    // Hues of what has hardly any are noise.
    if (what === "hue") {
      if (chroma < 0.02) continue;
      const turn = (Math.atan2(cr, cb) / (2 * Math.PI) + 1) % 1;
      bins[Math.floor(turn * HUE_BINS) % HUE_BINS] += count;
    } else bins[Math.min(Math.floor((chroma / 0.6) * SATURATION_BINS), SATURATION_BINS - 1)] += count;
  }
  return { bins, from: 0, to: what === "hue" ? 360 : 60, colour: "rgb(225,225,225)" };
}

function shapes(densities: Densities, settings: Settings, band: number): Shape[] {
  if (settings.histogram === "R G B") return [signal(densities, band)];
  if (settings.histogram === "R+G+B") return [0, 1, 2].map((c) => signal(densities, c));
  if (settings.histogram === "luma") return [luma(densities)];
  return [polar(densities, settings.histogram)];
}

/** Share of the pixels in each bin, smoothed over neighbours unless it is to be exact. */
function heights(shape: Shape, pixels: number, settings: Settings): Float32Array {
  const { bins } = shape;
  const out = new Float32Array(bins.length);
  for (let i = 0; i < bins.length; i++) {
    const mean = settings.unsmoothed
      ? bins[i]
      : (bins[Math.max(i - 1, 0)] + 2 * bins[i] + bins[Math.min(i + 1, bins.length - 1)]) / 4;
    const share = (mean / Math.max(pixels, 1)) * bins.length;
    out[i] = settings.logarithmic ? Math.log10(1 + 99 * share) : share;
  }
  return out;
}

/** The scale's top: a high percentile, so that one spike does not flatten the rest. */
function ceiling(values: Float32Array): number {
  const sorted = Array.from(values)
    .filter((value) => value > 0.01)
    .sort((a, b) => a - b);
  return sorted.length ? Math.max(sorted[Math.floor((sorted.length - 1) * SPIKE)], 0.3) : 1;
}

export function drawHistogram(
  canvas: HTMLCanvasElement,
  settings: Settings,
  output: string,
  now: Densities | null,
  referenceTrace: Densities | null,
  marks: Marks,
) {
  const { context, width: wide, height: high } = begin(canvas);
  if (!now) return empty(context, wide, high);
  const [width, height] = settings.vertical ? [high, wide] : [wide, high];
  if (settings.vertical) context.transform(0, -1, -1, 0, wide, high);
  const count = bands(settings);
  for (let band = 0; band < count; band++) {
    const { bottom, tall } = bandBox(height, band, settings);
    const drawn = shapes(now, settings, band);
    const view: View = isLevel(settings) ? settings.view : { low: drawn[0].from, high: drawn[0].to };
    const x = (value: number) => levelX(value, width, view);
    axis(context, settings, output, view, x, bottom, tall, band === count - 1);
    const values = drawn.map((shape) => heights(shape, now.pixels, settings));
    const top = Math.max(...values.map(ceiling));
    drawn.forEach((shape, i) => {
      context.fillStyle = shape.colour;
      context.globalAlpha = (drawn.length > 1 ? 0.55 : 0.8) * (now.brushed ? 0.35 : 1);
      trace(context, values[i], shape, top, x, bottom, tall, view);
      context.closePath();
      context.fill();
      context.globalAlpha = 1;
    });
    if (now.brushed)
      shapes(now.brushed, settings, band).forEach((shape) => {
        context.fillStyle = shape.colour;
        // On the whole picture's scale, so that the part is seen as a part.
        trace(context, heights(shape, now.pixels, settings), shape, top, x, bottom, tall, view);
        context.closePath();
        context.fill();
      });
    if (referenceTrace)
      shapes(referenceTrace, settings, band).forEach((shape) => {
        context.strokeStyle = drawn.length > 1 ? shape.colour : "#e0e0e0";
        trace(context, heights(shape, referenceTrace.pixels, settings), shape, top, x, bottom, tall, view);
        context.stroke();
      });
    if (count === 3) {
      context.fillStyle = LABEL;
      context.textAlign = "left";
      write(context, settings, "RGB"[band], 2, bottom - 4);
    }
    if (isLevel(settings)) drawMarks(context, settings, band, x, bottom, tall, marks);
  }
}

/** Text at a place, upright even where the histogram stands. */
function write(context: CanvasRenderingContext2D, settings: Settings, text: string, x: number, y: number) {
  if (!settings.vertical) return context.fillText(text, x, y);
  context.save();
  context.translate(x, y);
  context.transform(0, -1, -1, 0, 0, 0);
  context.fillText(text, 0, 0);
  context.restore();
}

function axis(
  context: CanvasRenderingContext2D,
  settings: Settings,
  output: string,
  view: View,
  x: (value: number) => number,
  bottom: number,
  tall: number,
  named: boolean,
) {
  const at = isLevel(settings)
    ? [0, 50, 100]
    : settings.histogram === "hue"
      ? [0, 90, 180, 270]
      : [0, 20, 40, 60];
  for (const value of at) {
    if (value < view.low || value > view.high) continue;
    context.strokeStyle = value === 0 || value === 100 ? "#5a5a5a" : RULE;
    context.lineWidth = 1;
    context.beginPath();
    context.moveTo(Math.round(x(value)) + 0.5, bottom - tall);
    context.lineTo(Math.round(x(value)) + 0.5, bottom);
    context.stroke();
    if (!named) continue;
    context.fillStyle = LABEL;
    context.textAlign = "center";
    const text = isLevel(settings)
      ? levelText(value, settings.unit, output).replace(/\.0+$/, "")
      : `${value}${settings.histogram === "hue" ? "°" : " %"}`;
    if (settings.histogram !== "R G B") write(context, settings, text, x(value), bottom + 14);
  }
}

function drawMarks(
  context: CanvasRenderingContext2D,
  settings: Settings,
  band: number,
  x: (value: number) => number,
  bottom: number,
  tall: number,
  marks: Marks,
) {
  const apart = settings.histogram === "R G B";
  for (let zone = 0; zone < 3; zone++) {
    const of = (readings: number[]) => (apart ? readings[band * 3 + zone] : lumaOf(readings, zone));
    if (marks.readings && marks.grips) {
      const held = marks.held === (apart ? `r${band * 3 + zone}` : `z${zone}`);
      standing(context, x(of(marks.readings)), bottom, tall, held);
    }
    if (marks.reference) {
      const aim = x(of(marks.reference));
      context.strokeStyle = "#f4f4f4";
      context.lineWidth = 1.2;
      context.beginPath();
      context.moveTo(aim - 4, bottom - tall - 7);
      context.lineTo(aim, bottom - tall);
      context.lineTo(aim + 4, bottom - tall - 7);
      context.closePath();
      context.stroke();
    }
  }
  for (const marker of marks.markers) {
    if (marker.level === null || marker.level === undefined) continue;
    const at = Math.round(x(marker.level)) + 0.5;
    context.strokeStyle = "#b8b8b8";
    context.setLineDash([6, 4]);
    context.beginPath();
    context.moveTo(at, bottom - tall);
    context.lineTo(at, bottom);
    context.stroke();
    context.setLineDash([]);
    if (band > 0) continue;
    context.textAlign = "left";
    context.fillStyle = "#d8d8d8";
    write(context, settings, marker.name, at + 3, bottom - tall + 2);
  }
  for (const point of marks.points ?? [])
    if (apart ? point.channel === SIGNALS[band] : point.channel === "all")
      standing(context, x(point.percent), bottom, tall, marks.held === point.name);
  if (marks.point) {
    const { red, green, blue, luma } = marks.point;
    const values = apart
      ? [[red, green, blue][band]]
      : settings.histogram === "luma"
        ? [luma]
        : [red, green, blue];
    for (const value of values) ring(context, x(value), bottom - 4);
  }
  for (const brush of marks.brushes)
    if (brush.kind === "level" && brush.signal === (apart ? SIGNALS[band] : "luma"))
      frameBrush(context, x(brush.low), bottom - tall, x(brush.high), bottom);
}

/** A grip that stands below the histogram, with a line upwards. */
function standing(
  context: CanvasRenderingContext2D,
  at: number,
  bottom: number,
  tall: number,
  held: boolean,
) {
  context.strokeStyle = held ? "#ffffff" : "rgba(244,244,244,0.4)";
  context.beginPath();
  context.moveTo(Math.round(at) + 0.5, bottom - tall);
  context.lineTo(Math.round(at) + 0.5, bottom);
  context.stroke();
  context.fillStyle = "#f4f4f4";
  context.fillRect(at - 3, bottom, 6, 8);
  context.fillStyle = "#141414";
  context.fillRect(at - 0.5, bottom + 2, 1, 4);
}

function trace(
  context: CanvasRenderingContext2D,
  values: Float32Array,
  shape: Shape,
  top: number,
  x: (value: number) => number,
  bottom: number,
  tall: number,
  view: View,
) {
  context.beginPath();
  context.moveTo(x(view.low), bottom);
  for (let i = 0; i < values.length; i++) {
    const value = shape.from + ((i + 0.5) / values.length) * (shape.to - shape.from);
    if (value < view.low || value > view.high) continue;
    context.lineTo(x(value), bottom - Math.min(1, values[i] / top) * tall);
  }
  context.lineTo(x(view.high), bottom);
}
