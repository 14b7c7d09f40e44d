/** What is done to the steps of a level: switched, added, named, moved, removed. Each is saved at once. */
import { KINDS, type Kind } from "../correction/kinds";
import {
  added,
  asTemplate,
  EXTENDED,
  type Focus,
  freeName,
  isOwn,
  moved,
  newStep,
  OWN,
  removed,
  renamed,
  stepOf,
  switched,
} from "../correction/model";
import { type Correction, type FourLevels, post, put, type Shot, type Values } from "../shared/api";
import { show } from "./exchange";
import { adopt } from "./opening";
import { flush, save } from "./saving";
import { useDesk } from "./state";

const set = useDesk.setState;
const state = useDesk.getState;

/**
 * Change a level's steps after what is unsaved; `make` gets all levels as they are then. Another step may come into `hand`
 * with it, so that nothing is asked for a step that is not there.
 */
export async function change(
  what: string,
  focus: Focus,
  make: (now: FourLevels) => Correction,
  hand: Focus = state().focus,
) {
  await flush();
  const { now } = state();
  const to = make(now);
  set({ now: { ...now, [focus.level]: to }, focus: hand, before: "none", refused: null });
  show({});
  await save(what, focus, to);
}

const isInHand = ({ level, step }: Focus) => state().focus.level === level && state().focus.step === step;

/** Put a step in force, or out of it. */
export async function switchStep(focus: Focus) {
  const step = stepOf(state().now[focus.level], focus.step);
  if (step)
    await change(`${step.id} ${step.on ? "off" : "on"}`, focus, (now) => switched(now[focus.level], step.id));
}

/** Switch the extended step of the shot, where it has one. */
export const switchExtended = () => switchStep({ level: "shot", step: EXTENDED });

/** Add a step of a kind after the current one, and make it current. */
export async function addStep(kind: Kind = "primary") {
  const { word, make } = KINDS[kind];
  if (make) await addStepOf(kind === "primary" ? "step" : word, make());
}

/** Add a step that holds some values after the current one, named by a word, and make it current. */
export async function addStepOf(word: string, values: Values) {
  const { focus, now } = state();
  const name = freeName(now[focus.level], word);
  const next = { level: focus.level, step: name };
  set({ spoke: 0, channel: "all" });
  await change(
    `${name} added`,
    next,
    (now) => added(now[focus.level], newStep(name, values), focus.step),
    next,
  );
}

/**
 * Put a step that was proposed right before the shot's balance, and make it current; `anew` if what the balance was found on
 * is another picture then, so that it starts with nothing done.
 */
export async function addBefore(name: string, values: Values, anew: boolean) {
  const focus: Focus = { level: "shot", step: name };
  await change(
    `${name} added`,
    focus,
    ({ shot }) => {
      const at = shot.steps.findIndex((step) => step.id === OWN.shot);
      const from = anew
        ? [newStep(OWN.shot), ...shot.steps.slice(at + 1).filter((step) => step.id !== EXTENDED)]
        : shot.steps.slice(at);
      return { steps: [...shot.steps.slice(0, at), newStep(name, values), ...from] };
    },
    focus,
  );
}

/** Give a step another name; says why it cannot have it. */
export async function renameStep(focus: Focus, name: string) {
  const to = name.trim().slice(0, 40);
  if (!to || to === focus.step || isOwn(focus.level, focus.step)) return;
  if (stepOf(state().now[focus.level], to)) {
    set({ refused: `There is a step “${to}” at this level already; choose another name.` });
    return;
  }
  const next = { ...focus, step: to };
  const hand = isInHand(focus) ? next : state().focus;
  await change(`${focus.step} is now ${to}`, next, (now) => renamed(now[focus.level], focus.step, to), hand);
}

/** Move a step one place earlier or later in its level. */
export const moveStep = (focus: Focus, by: number) =>
  change(`${focus.step} moved ${by < 0 ? "earlier" : "later"}`, focus, (now) =>
    moved(now[focus.level], focus.step, by),
  );

/** Let new shots, or new families, start with the steps that are current. */
export async function makeTemplate() {
  const { focus, now } = state();
  if (focus.level !== "shot" && focus.level !== "family") return;
  await flush();
  try {
    const correction = asTemplate(focus.level, now[focus.level]);
    await put(`/template/${focus.level}`, { correction });
    const what = focus.level === "shot" ? "shots" : "families";
    const names = correction.steps.map((step) => step.id).join(", ");
    set({ said: `New ${what} start with these steps now: ${names}. Settings shows them.`, refused: null });
  } catch (error) {
    set({ refused: `The template is not kept: ${(error as Error).message}` });
  }
}

/** Make a new version that is as an earlier one was; 0 is what the shot started with. */
export async function bringBack(version: number) {
  await flush();
  const { shot, base } = state();
  if (!shot) return;
  set({ saving: "saving", refused: null });
  try {
    adopt(await post<Shot>(`/shots/${shot.id}/versions/${version}/again`, { base }));
    set({ compared: null, view: "shot" });
  } catch (error) {
    set({ saving: "failed", refused: `The version is not brought back: ${(error as Error).message}` });
  }
}

/** Take a step away; a level's own stays. */
export async function removeStep(focus: Focus) {
  if (isOwn(focus.level, focus.step)) return;
  const own = { ...focus, step: OWN[focus.level] };
  const hand = isInHand(focus) ? own : state().focus;
  await change(`${focus.step} removed`, own, (now) => removed(now[focus.level], focus.step), hand);
}
