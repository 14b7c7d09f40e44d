import { useState } from "react";
import { useDesk } from "../desk/state";
import { type Day, type Operation, post } from "./api";
import { isRunning, useDay, useDayChanged } from "./day";
import { GENERAL_KEYS, shownOf } from "./keys";
import { useNews } from "./news";

/** What is left of a batch, by how long the part that is done took. */
function remaining({ made_at, done, total }: Operation): string {
  if (done === 0) return "";
  const passed = (Date.now() - new Date(`${made_at.replace(/Z$/, "")}Z`).getTime()) / 1000;
  const seconds = Math.max(1, Math.round((passed / done) * (total - done)));
  return seconds < 90 ? ` · ${seconds} s left` : ` · ${Math.round(seconds / 60)} min left`;
}

function Running({ operation }: { operation: Operation }) {
  const changed = useDayChanged();
  return (
    <span className="running">
      <progress value={operation.done} max={operation.total} aria-label={operation.what} />
      <span data-testid="batch">
        {operation.what} · {operation.done} of {operation.total}
        {operation.compared < 1
          ? ` · comparing ${Math.round(100 * operation.compared)} %`
          : remaining(operation)}
      </span>
      <button
        type="button"
        className="plain small"
        onClick={() => void post(`/operations/${operation.id}/cancel`).then(changed)}
      >
        cancel
      </button>
    </span>
  );
}

/** How many shots the last batch left as they were; the notices say which, and why. */
function Faults({ day, onShow }: { day: Day; onShow: () => void }) {
  const [seen, setSeen] = useState(0);
  const last = day.operations.find((operation) => operation.failed.length > 0 && operation.id > seen);
  if (!last || isRunning(last) || last.undone) return null;
  const show = () => {
    setSeen(last.id);
    onShow();
  };
  return (
    <button type="button" className="plain faults" onClick={show}>
      {last.kind}: {last.failed.length} of {last.total} left as{" "}
      {last.failed.length === 1 ? "it was" : "they were"}; why? ({shownOf(GENERAL_KEYS.notices)})
    </button>
  );
}

const SAVED = {
  saved: "all saved",
  saving: "saving",
  waiting: "not saved yet; trying again",
  failed: "not saved",
};

/** What goes on in the background, and whether all is saved. */
export function Status({ onNotices }: { onNotices: () => void }) {
  const day = useDay();
  const saving = useDesk((state) => state.saving);
  const acting = useDesk((state) => state.acting);
  const connected = useDesk((state) => state.connected);
  const { line, troubles } = useNews();
  const shots = day.data?.shots ?? [];
  const waiting = shots.filter((shot) => shot.progress === "waiting" || shot.progress === "measuring").length;
  const running = day.data?.operations.find(isRunning);
  let text = acting ? "working" : SAVED[saving];
  if (line === "lost" || connected === "lost") text = `the server is away; trying again · ${text}`;
  else if (day.isError) text = `${day.error.message} · ${text}`;
  else if (waiting > 0) text = `measuring ${shots.length - waiting + 1} of ${shots.length} · ${text}`;
  return (
    <div className="status mono">
      {troubles.length > 0 && (
        <span className="troubles" role="status">
          {troubles.join(" ")}
        </span>
      )}
      {day.data && <Faults day={day.data} onShow={onNotices} />}
      {running && <Running operation={running} />}
      <output data-testid="status" title={text}>
        {text}
      </output>
    </div>
  );
}
