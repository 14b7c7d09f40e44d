import { expect, test } from "vitest";
import { filtered } from "../src/handover/listing";
import { isRendered, isUnderway, notBegun, stateOf, timeLeft } from "../src/handover/record";
import type { HandoverRecord } from "../src/shared/api";
import { shot } from "./day";

type Item = HandoverRecord["items"][number];

const item = (kind: Item["kind"], state: Item["state"], part = 0): Item => ({
  name: kind,
  kind,
  state,
  part,
  difference: null,
  said: "",
  version_id: null,
});

const record = (items: Item[], files = 0): HandoverRecord => ({
  id: 1,
  folder: "/given",
  files: Array.from({ length: files }, (_, n) => ({
    name: `${n}.cdl`,
    format: "cdl",
    shot: "12A-1",
    version_id: null,
  })),
  items,
  cancelled: false,
  changed: [],
  made_at: "2026-01-05T10:00:00Z",
});

const after = (seconds: number) => Date.parse("2026-01-05T10:00:00Z") + 1000 * seconds;

test("a handover is reported by its parts while it is written, and by what came of it then", () => {
  const begun = record(
    [item("numbers", "done"), item("png", "working", 0.5), item("checksums", "waiting")],
    2,
  );
  expect(begun.items.filter(isUnderway)).toHaveLength(2);
  expect(begun.items.filter(isRendered)).toHaveLength(1);
  expect(stateOf(begun)).toBe("writing: 1 of 3 parts");
  const whole = record([item("numbers", "done"), item("png", "done"), item("checksums", "done")], 2);
  expect(stateOf(whole)).toBe("2 files, 1 of 1 rendered");
  expect(stateOf(record([item("numbers", "done"), item("checksums", "done")], 1))).toBe("1 file");
});

test("what failed or was cancelled is counted", () => {
  const failed = record([item("numbers", "failed"), item("lists", "done"), item("checksums", "done")], 1);
  expect(stateOf(failed)).toBe("1 file, 1 failed");
  const cancelled = record([item("h264", "done"), item("h264", "cancelled"), item("checksums", "done")]);
  expect(stateOf(cancelled)).toBe("1 of 2 rendered, cancelled");
  expect(notBegun(cancelled)).toBe("1 clip not rendered: cancelled");
  expect(notBegun(failed)).toBe("");
  const waiting = record([item("h264", "working"), item("h264", "waiting"), item("png", "waiting")]);
  expect(notBegun(waiting)).toBe("2 clips to be rendered yet");
});

test("the time left is informed of what is rendered, once some of it is done", () => {
  const numbers = record([item("numbers", "working"), item("checksums", "waiting")]);
  expect(timeLeft(numbers, after(60))).toBeNull();
  const rendering = record([
    item("numbers", "done"),
    item("png", "done"),
    item("png", "working", 0.5),
    item("png", "waiting"),
  ]);
  expect(timeLeft(rendering, after(3))).toBeNull();
  expect(timeLeft(rendering, after(30))).toBe("some 30 s left");
  expect(timeLeft(rendering, after(600))).toBe("some 10 min left");
});

test("the list of shots is filtered and ordered without losing one", () => {
  const shots = [
    shot(1, "12A-1", { state: "new", standing: "reference", distance: null }),
    shot(2, "12A-2", { state: "matched", standing: "parts are off", distance: 2.5 }),
    shot(3, "12A-3", { state: "matched", standing: "matched", distance: 1.2 }),
    shot(4, "12C-4", { state: "matched", standing: "out of tolerance", distance: 5.1 }),
  ];
  const names = (...asked: [Parameters<typeof filtered>[1], Parameters<typeof filtered>[2]]) =>
    filtered(shots, ...asked).map((one) => one.name);
  expect(names("all shots", "as on the Wall")).toEqual(["12A-1", "12A-2", "12A-3", "12C-4"]);
  expect(names("all shots", "farthest from the reference first")).toEqual([
    "12C-4",
    "12A-2",
    "12A-3",
    "12A-1",
  ]);
  expect(names("what needs you", "as on the Wall")).toEqual(["12A-2", "12C-4"]);
  expect(names("parts are off", "as on the Wall")).toEqual(["12A-2"]);
  expect(names("all shots", "by state")).toEqual(["12A-3", "12A-1", "12C-4", "12A-2"]);
  expect(names("checked", "as on the Wall")).toEqual([]);
});
