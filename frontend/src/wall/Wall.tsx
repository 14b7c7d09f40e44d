import { useCallback, useEffect, useMemo, useRef, useState } from "react";
import { Button, ButtonGroup } from "react-bootstrap";
import { useNavigate } from "react-router-dom";
import { useShallow } from "zustand/react/shallow";
import type { Day, Family, Shot } from "../shared/api";
import { Choice } from "../shared/Choice";
import { isOff } from "../shared/compare";
import { useDay } from "../shared/day";
import { WALL_KEYS as K, shownOf } from "../shared/keys";
import { thumbnail } from "../shared/pictures";
import { useKey } from "../shared/pressing";
import { nextNeeding } from "../shared/standing";
import { useActions } from "./actions";
import { Card } from "./Card";
import { ConsistencyStrip } from "./ConsistencyStrip";
import { type Asking, Dialogs } from "./Dialogs";
import { FamilyHead } from "./FamilyHead";
import { SharedSheet } from "./SharedTable";
import { extend, FILTERS, focus, ORDERS, rowsOf, select, targets, useWall } from "./selection";

/** The card that lies next to the current one, by where they are on the screen. */
function beside(at: number | null, key: string): number | null {
  const cards = [...document.querySelectorAll<HTMLElement>("[data-shot]")];
  const here = cards.findIndex((card) => Number(card.dataset.shot) === at);
  if (here < 0) return cards.length > 0 ? Number(cards[0].dataset.shot) : null;
  const step = { ArrowLeft: -1, ArrowRight: 1 }[key];
  if (step) return Number(cards[Math.min(Math.max(here + step, 0), cards.length - 1)].dataset.shot);
  const box = cards[here].getBoundingClientRect();
  const by = key === "ArrowDown" ? 1 : -1;
  const apart = (card: HTMLElement) => (card.getBoundingClientRect().top - box.top) * by;
  const off = (card: HTMLElement) => Math.abs(card.getBoundingClientRect().left - box.left);
  // Cards stand row by row: the next row begins with the first that lies elsewhere, and ends with the last as far.
  let next = here + by;
  while (next >= 0 && next < cards.length && apart(cards[next]) <= 8) next += by;
  if (next < 0 || next >= cards.length) return at;
  const nearest = apart(cards[next]);
  let found = cards[next];
  for (; next >= 0 && next < cards.length && apart(cards[next]) < nearest + 8; next += by)
    if (off(cards[next]) < off(found)) found = cards[next];
  return Number(found.dataset.shot);
}

function useWidth() {
  const box = useRef<HTMLDivElement>(null);
  const [width, setWidth] = useState(1256);
  useEffect(() => {
    if (!box.current) return;
    const sized = new ResizeObserver(([entry]) => setWidth(entry.contentRect.width - 24));
    sized.observe(box.current);
    return () => sized.disconnect();
  }, []);
  return { box, width };
}

/** What the tools are for: how many are selected, or the current one. */
function Meant({ shown }: { shown: Shot[] }) {
  const { selected, at } = useWall(useShallow((wall) => ({ selected: wall.selected, at: wall.at })));
  const count = selected.size > 0 ? targets(shown).length : 0;
  return (
    <span className="second text-nowrap">
      {count > 0 ? `${count} selected` : (shown.find((shot) => shot.id === at)?.name ?? "")}
    </span>
  );
}

function DayWall({ day }: { day: Day }) {
  const {
    order: sorted,
    filter,
    search: words,
  } = useWall(useShallow(({ order, filter, search }) => ({ order, filter, search })));
  const actions = useActions();
  const navigate = useNavigate();
  const [asking, setAsking] = useState<Asking>(null);
  const [shared, setShared] = useState<Family | null>(null);
  const { box, width } = useWidth();
  const search = useRef<HTMLInputElement>(null);
  const entry = useRef<HTMLSpanElement>(null);
  const rows = useMemo(
    () => rowsOf(day, { order: sorted, filter, search: words }),
    [day, sorted, filter, words],
  );
  const shown = useMemo(() => rows.flatMap((row) => row.members), [rows]);
  const order = useMemo(() => shown.map((shot) => shot.id), [shown]);
  // Keys are typed faster than a day is drawn: they mean what is current now, not what was drawn last.
  const inHandNow = () => shown.find((shot) => shot.id === useWall.getState().at);
  const open = useCallback((shot: Shot) => navigate(`/desk/${shot.id}`), [navigate]);

  useEffect(() => {
    if (useWall.getState().at === null && order.length > 0) focus(order[0]);
  }, [order]);
  const ask = (what: Asking) => {
    if (targets(shown).length > 0) setAsking(what);
  };
  const forMeant = (work: (shots: Shot[]) => void) => {
    const now = targets(shown);
    if (now.length > 0) work(now);
    else actions.say(`Select shots first: arrows and Space, or ${shownOf(K.family)} for a family.`);
  };
  /** Shots of families without a reference cannot be matched: they are left out, and it is said. */
  const forMatched = (work: (shots: Shot[]) => void) => () =>
    forMeant((shots) => {
      const have = new Set(day.families.filter((one) => one.reference).map((one) => one.id));
      const able = shots.filter((shot) => shot.family_id !== null && have.has(shot.family_id));
      const without = shots.length - able.length;
      if (able.length > 0) work(able);
      if (without > 0)
        actions.say(
          able.length === 0
            ? `Nothing is matched: no reference yet. Move to a shot and press ${shownOf(K.keep)}; its family is matched to it.`
            : `${without === 1 ? "One shot is" : `${without} shots are`} left out: the family has no reference yet; R makes one.`,
        );
    });
  const toTheCard = () =>
    document.querySelector<HTMLElement>(`[data-shot="${useWall.getState().at}"]`)?.focus();
  const check = () =>
    forMeant((shots) =>
      actions.change(shots, {
        state: shots.every((s) => s.state === "checked") ? "matched" : "checked",
      }),
    );
  const move = (event: KeyboardEvent) => {
    const to = beside(useWall.getState().at, event.key);
    if (to === null) return;
    if (event.shiftKey) extend(to, order);
    else useWall.setState({ at: to, anchor: to });
  };
  const free = { enabled: asking === null && shared === null };
  useKey(K.walk.key, move, free);
  const selectFamily = () => {
    const one = inHandNow();
    if (one) select(shown.filter((shot) => shot.family_id === one.family_id).map((shot) => shot.id));
  };
  const makeReference = () => {
    const one = inHandNow();
    if (one) actions.makeReference(one);
  };
  const showShared = () => {
    const family = day.families.find((one) => one.id === inHandNow()?.family_id);
    if (family?.reference) setShared(family);
    else actions.say("Its family has no reference yet; choose one first.");
  };
  const turnNeeding = () => useWall.setState({ filter: filter === "needs you" ? "all" : "needs you" });
  const goToNeeding = (by: 1 | -1) => {
    const to = nextNeeding(shown, useWall.getState().at, by);
    if (to) useWall.setState({ at: to.id, anchor: to.id });
    else actions.say("No shot that is shown needs you.");
  };
  useKey(K.shared.key, showShared, free);
  useKey(K.family.key, selectFamily, free);
  useKey(K.all.key, () => select(order), free);
  useKey(K.none.key, () => select([]), free);
  useKey(K.balance.key, () => forMeant(actions.balance), free);
  useKey(
    K.match.key,
    forMatched((shots) => actions.match(shots)),
    free,
  );
  useKey(
    K.matchBy.key,
    forMatched(() => setAsking("match")),
    free,
  );
  useKey(K.keep.key, makeReference, free);
  useKey(K.copy.key, () => ask("copy"), free);
  useKey(K.move.key, () => ask("family"), free);
  useKey(K.check.key, check, free);
  useKey(K.note.key, () => ask("note"), free);
  useKey(K.decide.key, turnNeeding, free);
  useKey(K.nextNeeding.key, () => goToNeeding(1), free);
  useKey(K.previousNeeding.key, () => goToNeeding(-1), free);
  useKey(K.join.key, () => setAsking("proposed"), free);
  useKey(K.search.key, () => search.current?.focus(), free);
  useKey(K.undo.key, actions.undo, free);
  useKey(K.redo.key, actions.redo, free);

  const standing = (one: Shot["standing"]) => day.shots.filter((shot) => shot.standing === one).length;
  const [rescues, left] = [standing("a rescue would help"), standing("left as it was")];
  const off = useMemo(() => day.shots.filter(isOff).length, [day]);
  const letters = useMemo(() => new Map(day.cameras.map((one) => [one.id, one.letter])), [day]);
  return (
    <div className="wall" ref={box}>
      <div className="bar">
        <ButtonGroup aria-label="Order">
          {ORDERS.map((name) => (
            <Button
              key={name}
              variant="switch"
              active={sorted === name}
              onClick={() => useWall.setState({ order: name })}
            >
              {name}
            </Button>
          ))}
        </ButtonGroup>
        <Choice
          name="which shots"
          value={filter}
          among={FILTERS}
          onChange={(filter) => useWall.setState({ filter })}
        />
        <input
          ref={search}
          className="search"
          type="search"
          aria-label="search"
          placeholder="search  /"
          value={words}
          onChange={(event) => useWall.setState({ search: event.target.value })}
          onKeyDown={(event) => event.key === "Escape" && event.currentTarget.blur()}
        />
        <span className="second text-nowrap">
          <b>{off} out of tolerance</b>
          {rescues > 0 && ` · ${rescues} to rescue`}
          {left > 0 && ` · ${left} left`}
        </span>
        <button type="button" className="plain small text-nowrap" onClick={() => setAsking("proposed")}>
          propose families
        </button>
        <div className="for-selected" role="toolbar" aria-label="for the selected shots">
          <Meant shown={shown} />
          <Button variant="switch" onClick={() => forMeant(actions.balance)}>
            Balance
          </Button>
          <Button variant="switch" onClick={forMatched((shots) => actions.match(shots))}>
            Match
          </Button>
          <Button variant="switch" onClick={makeReference}>
            Make reference
          </Button>
          <Button variant="switch" onClick={() => ask("copy")}>
            Copy
          </Button>
          <Button variant="switch" onClick={() => ask("family")}>
            Move
          </Button>
          <Button variant="switch" onClick={check}>
            Checked
          </Button>
          <Button variant="switch" onClick={() => ask("note")}>
            Note
          </Button>
        </div>
      </div>
      <ConsistencyStrip shots={day.shots.length} rows={rows} width={width} />
      {/* biome-ignore lint/a11y/noStaticElementInteractions: it only minds where the focus is */}
      <div
        className="rows"
        onFocus={() => entry.current?.setAttribute("tabindex", "-1")}
        onBlur={() => entry.current?.setAttribute("tabindex", "0")}
      >
        {/* Where Tab comes in, on to the current card: a place in the tab order that is moved from card to card
            makes the browser lay the whole day out anew. */}
        {/* biome-ignore lint/a11y/noNoninteractiveTabindex: it hands the focus on at once */}
        {/* biome-ignore lint/a11y/noStaticElementInteractions: the same */}
        <span ref={entry} tabIndex={0} onFocus={toTheCard} />
        {actions.said && (
          <p role="status" className="said">
            {actions.said}
          </p>
        )}
        {rows.length === 0 && <p className="empty">No shot is like that. Clear the search, or show all.</p>}
        {rows.map((row) => (
          <section key={row.family.id} aria-label={row.family.name}>
            <FamilyHead row={row} day={day} actions={actions} onShared={setShared} />
            <ul>
              {row.members.map((shot) => (
                <Card
                  key={shot.id}
                  shot={shot}
                  family={row.family}
                  letter={letters.get(shot.camera_id) ?? ""}
                  picture={thumbnail(shot, day)}
                  order={order}
                  onOpen={open}
                />
              ))}
            </ul>
          </section>
        ))}
      </div>
      <Dialogs
        asking={asking}
        day={day}
        source={asking ? inHandNow() : undefined}
        shots={asking ? targets(shown) : []}
        actions={actions}
        onHide={() => setAsking(null)}
      />
      {shared && <SharedSheet family={shared} day={day} onHide={() => setShared(null)} />}
    </div>
  );
}

/** The day at a glance: families as rows, shots as cards. */
export function Wall() {
  const day = useDay();
  if (!day.data) return <p className="empty">{day.isError ? day.error.message : "Opening the day."}</p>;
  if (day.data.shots.length === 0)
    return <p className="empty">No shots yet. Take a card or a folder in on Intake.</p>;
  return <DayWall day={day.data} />;
}
