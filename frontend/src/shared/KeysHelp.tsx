import { Modal } from "react-bootstrap";

/** Every key, in the order of work. The handlers read their keys from here too. */
export const KEYS = {
  toggle: { key: "space", shown: "Space", does: "play or stop" },
  backward: { key: "j", shown: "J", does: "play backward; again: faster" },
  pause: { key: "k", shown: "K", does: "stop" },
  forward: { key: "l", shown: "L", does: "play forward; again: faster" },
  first: { key: "i", shown: "I", does: "first frame that is played: this one" },
  last: { key: "o", shown: "O", does: "last frame that is played: this one" },
  wholeRange: { key: "shift+o", shown: "Shift O", does: "play the whole shot again" },
  loop: { key: "shift+l", shown: "Shift L", does: "play round and round, or once" },
  stepBack: { key: "left", shown: "←", does: "one frame back" },
  stepOn: { key: "right", shown: "→", does: "one frame on" },
  balance: { key: "b", shown: "B", does: "balance the shot" },
  match: { key: "m", shown: "M", does: "match to the family's reference" },
  keep: { key: "r", shown: "R", does: "make this frame the family's reference" },
  view: { key: "v", shown: "V", does: "next view: shot, reference, pair, seam" },
  before: { key: "x", shown: "X", does: "before / after" },
  meter: { key: "escape", shown: "Esc", does: "take the brushes away, then the meter" },
  skin: { key: "s", shown: "S", does: "meter the skin, in shot and reference" },
  neutrals: { key: "w", shown: "W", does: "meter the neutrals, in shot and reference" },
  ghost: { key: "g", shown: "G", does: "show or hide the reference on the scopes" },
  unit: { key: "u", shown: "U", does: "next unit: %, code, cd/m²" },
  mark: { key: "c", shown: "C", does: "mark clipping, then legality, then exposure in false colour" },
  numbers: { key: "n", shown: "N", does: "show or hide the ten numbers" },
  nextShot: { key: "pagedown", shown: "Page down", does: "next shot of the family" },
  previousShot: { key: "pageup", shown: "Page up", does: "previous shot of the family" },
  undo: { key: "mod+z", shown: "Ctrl Z", does: "undo" },
  redo: { key: "mod+shift+z", shown: "Ctrl Shift Z", does: "redo" },
} as const;

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
