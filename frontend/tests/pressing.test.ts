// @vitest-environment happy-dom
/** Keys on layouts of several countries, and what a press acts on. */
import { act, createElement } from "react";
import { createRoot, type Root } from "react-dom/client";
import { afterEach, beforeEach, describe, expect, it, vi } from "vitest";
import { chordsOf, isOf } from "../src/shared/chords";
import {
  DESK_TASKS,
  everyAction,
  fixedChords,
  INTAKE_KEYS,
  KEYS,
  LINE_UP_KEYS,
  WALL_KEYS,
} from "../src/shared/keys";
import { givenBy, keepKeys, printedOf, readKeys } from "../src/shared/ownKeys";
import { type Options, useHeldKey, useKey } from "../src/shared/pressing";

type Press = Partial<KeyboardEventInit> & { third?: boolean };

function press(key: string, code: string, { third, ...more }: Press = {}) {
  const event = new KeyboardEvent("keydown", { key, code, bubbles: true, cancelable: true, ...more });
  if (third) event.getModifierState = (name) => name === "AltGraph";
  return event;
}

const means = (text: string, event: KeyboardEvent) => chordsOf(text).some((chord) => isOf(event, chord));

const CTRL = { ctrlKey: true };
const SHIFT = { shiftKey: true };
/** Layout, what is pressed, what it means, and what a US keyboard would have there and is not meant. */
const LAYOUTS: [string, KeyboardEvent, string, string | null][] = [
  ["us", press("m", "KeyM"), "m", null],
  ["us", press("M", "KeyM", SHIFT), "shift+m", "m"],
  ["us", press(")", "Digit0", SHIFT), "shift+0", "0"],
  ["us", press("+", "Equal", SHIFT), "+", "shift+0"],
  ["us", press("z", "KeyZ", CTRL), "mod+z", "z"],
  ["fr", press("m", "Semicolon"), "m", ","],
  ["fr", press(",", "KeyM"), ",", "m"],
  ["fr", press("a", "KeyQ"), "a", "q"],
  ["fr", press("z", "KeyW", CTRL), "mod+z", "mod+w"],
  ["fr", press("5", "Digit5", SHIFT), "shift+5", "5"],
  ["us", press("7", "Numpad7"), "7", "shift+7"],
  ["fr", press("&", "Digit1"), "1", "shift+1"],
  ["fr", press("[", "Digit5", { third: true, ctrlKey: true, altKey: true }), "[", "5"],
  ["de", press("z", "KeyY", CTRL), "mod+z", "mod+y"],
  ["de", press("y", "KeyZ", CTRL), "mod+y", "mod+z"],
  ["de", press("+", "BracketRight"), "+", "]"],
  ["de", press("-", "Slash"), "-", "/"],
  ["de", press("/", "Digit7", SHIFT), "/", "7"],
  ["de", press("?", "Minus", SHIFT), "?", "-"],
  ["es", press("-", "Slash"), "-", "/"],
  ["es", press("?", "Minus", SHIFT), "?", "-"],
  ["es", press("[", "BracketLeft", { third: true }), "[", null],
  ["se", press("+", "Minus"), "+", "-"],
  ["se", press("/", "Digit7", SHIFT), "/", "7"],
  ["dvorak", press("m", "KeyM"), "m", null],
  ["dvorak", press("b", "KeyN"), "b", "n"],
  ["dvorak", press(",", "KeyW"), ",", "w"],
  ["ru", press("ь", "KeyM"), "m", null],
  ["mac", press("µ", "KeyM", { altKey: true }), "alt+m", "m"],
];

describe("a key", () => {
  it.each(LAYOUTS)("means what is printed on it: %s %#", (_, event, meant, other) => {
    expect(means(meant, event)).toBe(true);
    if (other) expect(means(other, event)).toBe(false);
  });
  it("is one of several", () => {
    expect(chordsOf("mod+shift+z mod+y").map(({ key }) => key)).toEqual(["z", "y"]);
    expect(chordsOf("+")).toEqual([{ key: "+", mod: false, alt: false, shift: false }]);
    expect(means("alt+left alt+right", press("ArrowRight", "ArrowRight", { altKey: true }))).toBe(true);
  });
  it("is bound once on a screen", () => {
    for (const keys of [KEYS, INTAKE_KEYS, WALL_KEYS, LINE_UP_KEYS]) {
      const all = Object.values(keys).flatMap(({ key }) => chordsOf(key).map((one) => JSON.stringify(one)));
      expect(new Set(all).size).toBe(all.length);
    }
  });
});

describe("a letter", () => {
  it("means the same on every screen, or nothing", () => {
    const names = new Map<string, Set<string>>();
    for (const keys of [KEYS, INTAKE_KEYS, WALL_KEYS, LINE_UP_KEYS])
      for (const [name, { key }] of Object.entries(keys))
        for (const chord of key.split(" "))
          if (/^(shift\+)?[a-z]$/.test(chord)) names.set(chord, (names.get(chord) ?? new Set()).add(name));
    expect([...names].filter(([, meanings]) => meanings.size > 1)).toEqual([]);
  });
});

describe("a key of one's own", () => {
  afterEach(() => keepKeys({}));
  it("takes the place of the key as it ships, on the page and in what is printed", () => {
    const done = vi.fn();
    function Screen() {
      useKey("shift+p", done);
      return null;
    }
    const root = createRoot(document.body.appendChild(document.createElement("div")));
    act(() => root.render(createElement(Screen)));
    act(() => keepKeys({ "shift+p": ";" }));
    document.body.dispatchEvent(press("P", "KeyP", SHIFT));
    expect(done).not.toHaveBeenCalled();
    document.body.dispatchEvent(press(";", "Semicolon"));
    expect(done).toHaveBeenCalledTimes(1);
    expect(printedOf("shift+p")).toBe(";");
    act(() => root.unmount());
  });
  it("is a letter, a sign or a named key, and no browser's", () => {
    expect(givenBy(press("K", "KeyK", SHIFT))).toBe("shift+k");
    expect(givenBy(press("&", "Digit1"))).toBe("&");
    expect(givenBy(press("Home", "Home"))).toBe("home");
    for (const [key, code, more] of [
      ["t", "KeyT", CTRL],
      ["F5", "F5", {}],
      ["Tab", "Tab", {}],
      ["1", "Digit1", {}],
      [" ", "Space", {}],
    ] as [string, string, Press][])
      expect(givenBy(press(key, code, more))).toBeNull();
  });
  it("is read from an exported file, and bad files are refused with a sentence", () => {
    expect(readKeys('{"shift+p": ";"}')).toEqual({ "shift+p": ";" });
    for (const [text, said] of [
      ["nothing", "no list of keys"],
      ["[]", "lists no keys"],
      ['{"m": "mod+w"}', "no key that can be chosen"],
      ['{"m": 3}', "no key that can be chosen"],
      ['{"m": ";", "b": ";"}', "one key to two actions"],
    ])
      expect(() => readKeys(text)).toThrow(said);
  });
  it("can be given to every action, and no two ship with the same", () => {
    const actions = everyAction();
    expect(actions.length).toBeGreaterThan(60);
    expect(new Set(actions.map(({ key }) => key)).size).toBe(actions.length);
    expect(actions.find(({ key }) => key === "m")?.screens).toEqual(["Wall", "Desk"]);
    expect(printedOf("none:range")).toBe("");
    expect(fixedChords().get(",")).toBe(KEYS.split.does);
    expect(actions.filter(({ key }) => fixedChords().has(key))).toEqual([]);
  });
});

describe("the list of the Desk's keys", () => {
  it("has each under one heading", () => {
    const listed = DESK_TASKS.flatMap(([, names]) => names);
    expect([...listed].sort()).toEqual(Object.keys(KEYS).sort());
  });
});

describe("a press", () => {
  let root: Root;
  let place: HTMLElement;
  const done = vi.fn();

  function Bound({ text, options }: { text: string; options?: Options }) {
    useKey(text, done, options);
    return null;
  }

  const bind = (text: string, options?: Options) =>
    act(() => root.render(createElement(Bound, { text, options })));

  const pressOn = (selector: string | null, event: KeyboardEvent) => {
    (selector ? (document.querySelector(selector) as HTMLElement) : document.body).dispatchEvent(event);
    return event;
  };

  beforeEach(() => {
    vi.stubGlobal("IS_REACT_ACT_ENVIRONMENT", true);
    place = document.createElement("div");
    document.body.innerHTML = `<span role="spinbutton" tabindex="0"></span><button id="press">x</button>
      <input id="text"><input id="tick" type="checkbox"><input id="one" type="radio"><select></select>`;
    document.body.append(place);
    root = createRoot(place);
    done.mockReset();
  });
  afterEach(() => {
    act(() => root.unmount());
    document.body.innerHTML = "";
  });

  it("acts whatever has the focus, but for text that is typed", async () => {
    await bind("m");
    for (const where of [null, "[role=spinbutton]", "#press", "#tick", "#one"])
      expect(pressOn(where, press("m", "KeyM")).defaultPrevented).toBe(true);
    expect(done).toHaveBeenCalledTimes(5);
    for (const where of ["#text", "select"])
      expect(pressOn(where, press("m", "KeyM")).defaultPrevented).toBe(false);
    expect(done).toHaveBeenCalledTimes(5);
  });
  it("of Space or Enter is part of a control that has the focus", async () => {
    await bind("space enter");
    for (const where of ["#press", "#tick"])
      for (const [key, code] of [
        [" ", "Space"],
        ["Enter", "Enter"],
      ])
        pressOn(where, press(key, code));
    expect(done).not.toHaveBeenCalled();
    pressOn("[role=spinbutton]", press(" ", "Space"));
    pressOn(null, press("Enter", "Enter"));
    expect(done).toHaveBeenCalledTimes(2);
  });
  it("of an arrow is part of a choice that has the focus", async () => {
    await bind("left");
    pressOn("#one", press("ArrowLeft", "ArrowLeft"));
    expect(done).not.toHaveBeenCalled();
    pressOn("#press", press("ArrowLeft", "ArrowLeft"));
    expect(done).toHaveBeenCalledTimes(1);
  });
  it("does nothing behind a dialog", async () => {
    const dialog = document.createElement("div");
    dialog.className = "modal show";
    document.body.append(dialog);
    await bind("m");
    expect(pressOn(null, press("m", "KeyM")).defaultPrevented).toBe(false);
    expect(done).not.toHaveBeenCalled();
    await bind("m", { overDialogs: true });
    pressOn(null, press("m", "KeyM"));
    expect(done).toHaveBeenCalledTimes(1);
  });
  it("is left alone where it is of no use, is handled already, or is bound no more", async () => {
    await bind("m", { enabled: false });
    pressOn(null, press("m", "KeyM"));
    await bind("m");
    const handled = press("m", "KeyM");
    handled.preventDefault();
    pressOn(null, handled);
    expect(done).not.toHaveBeenCalled();
    done.mockReturnValue(false);
    expect(pressOn(null, press("m", "KeyM")).defaultPrevented).toBe(false);
    act(() => root.render(null));
    pressOn(null, press("m", "KeyM"));
    expect(done).toHaveBeenCalledTimes(1);
  });
  it("that is held is let go when its key is, whatever else is pressed then", async () => {
    const up = vi.fn();
    function Held() {
      useHeldKey("d", done, up);
      return null;
    }
    await act(() => root.render(createElement(Held)));
    pressOn(null, press("d", "KeyD"));
    pressOn(null, press("d", "KeyD", { repeat: true }));
    pressOn(null, new KeyboardEvent("keyup", { key: "x", code: "KeyX", bubbles: true }));
    expect([done.mock.calls.length, up.mock.calls.length]).toEqual([1, 0]);
    pressOn(null, new KeyboardEvent("keyup", { key: "D", code: "KeyD", bubbles: true, shiftKey: true }));
    expect(up).toHaveBeenCalledTimes(1);
    pressOn(null, press("d", "KeyD"));
    window.dispatchEvent(new Event("blur"));
    expect(up).toHaveBeenCalledTimes(2);
  });
});
