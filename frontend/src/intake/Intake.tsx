import { useQuery } from "@tanstack/react-query";
import { useMemo, useRef, useState } from "react";
import { Button, Form } from "react-bootstrap";
import { Link, useNavigate } from "react-router-dom";
import { type Day, type EncodingChoice, get, type Shot, type TakingIn } from "../shared/api";
import { useWholeDay } from "../shared/day";
import { INTAKE_KEYS as K, shownOf } from "../shared/keys";
import { useKey } from "../shared/pressing";
import { useIntakeActions } from "./actions";
import { ClipList } from "./ClipList";
import { isSequence, nextRate, rowsOf, shownRows } from "./clips";
import { BarsSheet, CameraSheet } from "./Sheets";
import { Side } from "./Side";
import { SkippedFiles } from "./SkippedFiles";
import { look, select, toggle, useIntake, walk } from "./selection";

const UNNAMED = "Untitled production";
const MATRICES = ["BT.709", "BT.601", "BT.2020"] as const;

/** How far taking in is, counting what is really done. */
function progressOf(shots: Shot[]): string {
  if (shots.length === 0) return "";
  const count = (...kinds: string[]) => shots.filter((shot) => kinds.includes(shot.progress)).length;
  const parts = [`${count("ready")} of ${shots.length} measured`];
  if (count("faulty")) parts.push(`${count("faulty")} faulty`);
  if (count("waiting", "measuring")) parts.push(`${count("waiting", "measuring")} to go`);
  if (count("stopped")) parts.push(`${count("stopped")} stopped`);
  return parts.join(", ");
}

function TakeIn({
  day,
  last,
  actions,
}: {
  day: Day;
  last: TakingIn | null;
  actions: ReturnType<typeof useIntakeActions>;
}) {
  const folders = useQuery({ queryKey: ["folders"], queryFn: () => get<string[]>("/folders") });
  const [folder, setFolder] = useState("");
  const shots = day.shots;
  const busy = shots.some((shot) => shot.progress === "waiting" || shot.progress === "measuring");
  const stopped =
    shots.some((shot) => shot.progress === "stopped") || (last?.stopped && last.done < last.total);
  const listing = last !== null && !last.stopped && last.done < last.total;
  const done = shots.filter((shot) => shot.progress === "ready" || shot.progress === "faulty").length;
  return (
    <div className="bar">
      <Form
        className="folder"
        onSubmit={(event) => {
          event.preventDefault();
          void actions.takeIn(folder || folders.data?.[0] || "");
        }}
      >
        <Form.Label htmlFor="folder">Folder or card</Form.Label>
        <Form.Control
          id="folder"
          className="mono"
          list="folders"
          value={folder}
          placeholder={folders.data?.[0] ?? "start the server with --media FOLDER"}
          onChange={(event) => setFolder(event.target.value)}
        />
        <datalist id="folders">
          {folders.data?.map((name) => (
            <option key={name} value={name} />
          ))}
        </datalist>
        <Button type="submit" variant="action">
          Take in
        </Button>
      </Form>
      {(busy || listing) && (
        <>
          <progress max={Math.max(shots.length, last?.total ?? 0)} value={done} aria-label="measured" />
          <Button variant="switch" onClick={() => void actions.stop()}>
            Stop
          </Button>
        </>
      )}
      {!busy && stopped && (
        <Button variant="switch" onClick={() => void actions.goOn()}>
          Go on
        </Button>
      )}
      <span role="status" className="second told">
        {[listing ? `${last.done} of ${last.total} listed` : progressOf(shots), actions.said]
          .filter(Boolean)
          .join(" · ")}
      </span>
      {done > 0 && (
        <button type="button" className="plain link" onClick={() => void actions.writeChecksums()}>
          write checksums
        </button>
      )}
    </div>
  );
}

function DayIntake({ day }: { day: Day }) {
  const encodings = useQuery({ queryKey: ["encodings"], queryFn: () => get<EncodingChoice[]>("/encodings") });
  const last = useQuery({
    queryKey: ["taking-in", day.shots.length],
    queryFn: () => get<TakingIn | null>("/intake"),
    placeholderData: (before) => before,
  });
  const { filter, camera, search, selected } = useIntake();
  const actions = useIntakeActions();
  const navigate = useNavigate();
  const [asking, setAsking] = useState<"camera" | "bars" | null>(null);
  const searched = useRef<HTMLInputElement>(null);
  const rows = useMemo(() => rowsOf(day.shots, day.cameras), [day.shots, day.cameras]);
  // While the files that were skipped are shown, no clip is: keys and tools mean none.
  const shown = useMemo(
    () => (filter === "skipped" ? [] : shownRows(rows, filter, camera, search)),
    [rows, filter, camera, search],
  );
  const order = useMemo(() => shown.map((row) => row.shot.id), [shown]);
  const targets = () => {
    const { selected: all, at } = useIntake.getState();
    const found = shown.filter((row) => all.has(row.shot.id));
    return (found.length > 0 ? found : shown.filter((row) => row.shot.id === at)).map((row) => row.shot);
  };
  const forMeant = (work: (shots: Shot[]) => void) => () => {
    const shots = targets();
    if (shots.length > 0) work(shots);
    else actions.say(`Select clips first: arrows and Space, or ${shownOf(K.all)} for all that are shown.`);
  };
  const range = forMeant((shots) =>
    actions.read(shots, { range: shots[0].clip.full_range ? "narrow" : "full" }),
  );
  const matrix = forMeant((shots) => {
    const now = MATRICES.indexOf(shots[0].clip.matrix as (typeof MATRICES)[number]);
    return actions.read(shots, { matrix: MATRICES[(now + 1) % MATRICES.length] });
  });
  const fields = forMeant((shots) => actions.read(shots, { fields: !shots[0].clip.interlaced }));
  const rate = forMeant((shots) => {
    const sequences = shots.filter(isSequence);
    if (sequences.length > 0) actions.read(sequences, { rate: nextRate(sequences[0].clip.rate) });
    else actions.say("A clip's rate is in its file; only picture sequences are given another.");
  });
  const off = forMeant((shots) => actions.off(shots, !shots.every((shot) => shot.off)));
  const seen = (work: (shot: Shot) => void) =>
    forMeant(([shot]) =>
      shot.progress === "ready" ? work(shot) : actions.say(`${shot.name} has no picture to show yet.`),
    );
  const open = seen((shot) => navigate(`/desk/${shot.id}`));
  const bars = seen(() => setAsking("bars"));
  const free = { enabled: asking === null };
  useKey(K.walk.key, (e) => walk(e.key === "ArrowUp" ? -1 : 1, order, e.shiftKey), free);
  useKey(
    K.choose.key,
    () => {
      const { at } = useIntake.getState();
      if (at !== null) toggle(at);
    },
    free,
  );
  useKey(K.all.key, () => select(order), free);
  useKey(K.none.key, () => select([]), free);
  useKey(K.open.key, open, free);
  useKey(K.decide.key, () => look({ filter: filter === "to decide" ? "everything" : "to decide" }), free);
  useKey(K.check.key, forMeant(actions.right), free);
  useKey(K.range.key, range, free);
  useKey(K.matrix.key, matrix, free);
  useKey(
    K.move.key,
    forMeant(() => setAsking("camera")),
    free,
  );
  useKey(K.bars.key, bars, free);
  useKey(K.fields.key, fields, free);
  useKey(K.rate.key, rate, free);
  useKey(K.join.key, forMeant(actions.join), free);
  useKey(K.again.key, forMeant(actions.again), free);
  useKey(K.off.key, off, free);
  useKey(K.search.key, () => searched.current?.focus(), free);
  useKey(K.undo.key, actions.undo, free);
  useKey(K.redo.key, actions.redo, free);

  const meant = targets();
  const passed = last.data?.passed ?? [];
  const tools: [string, string, () => void][] = [
    ["Camera", shownOf(K.move), forMeant(() => setAsking("camera"))],
    ["Confirm", shownOf(K.check), forMeant(actions.right)],
    ["Range", shownOf(K.range), range],
    ["Matrix", shownOf(K.matrix), matrix],
    ["Bars", shownOf(K.bars), bars],
    ["Fields", shownOf(K.fields), fields],
    ...(meant.some(isSequence) ? [["Rate", shownOf(K.rate), rate] as [string, string, () => void]] : []),
    ["Join", shownOf(K.join), forMeant(actions.join)],
    ["Try again", shownOf(K.again), forMeant(actions.again)],
    [meant.length > 0 && meant.every((shot) => shot.off) ? "Bring back" : "Set aside", shownOf(K.off), off],
  ];
  return (
    <div className="intake">
      <TakeIn day={day} last={last.data ?? null} actions={actions} />
      {day.shots.length === 0 && passed.length === 0 ? (
        <p className="empty">
          No clips yet. Name a folder or a camera card above and take it in; every clip below it is listed,
          checked and measured.
        </p>
      ) : (
        <div className="of-intake">
          <Side
            rows={rows}
            passed={passed.length}
            cameras={day.cameras}
            encodings={encodings.data ?? []}
            actions={actions}
          />
          <div className="main">
            <div className="bar for-selected" role="toolbar" aria-label="for the selected clips">
              <input
                ref={searched}
                className="search"
                type="search"
                aria-label="search"
                placeholder="search  /"
                value={search}
                onChange={(event) => look({ search: event.target.value })}
                onKeyDown={(event) => event.key === "Escape" && event.currentTarget.blur()}
              />
              <span className="second" data-testid="selected">
                {selected.size > 0 && meant.length > 0 ? `${meant.length} selected` : (meant[0]?.name ?? "")}
              </span>
              {filter !== "skipped" &&
                tools.map(([name, key, work]) => (
                  <Button key={name} variant="switch" title={key && `key ${key}`} onClick={work}>
                    {name}
                  </Button>
                ))}
            </div>
            {filter === "skipped" && last.data ? (
              <SkippedFiles last={last.data} />
            ) : (
              <>
                {shown.length === 0 && (
                  <p className="empty">No clip is like that. Clear the search, or show everything.</p>
                )}
                <ClipList rows={shown} order={order} day={day} />
              </>
            )}
            {day.production.name === UNNAMED && (
              <p className="unnamed">
                The production has no name yet. <Link to="/settings">Name it in Settings</Link>.
              </p>
            )}
          </div>
        </div>
      )}
      {asking === "camera" && meant.length > 0 && (
        <CameraSheet
          shots={meant}
          cameras={day.cameras}
          encodings={encodings.data ?? []}
          actions={actions}
          onHide={() => setAsking(null)}
        />
      )}
      {asking === "bars" && meant.length > 0 && (
        <BarsSheet shots={meant} actions={actions} onHide={() => setAsking(null)} />
      )}
    </div>
  );
}

/** Taking in: what needs a decision first, cameras with their encodings, and the day's clips. */
export function Intake() {
  const day = useWholeDay();
  if (!day.data) return <p className="empty">{day.isError ? day.error.message : "Opening the day."}</p>;
  return <DayIntake day={day.data} />;
}
