// @vitest-environment happy-dom
/** Actions found by name: by our words and the trade's, those that can be done now alone. */
import { act, createElement, type ReactNode } from "react";
import { createRoot } from "react-dom/client";
import { expect, it, vi } from "vitest";
import { actionsOf, bestOf } from "../src/shared/finding";
import { INTAKE_KEYS, KEYS, WALL_KEYS } from "../src/shared/keys";
import { useHeldKey, useKey } from "../src/shared/pressing";
import { SYNONYMS } from "../src/shared/synonyms";

vi.stubGlobal("IS_REACT_ACT_ENVIRONMENT", true);
const done: string[] = [];

function Pressed({ name, text }: { name: string; text: string }) {
  useKey(text, () => done.push(name), { enabled: name !== "match" });
  return null;
}

function Held({ text }: { name: string; text: string }) {
  const nothing = () => undefined;
  useHeldKey(text, nothing, nothing);
  return null;
}

/** A desk on which everything can be done but to match. */
function desk() {
  const all: ReactNode[] = [];
  for (const [name, { key: text }] of Object.entries(KEYS))
    all.push(createElement(name === "darker" ? Held : Pressed, { key: name, name, text }));
  return all;
}

it("finds what can be done by our words and the trade's, and does it", () => {
  const root = createRoot(document.createElement("div"));
  act(() => root.render(desk()));
  const all = actionsOf("Desk");
  const named = (words: string) => bestOf(all, words).map(({ text }) => text);
  expect(named("balance")[0]).toBe(KEYS.balance.does);
  expect(named("zebra")).toContain(KEYS.mark.does);
  expect(named("black and white")).toContain(KEYS.tone.does);
  expect(named("nits")).toContain(KEYS.unit.does);
  expect(named("ful screen")).toContain(KEYS.wide.does);
  expect(named("qqqq")).toEqual([]);
  expect(bestOf(all, "").length).toBe(12);
  // What cannot be done now, is held, or says by its key which way, is none of them.
  for (const name of ["match", "darker", "pan", "steps", "split"] as const)
    expect(all.map(({ text }) => text)).not.toContain(KEYS[name].does);
  bestOf(all, "uncorrected")[0].run();
  expect(done).toEqual(["before"]);
  expect(actionsOf("Handover")).toEqual([]);
  act(() => root.unmount());
  expect(actionsOf("Desk")).toEqual([]);
});

it("has synonyms of actions alone", () => {
  const names = new Set([KEYS, WALL_KEYS, INTAKE_KEYS].flatMap((keys) => Object.keys(keys)));
  expect(Object.keys(SYNONYMS).filter((name) => !names.has(name))).toEqual([]);
});
