/** Playing across a cut: the end of one shot, then the beginning of the next. */
import { useCallback, useEffect, useRef, useState } from "react";
import type { Day } from "../shared/api";
import { frameAt } from "../shared/pictures";
import { along, type Cut, firstFrame, lastFrame, rateOf, type Use } from "./cuts";

const SECONDS_EACH = 1;

export interface Shown {
  use: Use;
  frame: number;
  side: "out" | "in";
}

function framesAcross(cut: Cut): Shown[] {
  const before = Math.round(rateOf(cut.from.shot) * SECONDS_EACH);
  const behind = Math.round(rateOf(cut.to.shot) * SECONDS_EACH);
  const out = lastFrame(cut.from);
  const entry = firstFrame(cut.to);
  const frames = (use: Use, from: number, by: number[]) => [...new Set(by.map((n) => along(use, from, n)))];
  const count = (length: number) => Array.from({ length }, (_, i) => i);
  return [
    ...frames(
      cut.from,
      out,
      count(before).map((n) => n - before + 1),
    ).map((frame): Shown => ({ use: cut.from, frame, side: "out" })),
    ...frames(cut.to, entry, count(behind)).map((frame): Shown => ({ use: cut.to, frame, side: "in" })),
  ];
}

/** Loads the frames about a cut, then shows them round and round at the clip's rate. */
export function useAcross(cut: Cut | undefined, day: Day) {
  const [playing, setPlaying] = useState(false);
  const [shown, setShown] = useState<Shown | null>(null);
  const timer = useRef<number | undefined>(undefined);
  /** Kept while they are played, so that they are not fetched again. */
  const held = useRef<HTMLImageElement[]>([]);
  const key = cut ? `${cut.from.key} ${cut.to.key}` : "";
  // biome-ignore lint/correctness/useExhaustiveDependencies: another cut stops what is played
  useEffect(() => {
    setPlaying(false);
  }, [key]);
  // biome-ignore lint/correctness/useExhaustiveDependencies: begun once for each press
  useEffect(() => {
    if (!playing || !cut) return;
    const frames = framesAcross(cut);
    let stopped = false;
    const load = async () => {
      // One after another, in the order of the clip: the server then reads on instead of seeking.
      for (const { use, frame } of frames) {
        if (stopped) return;
        const image = new Image();
        image.src = frameAt(use.shot, day, frame);
        await image.decode().catch(() => undefined);
        held.current.push(image);
      }
    };
    void load().then(() => {
      if (stopped) return;
      const began = performance.now();
      const tick = () => {
        const passed = ((performance.now() - began) / 1000) * rateOf(cut.from.shot);
        setShown(frames[Math.floor(passed) % frames.length]);
        timer.current = requestAnimationFrame(tick);
      };
      tick();
    });
    return () => {
      stopped = true;
      held.current = [];
      cancelAnimationFrame(timer.current ?? 0);
      setShown(null);
    };
  }, [playing]);
  return { playing, shown, toggle: useCallback(() => setPlaying((now) => !now), []) };
}
