import { useState } from "react";
import { Button, Form, Modal } from "react-bootstrap";
import type { BalanceAnswer, Kept, Offer, Shot } from "../shared/api";

export type LookPart = "levels" | "cast" | "saturation" | "skin";
const PARTS: LookPart[] = ["levels", "cast", "saturation"];

export interface MatchOrder {
  strength: number;
  what: LookPart[];
  ties_alone: boolean;
  extended: boolean;
  /** To the reference alone, and not through the family. */
  alone: boolean;
}

/** What a balance rests on, in a line. */
export function balanceSaid(given: BalanceAnswer["candidates"][number]): string {
  const sure = `${(100 * given.confidence).toFixed(0)} % sure`;
  return given.id === "as-shot"
    ? `Left as recorded, ${sure}: ${given.reason}.`
    : `Balanced by ${given.name}, ${sure}: ${given.reason}.`;
}

/** Balances to choose from, each as it would look, with its reason. */
export function BalanceSheet({
  shot,
  frame,
  answer,
  onChoose,
  onHide,
}: {
  shot: Shot;
  frame: number;
  answer: BalanceAnswer;
  onChoose: (candidate: string) => void;
  onHide: () => void;
}) {
  return (
    <Modal show onHide={onHide} size="xl" centered aria-labelledby="balance-title">
      <Modal.Header closeButton>
        <Modal.Title id="balance-title">Balance {shot.name} by</Modal.Title>
      </Modal.Header>
      <Modal.Body className="candidates">
        {!answer.candidates.some((candidate) => candidate.id === "patch") && (
          <p className="second">
            Draw a box on something grey or white first to have its white proposed too.
          </p>
        )}
        {answer.candidates.map((candidate, i) => (
          <button
            key={candidate.id}
            type="button"
            className="plain candidate"
            // biome-ignore lint/a11y/noAutofocus: the best is one key away in a sheet the user asked for
            autoFocus={i === 0}
            onClick={() => onChoose(candidate.id)}
          >
            <img
              src={`/api/shots/${shot.id}/frames/${frame}.jpg?numbers=${candidate.numbers.join(",")}`}
              alt=""
            />
            <b>{candidate.name}</b>
            <span className="mono">{(100 * candidate.confidence).toFixed(0)} % sure</span>
            <span className="second">{candidate.reason}</span>
          </button>
        ))}
      </Modal.Body>
    </Modal>
  );
}

/** A match that is not sure: the shot as it is and as it would be, beside the reference, to be applied or left. */
export function OfferSheet({
  shot,
  frame,
  offer,
  reference,
  onApply,
  onHide,
}: {
  shot: Shot;
  frame: number;
  offer: Offer;
  reference: Kept;
  onApply: () => void;
  onHide: () => void;
}) {
  const { report } = offer;
  const kept = `v=${shot.version_id}`;
  const seen = [
    { name: "reference", picture: `/api/kept/${reference.id}/picture.jpg?${kept}` },
    { name: "as it is", picture: `/api/shots/${shot.id}/frames/${frame}.jpg?${kept}` },
    {
      name: "as offered",
      picture: `/api/shots/${shot.id}/frames/${frame}.jpg?numbers=${offer.numbers.join(",")}`,
    },
  ];
  return (
    <Modal show onHide={onHide} size="xl" centered aria-labelledby="offer-title">
      <Modal.Header closeButton>
        <Modal.Title id="offer-title">
          This match of {shot.name} is only {(100 * report.confidence).toFixed(0)} % sure
        </Modal.Title>
      </Modal.Header>
      <Modal.Body>
        <div className="offer">
          {seen.map(({ name, picture }) => (
            <figure key={name}>
              <img src={picture} alt={name} />
              <figcaption>{name}</figcaption>
            </figure>
          ))}
        </div>
        <p className="mb-1">
          ΔE {report.before.toFixed(1)} before, {report.after.toFixed(1)} with it.
        </p>
        <ul>
          {report.notes.map((note) => (
            <li key={note}>{note}</li>
          ))}
        </ul>
        <p className="second">
          Nothing was changed. A tie between two patches that should measure the same makes a match surer.
        </p>
      </Modal.Body>
      <Modal.Footer>
        <Button variant="quiet" onClick={onHide}>
          Leave it
        </Button>
        <Button variant="action" autoFocus onClick={onApply}>
          Apply it
        </Button>
      </Modal.Footer>
    </Modal>
  );
}

function Tick({
  id,
  label,
  checked,
  onChange,
}: {
  id: string;
  label: string;
  checked: boolean;
  onChange: (checked: boolean) => void;
}) {
  return (
    <Form.Check
      className="mt-2"
      id={id}
      label={label}
      checked={checked}
      onChange={(event) => onChange(event.target.checked)}
    />
  );
}

/** How strongly to match, and what of the look; by ties alone where there are some. */
export function MatchSheet({
  shot,
  ties,
  extended,
  onMatch,
  onHide,
}: {
  shot: Shot;
  ties: number;
  extended: boolean;
  onMatch: (order: MatchOrder) => void;
  onHide: () => void;
}) {
  const [strength, setStrength] = useState(100);
  const [what, setWhat] = useState<LookPart[]>(PARTS);
  const [alone, setAlone] = useState(false);
  const [apart, setApart] = useState(false);
  const [skin, setSkin] = useState(false);
  const [further, setFurther] = useState(extended);
  return (
    <Modal show onHide={onHide} centered aria-labelledby="match-title">
      <Form
        onSubmit={(event) => {
          event.preventDefault();
          if (what.length > 0)
            onMatch({
              strength: strength / 100,
              what: skin ? [...what, "skin"] : what,
              ties_alone: alone,
              alone: apart,
              extended: further,
            });
        }}
      >
        <Modal.Header closeButton>
          <Modal.Title id="match-title">Match {shot.name}</Modal.Title>
        </Modal.Header>
        <Modal.Body>
          <Form.Label htmlFor="match-strength">Strength, %</Form.Label>
          <Form.Control
            id="match-strength"
            type="number"
            min={0}
            max={100}
            autoFocus
            value={strength}
            onChange={(event) => setStrength(Math.min(Math.max(Number(event.target.value), 0), 100))}
          />
          <div className="mt-2">
            {PARTS.map((part) => (
              <Form.Check
                key={part}
                inline
                id={`match-${part}`}
                label={part}
                checked={what.includes(part)}
                onChange={(event) =>
                  setWhat(PARTS.filter((one) => (one === part ? event.target.checked : what.includes(one))))
                }
              />
            ))}
          </div>
          <Tick
            id="match-skin"
            label="skin first: it weighs as much as everything else"
            checked={skin}
            onChange={setSkin}
          />
          <Tick
            id="match-extended"
            label="go on with a matrix and curves: an extended step, which CDLs do not carry"
            checked={further}
            onChange={setFurther}
          />
          <Tick
            id="match-alone"
            label="to the reference alone, and not through other shots of the family"
            checked={apart}
            onChange={setApart}
          />
          {ties > 0 && (
            <Tick
              id="match-ties"
              label={`by the ${ties === 1 ? "tie" : `${ties} ties`} alone`}
              checked={alone}
              onChange={setAlone}
            />
          )}
        </Modal.Body>
        <Modal.Footer>
          <Button type="submit" variant="action">
            Match
          </Button>
        </Modal.Footer>
      </Form>
    </Modal>
  );
}
