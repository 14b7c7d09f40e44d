import { type KeyboardEvent, type PointerEvent, useRef, useState } from "react";
import {
  carried,
  handlesOf,
  isSelection,
  lineOf,
  motionAt,
  type Place,
  shifted,
  withHandle,
  withoutCorner,
} from "../correction/selection";
import { placesOf } from "../correction/tracks";
import type { Area } from "../shared/api";
import { putShape } from "./selecting";
import { inHandValues, useDesk } from "./state";

const NUDGE = 0.004;
const WAYS: Record<string, Place> = {
  ArrowLeft: [-1, 0],
  ArrowRight: [1, 0],
  ArrowUp: [0, -1],
  ArrowDown: [0, 1],
};

/** One place of a shape that a hand can hold: dragged, or moved by arrow keys. */
function Handle({
  shape,
  at,
  name,
  place,
  aspect,
}: {
  shape: Area;
  at: number;
  name: string;
  place: Place;
  aspect: number;
}) {
  const held = useRef(false);
  const [here, setHere] = useState(false);
  const moved = (to: Place) => putShape(`${shape.kind} changed`, at, withHandle(shape, name, to, aspect));
  const under = (event: PointerEvent<HTMLElement>): Place => {
    const box = event.currentTarget.parentElement?.getBoundingClientRect();
    if (!box) return place;
    return [(event.clientX - box.left) / box.width, (event.clientY - box.top) / box.height];
  };
  const onKey = (event: KeyboardEvent) => {
    const way = WAYS[event.key];
    if (way && !event.ctrlKey && !event.altKey) {
      const by = NUDGE * (event.shiftKey ? 5 : 1);
      moved([place[0] + by * way[0], place[1] + by * way[1]]);
    } else if (event.key === "Delete" && shape.kind === "outline")
      putShape("a corner removed", at, withoutCorner(shape, Number(name.split(" ")[1]) - 1));
    else if (event.key === "Delete") putShape(`${shape.kind} removed`, at, null);
    else return;
    event.preventDefault();
    event.stopPropagation();
  };
  return (
    <button
      type="button"
      className={`handle${here ? " here" : ""}`}
      style={{ left: `${100 * place[0]}%`, top: `${100 * place[1]}%` }}
      aria-label={`${name} of ${shape.kind} ${at + 1}`}
      title={`${name}: drag it, or move it with the arrow keys`}
      onFocus={() => {
        setHere(true);
        useDesk.setState({ shape: at });
      }}
      onBlur={() => setHere(false)}
      onKeyDown={onKey}
      onPointerDown={(event) => {
        event.stopPropagation();
        event.currentTarget.setPointerCapture(event.pointerId);
        event.currentTarget.focus();
        held.current = true;
      }}
      onPointerMove={(event) => {
        event.stopPropagation();
        if (held.current) moved(under(event));
      }}
      onPointerUp={(event) => {
        event.stopPropagation();
        held.current = false;
      }}
    />
  );
}

/** The shapes of the current area, drawn over the picture with what holds them. */
export function ShapeMarks() {
  const values = useDesk(inHandValues);
  const frame = useDesk((state) => state.frame);
  const held = useDesk((state) => state.shape);
  const clip = useDesk((state) => state.shot?.clip);
  const playing = useDesk((state) => state.playing !== 0);
  const dragged = useRef<Place | null>(null);
  useDesk((state) => state.placesHere);
  if (!isSelection(values) || values.shapes.length === 0) return null;
  if (values.track && !placesOf(values.track)) return null;
  const aspect = clip?.width && clip.height ? clip.width / clip.height : 16 / 9;
  const motion = motionAt(values.track, frame);
  const shown = values.shapes.map((one) => carried(one, motion));
  const at = Math.min(held, shown.length - 1);
  const under = (event: PointerEvent): Place => {
    const box = event.currentTarget.getBoundingClientRect();
    return [(event.clientX - box.left) / box.width, (event.clientY - box.top) / box.height];
  };
  const points = (shape: Area) =>
    lineOf(shape, aspect)
      .map((place) => place.join(","))
      .join(" ");
  return (
    <div className="shape-marks">
      <svg
        viewBox="0 0 1 1"
        preserveAspectRatio="none"
        aria-label="the current area"
        role="img"
        onPointerMove={(event) => {
          if (!dragged.current) return;
          event.stopPropagation();
          const to = under(event);
          const [x, y] = dragged.current;
          dragged.current = to;
          putShape(`${shown[at].kind} moved`, at, shifted(shown[at], to[0] - x, to[1] - y));
        }}
        onPointerUp={(event) => {
          if (dragged.current) event.stopPropagation();
          dragged.current = null;
        }}
      >
        {shown.map((shape, i) => {
          const Line = shape.kind === "gradient" ? "polyline" : "polygon";
          return (
            // biome-ignore lint/suspicious/noArrayIndexKey: shapes are distinguished by their place
            <g key={i} className={i === at ? "held" : ""}>
              <Line points={points(shape)} className="casing" />
              <Line
                points={points(shape)}
                className="line"
                onPointerDown={(event) => {
                  event.stopPropagation();
                  event.currentTarget.ownerSVGElement?.setPointerCapture(event.pointerId);
                  useDesk.setState({ shape: i });
                  const box = event.currentTarget.ownerSVGElement?.getBoundingClientRect();
                  if (box)
                    dragged.current = [
                      (event.clientX - box.left) / box.width,
                      (event.clientY - box.top) / box.height,
                    ];
                }}
              />
            </g>
          );
        })}
      </svg>
      {!playing &&
        handlesOf(shown[at], aspect).map(({ name, at: place }) => (
          <Handle key={name} shape={shown[at]} at={at} name={name} place={place} aspect={aspect} />
        ))}
    </div>
  );
}
