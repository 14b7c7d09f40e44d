import { useQuery } from "@tanstack/react-query";
import { useState } from "react";
import { Form } from "react-bootstrap";
import { EXTENDED, OWN } from "../correction/model";
import { type Control, type Day, get, type ProposedFamily, type Shot } from "../shared/api";
import { NoteSheet } from "../shared/NoteSheet";
import { Sheet } from "../shared/Sheet";
import { type Actions, CONTROLS } from "./actions";

export type Asking = "copy" | "family" | "match" | "note" | "proposed" | null;

const named = (shots: Shot[]) => (shots.length === 1 ? shots[0].name : `${shots.length} shots`);

function CopySheet({
  source,
  shots,
  actions,
  onHide,
}: {
  source: Shot;
  shots: Shot[];
  actions: Actions;
  onHide: () => void;
}) {
  const [controls, setControls] = useState<Control[]>(CONTROLS);
  const further = source.correction.steps.map((step) => step.id).filter((name) => name !== OWN.shot);
  const [names, setNames] = useState<string[]>(further.filter((name) => name === EXTENDED));
  const steps = [...(controls.length > 0 ? [OWN.shot] : []), ...names];
  return (
    <Sheet
      title={`Copy from ${source.name} to ${named(shots)}`}
      action="Copy"
      onHide={onHide}
      onDone={() => steps.length > 0 && actions.copy(source, shots, steps, controls)}
    >
      <h3>{OWN.shot}</h3>
      {CONTROLS.map((control, i) => (
        <Form.Check
          key={control}
          id={`control-${control}`}
          label={control}
          autoFocus={i === 0}
          checked={controls.includes(control)}
          onChange={(event) =>
            setControls(
              CONTROLS.filter((one) => (one === control ? event.target.checked : controls.includes(one))),
            )
          }
        />
      ))}
      {further.length > 0 && <h3>steps</h3>}
      {further.map((name) => (
        <Form.Check
          key={name}
          id={`step-${name}`}
          label={name}
          checked={names.includes(name)}
          onChange={(event) =>
            setNames(further.filter((one) => (one === name ? event.target.checked : names.includes(one))))
          }
        />
      ))}
      <p className="second">
        All four of the balance together carry its ten numbers as they are. Each shot can be trimmed
        afterwards.
      </p>
    </Sheet>
  );
}

function FamilySheet({
  day,
  shots,
  actions,
  onHide,
}: {
  day: Day;
  shots: Shot[];
  actions: Actions;
  onHide: () => void;
}) {
  const [to, setTo] = useState(String(day.families.find((f) => f.id !== shots[0]?.family_id)?.id ?? "new"));
  const [name, setName] = useState("");
  return (
    <Sheet
      title={`Move ${named(shots)} to a family`}
      action="Move"
      onHide={onHide}
      onDone={() =>
        to === "new"
          ? name && actions.newFamily(name, shots)
          : actions.change(shots, { family_id: Number(to) })
      }
    >
      <Form.Select aria-label="family" autoFocus value={to} onChange={(event) => setTo(event.target.value)}>
        {day.families.map((family) => (
          <option key={family.id} value={family.id}>
            {family.name}
          </option>
        ))}
        <option value="new">a new family</option>
      </Form.Select>
      {to === "new" && (
        <Form.Control
          className="mt-2"
          aria-label="name of the new family"
          placeholder="name"
          value={name}
          onChange={(event) => setName(event.target.value)}
        />
      )}
    </Sheet>
  );
}

/** How strongly to match, and whether with an extended step. */
function MatchSheet({ shots, actions, onHide }: { shots: Shot[]; actions: Actions; onHide: () => void }) {
  const [strength, setStrength] = useState(100);
  const [extended, setExtended] = useState(false);
  return (
    <Sheet
      title={`Match ${named(shots)}`}
      action="Match"
      onHide={onHide}
      onDone={() => actions.match(shots, { strength: strength / 100, extended })}
    >
      <Form.Label htmlFor="match-strength">Strength, %</Form.Label>
      <Form.Control
        id="match-strength"
        type="number"
        autoFocus
        min={0}
        max={100}
        value={strength}
        onChange={(event) => setStrength(Math.min(Math.max(Number(event.target.value), 0), 100))}
      />
      <Form.Check
        className="mt-2"
        id="match-extended"
        label="go on with a matrix and curves (extended step) where they gain"
        checked={extended}
        onChange={(event) => setExtended(event.target.checked)}
      />
      <p className="second">A CDL carries the match without its extended step.</p>
    </Sheet>
  );
}

/** Families as scene, place and light suggest them; only those that would change anything are arranged. */
function ProposedSheet({ day, actions, onHide }: { day: Day; actions: Actions; onHide: () => void }) {
  const proposed = useQuery({
    queryKey: ["proposed families"],
    queryFn: () => get<ProposedFamily[]>("/families/proposed"),
    gcTime: 0,
  });
  const found = proposed.data ?? [];
  const named = (id: number) => day.shots.find((shot) => shot.id === id);
  const moved = (one: ProposedFamily) => one.shots.filter((id) => named(id)?.family_id !== one.family_id);
  const changing = found.filter((one) => moved(one).length > 0);
  return (
    <Sheet
      title="Families by scene, place and light"
      action={changing.length > 0 ? "Arrange" : "Close"}
      onHide={onHide}
      onDone={() => changing.length > 0 && actions.arrange(changing)}
    >
      {proposed.isError && <p>{proposed.error.message}</p>}
      <ul className="proposed">
        {found.map((one) => (
          <li key={one.name}>
            <b>{one.name}</b> <span className="second">{one.reason}</span>
            <br />
            <span className="mono">
              {one.shots.length} shots
              {moved(one).length > 0
                ? `, moving ${moved(one)
                    .map((id) => named(id)?.name)
                    .join(", ")}`
                : ", as they are"}
            </span>
          </li>
        ))}
      </ul>
    </Sheet>
  );
}

/** What an action asks before it begins. */
export function Dialogs({
  asking,
  day,
  source,
  shots,
  actions,
  onHide,
}: {
  asking: Asking;
  day: Day;
  source: Shot | undefined;
  shots: Shot[];
  actions: Actions;
  onHide: () => void;
}) {
  if (asking === "copy" && source)
    return (
      <CopySheet
        source={source}
        shots={shots.filter((s) => s.id !== source.id)}
        actions={actions}
        onHide={onHide}
      />
    );
  if (asking === "family") return <FamilySheet day={day} shots={shots} actions={actions} onHide={onHide} />;
  if (asking === "proposed") return <ProposedSheet day={day} actions={actions} onHide={onHide} />;
  if (asking === "match") return <MatchSheet shots={shots} actions={actions} onHide={onHide} />;
  if (asking === "note") return <NoteSheet shots={shots} onNote={actions.note} onHide={onHide} />;
  return null;
}
