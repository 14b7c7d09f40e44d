import type { HandoverRecord } from "../shared/api";
import { STILLS } from "./kinds";
import { type Item, isRendered, isThere, isUnderway, notBegun, stateOf, timeLeft, useRecord } from "./record";

const isBegun = (item: Item) => isRendered(item) && item.state !== "waiting" && item.state !== "cancelled";

function saidOf({ state, said, part, difference }: Item): string {
  if (state === "differs") return `differs: ${said}`;
  if (state === "done") return [`${difference?.toFixed(2)} from the Desk`, said].filter(Boolean).join("; ");
  return state === "failed" ? said : `${(100 * part).toFixed(0)} %`;
}

/** What became of a shot that is rendered, or how far it is. */
function Rendered({ record, item }: { record: HandoverRecord; item: Item }) {
  const isFile = !STILLS.includes(item.kind);
  return (
    <span className={`rendered ${item.state}`}>
      {isThere(item) && isFile ? (
        <a className="mono" href={`/api/handovers/${record.id}/${item.name}`} download>
          {item.name}
        </a>
      ) : (
        <span className="mono">{item.name}</span>
      )}{" "}
      <span className="second">{saidOf(item)}</span>
    </span>
  );
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

/** One handover: how far it is, its files, why parts of it are not there. */
function Handed({
  listed,
  opened,
  onCancel,
}: {
  listed: HandoverRecord;
  opened: boolean;
  onCancel: () => void;
}) {
  const record = useRecord(listed);
  const underway = record.items.some(isUnderway);
  return (
    <li>
      <b className="mono">{new Date(record.made_at).toLocaleString("en-GB")}</b>
      <Changed names={record.changed ?? []} />{" "}
      {underway && (
        <button type="button" className="plain link" onClick={onCancel}>
          cancel what is not written yet
        </button>
      )}
      <details open={opened}>
        <summary>
          {stateOf(record)}
          {underway && <span className="second"> {timeLeft(record, Date.now())}</span>}
        </summary>
        {record.items
          .filter((item) => item.state === "failed" && !isRendered(item))
          .map((item) => (
            <span key={`${item.kind} ${item.name}`} className="rendered failed">
              <span className="mono">{item.name}</span> <span className="second">{item.said}</span>
            </span>
          ))}
        {record.items.filter(isBegun).map((item) => (
          <Rendered key={item.name} record={record} item={item} />
        ))}
        {notBegun(record) && <span className="rendered second">{notBegun(record)}</span>}
        {record.files.map((file) => (
          <a key={file.name} className="mono" href={`/api/handovers/${record.id}/${file.name}`} download>
            {file.name}
          </a>
        ))}
      </details>
    </li>
  );
}

/** What was handed over, newest first: its files, what is still written, what has changed since. */
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
        <Handed
          key={record.id}
          listed={record}
          opened={record.id === opened}
          onCancel={() => onCancel(record)}
        />
      ))}
    </ul>
  );
}
