/** The desk's keys, bound to what they do. */
import { useRef } from "react";
import { useNavigate } from "react-router-dom";
import { LEVELS } from "../correction/model";
import { type Mark, useScopes } from "../scopes/settings";
import type { Shot } from "../shared/api";
import { KEYS } from "../shared/keys";
import { useHeldKey, useKey } from "../shared/pressing";
import { nextNeeding } from "../shared/standing";
import { UNITS } from "../shared/units";
import type { Actions } from "./actions";
import { setFive } from "./CurveControls";
import { hold, steadyLight } from "./holding";
import {
  copyHere,
  goToKeyframe,
  nudgeKeyframe,
  pasteHere,
  removeAllKeyframes,
  removeKeyframe,
  setAllKeyframes,
  setKeyframe,
  turnAllKeyframes,
  turnEase,
} from "./keyframes";
import {
  clearBrushes,
  meterFamiliar,
  meterMiddle,
  moveMeter,
  moveSplit,
  setBefore,
  setFrame,
  setMeter,
  setPeek,
  sizeMeter,
} from "./looking";
import { compareLooks } from "./looks";
import { setLevel, takeInHand } from "./opening";
import * as playback from "./playback";
import { takesColours, takeUnderCursor, turnMatte, turnSide } from "./selecting";
import { LISTS, useDesk, VIEWS } from "./state";
import { switchExtended } from "./steps";
import { takeColour } from "./taking";
import { tieBoxes } from "./ties";
import { oneToOne, panBy, showAll, zoomBy } from "./zoom";

const MARKED_BY_KEY = ["none", "clipping", "legality", "false colour"] as const;
const next = <T>(among: readonly T[], now: T): T => among[(among.indexOf(now) + 1) % among.length];

/** See the picture without the current step, or without all of its level; and back. */
export const toggleBefore = (of: "step" | "level") => () =>
  setBefore(useDesk.getState().before === "none" ? of : "none");

/** Make the step at a place of its level current; an extended one is worked by matching alone. */
function takeNth(place: number) {
  const { now, focus } = useDesk.getState();
  const step = now[focus.level].steps[place - 1];
  if (step && step.values.kind !== "extended") takeInHand({ ...focus, step: step.id });
}

/** The digit of a key, whatever it prints. */
const digitOf = ({ key, code }: KeyboardEvent) => Number(/[0-9]$/.test(code) ? code.slice(-1) : key);

const step = (by: number) => () => {
  playback.pause();
  setFrame(useDesk.getState().frame + by);
};

const ZOOM_STEP = 1.5;
const PAN_STEP = 0.15;
const METER_STEP = 0.02;
const SPLIT_STEP = 0.02;
const PEEK_STOPS = 3;
/** A press shorter than this leaves the peek on. */
const TAP_MS = 250;

const WAYS: Record<string, [number, number]> = {
  ArrowLeft: [-1, 0],
  ArrowRight: [1, 0],
  ArrowUp: [0, -1],
  ArrowDown: [0, 1],
};
/** Does something with the way that an arrow key points, in parts of the picture. */
const along = (by: (dx: number, dy: number) => void, size: number) => (event: KeyboardEvent) => {
  const [x, y] = WAYS[event.key] ?? [0, 0];
  by(x * size, y * size);
};

const toneTurned = ({ mark }: { mark: Mark }) => ({
  mark: (mark === "tone only" ? "none" : "tone only") as Mark,
});

/** Held, the picture is darker or lighter by three stops; a short press leaves it so until the next. */
function usePeek() {
  const pressed = useRef({ at: 0, left: false });
  const down = (stops: number) => () => {
    pressed.current = { at: performance.now(), left: useDesk.getState().peek === stops };
    setPeek(stops);
  };
  const up = () => {
    const { at, left } = pressed.current;
    if (left || performance.now() - at > TAP_MS) setPeek(0);
  };
  useHeldKey(KEYS.darker.key, down(-PEEK_STOPS), up);
  useHeldKey(KEYS.lighter.key, down(PEEK_STOPS), up);
}

/** `family` and `all` are the shots that page up and down go through; `comparable` if there is a reference to match to. */
export function useDeskKeys(
  shot: Shot | undefined,
  family: Shot[],
  all: Shot[],
  comparable: boolean,
  actions: Actions,
) {
  const navigate = useNavigate();
  const neighbour = (by: number) => () => {
    const open = family.filter((one) => one.progress === "ready");
    const to = open[open.findIndex((one) => one.id === shot?.id) + by];
    if (to) navigate(`/desk/${to.id}`);
  };
  const needing = (by: 1 | -1) => () => {
    const open = all.filter((one) => one.progress === "ready");
    const to = nextNeeding(open, shot?.id ?? null, by);
    if (to && to.id !== shot?.id) navigate(`/desk/${to.id}`);
    else useDesk.setState({ said: "No other shot needs you." });
  };
  const { setState, getState } = useDesk;
  const scopes = useScopes;
  useKey(KEYS.toggle.key, playback.toggle);
  useKey(KEYS.backward.key, playback.backward);
  useKey(KEYS.pause.key, playback.pause);
  useKey(KEYS.forward.key, playback.forward);
  useKey(KEYS.first.key, () => playback.mark("first"));
  useKey(KEYS.last.key, () => playback.mark("last"));
  useKey(KEYS.wholeRange.key, playback.wholeRange);
  useKey(KEYS.loop.key, () => setState({ loop: !getState().loop }));
  useKey(KEYS.stepBack.key, step(-1));
  useKey(KEYS.stepOn.key, step(1));
  useKey(KEYS.balance.key, () => void actions.balance());
  useKey(KEYS.match.key, () => void actions.match());
  useKey(KEYS.balanceBy.key, () => void actions.proposeBalances());
  useKey(KEYS.matchBy.key, () => comparable && actions.askMatch());
  useKey(KEYS.extended.key, () => void switchExtended());
  useKey(KEYS.tie.key, tieBoxes);
  useKey(KEYS.keep.key, () => void actions.keep());
  useKey(KEYS.view.key, () => setState({ view: next(VIEWS, getState().view) }));
  useKey(KEYS.keepFrame.key, () => void actions.keep(false));
  useKey(KEYS.wide.key, () => setState({ wide: !getState().wide }));
  useKey(KEYS.zoomIn.key, () => zoomBy(ZOOM_STEP));
  useKey(KEYS.zoomOut.key, () => zoomBy(1 / ZOOM_STEP));
  useKey(KEYS.all.key, showAll);
  useKey(KEYS.oneToOne.key, oneToOne);
  useKey(KEYS.pan.key, along(panBy, PAN_STEP));
  useKey(KEYS.box.key, meterMiddle);
  useKey(KEYS.moveBox.key, along(moveMeter, METER_STEP));
  useKey(KEYS.sizeBox.key, along(sizeMeter, METER_STEP));
  useKey(KEYS.split.key, (event) => moveSplit(event.key === "," ? -SPLIT_STEP : SPLIT_STEP));
  usePeek();
  useKey(KEYS.tone.key, () => scopes.setState(toneTurned));
  useKey(KEYS.list.key, () => setState({ list: next(LISTS, getState().list) }));
  useKey(KEYS.before.key, toggleBefore("level"));
  useKey(KEYS.beforeStep.key, toggleBefore("step"));
  useKey(KEYS.steps.key, (event) => takeNth(digitOf(event)));
  useKey(KEYS.looks.key, compareLooks);
  useKey(KEYS.addStep.key, () => setState({ adding: true }));
  useKey(KEYS.boxAgain.key, () => getState().meter && setMeter(getState().meter, true));
  useKey(KEYS.five.key, setFive);
  useKey(KEYS.take.key, () => (takesColours() ? takeUnderCursor(false) : takeColour()));
  useKey(KEYS.leaveOut.key, () => takeUnderCursor(true));
  useKey(KEYS.matte.key, turnMatte);
  useKey(KEYS.side.key, turnSide);
  useKey(KEYS.meter.key, () => {
    if (getState().picking) setState({ picking: false });
    else if (getState().brushes.length > 0) clearBrushes();
    else setMeter(null);
  });
  useKey(KEYS.skin.key, () => meterFamiliar("skin"));
  useKey(KEYS.neutrals.key, () => meterFamiliar("neutrals"));
  useKey(KEYS.referenceTrace.key, () =>
    scopes.setState({ referenceTrace: !scopes.getState().referenceTrace }),
  );
  useKey(KEYS.unit.key, () => scopes.setState({ unit: next(UNITS, scopes.getState().unit) }));
  useKey(KEYS.mark.key, () => scopes.setState({ mark: next<Mark>(MARKED_BY_KEY, scopes.getState().mark) }));
  useKey(KEYS.numbers.key, () => setState({ showNumbers: !getState().showNumbers }));
  useKey(KEYS.level.key, () => setLevel(next(LEVELS, getState().focus.level)));
  useKey(KEYS.keyframe.key, () => void setKeyframe());
  useKey(KEYS.allSteps.key, () => void setAllKeyframes());
  useKey(KEYS.removeKeyframe.key, () => void removeKeyframe());
  useKey(KEYS.removeKeyframes.key, () => void removeAllKeyframes());
  useKey(KEYS.previousKeyframe.key, () => goToKeyframe(-1));
  useKey(KEYS.nextKeyframe.key, () => goToKeyframe(1));
  useKey(KEYS.nudgeKeyframe.key, (event) => void nudgeKeyframe(event.key === "ArrowLeft" ? -1 : 1));
  // Text that is marked is copied as everywhere.
  useKey(KEYS.copyKeyframe.key, () => (window.getSelection()?.toString() ? false : void copyHere()));
  useKey(KEYS.pasteKeyframe.key, () => void pasteHere());
  useKey(KEYS.hold.key, () => void hold());
  useKey(KEYS.steady.key, () => void steadyLight());
  useKey(KEYS.ease.key, () => void turnEase());
  useKey(KEYS.allKeyframes.key, turnAllKeyframes);
  useKey(KEYS.lane.key, () => setState({ laneOpen: !getState().laneOpen }));
  useKey(KEYS.nextShot.key, neighbour(1));
  useKey(KEYS.previousShot.key, neighbour(-1));
  useKey(KEYS.nextNeeding.key, needing(1));
  useKey(KEYS.previousNeeding.key, needing(-1));
  useKey(KEYS.check.key, () => shot && void actions.check(shot));
  useKey(KEYS.note.key, () => shot && actions.askNote());
  useKey(KEYS.undo.key, () => void actions.walk("undo"));
  useKey(KEYS.redo.key, () => void actions.walk("redo"));
}
