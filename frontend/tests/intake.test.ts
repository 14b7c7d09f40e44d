import { describe, expect, it } from "vitest";
import { decisionsOf, isSequence, nextRate, rowsOf, seenAs, shownRows, soundText } from "../src/intake/clips";
import { extend, select, useIntake, walk } from "../src/intake/selection";
import type { Clip } from "../src/shared/api";
import { camera, shot } from "./day";

const known = camera(1, "A", { make: "Corvane" });
const unknown = camera(2, "B", { name: "", assumed: true });
const plain = shot(1, "C001", { clip: { frames: 10, assumed: ["transfer"], warnings: [] } });
const assumed = shot(2, "C002", { clip: { frames: 10, assumed: ["range", "matrix", "transfer"] } });
const warned = shot(3, "C003", { clip: { frames: 10, warnings: ["the frame rate varies"] } });
const faulty = shot(4, "C004", { progress: "faulty", fault: "C004.mov: the file is empty", clip: {} });
const homeless = shot(5, "C005", { camera_id: 2, clip: { frames: 10 } });
const away = shot(6, "C006", { off: true, clip: { warnings: ["x"] } });
const all = [plain, assumed, warned, faulty, homeless, away];
const rows = rowsOf(all, [known, unknown]);
const names = (...found: Parameters<typeof shownRows>) => shownRows(...found).map((row) => row.shot.name);

describe("what needs a decision", () => {
  it("is reported in words, and a selected encoding makes a missing transfer tag no matter", () => {
    expect(decisionsOf(plain, known)).toEqual([]);
    expect(decisionsOf(assumed, known)).toEqual([{ need: "assumed", says: "range and matrix assumed" }]);
    expect(decisionsOf(warned, known)[0].says).toBe("the frame rate varies");
    expect(decisionsOf(faulty, known)).toEqual([{ need: "faulty", says: "C004.mov: the file is empty" }]);
    const replaced = shot(8, "C008", { footage: "replaced", clip: { frames: 10 } });
    expect(decisionsOf(replaced, known)).toEqual([
      { need: "replaced", says: "T takes it in again, Del sets it aside" },
    ]);
    expect(decisionsOf({ ...replaced, off: true }, known)).toEqual([]);
    expect(decisionsOf(homeless, unknown).map((one) => one.need)).toEqual(["no camera", "assumed"]);
    expect(decisionsOf(away, known)).toEqual([]);
  });

  it("is reported where a tag leaves no doubt and the camera's encoding is another", () => {
    const hlg = shot(7, "C007", { clip: { transfer: "HLG" } });
    expect(decisionsOf(hlg, known)[0].says).toContain("tagged HLG");
    expect(decisionsOf(hlg, camera(1, "A", { make: "x", encoding: "hlg" }))).toEqual([]);
  });

  it("is reported where colours are wider than the camera's encoding knows", () => {
    const wide = shot(8, "C008", { clip: { transfer: "BT.709", primaries: "BT.2020" } });
    expect(decisionsOf(wide, known)[0].says).toContain("tagged BT.2020");
    expect(decisionsOf(wide, camera(1, "A", { make: "x", encoding: "hlg" }))).toEqual([]);
  });

  it("comes first, the gravest before the others", () => {
    expect(names(rows, "everything", null, "")).toEqual(["C004", "C003", "C005", "C002", "C001"]);
    expect(names(rows, "to decide", null, "")).toEqual(["C004", "C003", "C005", "C002"]);
    expect(names(rows, "set aside", null, "")).toEqual(["C006"]);
    expect(names(rows, "everything", 2, "")).toEqual(["C005"]);
    expect(names(rows, "everything", null, "varies c003")).toEqual(["C003"]);
  });
});

describe("the rate of a sequence", () => {
  it("goes through the usual ones, and begins with the first after an unusual one", () => {
    expect(nextRate([24, 1])).toEqual([25, 1]);
    expect(nextRate([50000, 1000])).toEqual([60, 1]);
    expect(nextRate([30000, 1001])).toEqual([24, 1]);
    expect(nextRate([17, 1])).toEqual([24, 1]);
    expect(isSequence(shot(1, "plate", { reading: { numbers: [[1, 2]] } }))).toBe(true);
    expect(isSequence(plain)).toBe(false);
  });
});

describe("what is seen", () => {
  it("says what is done to the picture", () => {
    const clip: Clip = {
      width: 640,
      height: 268,
      interlaced: true,
      top_first: false,
      ceiling: 1.09,
      geometry: { coded: [320, 360], aspect: [2, 1], turn: 90, active: [0, 0.13, 1, 0.87] },
    };
    expect(seenAs(shot(8, "C008", { clip }))).toEqual([
      "turned 90°",
      "pixels 2.00 wide",
      "bars found: 2.39:1",
      "fields, lower first",
      "beyond 100 %",
    ]);
    expect(soundText({ sound: [{ codec: "aac", rate: 48000, channels: 2 }] })).toBe("2 ch 48 kHz");
  });
});

describe("selecting", () => {
  it("walks, and selects on the way", () => {
    const order = [4, 3, 5, 2, 1];
    useIntake.setState({ at: null, anchor: null, selected: new Set() });
    walk(1, order, false);
    expect(useIntake.getState().at).toBe(4);
    walk(1, order, true);
    walk(1, order, true);
    expect([...useIntake.getState().selected]).toEqual([4, 3, 5]);
    extend(3, order);
    expect([...useIntake.getState().selected]).toEqual([4, 3]);
    select([]);
    expect(useIntake.getState().selected.size).toBe(0);
  });
});
