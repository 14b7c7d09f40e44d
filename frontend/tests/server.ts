/** A made-up server: a live channel whose messages are written by hand, and answers to requests. */
import { vi } from "vitest";
import { numbersAt } from "../src/correction/keyframes";
import { arrayOf, type Focus, IDENTITY } from "../src/correction/model";
import type { Header } from "../src/scopes/densities";
import type { Correction, FourLevels } from "../src/shared/api";
import { grey } from "./day";

export type Part = [name: string, kind: "u1" | "u2" | "u4", shape: number[], values: number[]];

/** uint32 length, JSON header padded to four, then blobs each padded to four. */
export function packed(header: object, parts: Part[]): ArrayBuffer {
  const sizes = { u1: 1, u2: 2, u4: 4 };
  const blobs = parts.map(([name, kind, shape, values]) => [name, kind, shape, values.length * sizes[kind]]);
  let text = JSON.stringify({ ...header, blobs });
  text += " ".repeat((4 - (new TextEncoder().encode(text).length % 4)) % 4);
  const bytes: number[] = [];
  const little = (value: number, size: number) => {
    for (let i = 0; i < size; i++) bytes.push((value >>> (8 * i)) & 255);
  };
  const encoded = new TextEncoder().encode(text);
  little(encoded.length, 4);
  bytes.push(...encoded);
  for (const [, kind, , values] of parts) {
    for (const value of values) little(value, sizes[kind]);
    while (bytes.length % 4) bytes.push(0);
  }
  return new Uint8Array(bytes).buffer;
}

type Sent = Record<string, unknown>;

/** What was sent, with the ten numbers that it holds: of its current step, or of the level that is saved. */
function withNumbers(sent: Sent): Sent {
  if (sent.levels)
    return {
      ...sent,
      numbers: numbersAt(sent.levels as FourLevels, sent as unknown as Focus, sent.frame as number),
    };
  const saved = (sent.correction as Correction | undefined)?.steps[0]?.values;
  return saved?.kind === "primary" ? { ...sent, numbers: arrayOf(saved) } : sent;
}

export class Socket {
  static all: Socket[] = [];
  static readonly OPEN = 1;
  readyState = 0;
  binaryType = "";
  sent: Record<string, unknown>[] = [];
  onopen: () => void = () => undefined;
  onclose: () => void = () => undefined;
  onmessage: (event: { data: unknown }) => void = () => undefined;

  constructor(readonly address: string) {
    Socket.all.push(this);
  }
  open() {
    this.readyState = 1;
    this.onopen();
  }
  lose() {
    this.readyState = 3;
    this.onclose();
  }
  send(text: string) {
    this.sent.push(JSON.parse(text));
  }
  close() {
    this.lose();
  }
  say(message: object) {
    this.onmessage({ data: JSON.stringify(message) });
  }
  /** Answer a request with a picture of nothing and these readings. */
  answer(header: Partial<Header>) {
    const full: Partial<Header> = {
      shot: 1,
      frame: 0,
      numbers: IDENTITY,
      readings: grey(2, 40, 90),
      missed: [],
      searching: false,
      full: false,
      playing: false,
      before: "none",
      pixels: 4,
      brushed: null,
      distance: null,
      ...header,
    };
    const empty = ["parade", "waveform", "vector", "histogram"].map((name): Part => [name, "u2", [3, 0], []]);
    this.onmessage({ data: packed(full, empty) });
  }
  /** The requests to show something, each with the ten numbers of its current step. */
  get shows() {
    return this.sent.filter((one) => one.kind === "show").map(withNumbers);
  }
}

export const line = () => Socket.all[Socket.all.length - 1];

type Call = { method: string; path: string; body: Record<string, unknown> };
type Answer = { status?: number; body: unknown } | "unreachable";

/** Requests as they came, and what they are answered by `answer`. */
export function serve(answer: (call: Call) => Answer): Call[] {
  const calls: Call[] = [];
  vi.stubGlobal("fetch", async (path: string, options: { method?: string; body?: string } = {}) => {
    const call = {
      method: options.method ?? "GET",
      path: path.replace("/api", ""),
      body: withNumbers(JSON.parse(options.body ?? "{}")),
    };
    calls.push(call);
    const given = answer(call);
    if (given === "unreachable") throw new TypeError("failed to fetch");
    const status = given.status ?? 200;
    return { ok: status < 300, status, json: async () => given.body };
  });
  return calls;
}
