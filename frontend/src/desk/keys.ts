/** The desk's keys, bound to what they do. */
import { useRef } from "react";
import { useHotkeys } from "react-hotkeys-hook";
import { useNavigate } from "react-router-dom";
import { LEVELS } from "../correction/model";
import { type Mark, useScopes } from "../scopes/settings";
import type { Shot } from "../shared/api";
import { KEYS } from "../shared/keys";
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
  moveSeam,
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

/** See the picture without the step in hand, or without all of its level; and back. */
export const toggleBefore = (of: "step" | "level") => () =>
  setBefore(useDesk.getState().before === "none" ? of : "none");

/** Take the step at a place of its level in hand; an extended one is worked by matching alone. */
function takeNth(place: number) {
  const { now, focus } = useDesk.getState();
  const step = now[focus.level].steps[place - 1];
  if (step && step.values.kind !== "extended") takeInHand({ ...focus, step: step.id });
}

const step = (by: number) => () => {
  playback.pause();
  setFrame(useDesk.getState().frame + by);
};

const ZOOM_STEP = 1.5;
const PAN_STEP = 0.15;
const METER_STEP = 0.02;
const SEAM_STEP = 0.02;
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
  const pressed = useRef<{ at: number; left: boolean } | null>(null);
  const down = (stops: number) => (event: KeyboardEvent) => {
    if (event.repeat || pressed.current) return;
    pressed.current = { at: performance.now(), left: useDesk.getState().peek === stops };
    setPeek(stops);
  };
  const up = () => {
    const press = pressed.current;
    pressed.current = null;
    if (press && (press.left || performance.now() - press.at > TAP_MS)) setPeek(0);
  };
  const options = { preventDefault: true };
  useHotkeys(KEYS.darker.key, down(-PEEK_STOPS), options);
  useHotkeys(KEYS.lighter.key, down(PEEK_STOPS), options);
  useHotkeys(`${KEYS.darker.key},${KEYS.lighter.key}`, up, { keyup: true, keydown: false });
}

/** `family` are the shots that page up and down go through; `comparable` if there is a reference to match to. */
export function useDeskKeys(shotId: number, family: Shot[], comparable: boolean, actions: Actions) {
  const navigate = useNavigate();
  const neighbour = (by: number) => () => {
    const open = family.filter((one) => one.progress === "ready");
    const to = open[open.findIndex((one) => one.id === shotId) + by];
    if (to) navigate(`/desk/${to.id}`);
  };
  // The lane is a slider; it takes Home and End, all other keys stay the desk's.
  const options = { preventDefault: true, enableOnFormTags: ["slider" as const] };
  const { setState, getState } = useDesk;
  const scopes = useScopes;
  useHotkeys(KEYS.toggle.key, playback.toggle, options);
  useHotkeys(KEYS.backward.key, playback.backward, options);
  useHotkeys(KEYS.pause.key, playback.pause, options);
  useHotkeys(KEYS.forward.key, playback.forward, options);
  useHotkeys(KEYS.first.key, () => playback.mark("first"), options);
  useHotkeys(KEYS.last.key, () => playback.mark("last"), options);
  useHotkeys(KEYS.wholeRange.key, playback.wholeRange, options);
  useHotkeys(KEYS.loop.key, () => setState({ loop: !getState().loop }), options);
  useHotkeys(KEYS.stepBack.key, step(-1), options);
  useHotkeys(KEYS.stepOn.key, step(1), options);
  useHotkeys(KEYS.balance.key, () => void actions.balance(), options);
  useHotkeys(KEYS.match.key, () => void actions.match(), options);
  useHotkeys(KEYS.balanceBy.key, () => void actions.proposeBalances(), options);
  useHotkeys(KEYS.matchBy.key, () => comparable && actions.askMatch(), options);
  useHotkeys(KEYS.extended.key, () => void switchExtended(), options);
  useHotkeys(KEYS.tie.key, tieBoxes, options);
  useHotkeys(KEYS.keep.key, () => void actions.keep(), options);
  useHotkeys(KEYS.view.key, () => setState({ view: next(VIEWS, getState().view) }), options);
  useHotkeys(KEYS.keepFrame.key, () => void actions.keep(false), options);
  useHotkeys(KEYS.wide.key, () => setState({ wide: !getState().wide }), options);
  useHotkeys(KEYS.zoomIn.key, () => zoomBy(ZOOM_STEP), options);
  useHotkeys(KEYS.zoomOut.key, () => zoomBy(1 / ZOOM_STEP), options);
  useHotkeys(KEYS.all.key, showAll, options);
  useHotkeys(KEYS.oneToOne.key, oneToOne, options);
  useHotkeys(KEYS.pan.key, along(panBy, PAN_STEP), options);
  useHotkeys(KEYS.box.key, meterMiddle, options);
  useHotkeys(KEYS.moveBox.key, along(moveMeter, METER_STEP), options);
  useHotkeys(KEYS.sizeBox.key, along(sizeMeter, METER_STEP), options);
  useHotkeys(KEYS.seam.key, (event) => moveSeam(event.key === "," ? -SEAM_STEP : SEAM_STEP), options);
  usePeek();
  useHotkeys(KEYS.tone.key, () => scopes.setState(toneTurned), options);
  useHotkeys(KEYS.list.key, () => setState({ list: next(LISTS, getState().list) }), options);
  useHotkeys(KEYS.before.key, toggleBefore("level"), options);
  useHotkeys(KEYS.beforeStep.key, toggleBefore("step"), options);
  useHotkeys(KEYS.steps.key, (event) => takeNth(Number(event.key)), options);
  useHotkeys(KEYS.looks.key, compareLooks, options);
  useHotkeys(KEYS.addStep.key, () => setState({ adding: true }), options);
  useHotkeys(KEYS.boxAgain.key, () => getState().meter && setMeter(getState().meter, true), options);
  useHotkeys(KEYS.five.key, setFive, options);
  useHotkeys(KEYS.take.key, () => (takesColours() ? takeUnderCursor(false) : takeColour()), options);
  useHotkeys(KEYS.leaveOut.key, () => takeUnderCursor(true), options);
  useHotkeys(KEYS.matte.key, turnMatte, options);
  useHotkeys(KEYS.side.key, turnSide, options);
  useHotkeys(KEYS.meter.key, () => {
    if (getState().picking) setState({ picking: false });
    else if (getState().brushes.length > 0) clearBrushes();
    else setMeter(null);
  });
  useHotkeys(KEYS.skin.key, () => meterFamiliar("skin"), options);
  useHotkeys(KEYS.neutrals.key, () => meterFamiliar("neutrals"), options);
  useHotkeys(KEYS.ghost.key, () => scopes.setState({ ghost: !scopes.getState().ghost }), options);
  useHotkeys(KEYS.unit.key, () => scopes.setState({ unit: next(UNITS, scopes.getState().unit) }), options);
  useHotkeys(
    KEYS.mark.key,
    () => scopes.setState({ mark: next<Mark>(MARKED_BY_KEY, scopes.getState().mark) }),
    options,
  );
  useHotkeys(KEYS.numbers.key, () => setState({ showNumbers: !getState().showNumbers }), options);
  useHotkeys(KEYS.level.key, () => setLevel(next(LEVELS, getState().focus.level)), options);
  useHotkeys(KEYS.keyframe.key, () => void setKeyframe(), options);
  useHotkeys(KEYS.allSteps.key, () => void setAllKeyframes(), options);
  useHotkeys(KEYS.removeKeyframe.key, () => void removeKeyframe(), options);
  useHotkeys(KEYS.removeKeyframes.key, () => void removeAllKeyframes(), options);
  useHotkeys(KEYS.previousKeyframe.key, () => goToKeyframe(-1), options);
  useHotkeys(KEYS.nextKeyframe.key, () => goToKeyframe(1), options);
  useHotkeys(
    KEYS.nudgeKeyframe.key,
    (event) => void nudgeKeyframe(event.key === "ArrowLeft" ? -1 : 1),
    options,
  );
  useHotkeys(KEYS.copyKeyframe.key, copyHere);
  useHotkeys(KEYS.pasteKeyframe.key, () => void pasteHere(), options);
  useHotkeys(KEYS.hold.key, () => void hold(), options);
  useHotkeys(KEYS.steady.key, () => void steadyLight(), options);
  useHotkeys(KEYS.ease.key, () => void turnEase(), options);
  useHotkeys(KEYS.allKeyframes.key, turnAllKeyframes, options);
  useHotkeys(KEYS.lane.key, () => setState({ laneOpen: !getState().laneOpen }), options);
  useHotkeys(KEYS.nextShot.key, neighbour(1), options);
  useHotkeys(KEYS.previousShot.key, neighbour(-1), options);
  useHotkeys(KEYS.undo.key, () => void actions.walk("undo"), options);
  useHotkeys(KEYS.redo.key, () => void actions.walk("redo"), options);
}
