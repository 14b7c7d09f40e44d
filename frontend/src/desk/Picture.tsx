import { type CSSProperties, useEffect, useRef, useState } from "react";
import { sumOf } from "../correction/model";
import { useScopes } from "../scopes/settings";
import type { Meter } from "../shared/api";
import { lookAt } from "./exchange";
import { setMeter, setReferenceMeter } from "./looking";
import { bounds, drawnMeter } from "./meters";
import { painter } from "./painting";
import { ShapeMarks } from "./ShapeMarks";
import { takeColours, takesColours } from "./selecting";
import { onDrawn, useDesk } from "./state";
import { TieList, TieMarks } from "./Ties";
import { takeColourAt } from "./taking";
import { panBy, placed, previewWidth, zoomBy } from "./zoom";

const POINT_MS = 40;
const OUTLINE_STEP = 0.006;
const MOST_POINTS = 300;
const WHEEL_STEP = 1.2;
type Point = [number, number];

interface Drag {
  points: Point[];
  freehand: boolean;
  /** Whether it is drawn around the same subject as the one before, on another frame. */
  again: boolean;
}

/** Drawing a meter on a picture: a box, or with Shift an outline. */
function useMeterDrag(
  onDone: (meter: Meter, again: boolean) => void,
  onClick: (at: Point) => void = () => undefined,
) {
  const [drag, setDrag] = useState<Drag | null>(null);
  return {
    drag,
    start: (at: Point, freehand: boolean, again = false) => setDrag({ points: [at, at], freehand, again }),
    move: (at: Point) => {
      if (!drag) return;
      const last = drag.points[drag.points.length - 1];
      if (!drag.freehand) setDrag({ ...drag, points: [drag.points[0], at] });
      else if (
        Math.hypot(at[0] - last[0], at[1] - last[1]) > OUTLINE_STEP &&
        drag.points.length < MOST_POINTS
      )
        setDrag({ ...drag, points: [...drag.points, at] });
    },
    end: () => {
      if (!drag) return;
      setDrag(null);
      const meter = drawnMeter(drag.points, drag.freehand);
      if (meter) onDone(meter, drag.again);
      else onClick(drag.points[0]);
    },
  };
}

/** What is metered, drawn over a picture and named. */
function MeterMark({ meter, drag }: { meter: Meter | null; drag: Drag | null }) {
  const freehand = drag ? drag.freehand : meter?.kind === "outline";
  const points = drag?.points ?? meter?.points ?? [];
  if (!drag && meter && (meter.kind === "skin" || meter.kind === "neutrals"))
    return <span className="tag bottom">meter: {meter.kind}</span>;
  if (points.length < 2) return null;
  const [left, top, right, bottom] = bounds(points);
  const line = freehand
    ? points
    : [
        [left, top],
        [right, top],
        [right, bottom],
        [left, bottom],
      ];
  return (
    <svg
      className="meter-mark"
      viewBox="0 0 1 1"
      preserveAspectRatio="none"
      aria-label="metered part"
      role="img"
    >
      <polygon points={line.map((p) => p.join(",")).join(" ")} className="casing" />
      <polygon points={line.map((p) => p.join(",")).join(" ")} />
    </svg>
  );
}

/** The address of a picture, pushed as the shot beside it is, and as wide where it is a kept frame's. */
function beside(address: string, peek: number, width: number): string {
  const [path, query] = address.split("?");
  const asked = new URLSearchParams(query);
  if (peek !== 0) asked.set("peek", String(peek));
  if (path.startsWith("/api/kept/")) asked.set("width", String(width));
  return `${path}?${asked}`;
}

/** Where on the picture the cursor is, in parts of its width and height, however near it is looked at. */
const place = (event: { clientX: number; clientY: number; currentTarget: Element }): Point => {
  const box = event.currentTarget.getBoundingClientRect();
  const { scale, x, y } = useDesk.getState().zoom;
  const at = (seen: number, middle: number) => Math.min(Math.max((seen - 0.5) / scale + middle, 0), 1);
  return [at((event.clientX - box.left) / box.width, x), at((event.clientY - box.top) / box.height, y)];
};

/** What the exposure bands' colours mean, in stops from mid grey. */
function Bands() {
  const bands = useDesk((state) => state.told?.bands);
  if (!bands) return null;
  const middle = (bands.length - 1) / 2;
  return (
    <div className="bands mono" aria-label="stops from mid grey" role="img">
      {bands.map((colour, i) => (
        <i
          key={colour.join()}
          className={0.3 * colour[0] + 0.59 * colour[1] + 0.11 * colour[2] < 110 ? "dark" : ""}
          style={{ background: `rgb(${colour.join(",")})` }}
        >
          {i === middle ? "0" : i < middle ? `−${middle - i}` : `+${i - middle}`}
        </i>
      ))}
    </div>
  );
}

/** The reference in pair view, where it can be metered by itself. */
function ReferenceFrame({ source, name }: { source: string | undefined; name: string }) {
  const zoom = useDesk((state) => state.zoom);
  const meter = useDesk((state) => state.referenceMeter);
  const drawing = useMeterDrag(setReferenceMeter);
  return (
    <figure
      data-testid="reference-picture"
      onPointerDown={(event) => {
        if (event.button !== 0) return;
        event.currentTarget.setPointerCapture(event.pointerId);
        drawing.start(place(event), event.shiftKey);
      }}
      onPointerMove={(event) => drawing.move(place(event))}
      onPointerUp={drawing.end}
    >
      <div className="layer" style={{ transform: placed(zoom) }}>
        <img src={source} alt={name} draggable={false} />
        <TieMarks side="reference" />
        <MeterMark meter={meter} drag={drawing.drag} />
      </div>
      <figcaption>{name}</figcaption>
    </figure>
  );
}

/** The shot, the reference, both, or a split between them. */
export function Picture() {
  const view = useDesk((state) => state.view);
  const reference = useDesk((state) => state.reference);
  const split = useDesk((state) => state.split);
  const before = useDesk((state) => state.before !== "none");
  const compared = useDesk((state) => state.compared);
  const peek = useDesk((state) => state.peek);
  const zoom = useDesk((state) => state.zoom);
  const placeWidth = useDesk((state) => state.placeWidth);
  const tone = useScopes((state) => state.mark === "tone only");
  const panning = useRef<{ x: number; y: number } | null>(null);
  const meter = useDesk((state) => (state.view === "reference" ? state.referenceMeter : state.meter));
  const shot = useDesk((state) => state.shot);
  const saved = useDesk((state) => state.saved);
  const fault = useDesk((state) => state.refused ?? state.fault);
  const canvas = useRef<HTMLCanvasElement>(null);
  const asked = useRef(0);
  const picking = useDesk((state) => state.picking);
  const leaving = useRef(false);
  const taking = () => view !== "reference" && takesColours();
  const drawing = useMeterDrag(
    (drawn, again) => {
      if (taking()) {
        const [left, top, right, bottom] = bounds(drawn.points as Point[]);
        void takeColours([left, top], [right, bottom], leaving.current);
      } else if (view === "reference") setReferenceMeter(drawn);
      else setMeter(drawn, again);
    },
    (at) => {
      if (taking()) void takeColours(at, at, leaving.current);
      else if (view !== "reference") takeColourAt(...at);
    },
  );
  const [seamHeld, setSeamHeld] = useState(false);
  const clip = shot?.clip;
  const aspect = clip?.width && clip.height ? clip.width / clip.height : 16 / 9;

  useEffect(() => onDrawn(painter(() => canvas.current)), []);
  const frame = useRef<HTMLDivElement>(null);
  useEffect(() => {
    const sized = new ResizeObserver(([entry]) => useDesk.setState({ placeWidth: entry.contentRect.width }));
    if (frame.current) sized.observe(frame.current);
    return () => sized.disconnect();
  }, []);

  const showReference = (reference ?? compared) && view !== "shot";
  const look = [saved.camera, saved.family, saved.show].map(sumOf).join();
  const address =
    compared?.source ??
    (reference ? `/api/kept/${reference.id}/picture.jpg?v=${encodeURIComponent(look)}` : undefined);
  const source = address && beside(address, peek, previewWidth({ zoom, placeWidth }));
  const other = compared?.label ?? "reference";

  return (
    <div className={`picture view-${view}${tone ? " tone" : ""}`}>
      {fault && (
        <p className="fault" role="alert">
          {fault}
        </p>
      )}
      {view === "pair" && showReference && <ReferenceFrame source={source} name={other} />}
      <div
        className="frame"
        ref={frame}
        data-testid="picture"
        style={{ "--aspect": aspect } as CSSProperties}
        onWheel={(event) => {
          const [x, y] = place(event);
          zoomBy(event.deltaY < 0 ? WHEEL_STEP : 1 / WHEEL_STEP, { x, y });
        }}
        onPointerDown={(event) => {
          if (event.button > 1) return;
          event.currentTarget.setPointerCapture(event.pointerId);
          if (event.button === 1 || event.altKey) {
            panning.current = { x: event.clientX, y: event.clientY };
            return;
          }
          const where = place(event);
          if (view === "split" && Math.abs(where[0] - split) < 0.015) setSeamHeld(true);
          else {
            leaving.current = event.shiftKey;
            drawing.start(where, event.shiftKey && !taking(), event.ctrlKey);
          }
        }}
        onPointerMove={(event) => {
          const where = place(event);
          if (panning.current) {
            const box = event.currentTarget.getBoundingClientRect();
            panBy(
              (panning.current.x - event.clientX) / box.width,
              (panning.current.y - event.clientY) / box.height,
            );
            panning.current = { x: event.clientX, y: event.clientY };
          } else if (seamHeld) useDesk.setState({ split: where[0] });
          else if (drawing.drag) drawing.move(where);
          else if (performance.now() - asked.current > POINT_MS) {
            asked.current = performance.now();
            lookAt({ x: where[0], y: where[1] });
          }
        }}
        onPointerUp={() => {
          if (panning.current) panning.current = null;
          else drawing.end();
          setSeamHeld(false);
        }}
        onPointerLeave={() => lookAt(null)}
      >
        <div className="layer" style={{ transform: placed(zoom) }}>
          <canvas ref={canvas} aria-label={before ? "the shot before correction" : "the shot"} />
          {showReference && view !== "pair" && (
            <img
              src={source}
              alt="reference"
              draggable={false}
              style={view === "split" ? { clipPath: `inset(0 ${(1 - split) * 100}% 0 0)` } : undefined}
            />
          )}
          {view === "split" && showReference && <i className="split" style={{ left: `${split * 100}%` }} />}
          {view !== "reference" && <TieMarks side="shot" />}
          <MeterMark meter={meter} drag={drawing.drag} />
          {view !== "reference" && <ShapeMarks />}
        </div>
        {picking && (
          <span className="tag left">
            click a colour, or draw over some: they begin the pick; Esc leaves it
          </span>
        )}
        {view === "split" && showReference && (
          <>
            <span className="tag left">{other}</span>
            <span className="tag right">{before ? "before" : "this shot"}</span>
          </>
        )}
        {view === "shot" && before && <span className="tag left">before</span>}
        {view === "reference" && (
          <span className="tag left">
            {showReference ? other : "no reference yet: R makes this frame one"}
          </span>
        )}
        {peek !== 0 && (
          <span className="tag bottom right">
            peek: three stops {peek < 0 ? "darker" : "lighter"}, {peek < 0 ? "D" : "Shift D"} takes it away
          </span>
        )}
        {zoom.scale > 1 && <span className="tag bottom">{`× ${zoom.scale.toFixed(1)}, 0 shows all`}</span>}
        <Bands />
      </div>
      {view === "pair" && <TieList />}
    </div>
  );
}
