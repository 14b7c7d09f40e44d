import { type ReactNode, useEffect } from "react";
import { Button, ButtonGroup } from "react-bootstrap";
import { useShallow } from "zustand/react/shallow";
import { EXTENDED, stepOf } from "../correction/model";
import { useScopes } from "../scopes/settings";
import type { Day, Shot } from "../shared/api";
import { useDay, useDayChanged, useShotChanged } from "../shared/day";
import { KEYS, shownOf } from "../shared/keys";
import { gainWords, signed } from "../shared/marks";
import { NoteSheet } from "../shared/NoteSheet";
import { thumbnail } from "../shared/pictures";
import { levelText } from "../shared/units";
import { useWall } from "../wall/selection";
import { ActionRow, whyNot } from "./ActionRow";
import { useActions } from "./actions";
import { FamilyList } from "./FamilyList";
import { WhereEditsGo } from "./Flags";
import { FootageSaid } from "./FootageSaid";
import { KeptFrames, Versions } from "./History";
import { useDeskKeys } from "./keys";
import { LevelLine, LevelSwitch } from "./LevelSwitch";
import { LookSheet } from "./LookSheet";
import { setReference } from "./looking";
import { OpenLane } from "./OpenLane";
import { openDesk, openShot, takeLevels, takeShot } from "./opening";
import { Picture } from "./Picture";
import { BalanceSheet, MatchSheet, OfferSheet } from "./Proposals";
import { Readings } from "./ReadingsTable";
import { Distance, Report } from "./Report";
import { lookForRescues, rescue } from "./rescues";
import { Scopes } from "./Scopes";
import { StepControls } from "./StepControls";
import { StepStrip } from "./StepStrip";
import { LISTS, type List, useDesk, VIEWS } from "./state";
import { TimeLane } from "./TimeLane";
import { WorkLine } from "./WorkLine";

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

const LISTED: Record<List, string> = { family: "Family", versions: "Versions", kept: "Kept" };

/** The list at the left: the family, the shot's versions, or kept frames. */
function SideList({ children }: { children: ReactNode }) {
  const list = useDesk((state) => state.list);
  return (
    <aside className="family" aria-label={LISTED[list]}>
      <div className="lists">
        {LISTS.map((one) => (
          <button
            key={one}
            type="button"
            className="plain"
            aria-pressed={list === one}
            title={`show ${{ family: "the family's shots", versions: "the shot's versions", kept: "kept frames" }[one]} (${shownOf(KEYS.list)})`}
            onClick={() => useDesk.setState({ list: one })}
          >
            {LISTED[one]}
          </button>
        ))}
      </div>
      {children}
    </aside>
  );
}

/** What to do next with a shot that nothing was done to, or in a family that nothing leads. */
function NextStep({ shot, hasReference }: { shot: Shot; hasReference: boolean }) {
  const said = useDesk((state) => state.said);
  if (said) return null;
  const told = [
    ...(shot.version_id === null ? ["Nothing is done to this shot yet: B balances it."] : []),
    ...(hasReference || shot.family_id === null
      ? []
      : [`Its family has no reference yet: R makes this frame the one that the others are matched to.`]),
  ];
  if (told.length === 0) return null;
  return <p className="hint">{told.join(" ")}</p>;
}

/** What was done at last, where it needs words. */
function Said() {
  const said = useDesk((state) => state.said);
  if (!said) return null;
  return (
    <p className="hint" role="status">
      {said}
    </p>
  );
}

/** Looks whose files are gone: the picture is shown without them. */
function LostLooks() {
  const lost = useDesk((state) => state.told?.lost_looks);
  if (!lost || lost.length === 0) return null;
  return (
    <p className="hint" role="alert">
      The file of {lost.map((name) => `“${name}”`).join(", ")} is gone; the picture is shown without it. Bring
      it in again ({shownOf(KEYS.looks)} at its level).
    </p>
  );
}

/** Keyframes that are kept though the clip ends before them: its file was replaced by a shorter one. */
function Beyond({ shot }: { shot: Shot }) {
  if (shot.beyond.length === 0) return null;
  const frames = shot.beyond.map((frame) => frame + 1).join(", ");
  return (
    <p className="hint">
      The clip ends at frame {shot.clip.frames}; keyframes at {frames} lie beyond it and are kept.
    </p>
  );
}

/** What of the recording can be rescued before it is balanced, one press away. */
function Rescues({ shot }: { shot: Shot }) {
  const rescues = useDesk((state) => state.rescues);
  const helps = shot.report?.rescue;
  if (rescues.length === 0) return null;
  return (
    <p className="hint rescues">
      {rescues.map((one) => (
        <span key={one.name}>
          <button type="button" className="plain link" onClick={() => void rescue(one)}>
            {one.name}
          </button>{" "}
          {one.reason}. {helps?.name === one.name && `With it ${gainWords(helps)}. `}
        </span>
      ))}
    </p>
  );
}

/** One shot at work. */
export function Desk({ shotId }: { shotId: number }) {
  const day = useDay();
  const shotChanged = useShotChanged();
  const dayChanged = useDayChanged();
  const shot = day.data?.shots.find((s) => s.id === shotId);
  const family = day.data?.families.find((f) => f.id === shot?.family_id);
  const camera = day.data?.cameras.find((c) => c.id === shot?.camera_id);
  const shots = (day.data?.shots ?? []).filter((s) => s.family_id === shot?.family_id);
  const reference = family?.reference ?? null;
  const why = whyNot(reference !== null, reference?.shot_id === shotId);
  const { view, wide, list, laneOpen, savedShot, savedLevels, level } = useDesk(
    useShallow(({ view, wide, list, laneOpen, savedShot, savedLevels, focus }) => ({
      laneOpen,
      view,
      wide,
      list,
      savedShot,
      savedLevels,
      level: focus.level,
    })),
  );
  const actions = useActions(shotId, day.data);
  useDeskKeys(shot, shots, day.data?.shots ?? [], why === null, actions);
  // The Wall and the Line-up go on from the shot that was worked on last.
  useEffect(() => useWall.setState({ at: shotId, anchor: shotId }), [shotId]);

  useEffect(openDesk, []);
  const lookSheet = useDesk((state) => state.lookSheet);
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
    if (ready) void lookForRescues(shotId);
  }, [shotId, ready]);
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

  if (day.isLoading) return <p className="empty">Opening the day.</p>;
  if (!shot) return <p className="empty">There is no such shot. Choose one on the Wall.</p>;
  if (!ready)
    return (
      <p className="empty">
        {shot.fault ? `This shot cannot be shown. ${shot.fault}.` : `${shot.name} is being measured.`}
      </p>
    );
  const frame = useDesk.getState().frame;
  return (
    <div className={`desk${wide ? " wide" : ""}${laneOpen ? " lane" : ""}`}>
      <SideList>
        {list === "family" && (
          <FamilyList family={family} shots={shots} day={day.data as Day} current={shotId} />
        )}
        {list === "versions" && <Versions shot={shot} />}
        {list === "kept" && <KeptFrames familyId={shot.family_id} shots={shots} />}
      </SideList>
      <section className="work">
        <header className="shot-head">
          <b className="mono">{shot.name}</b>
          <span className="second">
            {camera?.letter} camera{shot.footage === "here" && ` · ${shot.clip.timecode}`}
          </span>
          <FootageSaid shot={shot} onChanged={dayChanged} />
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
        {shot.footage !== "here" && (
          <img
            className="kept-picture"
            src={thumbnail(shot, day.data as Day)}
            alt={`${shot.name}, as it was`}
          />
        )}
        <TimeLane />
        <div className="panel">
          <div className="in-hand">
            <LevelSwitch shot={shot} day={day.data as Day} />
            <StepStrip />
            <Distance />
          </div>
          {laneOpen ? (
            <OpenLane />
          ) : (
            <div className="tables">
              <Readings />
              <div className="turning">
                <StepControls />
              </div>
            </div>
          )}
          <ActionRow actions={actions} why={why} />
          <div className="said">
            <WorkLine />
            <LevelLine shot={shot} day={day.data as Day} />
            <WhereEditsGo />
            <Beyond shot={shot} />
            <LostLooks />
            {level === "shot" && <Rescues shot={shot} />}
            <Said />
            {level === "shot" && <NextStep shot={shot} hasReference={reference !== null} />}
            {level === "shot" && <Report />}
            {level === "shot" && actions.told?.version === shot.version_id && (
              <p className="report" role="status" title={actions.told.text}>
                {actions.told.text}
              </p>
            )}
          </div>
        </div>
      </section>
      <Scopes />
      {actions.noting && (
        <NoteSheet
          shots={[shot]}
          onNote={(shots, text) => void actions.note(shots, text)}
          onHide={actions.leave}
        />
      )}
      {lookSheet && <LookSheet day={day.data as Day} />}
      {actions.proposed && (
        <BalanceSheet
          shot={shot}
          frame={frame}
          answer={actions.proposed}
          onChoose={(candidate) => void actions.balance(candidate)}
          onHide={actions.leave}
        />
      )}
      {actions.matchAsked && (
        <MatchSheet
          shot={shot}
          ties={useDesk.getState().ties.length}
          extended={stepOf(useDesk.getState().now.shot, EXTENDED) !== undefined}
          onMatch={(order) => void actions.match(order)}
          onHide={actions.leave}
        />
      )}
      {actions.offered && reference && (
        <OfferSheet
          shot={shot}
          frame={frame}
          offer={actions.offered.offer}
          reference={reference}
          onApply={() => void actions.match(actions.offered?.order, true)}
          onHide={actions.leave}
        />
      )}
    </div>
  );
}
