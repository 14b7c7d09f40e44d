import { type CSSProperties, type PointerEvent, useEffect, useRef, useState } from "react";
import { type Box, lookAt, onDrawn, setMeter, useDesk } from "./store";

const POINT_MS = 40;

/** The shot, the reference, both, or a seam between them. */
export function Picture() {
  const view = useDesk((state) => state.view);
  const reference = useDesk((state) => state.reference);
  const seam = useDesk((state) => state.seam);
  const before = useDesk((state) => state.before);
  const meter = useDesk((state) => state.meter);
  const shot = useDesk((state) => state.shot);
  const fault = useDesk((state) => state.fault);
  const canvas = useRef<HTMLCanvasElement>(null);
  const frame = useRef<HTMLDivElement>(null);
  const asked = useRef(0);
  const [drag, setDrag] = useState<{ from: [number, number]; to: [number, number] } | null>(null);
  const [seamHeld, setSeamHeld] = useState(false);
  const clip = shot?.clip as { width?: number; height?: number } | undefined;
  const aspect = clip?.width && clip.height ? clip.width / clip.height : 16 / 9;

  useEffect(
    () =>
      onDrawn(async (picture) => {
        const target = canvas.current;
        if (!picture || !target) return;
        const image = await createImageBitmap(picture);
        if (target.width !== image.width || target.height !== image.height) {
          target.width = image.width;
          target.height = image.height;
        }
        target.getContext("2d", { alpha: false })?.drawImage(image, 0, 0);
        image.close();
        target.dataset.drawn = String(Number(target.dataset.drawn ?? 0) + 1);
      }),
    [],
  );

  const at = (event: PointerEvent): [number, number] => {
    const box = (frame.current as HTMLDivElement).getBoundingClientRect();
    const clamp = (value: number) => Math.min(Math.max(value, 0), 1);
    return [clamp((event.clientX - box.left) / box.width), clamp((event.clientY - box.top) / box.height)];
  };
  const box = drag ? boxOf(drag.from, drag.to) : meter;
  const showReference = reference && view !== "shot";
  const source = reference ? `/api/kept/${reference.id}/picture.jpg` : undefined;

  return (
    <div className={`picture view-${view}`}>
      {fault && (
        <p className="fault" role="alert">
          {fault}
        </p>
      )}
      {view === "pair" && showReference && (
        <figure>
          <img src={source} alt="reference" />
          <figcaption>reference</figcaption>
        </figure>
      )}
      <div
        ref={frame}
        className="frame"
        data-testid="picture"
        style={{ "--aspect": aspect } as CSSProperties}
        onPointerDown={(event) => {
          if (event.button !== 0) return;
          event.currentTarget.setPointerCapture(event.pointerId);
          const where = at(event);
          if (view === "seam" && Math.abs(where[0] - seam) < 0.015) setSeamHeld(true);
          else setDrag({ from: where, to: where });
        }}
        onPointerMove={(event) => {
          const where = at(event);
          if (seamHeld) useDesk.setState({ seam: where[0] });
          else if (drag) setDrag({ ...drag, to: where });
          else if (performance.now() - asked.current > POINT_MS) {
            asked.current = performance.now();
            lookAt({ x: where[0], y: where[1] });
          }
        }}
        onPointerUp={() => {
          if (drag) {
            const wanted = boxOf(drag.from, drag.to);
            if (wanted[2] - wanted[0] > 0.01 && wanted[3] - wanted[1] > 0.01) setMeter(wanted);
          }
          setDrag(null);
          setSeamHeld(false);
        }}
        onPointerLeave={() => lookAt(null)}
      >
        <canvas ref={canvas} aria-label={before ? "the shot before correction" : "the shot"} />
        {showReference && view !== "pair" && (
          <img
            src={source}
            alt="reference"
            draggable={false}
            style={view === "seam" ? { clipPath: `inset(0 ${(1 - seam) * 100}% 0 0)` } : undefined}
          />
        )}
        {view === "seam" && reference && (
          <>
            <i className="seam" style={{ left: `${seam * 100}%` }} />
            <span className="tag left">reference</span>
            <span className="tag right">{before ? "before" : "this shot"}</span>
          </>
        )}
        {view === "shot" && before && <span className="tag left">before</span>}
        {view === "reference" && (
          <span className="tag left">{reference ? "reference" : "no reference yet"}</span>
        )}
        {box && (
          <i
            className="meter"
            style={{
              left: `${box[0] * 100}%`,
              top: `${box[1] * 100}%`,
              width: `${(box[2] - box[0]) * 100}%`,
              height: `${(box[3] - box[1]) * 100}%`,
            }}
          />
        )}
      </div>
    </div>
  );
}

function boxOf(from: [number, number], to: [number, number]): Box {
  return [
    Math.min(from[0], to[0]),
    Math.min(from[1], to[1]),
    Math.max(from[0], to[0]),
    Math.max(from[1], to[1]),
  ];
}
