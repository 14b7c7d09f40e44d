import { Modal } from "react-bootstrap";
import { useLocation } from "react-router-dom";
import { INTAKE_KEYS, KEYS, LINE_UP_KEYS, WALL_KEYS } from "./keys";

const IN_CELLS = [
  ["↑ ↓", "on a reading or number: nudge; with Shift by a tenth"],
  ["← →", "on a reading: the next one; with Ctrl ↑ ↓ the row above or below"],
  ["Tab", "to a scope: its grips; arrows along the scale nudge one, across it or with Ctrl take the next"],
  ["Enter", "on a reading or a grip: meet the reference; on a number: type"],
  ["digits", "on a reading or number: type a value"],
  ["double-click", "on a number's name: reset it; on a reading or a grip: meet the reference"],
  ["drag", "on a scope: a grip, or brush a range; on the picture: a box to meter, with Shift an outline"],
  ["wheel", "on a scope: zoom its levels"],
];

const SCREENS = ["Intake", "Wall", "Line-up", "Desk"] as const;

/** The keys of the screen that is open. */
export function KeysHelp({
  show,
  onHide,
  onWalk,
}: {
  show: boolean;
  onHide: () => void;
  onWalk: () => void;
}) {
  const { pathname } = useLocation();
  const screen = SCREENS.find((one) => pathname.startsWith(`/${one.toLowerCase()}`)) ?? "Desk";
  const keys = { Intake: INTAKE_KEYS, Wall: WALL_KEYS, "Line-up": LINE_UP_KEYS, Desk: KEYS }[screen];
  const rows = [...Object.values(keys).map((k) => [k.shown, k.does]), ...(screen === "Desk" ? IN_CELLS : [])];
  return (
    <Modal show={show} onHide={onHide} centered aria-labelledby="keys-title">
      <Modal.Header closeButton>
        <Modal.Title id="keys-title">Keys of the {screen}</Modal.Title>
      </Modal.Header>
      <Modal.Body>
        <table className="keys">
          <tbody>
            {[...rows, ["?", "this list"]].map(([key, does]) => (
              <tr key={`${key}${does}`}>
                <th className="mono">{key}</th>
                <td>{does}</td>
              </tr>
            ))}
          </tbody>
        </table>
        <button type="button" className="plain link" onClick={onWalk}>
          a short walk through the day
        </button>
      </Modal.Body>
    </Modal>
  );
}
