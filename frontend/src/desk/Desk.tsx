import { useEffect, useState } from "react";
import { Button, ButtonGroup } from "react-bootstrap";
import { useHotkeys } from "react-hotkeys-hook";
import { useNavigate } from "react-router-dom";
import { useShallow } from "zustand/react/shallow";
import { EXTENDED, LEVELS, stepOf } from "../correction/model";
import { useScopes } from "../scopes/settings";
import {
  type BalanceAnswer,
  type Day,
  type Family,
  type Kept,
  type MatchAnswer,
  type Offer,
  post,
  Refusal,
  type Shot,
} from "../shared/api";
import { useDay, useDayChanged, useShotChanged } from "../shared/day";
import { meant, useTurning } from "../shared/doing";
import { KEYS } from "../shared/keys";
import { distanceText, StateMark, signed } from "../shared/marks";
import { thumbnail } from "../shared/pictures";
import { levelText, UNITS } from "../shared/units";
import { Corrections, TenNumbers } from "./Corrections";
import { LevelLine, LevelSwitch } from "./LevelSwitch";
import {
  clearBrushes,
  meterFamiliar,
  setBefore,
  setFrame,
  setMeter,
  setReference,
  tieBoxes,
} from "./looking";
import { adopt, openDesk, openShot, setLevel, takeInHand, takeLevels, takeShot } from "./opening";
import { Picture } from "./Picture";
import { BalanceSheet, balanceSaid, type MatchOrder, MatchSheet, OfferSheet } from "./Proposals";
import * as playback from "./playback";
import { Readings } from "./ReadingsTable";
import { Distance, Report } from "./Report";
import { Scopes } from "./Scopes";
import { StepStrip } from "./StepStrip";
import { flush, meet } from "./saving";
import { useDesk, VIEWS } from "./state";
import { addStep, switchExtended } from "./steps";
import { TimeLane } from "./TimeLane";

function FamilyList({
  family,
  shots,
  day,
  current,
}: {
  family: Family | undefined;
  shots: Shot[];
  day: Day;
  current: number;
}) {
  const navigate = useNavigate();
  return (
    <aside className="family" aria-label="Family">
      <h2>{family?.name ?? "No family"}</h2>
      <ul>
        {shots.map((shot) => (
          <li key={shot.id}>
            <button
              type="button"
              className={shot.id === current ? "current" : ""}
              aria-current={shot.id === current}
              disabled={shot.progress !== "ready"}
              onClick={() => navigate(`/desk/${shot.id}`)}
            >
              {shot.progress === "ready" ? (
                <img src={thumbnail(shot, day)} alt={shot.name} />
              ) : (
                <span className="no-picture">{shot.fault ? "cannot be read" : "measuring"}</span>
              )}
              <span className="caption mono">
                <StateMark state={shot.state} />
                <b>{shot.name}</b>
                <span>{family?.reference?.shot_id === shot.id ? "ref" : distanceText(shot.distance)}</span>
              </span>
            </button>
          </li>
        ))}
      </ul>
    </aside>
  );
}

const MARKED_BY_KEY = ["none", "clipping", "legality", "false colour"] as const;
const next = <T,>(among: readonly T[], now: T): T => among[(among.indexOf(now) + 1) % among.length];

function PointName() {
  const point = useDesk((state) => state.point);
  const unit = useScopes((state) => state.unit);
  const output = useDay().data?.production.output ?? "rec709";
  if (!point) return <span className="second">{""}</span>;
  return (
    <span className="mono point" data-testid="point">
      R {levelText(point.red, unit, output)} G {levelText(point.green, unit, output)} B{" "}
      {levelText(point.blue, unit, output)} · {point.hue.toFixed(0)}° · {point.chroma.toFixed(1)} % ·{" "}
      {signed(point.stops, 1)} st
    </span>
  );
}

/** See the picture without the step in hand, or without all of its level; and back. */
const toggleBefore = (of: "step" | "level") => () =>
  setBefore(useDesk.getState().before === "none" ? of : "none");

/** Take the step at a place of its level in hand, where it is one of ten numbers. */
function takeNth(place: number) {
  const { now, focus } = useDesk.getState();
  const step = now[focus.level].steps[place - 1];
  if (step?.values.kind === "primary") takeInHand({ ...focus, step: step.id });
}

/** One shot at work. */
export function Desk({ shotId }: { shotId: number }) {
  const day = useDay();
  const navigate = useNavigate();
  const shotChanged = useShotChanged();
  const dayChanged = useDayChanged();
  const turned = useTurning();
  const [busy, setBusy] = useState<string | null>(null);
  const [proposed, setProposed] = useState<BalanceAnswer | null>(null);
  const [told, setTold] = useState<{ version: number | null; text: string } | null>(null);
  const [matchAsked, setMatchAsked] = useState(false);
  const [offered, setOffered] = useState<{ offer: Offer; order: MatchOrder | undefined } | null>(null);
  const shot = day.data?.shots.find((s) => s.id === shotId);
  const family = day.data?.families.find((f) => f.id === shot?.family_id);
  const camera = day.data?.cameras.find((c) => c.id === shot?.camera_id);
  const shots = (day.data?.shots ?? []).filter((s) => s.family_id === shot?.family_id);
  const reference = family?.reference ?? null;
  const isOwn = reference?.shot_id === shotId;
  const { view, before, showNumbers, savedShot, savedLevels, level } = useDesk(
    useShallow(({ view, before, showNumbers, savedShot, savedLevels, focus }) => ({
      view,
      before,
      showNumbers,
      savedShot,
      savedLevels,
      level: focus.level,
    })),
  );

  useEffect(openDesk, []);
  const ready = shot?.progress === "ready";
  // biome-ignore lint/correctness/useExhaustiveDependencies: opened anew only for another shot, not for each saved version
  useEffect(() => {
    if (shot && ready && day.data) openShot(shot, reference, day.data);
  }, [shotId, ready]);
  useEffect(() => {
    if (!shot || !day.data) return;
    takeLevels(shot, day.data);
    takeShot(shot);
  }, [shot, day.data]);
  useEffect(() => {
    if (savedLevels > 0) void dayChanged();
  }, [savedLevels, dayChanged]);
  // biome-ignore lint/correctness/useExhaustiveDependencies: the reference is named by its id
  useEffect(() => {
    if (shot && useDesk.getState().shot?.id === shot.id) setReference(reference);
  }, [reference?.id]);
  useEffect(() => {
    if (savedShot) shotChanged(savedShot);
  }, [savedShot, shotChanged]);

  /** Run an action on the server after what is unsaved, and say what went wrong in a sentence. */
  const act = async (name: string, action: (base: number | null) => Promise<void>) => {
    if (busy) return;
    setBusy(name);
    useDesk.setState({ acting: true, fault: null, refused: null });
    try {
      await flush();
      await action(useDesk.getState().base);
    } catch (error) {
      useDesk.setState({ refused: error instanceof Refusal ? error.message : String(error) });
    } finally {
      useDesk.setState({ acting: false });
      setBusy(null);
    }
  };
  const settle = (changed: Shot) => {
    adopt(changed);
    shotChanged(changed);
  };
  const meterNow = () => useDesk.getState().meter;
  const frameNow = () => useDesk.getState().frame;

  const balanceOrder = (base: number | null) => ({ frame: frameNow(), base, meter: meterNow() });
  /** Among all proposals a box or outline is a patch that says the white; the rest looks at everything. */
  const patch = () => ["box", "outline"].includes(meterNow()?.kind ?? "");
  const balance = (candidate?: string) =>
    act("balancing", async (base) => {
      setLevel("shot");
      const order = { ...balanceOrder(base), candidate, patch: candidate !== undefined && patch() };
      const answer = await post<BalanceAnswer>(`/shots/${shotId}/balance`, order);
      setProposed(null);
      settle(answer.shot);
      const given = answer.candidates.find((one) => one.id === answer.applied);
      if (given) setTold({ version: answer.shot.version_id, text: balanceSaid(given) });
    });
  const proposeBalances = () =>
    act("balancing", async (base) => {
      const order = { ...balanceOrder(base), apply: false, patch: patch() };
      setProposed(await post<BalanceAnswer>(`/shots/${shotId}/balance`, order));
    });
  const match = (order?: MatchOrder, unsure = false) =>
    act("matching", async (base) => {
      setLevel("shot");
      setMatchAsked(false);
      setOffered(null);
      const { meter, referenceMeter, ties } = useDesk.getState();
      const answer = await post<MatchAnswer>(`/shots/${shotId}/match`, {
        frame: frameNow(),
        base,
        meter,
        reference_meter: referenceMeter,
        ties,
        unsure,
        ...order,
      });
      if (answer.offer) setOffered({ offer: answer.offer, order });
      else settle(answer.shot);
    });
  const meetAll = () => {
    const aims = useDesk.getState().referenceReadings;
    if (aims) meet("all readings met the reference", new Map(aims.map((aim, i) => [i, aim])));
  };
  const keep = () =>
    act("keeping", async () => {
      await post<Kept>(`/shots/${shotId}/keep`, { frame: frameNow(), as_reference: true });
      await dayChanged();
    });
  /** A trim, look or finish is an operation of the day: taken back as on the Wall. */
  const turnLevel = async (way: "undo" | "redo") => {
    const last = meant(day.data, way);
    if (last?.kind !== "level")
      throw new Error(`The last thing done was another: ${last?.what ?? "nothing"}.`);
    await turned(way);
    await dayChanged();
  };
  const walk = (way: "undo" | "redo") => () =>
    act(way, async (base) => {
      if (level !== "shot") return turnLevel(way);
      settle(await post<Shot>(`/shots/${shotId}/${way}`, { base }));
    });
  const neighbour = (step: number) => () => {
    const open = shots.filter((s) => s.progress === "ready");
    const next = open[open.findIndex((s) => s.id === shotId) + step];
    if (next) navigate(`/desk/${next.id}`);
  };
  const options = { preventDefault: true };
  const step = (by: number) => () => {
    playback.pause();
    setFrame(frameNow() + by);
  };
  useHotkeys(KEYS.toggle.key, playback.toggle, options);
  useHotkeys(KEYS.backward.key, playback.backward, options);
  useHotkeys(KEYS.pause.key, playback.pause, options);
  useHotkeys(KEYS.forward.key, playback.forward, options);
  useHotkeys(KEYS.first.key, () => playback.mark("first"), options);
  useHotkeys(KEYS.last.key, () => playback.mark("last"), options);
  useHotkeys(KEYS.wholeRange.key, playback.wholeRange, options);
  useHotkeys(KEYS.loop.key, () => useDesk.setState({ loop: !useDesk.getState().loop }), options);
  useHotkeys(KEYS.stepBack.key, step(-1), options);
  useHotkeys(KEYS.stepOn.key, step(1), options);
  useHotkeys(KEYS.balance.key, () => void balance(), options);
  useHotkeys(KEYS.match.key, () => void match(), options);
  useHotkeys(KEYS.balanceBy.key, () => void proposeBalances(), options);
  useHotkeys(KEYS.matchBy.key, () => reference && !isOwn && setMatchAsked(true), options);
  useHotkeys(KEYS.extended.key, () => void switchExtended(), options);
  useHotkeys(KEYS.tie.key, tieBoxes, options);
  useHotkeys(KEYS.keep.key, () => void keep(), options);
  useHotkeys(
    KEYS.view.key,
    () => useDesk.setState({ view: VIEWS[(VIEWS.indexOf(useDesk.getState().view) + 1) % 4] }),
    options,
  );
  useHotkeys(KEYS.before.key, toggleBefore("level"), options);
  useHotkeys(KEYS.beforeStep.key, toggleBefore("step"), options);
  useHotkeys(KEYS.addStep.key, () => void addStep(), options);
  useHotkeys(KEYS.steps.key, (event) => takeNth(Number(event.key)), options);
  useHotkeys(KEYS.meter.key, () => {
    if (useDesk.getState().brushes.length > 0) clearBrushes();
    else setMeter(null);
  });
  useHotkeys(KEYS.skin.key, () => meterFamiliar("skin"), options);
  useHotkeys(KEYS.neutrals.key, () => meterFamiliar("neutrals"), options);
  useHotkeys(KEYS.ghost.key, () => useScopes.setState({ ghost: !useScopes.getState().ghost }), options);
  useHotkeys(
    KEYS.unit.key,
    () => useScopes.setState({ unit: next(UNITS, useScopes.getState().unit) }),
    options,
  );
  useHotkeys(
    KEYS.mark.key,
    () => useScopes.setState({ mark: next(MARKED_BY_KEY, useScopes.getState().mark) }),
    options,
  );
  useHotkeys(
    KEYS.numbers.key,
    () => useDesk.setState({ showNumbers: !useDesk.getState().showNumbers }),
    options,
  );
  useHotkeys(KEYS.level.key, () => setLevel(next(LEVELS, useDesk.getState().focus.level)), options);
  useHotkeys(KEYS.nextShot.key, neighbour(1), options);
  useHotkeys(KEYS.previousShot.key, neighbour(-1), options);
  useHotkeys(KEYS.undo.key, () => void walk("undo")(), options);
  useHotkeys(KEYS.redo.key, () => void walk("redo")(), options);

  if (day.isLoading) return <p className="empty">Opening the day.</p>;
  if (!shot) return <p className="empty">There is no such shot. Choose one on the Wall.</p>;
  if (!ready)
    return (
      <p className="empty">
        {shot.fault ? `This shot cannot be shown. ${shot.fault}.` : `${shot.name} is being measured.`}
      </p>
    );
  return (
    <div className="desk">
      <FamilyList family={family} shots={shots} day={day.data as Day} current={shotId} />
      <section className="work">
        <header className="shot-head">
          <b className="mono">{shot.name}</b>
          <span className="second">
            {camera?.letter} camera · {(shot.clip as { timecode?: string }).timecode}
          </span>
          <PointName />
          <ButtonGroup aria-label="View">
            {VIEWS.map((name) => (
              <Button
                key={name}
                variant="switch"
                active={view === name}
                onClick={() => useDesk.setState({ view: name })}
              >
                {name}
              </Button>
            ))}
          </ButtonGroup>
        </header>
        <Picture />
        <TimeLane />
        <div className="panel">
          <div className="tables">
            <Readings />
            <div className="turning">
              <LevelSwitch shot={shot} day={day.data as Day} />
              <StepStrip />
              {showNumbers ? <TenNumbers /> : <Corrections />}
            </div>
          </div>
          <div className="actions">
            <Button variant="action" onClick={() => void balance()} disabled={busy !== null}>
              {busy === "balancing" ? "Balancing" : "Balance"}
            </Button>
            <Button
              variant="quiet"
              onClick={() => void proposeBalances()}
              disabled={busy !== null}
              aria-label="balance by"
              title="see all proposals and choose one"
            >
              by…
            </Button>
            <Button
              variant="action"
              onClick={() => void match()}
              disabled={busy !== null || !reference || isOwn}
              title={reference ? undefined : "the family has no reference yet"}
            >
              {busy === "matching" ? "Matching" : "Match"}
            </Button>
            <Button
              variant="quiet"
              onClick={() => setMatchAsked(true)}
              disabled={busy !== null || !reference || isOwn}
              aria-label="match by"
              title="how strongly, what of it, with the extended part, by ties alone"
            >
              by…
            </Button>
            <Button variant="action" onClick={meetAll} disabled={!reference || isOwn}>
              Meet all
            </Button>
            <Button variant="action" active={before !== "none"} onClick={toggleBefore("level")}>
              Before
            </Button>
            <Button variant="action" onClick={() => void keep()} disabled={busy !== null}>
              Reference
            </Button>
            <Button
              variant="action"
              active={showNumbers}
              onClick={() => useDesk.setState({ showNumbers: !showNumbers })}
            >
              Numbers
            </Button>
            <Distance />
          </div>
          <div className="said">
            <LevelLine shot={shot} day={day.data as Day} />
            {level === "shot" && <Report />}
            {level === "shot" && told?.version === shot.version_id && (
              <p className="report" role="status" title={told.text}>
                {told.text}
              </p>
            )}
          </div>
        </div>
      </section>
      <Scopes />
      {proposed && (
        <BalanceSheet
          shot={shot}
          frame={frameNow()}
          answer={proposed}
          onChoose={(candidate) => void balance(candidate)}
          onHide={() => setProposed(null)}
        />
      )}
      {matchAsked && (
        <MatchSheet
          shot={shot}
          ties={useDesk.getState().ties.length}
          extended={stepOf(useDesk.getState().now.shot, EXTENDED) !== undefined}
          onMatch={(order) => void match(order)}
          onHide={() => setMatchAsked(false)}
        />
      )}
      {offered && reference && (
        <OfferSheet
          shot={shot}
          frame={frameNow()}
          offer={offered.offer}
          reference={reference}
          onApply={() => void match(offered.order, true)}
          onHide={() => setOffered(null)}
        />
      )}
    </div>
  );
}
