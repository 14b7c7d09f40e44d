/** Parade and waveform: level upwards, picture column sideways. */
import { lumaOf } from "../shared/compare";
import { levelText, type Unit } from "../shared/units";
import {
  begin,
  brightness,
  type Colour,
  empty,
  frameBrush,
  grip,
  LEFT,
  LEVEL_HIGH,
  LEVEL_LOW,
  LEVELS,
  levelY,
  type Marks,
  markerLine,
  notch,
  REFERENCE_TRACE,
  RIGHT,
  ring,
  ruleLevels,
  SIGNALS,
  scratchImage,
  strengthBeside,
  TRACE,
  unmet,
  WHITE,
} from "./canvas";
import type { Counts, Densities } from "./densities";
import type { Settings, View } from "./settings";

export type LevelKind = "parade" | "waveform";
const GAP = 12;
const CHROMA_COLOURS: Colour[] = [WHITE, TRACE[2], TRACE[0]];

/** Where part `c` of `parts` lies side by side, in CSS pixels. */
export function span(width: number, c: number, parts: number): [left: number, right: number] {
  const each = (width - LEFT - RIGHT - (parts - 1) * GAP) / parts;
  const left = LEFT + c * (each + GAP);
  return [left, left + each];
}

interface Lane {
  counts: (densities: Densities) => { counts: Counts; offset: number } | null;
  colour: Colour;
}

const channel = (c: number): Lane => ({
  counts: (d) => ({ counts: d.parade, offset: c * d.columns * LEVELS }),
  colour: TRACE[c],
});
const lumaLane: Lane = { counts: (d) => ({ counts: d.waveform, offset: 0 }), colour: WHITE };
const chromaLane = (c: number): Lane => ({
  counts: (d) => (d.chroma ? { counts: d.chroma, offset: c * d.columns * LEVELS } : null),
  colour: CHROMA_COLOURS[c + 1],
});

/** The lanes side by side, each with what is laid over one another in it. */
export function lanes(kind: LevelKind, settings: Settings): Lane[][] {
  if (kind === "waveform")
    return settings.waveform === "luma" ? [[lumaLane]] : [[channel(0), channel(1), channel(2)]];
  if (settings.parade === "Y′CbCr") return [[lumaLane], [chromaLane(0)], [chromaLane(1)]];
  return [[channel(0)], [channel(1)], [channel(2)]];
}

/** Whether the three lanes are the red, green and blue signals, with grips of their own. */
export const isRgb = (kind: LevelKind, settings: Settings) =>
  kind === "parade" && settings.parade === "R′G′B′";

function layColumns(
  data: Uint8ClampedArray,
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
      const at = ((LEVELS - 1 - level) * columns + column) * 4;
      data[at] = Math.max(data[at], colour[0] * light);
      data[at + 1] = Math.max(data[at + 1], colour[1] * light);
      data[at + 2] = Math.max(data[at + 2], colour[2] * light);
      data[at + 3] = 255;
    }
  }
}

/** The levels under which 2 % and 98 % of each column lie: the reference's outline over a busy trace. */
function outline(
  context: CanvasRenderingContext2D,
  counts: Counts,
  offset: number,
  columns: number,
  left: number,
  right: number,
  height: number,
  view: View,
) {
  const step = 4;
  for (const part of [0.02, 0.98]) {
    context.beginPath();
    for (let column = 0; column + step <= columns; column += step) {
      let total = 0;
      for (let i = 0; i < step * LEVELS; i++) total += counts[offset + column * LEVELS + i];
      if (total === 0) continue;
      let below = 0;
      let level = 0;
      for (; level < LEVELS - 1 && below < part * total; level++)
        for (let c = 0; c < step; c++) below += counts[offset + (column + c) * LEVELS + level];
      const percent = LEVEL_LOW + (level / LEVELS) * (LEVEL_HIGH - LEVEL_LOW);
      const x = left + ((column + step / 2) / columns) * (right - left);
      context.lineTo(x, levelY(percent, height, view));
    }
    context.strokeStyle = "rgba(0, 0, 0, 0.8)";
    context.lineWidth = 3;
    context.stroke();
    context.strokeStyle = "#d8d8d8";
    context.lineWidth = 1;
    context.stroke();
  }
}

export function drawLevels(
  canvas: HTMLCanvasElement,
  kind: LevelKind,
  settings: Settings,
  output: string,
  now: Densities | null,
  referenceTrace: Densities | null,
  marks: Marks,
) {
  const { context, width, height } = begin(canvas);
  const { view } = settings;
  const parts = lanes(kind, settings);
  const unit: Unit = settings.unit;
  const isChroma = kind === "parade" && settings.parade === "Y′CbCr";
  // The densities' whole span, of which the view shows a part.
  const scale = height / (view.high - view.low);
  const top = (view.high - LEVEL_HIGH) * scale;
  const tall = (LEVEL_HIGH - LEVEL_LOW) * scale;
  parts.forEach((lane, c) => {
    const [left, right] = span(width, c, parts.length);
    const naming = isChroma && c > 0 ? null : (p: number) => levelText(p, unit, output).replace(/\.0+$/, "");
    ruleLevels(context, left, right, height, view, c === 0 ? naming : null);
    if (now) {
      const { canvas: piece, image, context: inner } = scratchImage(now.columns, LEVELS);
      const lay = (densities: Densities, colour: Colour | null, strength: number) => {
        for (const signal of lane) {
          const found = signal.counts(densities);
          if (!found) continue;
          const table = brightness(Math.max(densities.pixels / densities.columns / 20, 0.05));
          layColumns(
            image.data,
            found.counts,
            found.offset,
            densities.columns,
            colour ?? signal.colour,
            table,
            strength,
          );
        }
      };
      if (referenceTrace && referenceTrace.columns === now.columns)
        lay(referenceTrace, REFERENCE_TRACE, 0.45);
      lay(now, null, strengthBeside(now.brushed));
      if (now.brushed) lay(now.brushed, null, 1);
      inner.putImageData(image, 0, 0);
      context.save();
      context.beginPath();
      context.rect(left, 0, right - left, height);
      context.clip();
      context.drawImage(piece, left, top, right - left, tall);
      if (referenceTrace && lane.length === 1) {
        const found = lane[0].counts(referenceTrace);
        if (found)
          outline(context, found.counts, found.offset, referenceTrace.columns, left, right, height, view);
      }
      context.restore();
    }
    drawMarks(context, kind, settings, c, left, right, height, marks);
  });
  if (!now) empty(context, width, height);
}

function drawMarks(
  context: CanvasRenderingContext2D,
  kind: LevelKind,
  settings: Settings,
  c: number,
  left: number,
  right: number,
  height: number,
  marks: Marks,
) {
  const { view } = settings;
  const rgb = isRgb(kind, settings);
  const isLuma = kind === "waveform" || (!rgb && c === 0);
  for (let zone = 0; zone < 3 && (rgb || isLuma); zone++) {
    const of = (readings: number[]) => (rgb ? readings[c * 3 + zone] : lumaOf(readings, zone));
    const name = rgb ? `r${c * 3 + zone}` : `z${zone}`;
    if (marks.reference) notch(context, right + 1, levelY(of(marks.reference), height, view));
    if (marks.readings && marks.grips)
      grip(context, left - 2, right, levelY(of(marks.readings), height, view), marks.held === name);
    const stays = rgb
      ? marks.missed.includes(c * 3 + zone)
      : marks.missed.some((m) => m < 9 && m % 3 === zone);
    if (marks.readings && stays) unmet(context, left, levelY(of(marks.readings), height, view));
  }
  for (const marker of marks.markers)
    if (marker.level !== null && marker.level !== undefined && (rgb || isLuma))
      // Named once, where the lane ends.
      markerLine(
        context,
        left,
        right,
        levelY(marker.level, height, view),
        c === 2 || !rgb ? marker.name : null,
      );
  for (const point of marks.points ?? [])
    if (rgb ? point.channel === SIGNALS[c] : isLuma && point.channel === "all")
      grip(context, left - 2, right, levelY(point.percent, height, view), marks.held === point.name);
  for (const brush of marks.brushes)
    if (brush.kind === "level" && (rgb ? brush.signal === SIGNALS[c] : isLuma && brush.signal === "luma"))
      frameBrush(
        context,
        left + brush.left * (right - left),
        levelY(brush.high, height, view),
        left + brush.right * (right - left),
        levelY(brush.low, height, view),
      );
  if (!marks.point) return;
  const x = left + marks.point.x * (right - left);
  const { red, green, blue, luma, hue, chroma } = marks.point;
  if (rgb) ring(context, x, levelY([red, green, blue][c], height, view));
  else if (kind === "waveform" && settings.waveform === "R′G′B′")
    for (const value of [red, green, blue]) ring(context, x, levelY(value, height, view));
  else if (isLuma) ring(context, x, levelY(luma, height, view));
  else {
    const angle = (hue * Math.PI) / 180;
    const value = chroma * (c === 1 ? Math.cos(angle) : Math.sin(angle));
    ring(context, x, levelY(50 + value, height, view));
  }
}
