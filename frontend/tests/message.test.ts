/** The server's packed messages, laid out byte by byte as their description says. */
import { describe, expect, it } from "vitest";
import { unpack } from "../src/scopes/densities";
import { type Part, packed } from "./server";

const scopes = (prefix: string, offset: number): Part[] => [
  [`${prefix}parade`, "u2", [3, 1, 2], [1, 2, 3, 4, 5, 6].map((n) => n + offset)],
  [`${prefix}waveform`, "u2", [1, 2], [7 + offset, 8 + offset]],
  [`${prefix}vector`, "u4", [1, 3], [70000, 2, offset]],
  [`${prefix}histogram`, "u4", [3, 1], [9, 10, 11]],
];

describe("unpack", () => {
  it("finds every density where it lies", () => {
    const jpeg = [0xff, 0xd8, 0xff];
    const message = unpack(
      packed({ number: 7, pixels: 12, brushed: null, note: "wärmer" }, [
        ...scopes("", 0),
        ["picture", "u1", [3], jpeg],
        ["cast", "u4", [1], [42]],
      ]),
    );
    expect(message.header.number).toBe(7);
    expect([...message.densities.parade]).toEqual([1, 2, 3, 4, 5, 6]);
    expect([...message.densities.waveform]).toEqual([7, 8]);
    expect([...message.densities.vector]).toEqual([70000, 2, 0]);
    expect([...message.densities.histogram]).toEqual([9, 10, 11]);
    expect(message.densities.columns).toBe(1);
    expect(message.densities.pixels).toBe(12);
    expect([...(message.densities.cast ?? [])]).toEqual([42]);
    expect(message.densities.chroma).toBeNull();
    expect(message.densities.brushed).toBeNull();
    expect(message.picture).toHaveLength(3);
  });

  it("keeps what is brushed apart from the whole", () => {
    const message = unpack(
      packed({ number: 8, pixels: 12, brushed: 5 }, [...scopes("", 0), ...scopes("brushed ", 100)]),
    );
    expect(message.picture).toBeNull();
    expect([...message.densities.parade]).toEqual([1, 2, 3, 4, 5, 6]);
    expect([...(message.densities.brushed?.parade ?? [])]).toEqual([101, 102, 103, 104, 105, 106]);
    expect(message.densities.brushed?.pixels).toBe(5);
  });
});
