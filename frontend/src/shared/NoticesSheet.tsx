import { Modal } from "react-bootstrap";
import type { Day } from "./api";
import { listed, useNotices } from "./notices";

const time = new Intl.DateTimeFormat("en-GB", { hour: "2-digit", minute: "2-digit", second: "2-digit" });

/** Everything that was reported tonight, newest first. */
export function NoticesSheet({ day, onHide }: { day: Day | undefined; onHide: () => void }) {
  const notices = listed(
    useNotices(({ all }) => all),
    day,
  );
  return (
    <Modal show onHide={onHide} animation={false} size="lg" scrollable aria-labelledby="notices-title">
      <Modal.Header closeButton>
        <Modal.Title id="notices-title">Tonight’s notices</Modal.Title>
      </Modal.Header>
      <Modal.Body>
        {notices.length === 0 && <p className="second">Nothing was reported yet.</p>}
        <table className="keys notices">
          <tbody>
            {notices.map(({ at, text }, i) => (
              // biome-ignore lint/suspicious/noArrayIndexKey: two notices may share their time
              <tr key={`${at} ${i}`}>
                <th className="mono">{time.format(at)}</th>
                <td>{text}</td>
              </tr>
            ))}
          </tbody>
        </table>
      </Modal.Body>
    </Modal>
  );
}
