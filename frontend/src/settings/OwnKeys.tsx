import { type KeyboardEvent, useRef, useState } from "react";
import { Button, Form } from "react-bootstrap";
import { everyAction, fixedChords, type NamedAction } from "../shared/keys";
import { chordOf, givenBy, keepKeys, printedOf, readKeys, UNSET, useOwnKeys } from "../shared/ownKeys";

const ACTIONS = everyAction();
const FIXED = fixedChords();

/** The action that has a chord now; undefined if none has. */
const holderOf = (chord: string) => ACTIONS.find((one) => chordOf(one.key) === chord);

function download(keys: Record<string, string>) {
  const link = document.createElement("a");
  link.href = URL.createObjectURL(new Blob([JSON.stringify(keys, null, 2)], { type: "application/json" }));
  link.download = "dovrel-keys.json";
  link.click();
  URL.revokeObjectURL(link.href);
}

/** One action and its key; pressed, the next key that is pressed becomes its own. */
function KeyRow({ action, onSay }: { action: NamedAction; onSay: (said: string) => void }) {
  const { keys } = useOwnKeys();
  const [waiting, setWaiting] = useState(false);
  const take = (event: KeyboardEvent) => {
    if (!waiting || ["Tab", "Shift", "Control", "Alt", "Meta", "AltGraph"].includes(event.key)) return;
    event.preventDefault();
    event.stopPropagation();
    setWaiting(false);
    if (event.key === "Escape") return;
    const chord = givenBy(event.nativeEvent);
    if (chord === null)
      return onSay("Choose a letter, a sign, Insert, Delete, Home or End, with Shift or without.");
    if (FIXED.has(chord)) return onSay(`This key is “${FIXED.get(chord)}” and cannot be given away.`);
    const holder = holderOf(chord);
    if (holder && holder.key !== action.key)
      return onSay(
        `${printedOf(holder.key)} is “${holder.does}” (${holder.screens.join(", ")}). Give that action another key first.`,
      );
    keepKeys({ ...keys, [action.key]: chord });
    onSay(`${printedOf(action.key)} is “${action.does}” now.`);
  };
  const back = () => {
    const holder = holderOf(action.key);
    if (holder && holder.key !== action.key)
      return onSay(`${printedOf(holder.key)} is “${holder.does}” now. Give that action another key first.`);
    const { [action.key]: _, ...others } = keys;
    keepKeys(others);
  };
  return (
    <tr>
      <td>{action.does}</td>
      <td className="second">{action.screens.join(", ")}</td>
      <td>
        <button
          type="button"
          className="plain key mono"
          aria-label={`${waiting ? "press a key" : printedOf(action.key) || "none"}, key of: ${action.does}`}
          aria-pressed={waiting}
          onClick={() => setWaiting(true)}
          onBlur={() => setWaiting(false)}
          onKeyDown={take}
        >
          {waiting ? "press a key" : printedOf(action.key) || "none"}
        </button>
      </td>
      <td>
        {keys[action.key] && (
          <button type="button" className="plain link" onClick={back}>
            as it was
          </button>
        )}
      </td>
    </tr>
  );
}

/** The user's own keys: changed, exported and read in this browser. */
export function OwnKeys() {
  const { keys } = useOwnKeys();
  const [words, setWords] = useState("");
  const [said, setSaid] = useState("");
  const file = useRef<HTMLInputElement>(null);
  const sought = words.toLowerCase().trim();
  const shown = ACTIONS.filter(
    (one) =>
      sought === "" || one.does.toLowerCase().includes(sought) || printedOf(one.key).toLowerCase() === sought,
  );
  const read = async (chosen: File | undefined) => {
    if (!chosen) return;
    try {
      const wanted = readKeys(await chosen.text());
      const unknown = Object.keys(wanted).filter((key) => !ACTIONS.some((one) => one.key === key));
      if (unknown.length > 0)
        throw new Error(`This file names keys that no action has: ${unknown.join(", ")}.`);
      const all = ACTIONS.map((one) => wanted[one.key] ?? one.key).filter((one) => !one.startsWith(UNSET));
      const twice = all.find((one, i) => all.indexOf(one) !== i);
      const fixed = all.find((one) => FIXED.has(one));
      if (fixed) throw new Error(`${fixed} is “${FIXED.get(fixed)}” and cannot be given away.`);
      if (twice) throw new Error(`This file gives the key ${twice} to two actions.`);
      keepKeys(wanted);
      setSaid(`${Object.keys(wanted).length} keys are read from ${chosen.name}.`);
    } catch (error) {
      setSaid((error as Error).message);
    }
  };
  return (
    <section className="wide own-keys">
      <h2>Keys</h2>
      <p className="second">
        Press a key’s button, then the new key. A key means the same on every screen. Keys are kept in this
        browser.
      </p>
      <div className="bar">
        <Form.Control
          size="sm"
          className="search"
          aria-label="search keys"
          placeholder="search actions, or type a key"
          value={words}
          onChange={(event) => setWords(event.target.value)}
          onKeyDown={(event) => event.key === "Enter" && event.preventDefault()}
        />
        <Button variant="quiet" onClick={() => download(keys)} disabled={Object.keys(keys).length === 0}>
          Export
        </Button>
        <Button variant="quiet" onClick={() => file.current?.click()}>
          Read a file
        </Button>
        <Button variant="quiet" onClick={() => keepKeys({})} disabled={Object.keys(keys).length === 0}>
          All as shipped
        </Button>
        <input
          ref={file}
          type="file"
          accept="application/json"
          hidden
          aria-label="file of keys"
          onChange={(event) =>
            void read(event.target.files?.[0]).finally(() => {
              event.target.value = "";
            })
          }
        />
      </div>
      <p role="status">{said}</p>
      <fieldset className="of-keys" aria-label="keys">
        <table className="keys">
          <tbody>
            {shown.map((action) => (
              <KeyRow key={action.key} action={action} onSay={setSaid} />
            ))}
          </tbody>
        </table>
        {shown.length === 0 && <p className="second">No action is called that. Try another word.</p>}
      </fieldset>
    </section>
  );
}
