import { useId, useState } from "react";
import { Modal } from "react-bootstrap";
import { useNavigate } from "react-router-dom";
import type { Day } from "./api";
import { actionsOf, bestOf, type Found } from "./finding";

/** A field over the screen: what is typed is looked for among all that can be done here, and where one can go. */
export function Finder({
  screen,
  screens,
  day,
  toFamily,
  help,
  onHide,
}: {
  screen: string;
  screens: readonly string[];
  day: Day | undefined;
  /** Shows a family on the Wall. */
  toFamily: (id: number) => void;
  /** What helps: the list of keys, the walk. */
  help: Pick<Found, "text" | "shown" | "run">[];
  onHide: () => void;
}) {
  const navigate = useNavigate();
  const list = useId();
  const [words, setWords] = useState("");
  const [at, setAt] = useState(0);
  const [all] = useState(() => {
    const plain = { shown: "", also: [] };
    const places = screens.map((one) => ({
      ...plain,
      id: `screen ${one}`,
      text: one,
      about: "screen",
      run: () => navigate(`/${one.toLowerCase()}`),
    }));
    const shots = (day?.shots ?? []).map((shot) => ({
      ...plain,
      id: `shot ${shot.id}`,
      text: shot.name,
      about: day?.families.find((one) => one.id === shot.family_id)?.name ?? "shot",
      run: () => navigate(`/desk/${shot.id}`),
    }));
    const families = (day?.families ?? []).map((family) => ({
      ...plain,
      id: `family ${family.id}`,
      text: family.name,
      about: "family, on the Wall",
      run: () => toFamily(family.id),
    }));
    const helping = help.map((one) => ({ ...plain, ...one, id: `help ${one.text}`, about: "help" }));
    return [...actionsOf(screen), ...places, ...families, ...shots, ...helping];
  });
  const found = bestOf(all, words);
  const chosen = Math.min(at, Math.max(found.length - 1, 0));
  const run = (one: Found | undefined) => {
    if (!one) return;
    onHide();
    // When the field has gone: what it does may ask a question of its own.
    window.setTimeout(one.run);
  };
  return (
    <Modal show onHide={onHide} animation={false} className="finder" aria-label="find an action">
      <Modal.Body>
        <input
          // biome-ignore lint/a11y/noAutofocus: the field was opened to type into
          autoFocus
          className="search"
          role="combobox"
          aria-expanded="true"
          aria-controls={list}
          aria-activedescendant={found.length > 0 ? `${list}-${chosen}` : undefined}
          aria-label="what to do, or where to go"
          placeholder="what to do, or where to go"
          value={words}
          onChange={(event) => {
            setWords(event.target.value);
            setAt(0);
          }}
          onKeyDown={(event) => {
            const by = { ArrowDown: 1, ArrowUp: -1 }[event.key];
            if (by) setAt(Math.min(Math.max(chosen + by, 0), found.length - 1));
            else if (event.key === "Enter") run(found[chosen]);
            else return;
            event.preventDefault();
          }}
        />
        <div id={list} role="listbox" aria-label="what was found">
          {found.map((one, i) => (
            // biome-ignore lint/a11y/useKeyWithClickEvents: keys go to the field
            // biome-ignore lint/a11y/useFocusableInteractive: keys go to the field
            <div
              key={one.id}
              id={`${list}-${i}`}
              role="option"
              aria-selected={i === chosen}
              onClick={() => run(one)}
            >
              <span>{one.text}</span>
              <span className="second">{one.about}</span>
              <span className="mono">{one.shown}</span>
            </div>
          ))}
          {found.length === 0 && <p className="second">Nothing here is called so. Try another word.</p>}
        </div>
      </Modal.Body>
    </Modal>
  );
}
