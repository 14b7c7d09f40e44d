/** A colour of the picture taken into the current step: a point of its curves, or a spoke of its hue turns. */

import { curveAt } from "../correction/curve";
import { hueOf } from "../correction/hues";
import { lookAt } from "./exchange";
import { addPointAt } from "./pointGrips";
import { percentOf } from "./points";
import { addSpokeAt } from "./spokeGrips";
import { inHandValues, useDesk } from "./state";

/** Working values that lie nearer to grey than this have no hue. */
const LEAST_DEPTH = 0.012;

/** Take the colour at a place of the picture, as soon as the server has named it. */
export function takeColourAt(x: number, y: number) {
  const kind = inHandValues(useDesk.getState())?.kind;
  if (kind !== "curves" && kind !== "hues") return;
  useDesk.setState({ taking: { x, y } });
  lookAt({ x, y });
}

useDesk.subscribe(({ taking, point }, before) => {
  if (!taking || !point || point === before.point) return;
  if (point.x !== taking.x || point.y !== taking.y) return;
  useDesk.setState({ taking: null });
  takeColour();
});

/** Take the colour under the cursor, where the current step is of a kind that colours are taken into. */
export function takeColour() {
  const state = useDesk.getState();
  const { point, shown, channel } = state;
  const values = inHandValues(state);
  const reaching = point?.reaching;
  if (!reaching || !values) return;
  if (values.kind === "hues") {
    const mean = (reaching[0] + reaching[1] + reaching[2]) / 3;
    if (Math.hypot(...reaching.map((one) => one - mean)) < LEAST_DEPTH)
      useDesk.setState({ refused: "There is hardly any colour under the cursor; take one that has a hue." });
    else addSpokeAt(values, hueOf(reaching));
  }
  if (values.kind === "curves" && shown?.greys) {
    const [r, g, b] = reaching;
    const coming = channel === "all" ? (r + g + b) / 3 : { red: r, green: g, blue: b }[channel];
    const sent = channel === "all" ? coming : curveAt(values[channel], curveAt(values.all, coming));
    addPointAt(values, channel, percentOf(shown.greys, channel === "all" ? curveAt(values.all, sent) : sent));
  }
}
