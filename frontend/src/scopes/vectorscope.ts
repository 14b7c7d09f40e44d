/** Vectorscope: BT.709 Cb to the right, Cr upwards. */
import {
  begin,
  brightness,
  type Colour,
  empty,
  frameBrush,
  LABEL,
  type Marks,
  REFERENCE_TRACE,
  RULE,
  ring,
  type SpokeMark,
  scratchImage,
  strengthBeside,
} from "./canvas";
import type { Counts, Densities } from "./densities";
import { type Settings, VECTOR_LEVELS } from "./settings";

const SIZE = 256;
const HALF = 0.625;
/** Cb and Cr from the centre to the rim at gain 1: the purest green and magenta lie 0.596 out. */
const REACH = 0.6;
const HUES: [string, number, number, number][] = [
  ["R", 1, 0, 0],
  ["Y", 1, 1, 0],
  ["G", 0, 1, 0],
  ["C", 0, 1, 1],
  ["B", 0, 0, 1],
  ["M", 1, 0, 1],
];
const SKIN_LINE = (123 * Math.PI) / 180;
/** The saturation's grip lies on its ring in this direction. */
export const SATURATION_ANGLE = (-38 * Math.PI) / 180;

export function plane(red: number, green: number, blue: number): [cb: number, cr: number] {
  const luma = 0.2126 * red + 0.7152 * green + 0.0722 * blue;
  return [(blue - luma) / 1.8556, (red - luma) / 1.5748];
}

/** Where the plane lies on a canvas: its centre, and CSS pixels per unit of Cb or Cr. */
export function geometry(width: number, height: number, gain: number) {
  const radius = Math.max(Math.min(width, height) / 2 - 10, 1);
  return { cx: width / 2, cy: height / 2, radius, scale: (radius / REACH) * gain };
}

/** The centre of the cast: the mean of lows, mids and highs, as Cb and Cr in percent. */
export function castCentre(readings: number[]): [cb: number, cr: number] {
  const mean = (c: number) => (readings[c * 3] + readings[c * 3 + 1] + readings[c * 3 + 2]) / 3;
  return plane(mean(0), mean(1), mean(2));
}

export function drawVectorscope(
  canvas: HTMLCanvasElement,
  settings: Settings,
  now: Densities | null,
  referenceTrace: Densities | null,
  marks: Marks,
) {
  const { context, width, height } = begin(canvas);
  const { cx, cy, radius, scale } = geometry(width, height, settings.gain);
  const limited = VECTOR_LEVELS[settings.vectorRange] !== null;
  if (now) {
    const { canvas: piece, image, context: inner } = scratchImage(SIZE, SIZE);
    const lay = (counts: Counts, pixels: number, colour: Colour | null, strength: number) => {
      const table = brightness(Math.max(pixels / 9000, 0.05));
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
    if (referenceTrace && !limited) lay(referenceTrace.vector, referenceTrace.pixels, REFERENCE_TRACE, 0.45);
    const shown = limited ? now.limitedVector : now.vector;
    if (shown) lay(shown, now.pixels, null, strengthBeside(now.brushed));
    if (now.brushed) lay(now.brushed.vector, now.brushed.pixels, null, 1);
    inner.putImageData(image, 0, 0);
    const half = HALF * scale;
    context.save();
    context.beginPath();
    context.arc(cx, cy, radius + 8, 0, 2 * Math.PI);
    context.clip();
    context.drawImage(piece, cx - half, cy - half, 2 * half, 2 * half);
    context.restore();
  }
  graticule(context, cx, cy, radius, scale);
  for (const brush of marks.brushes)
    if (brush.kind === "plane")
      frameBrush(
        context,
        cx + (brush.cb[0] / 100) * scale,
        cy - (brush.cr[1] / 100) * scale,
        cx + (brush.cb[1] / 100) * scale,
        cy - (brush.cr[0] / 100) * scale,
      );
  for (const spoke of marks.spokes ?? [])
    drawSpoke(context, spoke, geometry(width, height, settings.gain), marks.held === spoke.name);
  for (const marker of marks.markers)
    if (marker.cb !== null && marker.cb !== undefined)
      aimed(context, ...place([marker.cb, marker.cr ?? 0]), marker.name);
  if (marks.reference) cross(context, ...place(castCentre(marks.reference)));
  if (marks.readings) {
    const ringed = (marks.readings[9] / 100) * scale;
    context.strokeStyle = "#d8d8d8";
    context.lineWidth = 1;
    context.beginPath();
    context.arc(cx, cy, Math.min(ringed, radius), 0, 2 * Math.PI);
    context.stroke();
    if (marks.reference) {
      const aim = (marks.reference[9] / 100) * scale;
      context.setLineDash([2, 3]);
      context.beginPath();
      context.arc(cx, cy, Math.min(aim, radius), 0, 2 * Math.PI);
      context.stroke();
      context.setLineDash([]);
    }
    if (marks.grips) {
      block(
        context,
        ...saturationGrip(marks.readings, width, height, settings.gain),
        marks.held === "saturation",
      );
      block(context, ...place(castCentre(marks.readings)), marks.held === "cast");
    }
  }
  if (marks.point) {
    const hue = (marks.point.hue * Math.PI) / 180;
    const chroma = marks.point.chroma / 100;
    ring(context, cx + chroma * Math.cos(hue) * scale, cy - chroma * Math.sin(hue) * scale);
  }
  if (!now) empty(context, width, height);

  function place([cb, cr]: [number, number]): [number, number] {
    return [cx + (cb / 100) * scale, cy - (cr / 100) * scale];
  }
}

/** Where the saturation's grip lies on a canvas. */
export function saturationGrip(
  readings: number[],
  width: number,
  height: number,
  gain: number,
): [x: number, y: number] {
  const { cx, cy, radius, scale } = geometry(width, height, gain);
  const reach = Math.min((readings[9] / 100) * scale, radius);
  return [cx + reach * Math.cos(SATURATION_ANGLE), cy - reach * Math.sin(SATURATION_ANGLE)];
}

/** How far out a spoke's grip lies that changes nothing about colour, in parts of the radius. */
const SPOKE_REACH = 0.55;

/** A marker on the plane: two short lines crossed, and its name. */
function aimed(context: CanvasRenderingContext2D, x: number, y: number, name: string) {
  context.strokeStyle = "#d8d8d8";
  context.lineWidth = 1;
  context.beginPath();
  context.moveTo(x - 6, y - 6);
  context.lineTo(x + 6, y + 6);
  context.moveTo(x + 6, y - 6);
  context.lineTo(x - 6, y + 6);
  context.stroke();
  context.fillStyle = "#d8d8d8";
  context.textAlign = "left";
  context.fillText(name, x + 9, y);
}

/** Where the grip of a spoke lies: in its direction, as far out as it multiplies colour, within the rim. */
export function spokeTip(
  degrees: number,
  colour: number,
  { cx, cy, radius }: ReturnType<typeof geometry>,
): [x: number, y: number] {
  const reach = Math.min(Math.max(SPOKE_REACH * colour, 0.06), 1.04) * radius;
  const angle = (degrees * Math.PI) / 180;
  return [cx + reach * Math.cos(angle), cy - reach * Math.sin(angle)];
}

/** A spoke: a thin line at its hue, a thick one to where it is turned, and an arc over what it reaches. */
function drawSpoke(
  context: CanvasRenderingContext2D,
  spoke: SpokeMark,
  at: ReturnType<typeof geometry>,
  held: boolean,
) {
  const { cx, cy, radius } = at;
  const radians = (degrees: number) => (-degrees * Math.PI) / 180;
  const [x, y] = spokeTip(spoke.turned, spoke.colour, at);
  const [fromX, fromY] = spokeTip(spoke.hue, 1, at);
  context.strokeStyle = "#a8a8a8";
  context.lineWidth = 1;
  context.setLineDash([2, 2]);
  context.beginPath();
  context.moveTo(cx, cy);
  context.lineTo(fromX, fromY);
  context.stroke();
  context.setLineDash([]);
  context.strokeStyle = spoke.inHand ? "#ffffff" : "#c4c4c4";
  context.lineWidth = spoke.inHand ? 2 : 1.2;
  context.beginPath();
  context.moveTo(cx, cy);
  context.lineTo(x, y);
  context.stroke();
  if (spoke.inHand) {
    context.lineWidth = 1;
    context.beginPath();
    context.arc(cx, cy, radius + 4, radians(spoke.sides[1]), radians(spoke.sides[0]));
    context.stroke();
  }
  block(context, x, y, held);
}

function graticule(context: CanvasRenderingContext2D, cx: number, cy: number, radius: number, scale: number) {
  context.lineWidth = 1;
  context.strokeStyle = RULE;
  context.beginPath();
  context.arc(cx, cy, radius, 0, 2 * Math.PI);
  context.moveTo(cx - radius, cy);
  context.lineTo(cx + radius, cy);
  context.moveTo(cx, cy - radius);
  context.lineTo(cx, cy + radius);
  context.stroke();
  context.strokeStyle = LABEL;
  context.setLineDash([4, 3]);
  context.beginPath();
  context.moveTo(cx, cy);
  context.lineTo(cx + radius * Math.cos(SKIN_LINE), cy - radius * Math.sin(SKIN_LINE));
  context.stroke();
  context.setLineDash([]);
  context.fillStyle = LABEL;
  context.textAlign = "center";
  context.fillText("skin", cx + radius * Math.cos(SKIN_LINE) - 13, cy - radius * Math.sin(SKIN_LINE) + 4);
  for (const [name, red, green, blue] of HUES) {
    for (const part of [0.75, 1]) {
      const [cb, cr] = plane(part * red, part * green, part * blue);
      const [x, y] = [cx + cb * scale, cy - cr * scale];
      if (Math.hypot(x - cx, y - cy) > radius + 6) continue;
      context.strokeStyle = LABEL;
      const half = part === 1 ? 2 : 3.5;
      context.strokeRect(x - half, y - half, 2 * half, 2 * half);
      if (part === 0.75) context.fillText(name, x + (cb > 0 ? 10 : -10), y);
    }
  }
}

/** A grip on the plane: a white block with a line across. */
function block(context: CanvasRenderingContext2D, x: number, y: number, held: boolean) {
  context.fillStyle = "#000000";
  context.fillRect(x - 6, y - 5, 12, 10);
  context.fillStyle = held ? "#ffffff" : "#f4f4f4";
  context.fillRect(x - 5, y - 4, 10, 8);
  context.fillStyle = "#141414";
  context.fillRect(x - 3, y - 0.5, 6, 1);
}

/** The reference's place: a hollow arrowhead pointing down at it. */
function cross(context: CanvasRenderingContext2D, x: number, y: number) {
  context.strokeStyle = "#f4f4f4";
  context.lineWidth = 1.2;
  context.beginPath();
  context.moveTo(x - 5, y - 9);
  context.lineTo(x, y - 2);
  context.lineTo(x + 5, y - 9);
  context.closePath();
  context.stroke();
}

const hueColours = new Map<number, Colour>();

/** The colour of a place on the vectorscope, at a middling luma. */
function hueColour(index: number): Colour {
  let found = hueColours.get(index);
  if (!found) {
    const cb = ((index % SIZE) / SIZE) * 2 * HALF - HALF;
    const cr = HALF - (Math.floor(index / SIZE) / SIZE) * 2 * HALF;
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
