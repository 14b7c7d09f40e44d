import { type ReactNode, useEffect, useRef } from "react";
import { Dropdown } from "react-bootstrap";
import { shownAt } from "../correction/hues";
import { primaryIn } from "../correction/selection";
import type { Marks, PointMark, SpokeMark } from "../scopes/canvas";
import { drawCast } from "../scopes/cast";
import { drawHistogram, isLevel } from "../scopes/histogram";
import { drawLevels } from "../scopes/levels";
import {
  GAINS,
  HISTOGRAMS,
  PARADES,
  place,
  SCOPES,
  type ScopeKind,
  type Settings,
  useScopes,
  VECTOR_RANGES,
  WAVEFORMS,
  WHOLE_VIEW,
} from "../scopes/settings";
import { drawVectorscope } from "../scopes/vectorscope";
import type { Curves, HueTurns } from "../shared/api";
import { Choice } from "../shared/Choice";
import { handlers, sayGrip } from "./grips";
import { MemoryColours } from "./MemoryColours";
import { pointName } from "./pointGrips";
import { shownPoints } from "./points";
import { spokeAngle, spokeName } from "./spokeGrips";
import { drawn, inHandValues, onDrawn, useDesk } from "./state";

function marks(): Marks {
  const state = useDesk.getState();
  const { shown, referenceReadings, held, point, brushes, spoke } = state;
  const values = inHandValues(state);
  const missed = shown?.missed.map((one) => one.reading) ?? [];
  return {
    readings: shown?.readings ?? null,
    reference: referenceReadings,
    missed,
    held,
    point,
    brushes,
    markers: state.markers,
    grips: primaryIn(values) !== null,
    points: values?.kind === "curves" && shown?.greys ? pointMarks(values, shown.greys) : null,
    spokes: values?.kind === "hues" && shown?.hues ? spokeMarks(values, shown.hues, spoke) : null,
  };
}

const pointMarks = (curves: Curves, greys: number[]): PointMark[] =>
  shownPoints(curves, greys).map(({ channel, at, percent }) => ({
    name: pointName(channel, at),
    channel,
    percent,
  }));

const spokeMarks = (turns: HueTurns, hues: number[], inHand: number): SpokeMark[] =>
  turns.spokes.map((spoke, at) => ({
    name: spokeName(at),
    hue: shownAt(hues, spoke.hue),
    turned: spokeAngle(hues, spoke),
    sides: [shownAt(hues, spoke.hue - spoke.width), shownAt(hues, spoke.hue + spoke.width)],
    colour: spoke.colour,
    inHand: at === inHand,
  }));

function paint(kind: ScopeKind, canvas: HTMLCanvasElement, output: string) {
  const settings = useScopes.getState();
  const referenceTrace = settings.referenceTrace ? drawn.referenceTrace : null;
  if (kind === "parade" || kind === "waveform")
    drawLevels(canvas, kind, settings, output, drawn.now, referenceTrace, marks());
  else if (kind === "vectorscope") drawVectorscope(canvas, settings, drawn.now, referenceTrace, marks());
  else if (kind === "histogram") drawHistogram(canvas, settings, output, drawn.now, referenceTrace, marks());
  else if (kind === "cast by level") drawCast(canvas, settings, output, drawn.now, marks());
}

/** A scope's canvas: drawn from the newest densities, never by React. */
function ScopeCanvas({ kind, output }: { kind: ScopeKind; output: string }) {
  const canvas = useRef<HTMLCanvasElement>(null);
  const hold = useRef(null);
  useEffect(() => {
    const target = canvas.current;
    if (!target) return;
    const draw = () => {
      paint(kind, target, output);
      if (document.activeElement === target) sayGrip(kind, target);
    };
    const stop = [
      onDrawn(draw),
      useScopes.subscribe(draw),
      useDesk.subscribe((now, before) => {
        // Points and spokes follow the hand at once; readings do when they have been measured.
        const moved = now.now !== before.now && primaryIn(inHandValues(now)) === null;
        if (moved || now.focus !== before.focus || now.spoke !== before.spoke) draw();
      }),
    ];
    const sized = new ResizeObserver(draw);
    sized.observe(target);
    draw();
    return () => {
      for (const off of stop) off();
      sized.disconnect();
    };
  }, [kind, output]);
  return (
    <canvas
      ref={canvas}
      tabIndex={0}
      role="slider"
      aria-label={kind}
      aria-valuenow={0}
      aria-valuetext="arrow keys move its grips; plus and minus zoom, Shift Enter marks a range"
      data-testid={kind.replaceAll(" ", "-")}
      {...handlers(kind, hold)}
    />
  );
}

function Modes({ kind, settings }: { kind: ScopeKind; settings: Settings }) {
  const set = useScopes.setState;
  const flip = (name: string, on: boolean, change: Partial<Settings>) => (
    <Dropdown.Item
      as="button"
      type="button"
      role="menuitemcheckbox"
      aria-checked={on}
      onClick={() => set(change)}
    >
      {on ? "✓ " : "\u2003"}
      {name}
    </Dropdown.Item>
  );
  if (kind === "parade")
    return (
      <Choice
        name="parade signals"
        value={settings.parade}
        among={PARADES}
        onChange={(parade) => set({ parade })}
      />
    );
  if (kind === "waveform")
    return (
      <Choice
        name="waveform signals"
        value={settings.waveform}
        among={WAVEFORMS}
        onChange={(waveform) => set({ waveform })}
      />
    );
  if (kind === "vectorscope")
    return (
      <>
        <Choice
          name="vectorscope levels"
          value={settings.vectorRange}
          among={VECTOR_RANGES}
          onChange={(vectorRange) => set({ vectorRange })}
        />
        <Choice
          name="vectorscope gain"
          value={settings.gain}
          among={GAINS}
          text={(gain) => `×${gain}`}
          onChange={(gain) => set({ gain })}
        />
      </>
    );
  if (kind === "histogram")
    return (
      <>
        <Choice
          name="histogram of"
          value={settings.histogram}
          among={HISTOGRAMS}
          onChange={(histogram) => set({ histogram })}
        />
        <Dropdown autoClose="outside">
          <Dropdown.Toggle
            as="button"
            type="button"
            className="plain"
            aria-label="how the histogram is drawn"
          >
            drawn
          </Dropdown.Toggle>
          <Dropdown.Menu className="kinds" role="menu" popperConfig={{ strategy: "fixed" }}>
            {flip("logarithmic counts", settings.logarithmic, { logarithmic: !settings.logarithmic })}
            {flip("unsmoothed", settings.unsmoothed, { unsmoothed: !settings.unsmoothed })}
            {flip("vertical: levels upwards", settings.vertical, { vertical: !settings.vertical })}
          </Dropdown.Menu>
        </Dropdown>
      </>
    );
  return null;
}

/** One place in the column: which scope stands there, its modes, and the scope. */
export function ScopePanel({ slot, kind, output }: { slot: number; kind: ScopeKind; output: string }) {
  const settings = useScopes();
  const zoomed = settings.view.low !== WHOLE_VIEW.low || settings.view.high !== WHOLE_VIEW.high;
  const hasLevels =
    kind !== "vectorscope" && kind !== "memory colours" && (kind !== "histogram" || isLevel(settings));
  let extra: ReactNode = null;
  if (zoomed && hasLevels)
    extra = (
      <button type="button" className="plain" onClick={() => useScopes.setState({ view: WHOLE_VIEW })}>
        whole scale
      </button>
    );
  return (
    <section className={`scope ${kind.split(" ")[0]}`} aria-label={kind}>
      <header>
        <Choice
          name={`scope in place ${slot + 1}`}
          value={kind}
          among={SCOPES}
          text={(one) => one[0].toUpperCase() + one.slice(1)}
          onChange={(one) => place(slot, one)}
        />
        {extra}
        <span className="modes">
          <Modes kind={kind} settings={settings} />
          <button
            type="button"
            className="plain"
            aria-label={settings.enlarged === kind ? "show all scopes" : `enlarge ${kind}`}
            title={settings.enlarged === kind ? "show all scopes" : "enlarge over the whole column"}
            aria-pressed={settings.enlarged === kind}
            onClick={() => useScopes.setState({ enlarged: settings.enlarged === kind ? null : kind })}
          >
            {settings.enlarged === kind ? "all" : "⤢"}
          </button>
        </span>
      </header>
      {kind === "memory colours" ? <MemoryColours /> : <ScopeCanvas kind={kind} output={output} />}
    </section>
  );
}
