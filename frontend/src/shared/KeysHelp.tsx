import { Modal } from "react-bootstrap";

/** Every key, in the order of work. The handlers read their keys from here too. */
export const KEYS = {
  stepBack: { key: "left", shown: "←", does: "one frame back" },
  stepOn: { key: "right", shown: "→", does: "one frame on" },
  balance: { key: "b", shown: "B", does: "balance the shot" },
  match: { key: "m", shown: "M", does: "match to the family's reference" },
  keep: { key: "r", shown: "R", does: "make this frame the family's reference" },
  view: { key: "v", shown: "V", does: "next view: shot, reference, pair, seam" },
  before: { key: "x", shown: "X", does: "before / after" },
  meter: { key: "escape", shown: "Esc", does: "meter the whole picture again" },
  numbers: { key: "n", shown: "N", does: "show or hide the ten numbers" },
  nextShot: { key: "pagedown", shown: "Page down", does: "next shot of the family" },
  previousShot: { key: "pageup", shown: "Page up", does: "previous shot of the family" },
  undo: { key: "mod+z", shown: "Ctrl Z", does: "undo" },
  redo: { key: "mod+shift+z", shown: "Ctrl Shift Z", does: "redo" },
} as const;

const IN_CELLS = [
  ["arrows", "on a reading or number: nudge; with Shift by a tenth"],
  ["Enter", "on a reading: meet the reference; on a number: type"],
  ["digits", "on a reading or number: type a value"],
  ["double-click", "on a number's name: reset it; on a reading: meet the reference"],
];

export function KeysHelp({ show, onHide }: { show: boolean; onHide: () => void }) {
  return (
    <Modal show={show} onHide={onHide} centered aria-labelledby="keys-title">
      <Modal.Header closeButton>
        <Modal.Title id="keys-title">Keys</Modal.Title>
      </Modal.Header>
      <Modal.Body>
        <table className="keys">
          <tbody>
            {[...Object.values(KEYS).map((k) => [k.shown, k.does]), ...IN_CELLS, ["?", "this list"]].map(
              ([key, does]) => (
                <tr key={`${key}${does}`}>
                  <th className="mono">{key}</th>
                  <td>{does}</td>
                </tr>
              ),
            )}
          </tbody>
        </table>
      </Modal.Body>
    </Modal>
  );
}
