/** The desk's keys, bound to what they do. */
import { useHotkeys } from "react-hotkeys-hook";
import { useNavigate } from "react-router-dom";
import { LEVELS } from "../correction/model";
import { useScopes } from "../scopes/settings";
import type { Shot } from "../shared/api";
import { KEYS } from "../shared/keys";
import { UNITS } from "../shared/units";
import type { Actions } from "./actions";
import { clearBrushes, meterFamiliar, setBefore, setFrame, setMeter, tieBoxes } from "./looking";
import { setLevel, takeInHand } from "./opening";
import * as playback from "./playback";
import { useDesk, VIEWS } from "./state";
import { addStep, switchExtended } from "./steps";

const MARKED_BY_KEY = ["none", "clipping", "legality", "false colour"] as const;
const next = <T>(among: readonly T[], now: T): T => among[(among.indexOf(now) + 1) % among.length];

/** See the picture without the step in hand, or without all of its level; and back. */
export const toggleBefore = (of: "step" | "level") => () =>
  setBefore(useDesk.getState().before === "none" ? of : "none");

/** Take the step at a place of its level in hand, where it is one of ten numbers. */
function takeNth(place: number) {
  const { now, focus } = useDesk.getState();
  const step = now[focus.level].steps[place - 1];
  if (step?.values.kind === "primary") takeInHand({ ...focus, step: step.id });
}

const step = (by: number) => () => {
  playback.pause();
  setFrame(useDesk.getState().frame + by);
};

/** `family` are the shots that page up and down go through; `comparable` if there is a reference to match to. */
export function useDeskKeys(shotId: number, family: Shot[], comparable: boolean, actions: Actions) {
  const navigate = useNavigate();
  const neighbour = (by: number) => () => {
    const open = family.filter((one) => one.progress === "ready");
    const to = open[open.findIndex((one) => one.id === shotId) + by];
    if (to) navigate(`/desk/${to.id}`);
  };
  const options = { preventDefault: true };
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
  useHotkeys(KEYS.before.key, toggleBefore("level"), options);
  useHotkeys(KEYS.beforeStep.key, toggleBefore("step"), options);
  useHotkeys(KEYS.steps.key, (event) => takeNth(Number(event.key)), options);
  useHotkeys(KEYS.addStep.key, () => void addStep(), options);
  useHotkeys(KEYS.meter.key, () => (getState().brushes.length > 0 ? clearBrushes() : setMeter(null)));
  useHotkeys(KEYS.skin.key, () => meterFamiliar("skin"), options);
  useHotkeys(KEYS.neutrals.key, () => meterFamiliar("neutrals"), options);
  useHotkeys(KEYS.ghost.key, () => scopes.setState({ ghost: !scopes.getState().ghost }), options);
  useHotkeys(KEYS.unit.key, () => scopes.setState({ unit: next(UNITS, scopes.getState().unit) }), options);
  useHotkeys(
    KEYS.mark.key,
    () => scopes.setState({ mark: next<string>(MARKED_BY_KEY, scopes.getState().mark) as never }),
    options,
  );
  useHotkeys(KEYS.numbers.key, () => setState({ showNumbers: !getState().showNumbers }), options);
  useHotkeys(KEYS.level.key, () => setLevel(next(LEVELS, getState().focus.level)), options);
  useHotkeys(KEYS.nextShot.key, neighbour(1), options);
  useHotkeys(KEYS.previousShot.key, neighbour(-1), options);
  useHotkeys(KEYS.undo.key, () => void actions.walk("undo"), options);
  useHotkeys(KEYS.redo.key, () => void actions.walk("redo"), options);
}
