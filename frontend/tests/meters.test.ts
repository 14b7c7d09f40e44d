// @vitest-environment happy-dom
import { beforeEach, describe, expect, it } from "vitest";
import { meterMiddle, moveMeter, moveSplit, sizeMeter } from "../src/desk/looking";
import { bounds, drawnMeter, MIDDLE, moved, sized } from "../src/desk/meters";
import { useDesk } from "../src/desk/state";
import { ALL, previewWidth } from "../src/desk/zoom";

const state = useDesk.getState;
const [meterNow, referenceNow] = [() => state().meter, () => state().referenceMeter];

describe("a meter", () => {
  it("is drawn as a box or an outline, and not where it is too small", () => {
    expect(
      drawnMeter(
        [
          [0.5, 0.6],
          [0.2, 0.3],
        ],
        false,
      )?.points,
    ).toEqual([
      [0.2, 0.3],
      [0.5, 0.6],
    ]);
    expect(
      drawnMeter(
        [
          [0.2, 0.2],
          [0.4, 0.2],
          [0.3, 0.5],
        ],
        true,
      )?.kind,
    ).toBe("outline");
    expect(
      drawnMeter(
        [
          [0.2, 0.2],
          [0.205, 0.9],
        ],
        false,
      ),
    ).toBeNull();
  });

  it("is moved as far as the picture goes", () => {
    expect(moved(MIDDLE, 0.1, -0.1).points).toEqual([
      [0.5, expect.closeTo(0.3)],
      [0.7, 0.5],
    ]);
    expect(bounds(moved(MIDDLE, 9, -9).points)).toEqual([0.8, 0, 1, expect.closeTo(0.2)]);
  });

  it("is made larger about its middle, and never too small to measure", () => {
    expect(sized(MIDDLE, 0.1, 0).points.flat()).toEqual(
      [0.35, 0.4, 0.65, 0.6].map((at) => expect.closeTo(at)),
    );
    const [left, , right] = bounds(sized(MIDDLE, -9, 0).points);
    expect(right - left).toBeCloseTo(0.02);
  });
});

describe("keys", () => {
  beforeEach(() => useDesk.setState({ view: "shot", meter: null, referenceMeter: null, side: "shot" }));

  it("draw, move and size the shot's box", () => {
    moveMeter(0.1, 0);
    expect(meterNow()).toBeNull();
    meterMiddle();
    moveMeter(0.1, 0);
    sizeMeter(0, 0.2);
    expect(meterNow()?.points.flat()).toEqual([0.5, 0.3, 0.7, 0.7].map((at) => expect.closeTo(at)));
  });

  it("go to the other picture in pair view when asked again", () => {
    useDesk.setState({ view: "pair" });
    meterMiddle();
    meterMiddle();
    moveMeter(0, 0.1);
    expect(meterNow()?.points).toEqual(MIDDLE.points);
    expect(referenceNow()?.points[0]).toEqual([0.4, 0.5]);
    meterMiddle();
    moveMeter(0.1, 0);
    expect(meterNow()?.points[0]).toEqual([0.5, 0.4]);
  });

  it("move the split, and stop at the picture's edge", () => {
    useDesk.setState({ split: 0.5 });
    moveSplit(0.02);
    expect(state().split).toBeCloseTo(0.52);
    moveSplit(-9);
    expect(state().split).toBe(0);
  });
});

describe("the preview", () => {
  it("is as wide as its place, in steps, between 960 and 1920", () => {
    expect(previewWidth({ placeWidth: 640, zoom: ALL })).toBe(960);
    expect(previewWidth({ placeWidth: 1000, zoom: ALL })).toBe(1280);
    expect(previewWidth({ placeWidth: 640, zoom: { ...ALL, scale: 2.4 } })).toBe(1600);
    expect(previewWidth({ placeWidth: 2600, zoom: ALL })).toBe(1920);
  });
});
