/**
 * Which action a key press starts. Text that is being typed keeps its keys, a focused control keeps Space and Enter, a list of
 * choices keeps the arrows; nothing acts behind a dialog. Every other key acts whatever has the focus.
 */
import { useEffect, useRef } from "react";
import { type Chord, chordsOf, isOf, NAMED } from "./chords";
import { useOwnKeys } from "./ownKeys";

/** What a key does; false if it leaves the press to whoever else wants it. */
export type Act = (event: KeyboardEvent) => unknown;

const TEXT =
  "input:not([type=checkbox], [type=radio], [type=range], [type=button], [type=submit]), textarea, select";
const CONTROL =
  "button, a[href], summary, input, [role=button], [role=switch], [role=checkbox], [role=option], [role=tab], [role=menuitem]";
const CHOICE = "input[type=radio], input[type=range], [role=listbox]";
const MOVES = ["left", "right", "up", "down", "home", "end", "pageup", "pagedown"];
const DIALOG = ".modal.show";

/** Whether a press is part of what has the focus, or to a dialog. */
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
  first: boolean;
}

const bound = new Set<Bound>();

/** What a key's text does now; null where nothing on the screen is bound to it, or it is held. */
export function actOf(text: string): (() => void) | null {
  const found = [...bound].filter((one) => one.text === text && one.enabled && !one.held).at(-1);
  if (!found) return null;
  return () => void found.act(new KeyboardEvent("keydown", { key: chordsOf(text)[0].key }));
}

document.addEventListener("keydown", (event) => {
  const newestFirst = [...bound].reverse();
  for (const one of [...newestFirst.filter((own) => own.first), ...newestFirst.filter((own) => !own.first)]) {
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
  /** Whether it comes before the keys of the screen, whenever they were bound. */
  first?: boolean;
}

/** Bind a key's chords to what they do while this is on the screen; what was bound last comes first. */
export function useKey(
  text: string,
  act: Act,
  { enabled = true, overDialogs = false, held = false, first = false }: Options = {},
) {
  const own = useRef<Bound>({ text, chords: [], act, enabled, overDialogs, held, first });
  Object.assign(own.current, { act, enabled, overDialogs, held, first });
  const chord = useOwnKeys(({ keys }) => keys[text] ?? text);
  useEffect(() => {
    const mine = own.current;
    Object.assign(mine, { text, chords: chordsOf(chord) });
    bound.add(mine);
    return () => void bound.delete(mine);
  }, [text, chord]);
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
