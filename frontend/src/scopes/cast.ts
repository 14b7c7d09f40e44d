/** Cast by level: level upwards, the difference of each signal from luma sideways. */
import { levelText } from "../shared/units";
import {
  begin,
  brightness,
  empty,
  LEFT,
  LEVEL_HIGH,
  LEVEL_LOW,
  LEVELS,
  levelY,
  type Marks,
  REFERENCE_TRACE,
  RIGHT,
  RULE,
  ring,
  ruleLevels,
  scratchImage,
  TRACE,
} from "./canvas";
import type { Densities } from "./densities";
import type { Settings } from "./settings";

const SPAN = 25;
const WEIGHTS = [0.2126, 0.7152, 0.0722];
const BINS = 256;

export function drawCast(
  canvas: HTMLCanvasElement,
  settings: Settings,
  output: string,
  now: Densities | null,
  marks: Marks,
) {
  const { context, width, height } = begin(canvas);
  const { view } = settings;
  const [left, right] = [LEFT, width - RIGHT];
  const x = (difference: number) => left + ((difference + SPAN) / (2 * SPAN)) * (right - left);
  if (!now?.cast) return empty(context, width, height);
  const { canvas: piece, image, context: inner } = scratchImage(BINS, LEVELS);
  const table = brightness(Math.max(now.pixels / 6000, 0.05));
  for (let c = 0; c < 3; c++)
    for (let level = 0; level < LEVELS; level++)
      for (let bin = 0; bin < BINS; bin++) {
        const count = now.cast[(c * LEVELS + level) * BINS + bin];
        if (count === 0) continue;
        const light = table[count > 1023 ? 1023 : count] / 255;
        const at = ((LEVELS - 1 - level) * BINS + bin) * 4;
        for (let k = 0; k < 3; k++) image.data[at + k] = Math.max(image.data[at + k], TRACE[c][k] * light);
        image.data[at + 3] = 255;
      }
  inner.putImageData(image, 0, 0);
  const scale = height / (view.high - view.low);
  context.drawImage(
    piece,
    left,
    (view.high - LEVEL_HIGH) * scale,
    right - left,
    (LEVEL_HIGH - LEVEL_LOW) * scale,
  );
  const naming = (percent: number) => levelText(percent, settings.unit, output).replace(/\.0+$/, "");
  ruleLevels(context, left, right, height, view, naming);
  context.textAlign = "center";
  for (const difference of [-20, -10, 0, 10, 20]) {
    context.strokeStyle = difference === 0 ? "#8a8a8a" : RULE;
    context.beginPath();
    context.moveTo(Math.round(x(difference)) + 0.5, 0);
    context.lineTo(Math.round(x(difference)) + 0.5, height);
    context.stroke();
    if (difference)
      context.fillText(difference > 0 ? `+${difference}` : `−${-difference}`, x(difference), height - 6);
  }
  outlines(context, x, height, settings);
  if (marks.point) {
    const { red, green, blue, luma } = marks.point;
    for (const value of [red, green, blue]) ring(context, x(value - luma), levelY(luma, height, view));
  }
}

/**
 * What each signal may be at each level with all three between 0 and 100 %: at luma Y, the
 * signal lies between (Y − (1 − w)) / w and Y / w, w being its luma weight.
 */
function outlines(
  context: CanvasRenderingContext2D,
  x: (difference: number) => number,
  height: number,
  settings: Settings,
) {
  context.lineWidth = 1;
  for (let c = 0; c < 3; c++) {
    const w = WEIGHTS[c];
    const least = (y: number) => Math.max(0, (y - 100 * (1 - w)) / w) - y;
    const most = (y: number) => Math.min(100, y / w) - y;
    context.strokeStyle = `rgba(${TRACE[c].join(",")},0.75)`;
    for (const edge of [least, most]) {
      context.beginPath();
      for (let y = 0; y <= 100; y++)
        context.lineTo(x(Math.max(-SPAN, Math.min(SPAN, edge(y)))), levelY(y, height, settings.view));
      context.stroke();
    }
  }
  context.strokeStyle = `rgb(${REFERENCE_TRACE.join(",")})`;
}
