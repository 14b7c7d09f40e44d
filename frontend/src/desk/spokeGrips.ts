/** Grips that are spokes, with a current step of hue turns: on the vectorscope, at the hue they are for. */
import {
  allowed,
  hueShownAt,
  MOST_SPOKES,
  newSpoke,
  shownAt,
  withoutSpoke,
  withSpoke,
} from "../correction/hues";
import type { ScopeKind, Settings } from "../scopes/settings";
import { useScopes } from "../scopes/settings";
import { geometry, spokeTip } from "../scopes/vectorscope";
import type { HueTurns, Spoke } from "../shared/api";
import { signed } from "../shared/marks";
import type { Grip, Place } from "./grip";
import { editValues } from "./saving";
import { inHandValues, redraw, useDesk } from "./state";

export const spokeName = (at: number) => `spoke ${at}`;

const turnsNow = () => {
  const values = inHandValues(useDesk.getState());
  return values?.kind === "hues" ? values : null;
};

const said = (spoke: Spoke) =>
  `${spoke.hue.toFixed(0)}° turned ${signed(spoke.turn, 1)}°, colour × ${spoke.colour.toFixed(2)}`;

/** Where a spoke's grip is shown: the direction in degrees from +Cb. */
export const spokeAngle = (hues: number[], spoke: Spoke) => shownAt(hues, spoke.hue + spoke.turn);

/** The spokes that are grips of a scope. */
export function spokeGrips(
  kind: ScopeKind,
  turns: HueTurns,
  hues: number[] | null,
  settings: Settings,
): Grip[] {
  if (kind !== "vectorscope" || !hues) return [];
  const put = (at: number, spoke: Spoke, from: HueTurns) => {
    useDesk.setState({ spoke: at });
    editValues(said(allowed(spoke)), withSpoke(from, at, spoke));
  };
  return turns.spokes.map((spoke, at): Grip => {
    const tip = (place: Place) =>
      spokeTip(spokeAngle(hues, spoke), spoke.colour, geometry(place.width, place.height, settings.gain));
    return {
      name: spokeName(at),
      label: `spoke at ${spoke.hue.toFixed(0)}°`,
      cursor: "move",
      axis: "plane",
      at: { value: spoke.turn, low: -180, high: 180, text: said(spoke) },
      off: (place) => {
        const [x, y] = tip(place);
        return Math.hypot(x - place.x, y - place.y);
      },
      take: () => {
        useDesk.setState({ spoke: at });
        redraw();
        return (from, to, fine) => {
          const { cx, cy } = geometry(to.width, to.height, settings.gain);
          const angle = (p: Place) => (Math.atan2(cy - p.y, p.x - cx) * 180) / Math.PI;
          const reach = (p: Place) => Math.hypot(p.x - cx, p.y - cy);
          const size = fine ? 0.1 : 1;
          const turned = ((angle(to) - angle(from) + 540) % 360) - 180;
          const before = spokeAngle(hues, spoke);
          const hue = hueShownAt(hues, before + turned * size);
          const by = ((hue - (spoke.hue + spoke.turn) + 540) % 360) - 180;
          const grown = Math.max(1 + (reach(to) / Math.max(reach(from), 1) - 1) * size, 0);
          put(at, { ...spoke, turn: spoke.turn + by, colour: spoke.colour * grown }, turns);
        };
      },
      nudge: (right, up) => {
        const now = turnsNow() ?? turns;
        const one = now.spokes[at];
        put(at, { ...one, turn: one.turn - right, colour: one.colour + up * 0.02 }, now);
      },
      remove: () => removeSpoke(at),
    };
  });
}

/** Set a spoke at a place of the vectorscope. */
export function addSpoke(kind: ScopeKind, at: Place, turns: HueTurns): boolean {
  const hues = useDesk.getState().shown?.hues;
  if (kind !== "vectorscope" || !hues) return false;
  const { cx, cy } = geometry(at.width, at.height, useScopes.getState().gain);
  addSpokeAt(turns, hueShownAt(hues, (Math.atan2(cy - at.y, at.x - cx) * 180) / Math.PI));
  return true;
}

/** Set a spoke at a hue, and make it current. */
export function addSpokeAt(turns: HueTurns, hue: number) {
  if (turns.spokes.length >= MOST_SPOKES) {
    useDesk.setState({ refused: `There are at most ${MOST_SPOKES} spokes in a step; add another step.` });
    return;
  }
  const at = turns.spokes.length;
  useDesk.setState({ spoke: at, held: spokeName(at) });
  editValues(`spoke set at ${hue.toFixed(0)}°`, { ...turns, spokes: [...turns.spokes, newSpoke(hue)] });
  redraw();
}

export function removeSpoke(at: number) {
  const now = turnsNow();
  if (!now?.spokes[at]) return;
  useDesk.setState({ spoke: Math.max(at - 1, 0), held: null });
  editValues(`spoke at ${now.spokes[at].hue.toFixed(0)}° removed`, withoutSpoke(now, at));
}
