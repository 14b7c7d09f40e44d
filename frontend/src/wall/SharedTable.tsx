import { useEffect, useRef, useState } from "react";
import { Modal } from "react-bootstrap";
import { type Day, type Family, post, type Shared } from "../shared/api";
import { thumbnail } from "../shared/pictures";
import { endWork, underway, workName } from "../shared/works";
import { focus, useWall } from "./selection";

/** What two shots of a family share, by their places; the lower first. */
const keyOf = (a: number, b: number) => (a < b ? `${a}-${b}` : `${b}-${a}`);

/** The family's shots along both sides; each cell as dark as what two of them share, the chain of the current shot outlined. */
function Table({ shared, day, inHand }: { shared: Shared; day: Day; inHand: number | null }) {
  const { shots, links } = shared;
  const cells = new Map(links.map((link) => [keyOf(link.one, link.other), link]));
  // A shot that changes stands here at several frames.
  const [place, setPlace] = useState(() => shots.findIndex((one) => one.shot_id === inHand));
  const at = Math.max(place, 0);
  const take = (next: number) => {
    setPlace(next);
    focus(shots[next].shot_id);
  };
  const { chain, name, notes, confidence } = shots[at];
  const onChain = new Set(chain.slice(1).map((place, n) => keyOf(chain[n], place)));
  const pictures = new Map(day.shots.map((shot) => [shot.id, thumbnail(shot, day)]));
  const walk = (event: React.KeyboardEvent) => {
    const by = { ArrowDown: 1, ArrowRight: 1, ArrowUp: -1, ArrowLeft: -1 }[event.key];
    if (!by) return;
    event.preventDefault();
    event.stopPropagation();
    const next = Math.min(Math.max(at + by, 0), shots.length - 1);
    take(next);
    event.currentTarget.querySelectorAll<HTMLElement>("tbody button")[next]?.focus();
  };
  return (
    <>
      {/* biome-ignore lint/a11y/noStaticElementInteractions: the arrows go from one of its buttons to the next */}
      <div className="shared-table" onKeyDown={walk}>
        <table>
          <thead>
            <tr>
              <td />
              {shots.map((one) => (
                <th key={one.name} scope="col">
                  <img src={pictures.get(one.shot_id)} alt="" />
                  <span>{one.name}</span>
                </th>
              ))}
            </tr>
          </thead>
          <tbody>
            {shots.map((row, y) => (
              <tr key={row.name} className={y === at ? "taken" : ""}>
                <th scope="row">
                  <button type="button" className="plain" onClick={() => take(y)}>
                    <img src={pictures.get(row.shot_id)} alt="" />
                    <span>{row.name}</span>
                  </button>
                </th>
                {shots.map((column, x) => {
                  const link = cells.get(keyOf(x, y));
                  const said = x === y ? "" : link ? `${link.points} points` : "nothing";
                  const names = [
                    x === y && "itself",
                    link?.contrary && "contrary",
                    x !== y && onChain.has(keyOf(x, y)) && "chained",
                  ];
                  return (
                    <td
                      key={column.name}
                      className={names.filter(Boolean).join(" ")}
                      style={link && { ["--shared" as string]: link.trust.toFixed(2) }}
                      title={
                        x === y
                          ? undefined
                          : `${row.name} and ${column.name}: ${said}${link?.contrary ? ", which all others contradict" : ""}`
                      }
                    >
                      {link ? <span className="mono">{link.points}</span> : null}
                    </td>
                  );
                })}
              </tr>
            ))}
          </tbody>
        </table>
      </div>
      <p role="status" className="mb-0">
        <b>{name}</b>{" "}
        {at === 0
          ? "is the reference."
          : chain.length === 0
            ? "has no link: it shares too little with any shot that is linked to the reference."
            : `is linked to the reference through ${chain.map((place) => shots[place].name).join(" → ")}; confidence ${(100 * confidence).toFixed(0)} %.`}{" "}
        {at > 0 && notes.slice(1).map((note) => `${note.charAt(0).toUpperCase()}${note.slice(1)}. `)}
      </p>
      <p className="second mb-0">
        Figures are points of the same things; the darker, the farther what they say is trusted. Struck
        through: contradicted by all others. Arrows go from shot to shot.
      </p>
    </>
  );
}

/** What the shots of a family share with one another, found where it was not yet. */
export function SharedSheet({ family, day, onHide }: { family: Family; day: Day; onHide: () => void }) {
  const [shared, setShared] = useState<Shared | null>(null);
  const [part, setPart] = useState(0);
  const [fault, setFault] = useState("");
  const inHand = useWall((wall) => wall.at);
  const name = useRef("");
  useEffect(() => {
    name.current = workName();
    const mine = name.current;
    const ask = (work: string) => post<Shared>(`/families/${family.id}/shared`, { work });
    underway(ask, setPart, mine)
      .then(setShared)
      .catch((error: Error) => setFault(error.message));
    return () => endWork(mine);
  }, [family.id]);
  return (
    <Modal show onHide={onHide} size="xl" centered aria-labelledby="shared-title">
      <Modal.Header closeButton>
        <Modal.Title id="shared-title">What the shots of {family.name} share</Modal.Title>
      </Modal.Header>
      <Modal.Body>
        {fault ? (
          <p role="alert">{fault}</p>
        ) : shared ? (
          <Table shared={shared} day={day} inHand={inHand} />
        ) : (
          <p role="status">
            Comparing its shots: {(100 * part).toFixed(0)} % <progress value={part} />
          </p>
        )}
      </Modal.Body>
    </Modal>
  );
}
