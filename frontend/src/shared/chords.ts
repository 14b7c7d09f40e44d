/**
 * Chords: a key with its modifiers, by the character that is printed on it. M is M on every layout, and a comma is not. A letter
 * of another script and a digit of the upper row, which needs Shift on some layouts, are taken by their place.
 */
export interface Chord {
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

export const NAMED: Record<string, string> = {
  " ": "space",
  ArrowLeft: "left",
  ArrowRight: "right",
  ArrowUp: "up",
  ArrowDown: "down",
};

const isLetter = (key: string) => /^[a-z]$/i.test(key);
const isPrinted = (key: string) => /^[!-~]$/.test(key);

/** The Latin letter of a key; of another script's key, or one that Alt has turned into a sign, the letter in its place. */
export function letterOf({ key, code }: KeyboardEvent): string {
  if (isLetter(key)) return key.toLowerCase();
  return code.startsWith("Key") && !isPrinted(key) ? code.slice(3).toLowerCase() : "";
}

const isUpperRow = ({ code }: KeyboardEvent) => code.startsWith("Digit");

/** Whether a press is of a chord. */
export function isOf(event: KeyboardEvent, { key, mod, alt, shift }: Chord): boolean {
  const sign = key.length === 1 && !/[a-z0-9]/.test(key);
  // Some systems report AltGr as Ctrl and Alt, which what it prints does not mean.
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
