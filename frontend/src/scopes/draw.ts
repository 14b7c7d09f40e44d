/** Drawing scopes from densities on a canvas. Vertical scale -7 % to 109 %. */
import type { Densities } from "./densities";

export const LOW = -7;
export const HIGH = 109;
const LEVELS = 256;
const WELL = "#141414";
const RULE = "#3c3c3c";
const LABEL = "#9a9a9a";
const FONT = '10px "Atkinson Hyperlegible Mono", monospace';
export const LEFT = 24;
export const RIGHT = 10;

/** Trace colours: the signals' own, lightened so that all three read alike on the dark well. */
export const TRACE = [
  [255, 106, 92],
  [92, 222, 120],
  [108, 152, 255],
] as const;
const WHITE = [240, 240, 240] as const;
const GHOST = [150, 150, 150] as const;

type Counts = Uint16Array | Uint32Array;
type Colour = readonly [number, number, number];

export const levelY = (percent: number, height: number) => height * (1 - (percent - LOW) / (HIGH - LOW));
export const yLevel = (y: number, height: number) => LOW + (1 - y / height) * (HIGH - LOW);

/** Fit a canvas to its box at the screen's density and clear it; gives width and height in CSS pixels. */
function begin(canvas: HTMLCanvasElement): {
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

function scratchImage(width: number, height: number) {
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
function brightness(full: number): Uint8Array {
  const table = new Uint8Array(1024);
  for (let i = 1; i < 1024; i++)
    table[i] = Math.min(255, 70 + 185 * (1 - Math.exp((-i / 1024) * (1024 / full))));
  return table;
}

/** Lay counts [column][level] into a scratch image, adding light. */
function layColumns(
  data: Uint8ClampedArray,
  stride: number,
  first: number,
  counts: Counts,
  offset: number,
  columns: number,
  colour: Colour,
  table: Uint8Array,
  strength: number,
) {
  for (let column = 0; column < columns; column++) {
    const base = offset + column * LEVELS;
    for (let level = 0; level < LEVELS; level++) {
      const count = counts[base + level];
      if (count === 0) continue;
      const light = (table[count > 1023 ? 1023 : count] * strength) / 255;
      const at = ((LEVELS - 1 - level) * stride + first + column) * 4;
      data[at] = Math.max(data[at], colour[0] * light);
      data[at + 1] = Math.max(data[at + 1], colour[1] * light);
      data[at + 2] = Math.max(data[at + 2], colour[2] * light);
      data[at + 3] = 255;
    }
  }
}

function ruleLevels(
  context: CanvasRenderingContext2D,
  left: number,
  right: number,
  height: number,
  named = true,
) {
  context.fillStyle = LABEL;
  context.textAlign = "right";
  for (const percent of [0, 25, 50, 75, 100]) {
    const y = Math.round(levelY(percent, height)) + 0.5;
    context.strokeStyle = percent % 100 === 0 ? "#6a6a6a" : RULE;
    context.lineWidth = 1;
    context.beginPath();
    context.moveTo(left, y);
    context.lineTo(right, y);
    context.stroke();
    if (named) context.fillText(String(percent), left - 4, y);
  }
}

/** A grip: a white block at the trace's left edge with a line across. */
function grip(context: CanvasRenderingContext2D, x: number, right: number, y: number, held: boolean) {
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

/** A notch: a hollow arrowhead at the trace's right edge. */
function notch(context: CanvasRenderingContext2D, x: number, y: number) {
  context.strokeStyle = "#f4f4f4";
  context.lineWidth = 1.2;
  context.beginPath();
  context.moveTo(x - 1, y - 4.5);
  context.lineTo(x + 6.5, y);
  context.lineTo(x - 1, y + 4.5);
  context.closePath();
  context.stroke();
}

export interface Marks {
  readings: number[] | null;
  reference: number[] | null;
  held: number | null;
  point: { x: number; red: number; green: number; blue: number; luma: number } | null;
}

/** Where channel `c` of the parade lies, in CSS pixels. */
export function paradeSpan(width: number, c: number): [left: number, right: number] {
  const gap = 12;
  const each = (width - LEFT - RIGHT - 2 * gap) / 3;
  const left = LEFT + c * (each + gap);
  return [left, left + each];
}

export function drawParade(
  canvas: HTMLCanvasElement,
  now: Densities | null,
  ghost: Densities | null,
  marks: Marks,
) {
  const { context, width, height } = begin(canvas);
  context.imageSmoothingEnabled = true;
  for (let c = 0; c < 3; c++) {
    const [left, right] = paradeSpan(width, c);
    ruleLevels(context, left, right, height, c === 0);
    if (now) {
      const { canvas: piece, image, context: inner } = scratchImage(now.columns, LEVELS);
      const table = brightness(now.pixels / now.columns / 22);
      if (ghost && ghost.columns === now.columns) {
        const ghostTable = brightness(ghost.pixels / ghost.columns / 22);
        layColumns(
          image.data,
          now.columns,
          0,
          ghost.parade,
          c * now.columns * LEVELS,
          now.columns,
          GHOST,
          ghostTable,
          0.5,
        );
      }
      layColumns(
        image.data,
        now.columns,
        0,
        now.parade,
        c * now.columns * LEVELS,
        now.columns,
        TRACE[c],
        table,
        1,
      );
      inner.putImageData(image, 0, 0);
      context.drawImage(piece, left, 0, right - left, height);
    }
    for (let zone = 0; zone < 3; zone++) {
      const index = c * 3 + zone;
      if (marks.reference) notch(context, right + 1, levelY(marks.reference[index], height));
      if (marks.readings)
        grip(context, left - 2, right, levelY(marks.readings[index], height), marks.held === index);
    }
    if (marks.point) {
      const value = [marks.point.red, marks.point.green, marks.point.blue][c];
      ring(context, left + marks.point.x * (right - left), levelY(value, height));
    }
  }
  if (!now) empty(context, width, height);
}

export function drawWaveform(
  canvas: HTMLCanvasElement,
  now: Densities | null,
  ghost: Densities | null,
  marks: Marks,
) {
  const { context, width, height } = begin(canvas);
  const left = LEFT;
  const right = width - RIGHT;
  ruleLevels(context, left, right, height);
  if (!now) return empty(context, width, height);
  const { canvas: piece, image, context: inner } = scratchImage(now.columns, LEVELS);
  if (ghost && ghost.columns === now.columns)
    layColumns(
      image.data,
      now.columns,
      0,
      ghost.waveform,
      0,
      now.columns,
      GHOST,
      brightness(ghost.pixels / ghost.columns / 16),
      0.5,
    );
  layColumns(
    image.data,
    now.columns,
    0,
    now.waveform,
    0,
    now.columns,
    WHITE,
    brightness(now.pixels / now.columns / 16),
    1,
  );
  inner.putImageData(image, 0, 0);
  context.drawImage(piece, left, 0, right - left, height);
  for (let zone = 0; zone < 3; zone++) {
    const of = (readings: number[]) =>
      0.2126 * readings[zone] + 0.7152 * readings[3 + zone] + 0.0722 * readings[6 + zone];
    if (marks.reference) notch(context, right + 1, levelY(of(marks.reference), height));
    if (marks.readings)
      grip(context, left - 2, right, levelY(of(marks.readings), height), marks.held === 10 + zone);
  }
  if (marks.point) ring(context, left + marks.point.x * (right - left), levelY(marks.point.luma, height));
}

function ring(context: CanvasRenderingContext2D, x: number, y: number) {
  context.strokeStyle = "#000";
  context.lineWidth = 3;
  context.beginPath();
  context.arc(x, y, 5, 0, 2 * Math.PI);
  context.stroke();
  context.strokeStyle = "#fff";
  context.lineWidth = 1.4;
  context.stroke();
}

function empty(context: CanvasRenderingContext2D, width: number, height: number) {
  context.fillStyle = LABEL;
  context.textAlign = "center";
  context.fillText("nothing measured yet", width / 2, height / 2);
}

const VECTOR = 256;
const VECTOR_HALF = 0.625;
const HUES: [string, number, number, number][] = [
  ["R", 1, 0, 0],
  ["Y", 1, 1, 0],
  ["G", 0, 1, 0],
  ["C", 0, 1, 1],
  ["B", 0, 0, 1],
  ["M", 1, 0, 1],
];

function plane(red: number, green: number, blue: number): [cb: number, cr: number] {
  const luma = 0.2126 * red + 0.7152 * green + 0.0722 * blue;
  return [(blue - luma) / 1.8556, (red - luma) / 1.5748];
}

export function drawVectorscope(
  canvas: HTMLCanvasElement,
  now: Densities | null,
  ghost: Densities | null,
  gain: number,
  point: { cb: number; cr: number } | null,
) {
  const { context, width, height } = begin(canvas);
  const radius = Math.min(width, height) / 2 - 10;
  const cx = width / 2;
  const cy = height / 2;
  const scale = (radius / 0.55) * gain;
  if (now) {
    const { canvas: piece, image, context: inner } = scratchImage(VECTOR, VECTOR);
    const lay = (counts: Uint32Array, pixels: number, colour: Colour | null, strength: number) => {
      const table = brightness(pixels / 9000);
      for (let i = 0; i < counts.length; i++) {
        const count = counts[i];
        if (count === 0) continue;
        const light = (table[count > 1023 ? 1023 : count] * strength) / 255;
        const [r, g, b] = colour ?? hueColour(i);
        image.data[i * 4] = Math.max(image.data[i * 4], r * light);
        image.data[i * 4 + 1] = Math.max(image.data[i * 4 + 1], g * light);
        image.data[i * 4 + 2] = Math.max(image.data[i * 4 + 2], b * light);
        image.data[i * 4 + 3] = 255;
      }
    };
    if (ghost) lay(ghost.vector, ghost.pixels, GHOST, 0.45);
    lay(now.vector, now.pixels, null, 1);
    inner.putImageData(image, 0, 0);
    const half = VECTOR_HALF * scale;
    context.save();
    context.beginPath();
    context.arc(cx, cy, radius + 8, 0, 2 * Math.PI);
    context.clip();
    context.drawImage(piece, cx - half, cy - half, 2 * half, 2 * half);
    context.restore();
  }
  context.lineWidth = 1;
  context.strokeStyle = RULE;
  for (const part of [0.25, 0.5, 0.75, 1]) {
    context.beginPath();
    context.arc(cx, cy, radius * part, 0, 2 * Math.PI);
    context.stroke();
  }
  context.beginPath();
  context.moveTo(cx - radius, cy);
  context.lineTo(cx + radius, cy);
  context.moveTo(cx, cy - radius);
  context.lineTo(cx, cy + radius);
  context.stroke();
  const skin = (123 * Math.PI) / 180;
  context.strokeStyle = LABEL;
  context.setLineDash([4, 3]);
  context.beginPath();
  context.moveTo(cx, cy);
  context.lineTo(cx + radius * Math.cos(skin), cy - radius * Math.sin(skin));
  context.stroke();
  context.setLineDash([]);
  context.fillStyle = LABEL;
  context.textAlign = "center";
  context.fillText("skin", cx + (radius + 1) * Math.cos(skin) - 12, cy - (radius + 1) * Math.sin(skin) + 4);
  for (const [name, red, green, blue] of HUES) {
    const [cb, cr] = plane(0.75 * red, 0.75 * green, 0.75 * blue);
    const x = cx + cb * scale;
    const y = cy - cr * scale;
    if (Math.hypot(x - cx, y - cy) > radius + 6) continue;
    context.strokeStyle = LABEL;
    context.strokeRect(x - 3.5, y - 3.5, 7, 7);
    context.fillText(name, x + (cb > 0 ? 10 : -10), y);
  }
  if (point) ring(context, cx + point.cb * scale, cy - point.cr * scale);
  if (!now) empty(context, width, height);
}

const hueColours = new Map<number, Colour>();

/** The colour of a place on the vectorscope, at a middling luma. */
function hueColour(index: number): Colour {
  let found = hueColours.get(index);
  if (!found) {
    const cb = ((index % VECTOR) / VECTOR) * 2 * VECTOR_HALF - VECTOR_HALF;
    const cr = VECTOR_HALF - (Math.floor(index / VECTOR) / VECTOR) * 2 * VECTOR_HALF;
    const size = Math.max(Math.hypot(cb, cr), 0.02);
    const [u, v] = [(cb / size) * 0.22, (cr / size) * 0.22];
    const mix = Math.min(1, size / 0.1);
    const luma = 0.72;
    const channel = (value: number) => Math.max(60, Math.min(255, 255 * (luma + mix * value)));
    found = [
      channel(1.5748 * v),
      channel((-0.2126 * 1.5748 * v - 0.0722 * 1.8556 * u) / 0.7152),
      channel(1.8556 * u),
    ];
    hueColours.set(index, found);
  }
  return found;
}

export function drawHistogram(
  canvas: HTMLCanvasElement,
  now: Densities | null,
  ghost: Densities | null,
  marks: Marks,
) {
  const { context, width, height } = begin(canvas);
  if (!now) return empty(context, width, height);
  const bins = now.histogram.length / 4;
  const left = 14;
  const right = width - 6;
  const x = (percent: number) => left + ((percent - LOW) / (HIGH - LOW)) * (right - left);
  const band = (height - 8) / 3;
  for (let c = 0; c < 3; c++) {
    const bottom = Math.round(6 + (c + 1) * band - 8);
    const tall = band - 16;
    context.strokeStyle = "#6a6a6a";
    context.lineWidth = 1;
    for (const percent of [0, 50, 100]) {
      context.strokeStyle = percent === 50 ? RULE : "#5a5a5a";
      context.beginPath();
      context.moveTo(Math.round(x(percent)) + 0.5, bottom - tall);
      context.lineTo(Math.round(x(percent)) + 0.5, bottom);
      context.stroke();
    }
    const shape = smoothed(now.histogram, c, bins, now.pixels);
    const top = ceiling(shape);
    context.fillStyle = `rgb(${TRACE[c].join(",")})`;
    context.globalAlpha = 0.8;
    outline(context, shape, top, bins, x, bottom, tall);
    context.closePath();
    context.fill();
    context.globalAlpha = 1;
    if (ghost) {
      context.strokeStyle = "#e0e0e0";
      outline(context, smoothed(ghost.histogram, c, bins, ghost.pixels), top, bins, x, bottom, tall);
      context.stroke();
    }
    context.fillStyle = LABEL;
    context.textAlign = "left";
    context.fillText("RGB"[c], 2, bottom - 4);
    if (marks.readings) {
      for (let zone = 0; zone < 3; zone++) {
        const at = x(marks.readings[c * 3 + zone]);
        context.fillStyle = "#f4f4f4";
        context.fillRect(at - 2.5, bottom + 1, 5, 5);
        if (marks.reference) {
          const aim = x(marks.reference[c * 3 + zone]);
          context.strokeStyle = "#f4f4f4";
          context.beginPath();
          context.moveTo(aim - 3, bottom + 8);
          context.lineTo(aim, bottom + 2);
          context.lineTo(aim + 3, bottom + 8);
          context.stroke();
        }
      }
    }
  }
}

function smoothed(counts: Uint32Array, channel: number, bins: number, pixels: number): Float32Array {
  const out = new Float32Array(bins);
  for (let i = 0; i < bins; i++) {
    const at = channel * bins + i;
    out[i] =
      ((counts[at] * 2 + (counts[at - (i > 0 ? 1 : 0)] + counts[at + (i < bins - 1 ? 1 : 0)])) / 4 / pixels) *
      bins;
  }
  return out;
}

/** The scale's top: a high percentile, so that one spike does not flatten the rest. */
function ceiling(shape: Float32Array): number {
  const sorted = Array.from(shape)
    .filter((v) => v > 0.01)
    .sort((a, b) => a - b);
  return sorted.length ? Math.max(sorted[Math.floor(sorted.length * 0.97)], 0.5) : 1;
}

function outline(
  context: CanvasRenderingContext2D,
  shape: Float32Array,
  top: number,
  bins: number,
  x: (percent: number) => number,
  bottom: number,
  tall: number,
) {
  context.beginPath();
  context.moveTo(x(LOW), bottom);
  for (let i = 0; i < bins; i++) {
    const percent = ((i + 0.5) / bins) * 125 - 12.5;
    if (percent < LOW || percent > HIGH) continue;
    context.lineTo(x(percent), bottom - Math.min(1, shape[i] / top) * tall);
  }
  context.lineTo(x(HIGH), bottom);
}
