/** Grips that are points of curves, with a current step of curves: at any level of parade, waveform and histogram. */
import type { Channel } from "../correction/curve";
import { levelY, SIGNALS, yLevel } from "../scopes/canvas";
import { bandAt, bands, isLevel, levelX, xLevel } from "../scopes/histogram";
import { isRgb, lanes, span } from "../scopes/levels";
import type { ScopeKind, Settings } from "../scopes/settings";
import { useScopes } from "../scopes/settings";
import type { Curves } from "../shared/api";
import type { Grip, Place } from "./grip";
import { landed } from "./markers";
import { levelOf, percentOf, shownPoints, withPointAt, withPointGone, withPointMoved } from "./points";
import { editValues } from "./saving";
import { inHandValues, redraw, useDesk } from "./state";

const FAR = 1e6;

/** Say where a point stopped that was to go farther than its neighbours let it. */
export function sayStopped(wanted: number, shown: number) {
  if (Math.abs(wanted - shown) < 0.5) return;
  useDesk.setState({
    refused: `The point stops at ${shown.toFixed(1)} %, beside its neighbour: farther, the curve would turn back or crush what lies between.`,
  });
}

export const pointName = (channel: Channel, at: number) => `p ${channel} ${at}`;

const curvesNow = () => {
  const values = inHandValues(useDesk.getState());
  return values?.kind === "curves" ? values : null;
};

/** Which curve a place of a scope is for: a channel's where the channels are apart, else the one for all. */
function channelAt(kind: ScopeKind, at: Place, settings: Settings): Channel | null {
  if (kind === "histogram") {
    if (!isLevel(settings)) return null;
    return bands(settings) === 1 ? "all" : SIGNALS[bandAt(at.y, at.height, settings)];
  }
  if (kind !== "parade" && kind !== "waveform") return null;
  const parts = lanes(kind, settings).length;
  const lane = [0, 1, 2].slice(0, parts).find((c) => at.x <= span(at.width, c, parts)[1] + 6) ?? 0;
  if (kind === "parade" && isRgb(kind, settings)) return SIGNALS[lane];
  return lane === 0 ? "all" : null;
}

const percentAt = (kind: ScopeKind, at: Place, settings: Settings) =>
  kind === "histogram" ? xLevel(at.x, at.width, settings.view) : yLevel(at.y, at.height, settings.view);

/** The points that are grips of a scope. */
export function pointGrips(
  kind: ScopeKind,
  curves: Curves,
  greys: number[] | null,
  settings: Settings,
): Grip[] {
  if (!greys) return [];
  const across = kind === "histogram";
  const apart = across ? bands(settings) === 3 : kind === "parade" && isRgb(kind, settings);
  return shownPoints(curves, greys)
    .filter(({ channel }) => (channel === "all") !== apart)
    .map(({ channel, at, percent }): Grip => {
      const label = `${channel === "all" ? "all" : channel} at ${percent.toFixed(0)} %`;
      const to = (began: Curves, wanted: number) => {
        const [, out] = began[channel].points[at];
        // Both by what the scope shows, so that the point stays under the hand.
        const next = withPointMoved(
          began,
          channel,
          at,
          out + levelOf(greys, wanted) - levelOf(greys, percent),
        );
        useDesk.setState({ channel });
        const shown = percentOf(greys, next[channel].points[at][1]);
        editValues(`${label} to ${shown.toFixed(1)} %`, next);
        sayStopped(wanted, shown);
      };
      return {
        name: pointName(channel, at),
        label,
        cursor: across ? "ew-resize" : "ns-resize",
        axis: across ? "right" : "up",
        at: { value: percent, low: -7, high: 109, text: `${percent.toFixed(1)} %` },
        off: (place) =>
          channelAt(kind, place, settings) !== channel
            ? FAR
            : Math.abs(
                across
                  ? levelX(percent, place.width, settings.view) - place.x
                  : levelY(percent, place.height, settings.view) - place.y,
              ),
        take: () => (from, now, fine) => {
          const by = percentAt(kind, now, settings) - percentAt(kind, from, settings);
          to(curves, fine ? percent + by * 0.1 : landed(percent + by));
        },
        nudge: (right, up) => to(curvesNow() ?? curves, percent + right + up),
        remove: () => {
          editValues(`${label} removed`, withPointGone(curvesNow() ?? curves, channel, at));
          useDesk.setState({ held: null });
        },
      };
    });
}

/** Set a point at a place of a scope: what lies there is held from then on. */
export function addPoint(kind: ScopeKind, at: Place, curves: Curves): boolean {
  const settings = useScopes.getState();
  const greys = useDesk.getState().shown?.greys;
  const channel = channelAt(kind, at, settings);
  if (!greys || !channel) return false;
  addPointAt(curves, channel, percentAt(kind, at, settings));
  return true;
}

/** Set a point of one curve at a percent, and make it current. */
export function addPointAt(curves: Curves, channel: Channel, percent: number) {
  const greys = useDesk.getState().shown?.greys;
  if (!greys) return;
  const out = levelOf(greys, percent);
  const next = withPointAt(curves, channel, out);
  const set = next[channel].points.findIndex(([, one]) => Math.abs(one - out) < 0.01);
  useDesk.setState({ channel, held: pointName(channel, Math.max(set, 0)) });
  editValues(`point set at ${percent.toFixed(0)} % of ${channel}`, next);
  redraw();
}
