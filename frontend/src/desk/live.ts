/** The live channel's page side: sends numbered requests, hands on answers, reconnects by itself. */
import type { Point } from "../scopes/canvas";
import { type Message, unpack } from "../scopes/densities";
import type { Live } from "../shared/api";

/** What is asked of the server; the channel numbers it. */
export type ShowRequest = Omit<Live, "kind" | "number">;

export interface NamedPoint extends Point {
  number: number;
  y: number;
  stops: number;
  /** Working values that reach the current step. */
  reaching: number[] | null;
}

export interface LiveEvents {
  message: (message: Message) => void;
  point: (point: NamedPoint) => void;
  /** `again` if the same may go well in a while. */
  fault: (detail: string, number: number | undefined, again: boolean) => void;
  connected: (state: "open" | "lost") => void;
}

const RETRY_MS = 700;

export class LiveChannel {
  private socket: WebSocket | null = null;
  /** Goes on through every channel of a visit, so that an old answer never passes for a new one. */
  private static number = 0;
  private last: string | null = null;
  private asked: ShowRequest | null = null;
  private closed = false;
  private retry: number | undefined;

  constructor(private readonly events: LiveEvents) {
    this.connect();
  }

  private connect() {
    const socket = new WebSocket(`ws://${window.location.host}/api/live`);
    socket.binaryType = "arraybuffer";
    socket.onopen = () => {
      this.events.connected("open");
      if (this.last) socket.send(this.last);
    };
    socket.onmessage = (event) => {
      if (event.data instanceof ArrayBuffer) {
        this.events.message(unpack(event.data));
        return;
      }
      const text = JSON.parse(event.data as string);
      if (text.kind === "point") this.events.point(text);
      else this.events.fault(text.detail, text.number, text.again === true);
    };
    socket.onclose = () => {
      if (this.closed) return;
      this.events.connected("lost");
      this.retry = window.setTimeout(() => this.connect(), RETRY_MS);
    };
    this.socket = socket;
  }

  /** Ask to see something; the newest request wins. Returns its number. */
  show(request: ShowRequest): number {
    this.asked = request;
    LiveChannel.number += 1;
    this.last = JSON.stringify({ kind: "show", number: LiveChannel.number, ...request });
    if (this.socket?.readyState === WebSocket.OPEN) this.socket.send(this.last);
    return LiveChannel.number;
  }

  /** Ask once more for what was asked last. Returns its new number. */
  again(): number {
    return this.asked ? this.show(this.asked) : LiveChannel.number;
  }

  point(
    request: Pick<ShowRequest, "shot" | "frame" | "levels" | "level" | "step" | "side" | "before"> & {
      x: number;
      y: number;
    },
  ) {
    if (this.socket?.readyState === WebSocket.OPEN)
      this.socket.send(JSON.stringify({ kind: "point", number: LiveChannel.number, ...request }));
  }

  close() {
    this.closed = true;
    window.clearTimeout(this.retry);
    this.socket?.close();
  }
}
