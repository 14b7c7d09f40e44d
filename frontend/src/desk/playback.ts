/** Playing the shot at its own rate, the scopes alive; each frame is asked for as the last one comes. */
import { show, unanswered } from "./exchange";
import { setFrame } from "./looking";
import { useDesk } from "./state";

const LONGEST_WAIT_MS = 400;
const MOST_SKIPPED = 3;

let started = 0;
let startedAt = 0;
let askedAt = 0;
let running: number | null = null;

const clipOf = () => useDesk.getState().shot?.clip ?? {};

function ends(): [first: number, last: number] {
  return useDesk.getState().range ?? [0, (clipOf().frames ?? 1) - 1];
}

/** Play at a multiple of the clip's rate: 1 forward, -1 backward; 0 stops. */
export function play(speed: number) {
  const { frame, playing } = useDesk.getState();
  if (running !== null) cancelAnimationFrame(running);
  running = null;
  useDesk.setState({ playing: speed });
  if (speed === 0) {
    // At rest again: the preview, then the full frame.
    if (playing !== 0) show({});
    return;
  }
  started = frame;
  startedAt = performance.now();
  running = requestAnimationFrame(tick);
}

function tick() {
  const { playing, frame, loop } = useDesk.getState();
  if (playing === 0) return;
  running = requestAnimationFrame(tick);
  const now = performance.now();
  // Two at a time: the server works on the next while the page draws the last.
  if (unanswered() > 1 && now - askedAt < LONGEST_WAIT_MS) return;
  const [rate, per] = clipOf().rate ?? [24, 1];
  const passed = Math.floor(((now - startedAt) / 1000) * (rate / per) * Math.abs(playing));
  const [first, last] = ends();
  const length = last - first + 1;
  let due = started + Math.sign(playing) * passed;
  if (due > last || due < first) {
    if (!loop) {
      setFrame(due > last ? last : first);
      return play(0);
    }
    due = first + ((((due - first) % length) + length) % length);
  }
  if (due === frame) return;
  // Rather late than in leaps: where the server cannot keep up, the clock waits for it.
  const step = Math.sign(playing) * MOST_SKIPPED * Math.abs(playing);
  if (Math.abs(due - frame) > Math.abs(step) && Math.sign(due - frame) === Math.sign(playing)) {
    due = frame + step;
    started = due;
    startedAt = now;
  }
  askedAt = now;
  setFrame(due);
}

/** Forward; pressed again, faster. */
export const forward = () => play(faster(1));
export const backward = () => play(faster(-1));
export const pause = () => play(0);
export const toggle = () => play(useDesk.getState().playing === 0 ? 1 : 0);

function faster(way: 1 | -1): number {
  const { playing } = useDesk.getState();
  return Math.sign(playing) === way ? way * Math.min(Math.abs(playing) * 2, 8) : way;
}

/** Set the first or the last frame that is played. */
export function mark(end: "first" | "last") {
  const { frame, range } = useDesk.getState();
  const last = (clipOf().frames ?? 1) - 1;
  const [from, to] = range ?? [0, last];
  const next: [number, number] =
    end === "first" ? [frame, to > frame ? to : last] : [from < frame ? from : 0, frame];
  useDesk.setState({ range: next[0] === 0 && next[1] === last ? null : next });
}

export const wholeRange = () => useDesk.setState({ range: null });
