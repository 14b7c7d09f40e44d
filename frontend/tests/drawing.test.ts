// @vitest-environment happy-dom
/** What the scopes draw, seen by a canvas that remembers it. */
import { beforeEach, describe, expect, it } from "vitest";
import { levelY, type Marks } from "../src/scopes/canvas";
import { drawCast } from "../src/scopes/cast";
import type { Densities } from "../src/scopes/densities";
import { drawHistogram, levelX } from "../src/scopes/histogram";
import { drawLevels, span } from "../src/scopes/levels";
import { useScopes, WHOLE_VIEW } from "../src/scopes/settings";
import { castCentre, drawVectorscope, geometry } from "../src/scopes/vectorscope";
import { grey } from "./day";

const COLUMNS = 8;
const LEVELS = 256;
const [WIDE, TALL] = [420, 220];

interface Seen {
  images: ImageData[];
  rectangles: { x: number; y: number; width: number; height: number; fill: string }[];
  paths: { x: number; y: number }[][];
  words: string[];
}

/** What the newest canvas remembers; the scopes' scratch pads, kept from one drawing to the next, add to it. */
let seen: Seen;

/** A canvas that remembers images, rectangles, paths and words drawn on it. */
function remembering(): { canvas: HTMLCanvasElement; seen: Seen } {
  seen = { images: [], rectangles: [], paths: [], words: [] };
  const contextOf = () => {
    let path: { x: number; y: number }[] = [];
    const context = {
      fillStyle: "",
      putImageData: (image: ImageData) =>
        seen.images.push({
          ...image,
          data: image.data.slice(),
          width: image.width,
          height: image.height,
        } as ImageData),
      createImageData: (width: number, height: number) => ({
        width,
        height,
        data: new Uint8ClampedArray(width * height * 4),
      }),
      fillRect: (x: number, y: number, width: number, height: number) =>
        seen.rectangles.push({ x, y, width, height, fill: String(context.fillStyle) }),
      beginPath: () => {
        path = [];
        seen.paths.push(path);
      },
      moveTo: (x: number, y: number) => path.push({ x, y }),
      lineTo: (x: number, y: number) => path.push({ x, y }),
      arc: (x: number, y: number) => path.push({ x, y }),
      fillText: (text: string) => seen.words.push(text),
    };
    const nothing = () => undefined;
    return new Proxy(context, {
      get: (target, name) => (name in target ? target[name as keyof typeof target] : nothing),
      set: (target, name, value) => Reflect.set(target, name, value),
    });
  };
  HTMLCanvasElement.prototype.getContext = contextOf as never;
  const canvas = document.createElement("canvas");
  Object.defineProperty(canvas, "clientWidth", { value: WIDE });
  Object.defineProperty(canvas, "clientHeight", { value: TALL });
  return { canvas, seen };
}

const empty = (): Densities => ({
  parade: new Uint16Array(3 * COLUMNS * LEVELS),
  waveform: new Uint16Array(COLUMNS * LEVELS),
  vector: new Uint16Array(LEVELS * LEVELS),
  histogram: new Uint32Array(3 * 640),
  columns: COLUMNS,
  pixels: 64,
  chroma: null,
  cast: null,
  limitedVector: null,
  brushed: null,
});

const marks = (more: Partial<Marks> = {}): Marks => ({
  readings: null,
  reference: null,
  missed: [],
  held: null,
  point: null,
  brushes: [],
  points: null,
  spokes: null,
  markers: [],
  grips: true,
  ...more,
});

/** Places of an image that are not empty: column, row and the colour there. */
const lit = (image: ImageData) => {
  const found: { column: number; row: number; colour: number[] }[] = [];
  for (let i = 0; i < image.width * image.height; i++)
    if (image.data[i * 4 + 3] > 0)
      found.push({
        column: i % image.width,
        row: Math.floor(i / image.width),
        colour: [...image.data.slice(i * 4, i * 4 + 3)],
      });
  return found;
};

const settings = () => useScopes.getState();

/** An empty parade with marks. */
function paradeWith(more: Partial<Marks>): Seen {
  const { canvas, seen } = remembering();
  drawLevels(canvas, "parade", settings(), "rec709", empty(), null, marks(more));
  return seen;
}

beforeEach(() =>
  useScopes.setState({
    view: WHOLE_VIEW,
    parade: "R′G′B′",
    waveform: "luma",
    histogram: "R G B",
    gain: 2,
    unit: "%",
    vectorRange: "all levels",
    unsmoothed: false,
    logarithmic: false,
  }),
);

describe("parade and waveform", () => {
  it("put a single pixel of green into its lane, column and level, in its colour", () => {
    const densities = empty();
    densities.parade[1 * COLUMNS * LEVELS + 5 * LEVELS + 200] = 1;
    const { canvas, seen } = remembering();
    drawLevels(canvas, "parade", settings(), "rec709", densities, null, marks());
    expect(seen.images).toHaveLength(3);
    expect(lit(seen.images[0])).toEqual([]);
    expect(lit(seen.images[2])).toEqual([]);
    const [pixel, ...more] = lit(seen.images[1]);
    expect(more).toEqual([]);
    expect([pixel.column, pixel.row]).toEqual([5, 255 - 200]);
    expect(pixel.colour[1]).toBe(Math.max(...pixel.colour));
    expect(pixel.colour[1]).toBeGreaterThan(60);
  });

  it("draw grips at the readings and notches at the reference's", () => {
    const readings = [3, 48, 92, 2, 40, 88, 1, 30, 80, 14];
    const seen = paradeWith({ readings, reference: grey(2, 45, 90) });
    const blocks = seen.rectangles.filter((one) => one.width === 8 && one.height === 6);
    expect(blocks).toHaveLength(9);
    const heights = blocks.map((one) => one.y + 3);
    readings.slice(0, 9).forEach((level, i) => {
      expect(heights[i]).toBeCloseTo(levelY(level, TALL, WHOLE_VIEW), 6);
    });
    const notches = seen.paths.filter((path) => path.length === 3);
    expect(notches).toHaveLength(9);
    expect(notches[1][1].y).toBeCloseTo(levelY(45, TALL, WHOLE_VIEW), 6);
    expect(notches[0][0].x).toBeGreaterThanOrEqual(span(WIDE, 0, 3)[1]);
  });

  it("mark a reading that stays off", () => {
    const seen = paradeWith({ readings: grey(2, 40, 90), missed: [4] });
    expect(seen.words.filter((word) => word === "!")).toHaveLength(1);
  });

  it("dim what is not brushed, and lay the reference's trace in grey behind", () => {
    const densities = empty();
    densities.waveform[2 * LEVELS + 100] = 4;
    const alone = remembering();
    drawLevels(alone.canvas, "waveform", settings(), "rec709", densities, null, marks());
    const brushed = remembering();
    drawLevels(
      brushed.canvas,
      "waveform",
      settings(),
      "rec709",
      { ...densities, brushed: empty() },
      null,
      marks(),
    );
    const [bright, dim] = [alone, brushed].map(({ seen }) => lit(seen.images[0])[0].colour[0]);
    expect(dim).toBeLessThan(0.5 * bright);
    const referenceTrace = empty();
    referenceTrace.waveform[6 * LEVELS + 30] = 4;
    const both = remembering();
    drawLevels(both.canvas, "waveform", settings(), "rec709", densities, referenceTrace, marks());
    const places = lit(both.seen.images[0]).map((one) => [one.column, one.row]);
    expect(places).toContainEqual([6, 225]);
    expect(places).toContainEqual([2, 155]);
  });

  it("name their rulings in the unit chosen", () => {
    useScopes.setState({ unit: "code" });
    const { canvas, seen } = remembering();
    drawLevels(canvas, "waveform", settings(), "rec709", empty(), null, marks());
    expect(seen.words).toEqual(expect.arrayContaining(["64", "502", "940"]));
  });

  it("say when nothing is measured", () => {
    const { canvas, seen } = remembering();
    drawLevels(canvas, "parade", settings(), "rec709", null, null, marks());
    expect(seen.words).toContain("nothing measured yet");
  });
});

describe("vectorscope", () => {
  it("puts a pixel where its Cb and Cr lie, brighter the more there are", () => {
    const densities = empty();
    densities.vector[40 * LEVELS + 70] = 1;
    const { canvas, seen } = remembering();
    drawVectorscope(canvas, settings(), densities, null, marks());
    const [one] = lit(seen.images[0]);
    expect([one.column, one.row]).toEqual([70, 40]);
    densities.vector[40 * LEVELS + 70] = 50;
    drawVectorscope(canvas, settings(), densities, null, marks());
    const [many] = lit(seen.images[1]);
    expect(Math.max(...many.colour)).toBeGreaterThan(Math.max(...one.colour));
    // Towards positive Cr a place is reddish.
    expect(one.colour[0]).toBeGreaterThan(one.colour[2]);
  });

  it("limited to a range shows that count alone", () => {
    const densities = { ...empty(), limitedVector: new Uint32Array(LEVELS * LEVELS) };
    densities.vector[5000] = 9;
    densities.limitedVector[6000] = 3;
    useScopes.setState({ vectorRange: "mids" });
    const { canvas, seen } = remembering();
    drawVectorscope(canvas, settings(), densities, null, marks());
    expect(lit(seen.images[0]).map((one) => one.row * LEVELS + one.column)).toEqual([6000]);
  });

  it("holds its cast's grip where the readings' mean lies", () => {
    const readings = [3, 48, 92, 2, 40, 88, 1, 30, 80, 14];
    const { canvas, seen } = remembering();
    drawVectorscope(canvas, settings(), empty(), null, marks({ readings }));
    const { cx, cy, scale } = geometry(WIDE, TALL, 2);
    const [cb, cr] = castCentre(readings);
    const centre = [cx + (cb / 100) * scale, cy - (cr / 100) * scale];
    const blocks = seen.rectangles.filter((one) => one.width === 12 && one.height === 10);
    expect(blocks).toHaveLength(2);
    expect(blocks[1].x + 6).toBeCloseTo(centre[0], 6);
    expect(blocks[1].y + 5).toBeCloseTo(centre[1], 6);
  });

  it("names all its targets at gain 1, fewer when drawn nearer", () => {
    const named = (gain: 1 | 4) => {
      useScopes.setState({ gain });
      const { canvas, seen } = remembering();
      drawVectorscope(canvas, settings(), empty(), null, marks());
      return seen.words.filter((word) => /^[RYGCBM]$/.test(word)).sort();
    };
    expect(named(1)).toEqual(["B", "C", "G", "M", "R", "Y"]);
    expect(named(4)).toEqual([]);
  });
});

describe("histogram", () => {
  /** The highest point of the traces: those paths that begin and end at the foot. */
  const peaks = (seen: Seen) =>
    seen.paths
      .filter((path) => path.length > 20)
      .map((path) => path.reduce((top, point) => (point.y < top.y ? point : top)));

  it("peaks at the level of the pixels, in the band of their signal", () => {
    const densities = empty();
    const bin = Math.round(((50 + 12.5) / 125) * 640);
    densities.histogram[640 + bin] = 30;
    useScopes.setState({ unsmoothed: true });
    const { canvas, seen } = remembering();
    drawHistogram(canvas, settings(), "rec709", densities, null, marks());
    const tops = peaks(seen);
    expect(tops).toHaveLength(3);
    expect(tops[1].x).toBeCloseTo(levelX(50, WIDE, WHOLE_VIEW), 0);
    expect(tops[1].y).toBeLessThan(tops[2].y);
  });

  it("of luma counts the waveform's levels over all columns", () => {
    const densities = empty();
    for (let column = 0; column < COLUMNS; column++) densities.waveform[column * LEVELS + 180] = 8;
    useScopes.setState({ histogram: "luma", unsmoothed: true });
    const { canvas, seen } = remembering();
    drawHistogram(canvas, settings(), "rec709", densities, null, marks());
    const [top] = peaks(seen);
    expect(top.x).toBeCloseTo(levelX(-12.5 + (180.5 / 256) * 125, WIDE, WHOLE_VIEW), 0);
  });

  it("of hue finds red near 109 degrees and leaves greys out", () => {
    const densities = empty();
    const at = (cb: number, cr: number) =>
      Math.floor((0.5 - cr / 1.25) * 256) * 256 + Math.floor((cb / 1.25 + 0.5) * 256);
    densities.vector[at(-0.1146 * 0.5, 0.25)] = 40;
    densities.vector[at(0.001, 0.001)] = 4000;
    useScopes.setState({ histogram: "hue", unsmoothed: true });
    const { canvas, seen } = remembering();
    drawHistogram(canvas, settings(), "rec709", densities, null, marks());
    const [top] = peaks(seen);
    const hue =
      ((top.x - levelX(WHOLE_VIEW.low, WIDE, WHOLE_VIEW)) /
        (levelX(WHOLE_VIEW.high, WIDE, WHOLE_VIEW) - levelX(WHOLE_VIEW.low, WIDE, WHOLE_VIEW))) *
      360;
    expect(Math.abs(hue - 102.9)).toBeLessThan(3);
  });
});

describe("cast by level", () => {
  it("draws each signal's difference at its level, and each one's legal outline", () => {
    const cast = new Uint32Array(3 * LEVELS * LEVELS);
    cast[(2 * LEVELS + 90) * LEVELS + 160] = 5;
    const { canvas, seen } = remembering();
    drawCast(canvas, settings(), "rec709", { ...empty(), cast }, marks());
    const [pixel, ...more] = lit(seen.images[0]);
    expect(more).toEqual([]);
    expect([pixel.column, pixel.row]).toEqual([160, 255 - 90]);
    expect(pixel.colour[2]).toBe(Math.max(...pixel.colour));
    const outlines = seen.paths.filter((path) => path.length === 101);
    expect(outlines).toHaveLength(6);
    // A grey signal is legal at every level: the outlines of a signal lie either side of the middle.
    const middle = outlines[0][0].x;
    for (let c = 0; c < 3; c++)
      for (let y = 0; y <= 100; y += 10) {
        expect(outlines[2 * c][y].x).toBeLessThanOrEqual(middle + 1e-6);
        expect(outlines[2 * c + 1][y].x).toBeGreaterThanOrEqual(middle - 1e-6);
      }
  });
});
