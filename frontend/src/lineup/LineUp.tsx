import { useQuery, useQueryClient } from "@tanstack/react-query";
import { useEffect, useRef, useState } from "react";
import { useNavigate } from "react-router-dom";
import { lookOf } from "../correction/model";
import { type Day, get, type LineUpAnswer, noteOrder, patch, put, type Shot } from "../shared/api";
import { familyOf } from "../shared/compare";
import { useDay } from "../shared/day";
import { useDoing, useTurning } from "../shared/doing";
import { LINE_UP_KEYS as K } from "../shared/keys";
import { ShotMarks, signed } from "../shared/marks";
import { frameAt } from "../shared/pictures";
import { useKey } from "../shared/pressing";
import { useWall } from "../wall/selection";
import { useAcross } from "./across";
import { type Cut, cutsOf, differenceOf, firstFrame, inOrder, kept, lastFrame, type Use } from "./cuts";
import { DayPlots } from "./DayPlots";
import { type EditList, type Left, Unplaced } from "./Unplaced";

function CutFrame({ use, frame, day, side }: { use: Use; frame: number; day: Day; side: "out" | "in" }) {
  const { shot, span, told } = use;
  return (
    <figure>
      <img src={frameAt(shot, day, frame)} alt={`${shot.name}, frame ${frame + 1}`} />
      <figcaption className="mono">
        <b>{shot.name}</b> <ShotMarks shot={shot} /> {side === "out" ? "goes out at" : "comes in at"}{" "}
        {frame + 1}
        {span && " · as in the edit list"}
        {told && ` · ${told}`}
      </figcaption>
    </figure>
  );
}

const text = (value: number | undefined, digits = 1) => (value === undefined ? "–" : signed(value, digits));

/** The readings of one frame as corrected. */
function useReadings(shot: Shot, frame: number, day: Day) {
  return useQuery({
    queryKey: ["readings", shot.id, frame, lookOf(shot, day)],
    queryFn: () => get<number[]>(`/shots/${shot.id}/frames/${frame}/readings`),
    staleTime: Number.POSITIVE_INFINITY,
  }).data;
}

/** What changes from the last frame before the cut to the first behind it. */
function Differences({ cut, day }: { cut: Cut; day: Day }) {
  const from = useReadings(cut.from.shot, lastFrame(cut.from), day);
  const to = useReadings(cut.to.shot, firstFrame(cut.to), day);
  const found = from && to ? differenceOf(from, to) : null;
  const rows: [string, string, string][] = [
    ["middle", text(found?.stops ?? undefined, 2), "stops"],
    ["lows", text(found?.levels[0]), "%"],
    ["mids", text(found?.levels[1]), "%"],
    ["highs", text(found?.levels[2]), "%"],
    ["warm–cool", text(found?.cast[0]), "%"],
    ["green–magenta", text(found?.cast[1]), "%"],
  ];
  return (
    <section className="differences" aria-label="differences across the cut">
      <p>
        {cut.oneFamily
          ? `Both of ${familyOf(cut.to.shot, day)?.name ?? "one family"}: they should look as one.`
          : "From one family to another: a difference may be meant."}
      </p>
      <dl>
        {rows.map(([name, value, unit]) => (
          <div key={name}>
            <dt>{name}</dt>
            <dd className="mono">
              {value} <span className="second">{unit}</span>
            </dd>
          </div>
        ))}
      </dl>
      <p className="legend">
        Beneath: lows, mids (bold) and highs of every shot along its length; warm–cool drawn through,
        green–magenta dashed; the taller a bar at a cut within a family, the more it jumps.
      </p>
      {cut.to.shot.note && <p className="note">{cut.to.shot.note}</p>}
    </section>
  );
}

function Arranged({ day }: { day: Day }) {
  const navigate = useNavigate();
  const client = useQueryClient();
  const turned = useTurning();
  const { said, doing } = useDoing();
  const [left, setLeft] = useState<Left | null>(null);
  const [asking, setAsking] = useState(false);
  const [noting, setNoting] = useState<{ of: Shot; text: string } | null>(null);
  const file = useRef<HTMLInputElement>(null);
  const uses = inOrder(day);
  const cuts = cutsOf(uses);
  const [at, setAt] = useState(() => {
    const { at: current } = useWall.getState();
    return Math.max(
      cuts.findIndex((one) => one.to.shot.id === current),
      0,
    );
  });
  const here = Math.min(at, cuts.length - 1);
  const cut = cuts[here];
  const across = useAcross(cut, day);

  const go = (to: number) => {
    const place = Math.min(Math.max(to, 0), cuts.length - 1);
    setAt(place);
    const shot = cuts[place]?.to.shot.id;
    if (shot !== undefined) useWall.setState({ at: shot, anchor: shot });
  };
  // Moves follow one another, each in the line-up that the one before it left.
  const held = useRef(here);
  held.current = here;
  const dayNow = () => client.getQueryData<Day>(["day"]) ?? day;
  const move = (by: number) =>
    void doing(async () => {
      const order = inOrder(dayNow()).map(kept);
      const from = held.current + 1;
      const to = from + by;
      if (to < 0 || to >= order.length) return null;
      order.splice(to, 0, ...order.splice(from, 1));
      await put<LineUpAnswer>("/line-up", { base: dayNow().production.line_up_stamp, uses: order });
      held.current = Math.max(to - 1, 0);
      go(to - 1);
      return null;
    });
  const worst = () => {
    const ranked = cuts.map((one, i) => ({ jump: one.jump, i })).sort((a, b) => b.jump - a.jump);
    const now = ranked.findIndex((one) => one.i === here);
    const current = cuts[here]?.jump ?? 0;
    const next = ranked[(now + 1) % ranked.length];
    go(next && current > 0 && next.jump > 0 ? next.i : (ranked[0]?.i ?? 0));
  };
  const take = async (chosen: File | undefined) => {
    if (!chosen) return;
    const format = chosen.name.toLowerCase().endsWith(".otio") ? "otio" : "edl";
    await place({ name: chosen.name, format, text: await chosen.text() }, {});
  };
  const place = (list: EditList, answers: Record<number, number>) =>
    doing(async () => {
      const { placed, unplaced, absent } = await put<LineUpAnswer>("/line-up", {
        base: dayNow().production.line_up_stamp,
        edit_list: list.text,
        format: list.format,
        answers,
      });
      setAt(0);
      setLeft(unplaced.length > 0 ? { list, answers, unplaced } : null);
      const missing = unplaced.length > 0 ? ` ${unplaced.length} could not be placed.` : "";
      const behind =
        absent.length > 0
          ? ` Behind them, not in the list: ${absent.slice(0, 5).join(", ")}${absent.length > 5 ? " …" : ""}.`
          : "";
      return `${placed} uses placed by ${list.name}.${missing}${behind}`;
    });
  const options = { enabled: noting === null && !asking };
  useKey(K.walk.key, (event) => go(here + (event.key === "ArrowLeft" ? -1 : 1)), options);
  useKey(K.earlier.key, () => move(-1), options);
  useKey(K.later.key, () => move(1), options);
  useKey(K.play.key, across.toggle, options);
  useKey(K.nextNeeding.key, worst, options);
  useKey(K.open.key, () => cut && navigate(`/desk/${cut.to.shot.id}`), options);
  useKey(K.undo.key, () => void doing(() => turned("undo")), options);
  useKey(K.redo.key, () => void doing(() => turned("redo")), options);
  const strip = useRef<HTMLDivElement>(null);
  // biome-ignore lint/correctness/useExhaustiveDependencies: scrolled to whenever another cut is current
  useEffect(() => {
    strip.current
      ?.querySelector('[aria-current="true"]')
      ?.scrollIntoView({ block: "nearest", inline: "center" });
  }, [here]);
  if (!cut)
    return (
      <p className="empty">A line-up needs two measured shots or more. Take clips in on Intake first.</p>
    );
  return (
    <div className="line-up">
      <div className="bar">
        <b className="mono" data-testid="cut">
          {cut.from.shot.name} → {cut.to.shot.name}
        </b>
        <span className="second">
          cut {here + 1} of {cuts.length}
        </span>
        <button type="button" className="btn btn-switch" onClick={across.toggle}>
          {across.playing ? "Stop" : "Play across"}
        </button>
        <button type="button" className="btn btn-switch" onClick={worst}>
          Next worst
        </button>
        <button
          type="button"
          className="btn btn-switch"
          onClick={() => setNoting({ of: cut.to.shot, text: cut.to.shot.note })}
          title={`note for ${cut.to.shot.name}`}
        >
          Note
        </button>
        {noting !== null && (
          <input
            className="search"
            // biome-ignore lint/a11y/noAutofocus: the field appears because the user asked to note
            autoFocus
            aria-label={`note for ${noting.of.name}`}
            value={noting.text}
            onChange={(event) => setNoting({ ...noting, text: event.target.value })}
            onBlur={() => setNoting(null)}
            onKeyDown={(event) => {
              event.stopPropagation();
              if (event.key === "Escape") setNoting(null);
              if (event.key !== "Enter") return;
              const note = noting.text.trim();
              setNoting(null);
              void doing(async () => {
                await patch("/shots", noteOrder([noting.of], note));
                return null;
              });
            }}
          />
        )}
        <span className="second said-inline" role="status">
          {said}
        </span>
        <input
          ref={file}
          type="file"
          accept=".otio,.edl"
          hidden
          data-testid="edit-list"
          onChange={(event) => {
            void take(event.target.files?.[0]);
            event.target.value = "";
          }}
        />
        {left && (
          <button type="button" className="btn btn-switch" onClick={() => setAsking(true)}>
            {left.unplaced.length} not placed
          </button>
        )}
        <button type="button" className="btn btn-switch" onClick={() => file.current?.click()}>
          Order by an edit list
        </button>
      </div>
      <div className="cut">
        {across.playing && across.shown ? (
          <CutFrame use={across.shown.use} frame={across.shown.frame} day={day} side={across.shown.side} />
        ) : (
          <>
            <CutFrame use={cut.from} frame={lastFrame(cut.from)} day={day} side="out" />
            <CutFrame use={cut.to} frame={firstFrame(cut.to)} day={day} side="in" />
          </>
        )}
        <Differences cut={cut} day={day} />
      </div>
      <div className="along" ref={strip}>
        <DayPlots day={day} uses={uses} cuts={cuts} at={here} onCut={go} />
      </div>
      {left && asking && (
        <Unplaced
          left={left}
          day={day}
          onPlace={(answers) => void place(left.list, answers)}
          onHide={() => setAsking(false)}
        />
      )}
    </div>
  );
}

/** All shots in story order, cut by cut. */
export function LineUp() {
  const day = useDay();
  if (!day.data) return <p className="empty">{day.isError ? day.error.message : "Opening the day."}</p>;
  return <Arranged day={day.data} />;
}
