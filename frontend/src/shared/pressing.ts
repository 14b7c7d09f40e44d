/**
 * Keys, by the character that is printed on them: M is M on every layout, and a comma is none. Letters of other scripts, and
 * the digits of the upper row, which need Shift on some layouts, are taken by their place.
 *
 * A key belongs to text that is being typed, Space and Enter to a control that has the focus, arrows to a list of choices; behind
 * a dialog nothing acts. Everything else acts whatever has the focus.
 */
import { useEffect, useRef } from "react";

/** What a key does; false if it leaves the press to whoever else wants it. */
export type Act = (event: KeyboardEvent) => unknown;

interface Chord {
  key: string;
  mod: boolean;
  alt: boolean;
  shift: boolean;
}

/** Chords of a key's text: parted by spaces, as ``shift+m`` or ``mod+z mod+y``; mod is Ctrl, or Command. */
export function chordsOf(text: string): Chord[] {
  return text.split(" ").map((chord) => {
    const at = chord.slice(0, -1).lastIndexOf("+");
    const modifiers = at < 0 ? [] : chord.slice(0, at).split("+");
    const has = (one: string) => modifiers.includes(one);
    return { key: chord.slice(at + 1), mod: has("mod"), alt: has("alt"), shift: has("shift") };
  });
}

const NAMED: Record<string, string> = {
  " ": "space",
  ArrowLeft: "left",
  ArrowRight: "right",
  ArrowUp: "up",
  ArrowDown: "down",
};

const isLetter = (key: string) => /^[a-z]$/i.test(key);
const isPrinted = (key: string) => /^[!-~]$/.test(key);

/** The Latin letter of a key; of another script's key, or one that Alt has turned into a sign, the letter in its place. */
function letterOf({ key, code }: KeyboardEvent): string {
  if (isLetter(key)) return key.toLowerCase();
  return code.startsWith("Key") && !isPrinted(key) ? code.slice(3).toLowerCase() : "";
}

const isUpperRow = ({ code }: KeyboardEvent) => code.startsWith("Digit");

/** Whether a press is of a chord. */
export function isOf(event: KeyboardEvent, { key, mod, alt, shift }: Chord): boolean {
  const sign = key.length === 1 && !/[a-z0-9]/.test(key);
  // What AltGr prints says nothing of Ctrl and Alt, by which some systems report it.
  const third = sign && event.getModifierState("AltGraph");
  const ctrl = event.ctrlKey || event.metaKey;
  if (!third && (ctrl !== mod || event.altKey !== alt)) return false;
  if (sign) return event.key === key;
  // Digits of the upper row are one of a row of places: with Shift on some layouts, and without it on others.
  if (/^[0-9]$/.test(key))
    return (
      event.shiftKey === shift && (event.code === `Digit${key}` || (event.key === key && !isUpperRow(event)))
    );
  if (event.shiftKey !== shift) return false;
  return key.length === 1 ? letterOf(event) === key : (NAMED[event.key] ?? event.key.toLowerCase()) === key;
}

const TEXT =
  "input:not([type=checkbox], [type=radio], [type=range], [type=button], [type=submit]), textarea, select";
const CONTROL =
  "button, a[href], summary, input, [role=button], [role=switch], [role=checkbox], [role=option], [role=tab], [role=menuitem]";
const CHOICE = "input[type=radio], input[type=range], [role=listbox]";
const MOVES = ["left", "right", "up", "down", "home", "end", "pageup", "pagedown"];
const DIALOG = ".modal.show";

/** Whether a press belongs to what has the focus, or to a dialog. */
function belongsElsewhere(event: KeyboardEvent, overDialogs: boolean): boolean {
  if (event.defaultPrevented || event.isComposing) return true;
  if (!overDialogs && document.querySelector(DIALOG)) return true;
  const target = event.target instanceof Element ? event.target : null;
  if (!target) return false;
  if (target.closest(TEXT) || (target instanceof HTMLElement && target.isContentEditable)) return true;
  const name = NAMED[event.key] ?? event.key.toLowerCase();
  const bare = !event.ctrlKey && !event.metaKey && !event.altKey && !event.shiftKey;
  if (bare && (name === "space" || name === "enter")) return target.closest(CONTROL) !== null;
  return bare && MOVES.includes(name) && target.closest(CHOICE) !== null;
}

interface Bound {
  text: string;
  chords: Chord[];
  act: Act;
  enabled: boolean;
  overDialogs: boolean;
  held: boolean;
}

const bound = new Set<Bound>();

/** What a key's text does now; null where nothing on the screen is bound to it, or it is held. */
export function actOf(text: string): (() => void) | null {
  const found = [...bound].filter((one) => one.text === text && one.enabled && !one.held).at(-1);
  if (!found) return null;
  return () => void found.act(new KeyboardEvent("keydown", { key: chordsOf(text)[0].key }));
}

document.addEventListener("keydown", (event) => {
  for (const one of [...bound].reverse()) {
    if (!one.enabled || !one.chords.some((chord) => isOf(event, chord))) continue;
    if (belongsElsewhere(event, one.overDialogs)) return;
    if (one.act(event) === false) continue;
    event.preventDefault();
    return;
  }
});

export interface Options {
  enabled?: boolean;
  /** Whether it acts over an open dialog, too. */
  overDialogs?: boolean;
  /** Whether it does something while it is held, and is of no use without a key. */
  held?: boolean;
}

/** Bind a key's chords to what they do while this is on the screen; what was bound last comes first. */
export function useKey(
  text: string,
  act: Act,
  { enabled = true, overDialogs = false, held = false }: Options = {},
) {
  const own = useRef<Bound>({ text, chords: [], act, enabled, overDialogs, held });
  Object.assign(own.current, { act, enabled, overDialogs, held });
  useEffect(() => {
    const mine = own.current;
    Object.assign(mine, { text, chords: chordsOf(text) });
    bound.add(mine);
    return () => void bound.delete(mine);
  }, [text]);
}

/** Bind a key to what is done when it is pressed and when it is let go, whatever else is pressed by then. */
export function useHeldKey(text: string, down: Act, up: () => void, options: Options = {}) {
  const held = useRef<string | null>(null);
  const release = useRef(up);
  release.current = up;
  useKey(
    text,
    (event) => {
      if (event.repeat || held.current !== null) return;
      held.current = event.code;
      down(event);
    },
    { ...options, held: true },
  );
  useEffect(() => {
    const end = () => {
      if (held.current === null) return;
      held.current = null;
      release.current();
    };
    const letGo = (event: KeyboardEvent) => event.code === held.current && end();
    document.addEventListener("keyup", letGo);
    window.addEventListener("blur", end);
    return () => {
      document.removeEventListener("keyup", letGo);
      window.removeEventListener("blur", end);
    };
  }, []);
}
