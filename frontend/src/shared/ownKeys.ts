/** Keys that the user has changed, kept in this browser: the chord of an action as it ships, and the chord that it has now. */
import { create } from "zustand";
import { type Chord, chordsOf, letterOf, NAMED } from "./chords";

const KEPT = "dovrel.keys";

/** Chords that can be given to an action: a letter, a sign or a named key, with Shift or without. */
export const CHANGEABLE = /^(?:(?:shift\+)?(?:[a-z]|insert|delete|home|end)|[!-/:-@[-`{-~])$/;

/** How the chord of an action begins that has no key as it ships. */
export const UNSET = "none:";

/** Reads an exported list of keys; throws a sentence if it holds anything else. */
export function readKeys(text: string): Record<string, string> {
  let read: unknown;
  try {
    read = JSON.parse(text);
  } catch {
    throw new Error("This file holds no list of keys. Choose a file that was exported here.");
  }
  const entries = Object.entries(read && typeof read === "object" && !Array.isArray(read) ? read : {});
  if (entries.length === 0) throw new Error("This file lists no keys. Choose a file that was exported here.");
  for (const [action, chord] of entries)
    if (typeof chord !== "string" || !CHANGEABLE.test(chord))
      throw new Error(`${action}: ${JSON.stringify(chord)} is no key that can be chosen.`);
  if (new Set(entries.map(([, chord]) => chord)).size < entries.length)
    throw new Error("This file gives one key to two actions.");
  return Object.fromEntries(entries) as Record<string, string>;
}

function kept(): Record<string, string> {
  try {
    return readKeys(window.localStorage.getItem(KEPT) ?? "");
  } catch {
    return {};
  }
}

export const useOwnKeys = create<{ keys: Record<string, string> }>(() => ({ keys: kept() }));

/** The chords of an action, by those that it ships with. */
export const chordOf = (text: string): string => useOwnKeys.getState().keys[text] ?? text;

/** Use these keys from now on, in this browser. */
export function keepKeys(keys: Record<string, string>) {
  const changed = Object.fromEntries(Object.entries(keys).filter(([text, chord]) => text !== chord));
  window.localStorage.setItem(KEPT, JSON.stringify(changed));
  useOwnKeys.setState({ keys: changed });
}

/** The chord of a press, as an action could be given it; null if it is part of the browser, the system or a number. */
export function givenBy(event: KeyboardEvent): string | null {
  if (event.ctrlKey || event.metaKey || event.altKey) return null;
  const letter = letterOf(event);
  const name = letter || (NAMED[event.key] ?? event.key.toLowerCase());
  const sign = !letter && name.length === 1;
  const chord = event.shiftKey && !sign ? `shift+${name}` : name;
  return CHANGEABLE.test(chord) ? chord : null;
}

const SHOWN: Record<string, string> = {
  space: "Space",
  left: "←",
  right: "→",
  up: "↑",
  down: "↓",
  escape: "Esc",
  enter: "Enter",
  insert: "Insert",
  delete: "Del",
  backspace: "Backspace",
  home: "Home",
  end: "End",
  pageup: "Page up",
  pagedown: "Page down",
  "-": "−",
};

const nameOf = ({ key, mod, alt, shift }: Chord) =>
  [mod && "Ctrl", alt && "Alt", shift && "Shift", SHOWN[key] ?? key.toUpperCase()].filter(Boolean).join(" ");

/** The key of an action as it is printed: the first of its chords. */
export const printedOf = (text: string): string => {
  const chord = chordOf(text);
  return chord.startsWith(UNSET) ? "" : nameOf(chordsOf(chord)[0]);
};
