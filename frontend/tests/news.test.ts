// @vitest-environment happy-dom
/** News of the day with a made-up server: when it is asked for, and what is said of trouble. */
import type { QueryClient } from "@tanstack/react-query";
import { afterEach, beforeEach, expect, it, vi } from "vitest";
import { meant } from "../src/shared/doing";
import { Asking, hear, useNews } from "../src/shared/news";
import { day } from "./day";
import { line, Socket } from "./server";

beforeEach(() => {
  vi.useFakeTimers();
  vi.stubGlobal("WebSocket", Socket);
  Socket.all = [];
});

afterEach(() => {
  vi.unstubAllGlobals();
  vi.useRealTimers();
});

it("tells of every change once, and of trouble without asking for the day", () => {
  const told = vi.fn();
  const stop = hear(told);
  line().say({ number: 3, troubles: [] });
  line().say({ number: 3, troubles: ["The worker ended."] });
  expect(told).toHaveBeenCalledTimes(1);
  expect(useNews.getState().troubles).toEqual(["The worker ended."]);
  line().say({ number: 4, troubles: [] });
  expect(told).toHaveBeenCalledTimes(2);
  stop();
});

it("opens a broken line again, and not one that is closed", async () => {
  const stop = hear(() => undefined);
  line().lose();
  expect(useNews.getState().line).toBe("lost");
  await vi.advanceTimersByTimeAsync(1000);
  expect(Socket.all).toHaveLength(2);
  line().say({ number: 1, troubles: [] });
  expect(useNews.getState().line).toBe("open");
  stop();
  await vi.advanceTimersByTimeAsync(3000);
  expect(Socket.all).toHaveLength(2);
});

it("asks once more for what changed while it was asking, however much that was", async () => {
  const answers: (() => void)[] = [];
  const refetch = vi.fn(() => new Promise<void>((resolve) => answers.push(resolve)));
  const asking = new Asking({ refetchQueries: refetch } as unknown as QueryClient);
  void asking.again();
  const each = refetch.mock.calls.length;
  for (let i = 0; i < 5; i++) void asking.again();
  expect(refetch).toHaveBeenCalledTimes(each);
  refetch.mockImplementation(() => Promise.resolve());
  for (const answer of answers) answer();
  await vi.advanceTimersByTimeAsync(5000);
  expect(refetch).toHaveBeenCalledTimes(2 * each);
});

it("means the newest operation by undo, and by redo the first of those undone since", () => {
  const operation = (id: number, undone: boolean) => ({
    id,
    kind: "sort",
    what: `${id}`,
    total: 0,
    done: 0,
    compared: 1,
    cancelled: false,
    undone,
    made_at: "2026-03-03T22:00:00",
    seconds: 0,
    failed: [],
  });
  const operations = [operation(9, true), operation(8, true), operation(7, false), operation(6, true)];
  const now = { ...day([], []), operations };
  expect(meant(now, "undo")?.id).toBe(7);
  expect(meant(now, "redo")?.id).toBe(8);
  expect(meant({ ...now, operations: [] }, "undo")).toBeUndefined();
});
