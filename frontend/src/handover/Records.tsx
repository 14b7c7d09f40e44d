import type { HandoverRecord } from "../shared/api";
import { STILLS } from "./kinds";

export const isUnderway = ({ state }: HandoverRecord["items"][number]) =>
  state === "waiting" || state === "working";

/** What became of a shot that is rendered in the background. */
function Item({ record, item }: { record: HandoverRecord; item: HandoverRecord["items"][number] }) {
  const said = {
    waiting: "waits",
    working: `${(100 * item.part).toFixed(0)} %`,
    done: `${item.difference?.toFixed(2)} from the Desk`,
    failed: item.said,
    cancelled: "cancelled",
  }[item.state];
  const isFile = !STILLS.includes(item.kind);
  return (
    <span className={`rendered ${item.state}`}>
      {item.state === "done" && isFile ? (
        <a className="mono" href={`/api/handovers/${record.id}/${item.name}`} download>
          {item.name}
        </a>
      ) : (
        <span className="mono">{item.name}</span>
      )}{" "}
      <span className="second">{said}</span>
    </span>
  );
}

/** How long what is still rendered will take, by how long what is done took; nothing while that says little. */
export function timeLeft(record: HandoverRecord, now: number): string | null {
  const done = record.items.reduce(
    (sum, item) => sum + (item.state === "working" ? item.part : isUnderway(item) ? 0 : 1),
    0,
  );
  const passed = (now - Date.parse(record.made_at)) / 1000;
  if (done < 0.05 * record.items.length || passed < 5) return null;
  const left = (passed * (record.items.length - done)) / done;
  return left < 90
    ? `some ${Math.max(5, Math.round(left / 5) * 5)} s left`
    : `some ${Math.round(left / 60)} min left`;
}

const MOST_NAMED = 6;

/** Shots that are others now than when they were handed over. */
function Changed({ names }: { names: string[] }) {
  if (names.length === 0) return null;
  const some = names.slice(0, MOST_NAMED).join(", ") + (names.length > MOST_NAMED ? " …" : "");
  return (
    <span className="second" title={names.join(", ")}>
      {" "}
      {names.length === 1 ? `${some} has changed since` : `${names.length} shots have changed since: ${some}`}
    </span>
  );
}

/** What was handed over, newest first: its files, what is still rendered, what has changed since. */
export function Records({
  records,
  opened,
  onCancel,
}: {
  records: HandoverRecord[];
  opened: number | null;
  onCancel: (record: HandoverRecord) => void;
}) {
  return (
    <ul className="records">
      {records.map((record) => (
        <li key={record.id}>
          <b className="mono">{new Date(record.made_at).toLocaleString("en-GB")}</b>
          <Changed names={record.changed ?? []} />
          <details open={record.id === opened}>
            <summary>
              {record.files.length} files
              {record.items.length > 0 &&
                `, ${record.items.filter((one) => one.state === "done").length} of ${record.items.length} rendered`}
              {record.items.some(isUnderway) && (
                <span className="second"> {timeLeft(record, Date.now())}</span>
              )}
            </summary>
            {record.items.some(isUnderway) && (
              <button type="button" className="plain link" onClick={() => onCancel(record)}>
                cancel what is being rendered
              </button>
            )}
            {record.items.map((item) => (
              <Item key={item.name} record={record} item={item} />
            ))}
            {record.files.map((file) => (
              <a key={file.name} className="mono" href={`/api/handovers/${record.id}/${file.name}`} download>
                {file.name}
              </a>
            ))}
          </details>
        </li>
      ))}
    </ul>
  );
}
