import { type PointerEvent, useEffect, useRef, useState } from "react";
import {
  drawHistogram,
  drawParade,
  drawVectorscope,
  drawWaveform,
  levelY,
  type Marks,
  paradeSpan,
  yLevel,
} from "../scopes/draw";
import { readingName } from "./Readings";
import { drawn, meet, onDrawn, redraw, useDesk } from "./store";

function marks(): Marks {
  const { shown, referenceReadings, held, point } = useDesk.getState();
  return { readings: shown?.readings ?? null, reference: referenceReadings, held, point };
}

/** Redraw a canvas whenever densities, marks or its size change. */
function useScope(paint: (canvas: HTMLCanvasElement) => void, again: unknown) {
  const canvas = useRef<HTMLCanvasElement>(null);
  const painting = useRef(paint);
  painting.current = paint;
  // biome-ignore lint/correctness/useExhaustiveDependencies: `again` names what else the drawing depends on
  useEffect(() => {
    const target = canvas.current;
    if (!target) return;
    const draw = () => painting.current(target);
    const off = onDrawn(draw);
    const sized = new ResizeObserver(draw);
    sized.observe(target);
    draw();
    return () => {
      off();
      sized.disconnect();
    };
  }, [again]);
  return canvas;
}

const REACH = 9;

interface Hold {
  readings: number[];
  numbers: number[];
  indices: number[];
  startY: number;
  level: number;
}

const weight = [0.2126, 0.7152, 0.0722];
const lumaOf = (readings: number[], zone: number) =>
  weight.reduce((sum, w, c) => sum + w * readings[c * 3 + zone], 0);

/** Grips: which readings a press at (x, y) takes hold of, and where they stand. */
function gripAt(kind: "parade" | "waveform", x: number, y: number, width: number, height: number) {
  const readings = useDesk.getState().shown?.readings;
  if (!readings) return null;
  let best: { indices: number[]; held: number; level: number; off: number } | null = null;
  for (let c = 0; c < (kind === "parade" ? 3 : 1); c++) {
    const [left, right] = kind === "parade" ? paradeSpan(width, c) : [0, width];
    if (x < left - 8 || x > right + 8) continue;
    for (let zone = 0; zone < 3; zone++) {
      const level = kind === "parade" ? readings[c * 3 + zone] : lumaOf(readings, zone);
      const off = Math.abs(levelY(level, height) - y);
      if (off < REACH && (!best || off < best.off))
        best =
          kind === "parade"
            ? { indices: [c * 3 + zone], held: c * 3 + zone, level, off }
            : { indices: [zone, 3 + zone, 6 + zone], held: 10 + zone, level, off };
    }
  }
  return best;
}

function useGrips(kind: "parade" | "waveform") {
  const hold = useRef<Hold | null>(null);
  const where = (event: { clientX: number; clientY: number; currentTarget: Element }) => {
    const box = event.currentTarget.getBoundingClientRect();
    return { x: event.clientX - box.left, y: event.clientY - box.top, width: box.width, height: box.height };
  };
  return {
    onPointerDown: (event: PointerEvent) => {
      const { x, y, width, height } = where(event);
      const found = gripAt(kind, x, y, width, height);
      const { shown, numbers } = useDesk.getState();
      if (!found || !shown || shown.before) return;
      event.currentTarget.setPointerCapture(event.pointerId);
      hold.current = {
        readings: shown.readings,
        numbers,
        indices: found.indices,
        startY: y,
        level: found.level,
      };
      useDesk.setState({ held: found.held });
      redraw();
    },
    onPointerMove: (event: PointerEvent) => {
      const { x, y, width, height } = where(event);
      const held = hold.current;
      if (!held) {
        (event.currentTarget as HTMLElement).style.cursor = gripAt(kind, x, y, width, height)
          ? "ns-resize"
          : "default";
        return;
      }
      const raw = yLevel(y, height) - yLevel(held.startY, height);
      const by = event.shiftKey ? raw / 10 : raw;
      const aims = new Map(held.indices.map((i) => [i, Math.min(Math.max(held.readings[i] + by, 0), 108)]));
      const name =
        held.indices.length > 1
          ? readingName(held.indices[0]).replace("red", "all")
          : readingName(held.indices[0]);
      meet(`${name} to ${(held.level + by).toFixed(1)} %`, aims, held);
    },
    onPointerUp: () => {
      hold.current = null;
      useDesk.setState({ held: null });
      redraw();
    },
    onDoubleClick: (event: React.MouseEvent) => {
      const { x, y, width, height } = where(event);
      const found = gripAt(kind, x, y, width, height);
      const aims = useDesk.getState().referenceReadings;
      if (found && aims) meet("met the reference", new Map(found.indices.map((i) => [i, aims[i]])));
    },
  };
}

function Panel({
  name,
  note,
  className,
  children,
}: {
  name: string;
  note: React.ReactNode;
  className: string;
  children: React.ReactNode;
}) {
  return (
    <section className={`scope ${className}`} aria-label={name}>
      <header>
        <h2>{name}</h2>
        <span className="mono second">{note}</span>
      </header>
      {children}
    </section>
  );
}

const GAINS = [1, 2, 4];

/** Parade, waveform, vectorscope and histogram, the reference's ghost on all. */
export function Scopes() {
  const meter = useDesk((state) => state.meter);
  const full = useDesk((state) => state.shown?.full);
  const reference = useDesk((state) => state.reference);
  const [gain, setGain] = useState(2);
  const parade = useScope((c) => drawParade(c, drawn.now, drawn.ghost, marks()), null);
  const waveform = useScope((c) => drawWaveform(c, drawn.now, drawn.ghost, marks()), null);
  const vector = useScope((c) => {
    const point = useDesk.getState().point;
    const hue = ((point?.hue ?? 0) * Math.PI) / 180;
    const chroma = (point?.chroma ?? 0) / 100;
    drawVectorscope(
      c,
      drawn.now,
      drawn.ghost,
      gain,
      point ? { cb: chroma * Math.cos(hue), cr: chroma * Math.sin(hue) } : null,
    );
  }, gain);
  const histogram = useScope((c) => drawHistogram(c, drawn.now, drawn.ghost, marks()), null);
  const paradeGrips = useGrips("parade");
  const waveformGrips = useGrips("waveform");
  const note = `% · ${meter ? "box" : "whole picture"} · ${full ? "full frame" : "preview"}${reference ? " · ghost: reference" : ""}`;
  return (
    <div className="scopes">
      <Panel name="Parade" note={note} className="parade">
        <canvas ref={parade} data-testid="parade" {...paradeGrips} />
      </Panel>
      <Panel name="Waveform" note="luma" className="waveform">
        <canvas ref={waveform} data-testid="waveform" {...waveformGrips} />
      </Panel>
      <Panel
        name="Vectorscope"
        note={
          <button
            type="button"
            className="plain mono"
            onClick={() => setGain(GAINS[(GAINS.indexOf(gain) + 1) % 3])}
            title="gain"
          >
            ×{gain}
          </button>
        }
        className="vectorscope"
      >
        <canvas ref={vector} data-testid="vectorscope" />
      </Panel>
      <Panel name="Histogram" note="R G B" className="histogram">
        <canvas ref={histogram} data-testid="histogram" />
      </Panel>
    </div>
  );
}
