import { type PointerEvent, useRef, useState } from "react";
import { Form } from "react-bootstrap";
import type { Camera, EncodingChoice, Shot } from "../shared/api";
import { wholeFrame } from "../shared/pictures";
import { Sheet } from "../shared/Sheet";
import type { IntakeActions } from "./actions";
import { nameOf } from "./clips";
import { EncodingOptions } from "./Side";

const named = (shots: Shot[]) => (shots.length === 1 ? shots[0].name : `${shots.length} clips`);

/** Which camera the selected clips are of: one of the day's, or a new one. */
export function CameraSheet({
  shots,
  cameras,
  encodings,
  actions,
  onHide,
}: {
  shots: Shot[];
  cameras: Camera[];
  encodings: EncodingChoice[];
  actions: IntakeActions;
  onHide: () => void;
}) {
  const now = cameras.find((camera) => camera.id === shots[0].camera_id);
  const [to, setTo] = useState<number | "new">(now?.id ?? "new");
  const free = "ABCDEFGHIJKLMNOPQRSTUVWXYZ"
    .split("")
    .find((one) => !cameras.some((camera) => camera.letter === one));
  const [letter, setLetter] = useState(free ?? "");
  const [name, setName] = useState("");
  const [encoding, setEncoding] = useState(now?.encoding ?? encodings[0]?.id ?? "rec709");
  return (
    <Sheet
      title={`Camera of ${named(shots)}`}
      action="Move"
      onHide={onHide}
      onDone={() =>
        to === "new" ? actions.newCamera(letter, name, encoding, shots) : actions.move(shots, to)
      }
    >
      {cameras.map((camera) => (
        <Form.Check
          key={camera.id}
          type="radio"
          id={`camera-${camera.id}`}
          name="camera"
          autoFocus={camera.id === to}
          checked={to === camera.id}
          onChange={() => setTo(camera.id)}
          label={`${camera.letter} · ${nameOf(camera)} · ${encodings.find((one) => one.id === camera.encoding)?.name ?? ""}`}
        />
      ))}
      <Form.Check
        type="radio"
        id="camera-new"
        name="camera"
        checked={to === "new"}
        onChange={() => setTo("new")}
        label="a new camera"
      />
      {to === "new" && (
        <div className="new-camera">
          <Form.Control
            aria-label="letter"
            className="mono"
            value={letter}
            maxLength={4}
            onChange={(event) => setLetter(event.target.value.toUpperCase())}
          />
          <Form.Control
            aria-label="name"
            placeholder="name"
            value={name}
            onChange={(event) => setName(event.target.value)}
          />
          <Form.Select
            aria-label="encoding"
            value={encoding}
            onChange={(event) => setEncoding(event.target.value)}
          >
            <EncodingOptions encodings={encodings} make={now?.make ?? ""} />
          </Form.Select>
        </div>
      )}
    </Sheet>
  );
}

type Box = [number, number, number, number];
const RATIOS = [1.33, 1.66, 1.78, 1.85, 2, 2.39];
const SIDES = ["left", "top", "right", "bottom"] as const;

/** A box of a ratio about the middle of a picture. */
function centred(ratio: number, width: number, height: number): Box {
  const over = ratio / (width / height);
  const [w, h] = over < 1 ? [over, 1] : [1, 1 / over];
  return [(1 - w) / 2, (1 - h) / 2, (1 + w) / 2, (1 + h) / 2];
}

/** The active picture of the selected clips, drawn on the first one's middle frame. */
export function BarsSheet({
  shots,
  actions,
  onHide,
}: {
  shots: Shot[];
  actions: IntakeActions;
  onHide: () => void;
}) {
  const clip = shots[0].clip;
  const start = (clip.geometry?.active ?? [0, 0, 1, 1]) as Box;
  const [box, setBox] = useState<Box>(start);
  const [size, setSize] = useState<[number, number]>([16, 9]);
  const from = useRef<[number, number] | null>(null);
  const place = (event: PointerEvent<HTMLDivElement>): [number, number] => {
    const { left, top, width, height } = event.currentTarget.getBoundingClientRect();
    const inside = (value: number) => Math.min(Math.max(value, 0), 1);
    return [inside((event.clientX - left) / width), inside((event.clientY - top) / height)];
  };
  const draw = (event: PointerEvent<HTMLDivElement>) => {
    if (!from.current) return;
    const [x, y] = place(event);
    const [a, b] = from.current;
    if (Math.abs(x - a) > 0.1 && Math.abs(y - b) > 0.1)
      setBox([Math.min(a, x), Math.min(b, y), Math.max(a, x), Math.max(b, y)]);
  };
  const edge = (side: number, percent: number) => {
    const value = (side < 2 ? percent : 100 - percent) / 100;
    const next = box.map((old, i) => (i === side ? value : old)) as Box;
    if (next[2] - next[0] >= 0.1 && next[3] - next[1] >= 0.1) setBox(next);
  };
  const ratio = ((box[2] - box[0]) * size[0]) / ((box[3] - box[1]) * size[1]);
  return (
    <Sheet
      title={`Active picture of ${named(shots)}`}
      action="Set"
      wide
      onHide={onHide}
      onDone={() => actions.read(shots, { active: box })}
    >
      <div
        className="active-picture"
        onPointerDown={(event) => {
          event.currentTarget.setPointerCapture(event.pointerId);
          from.current = place(event);
        }}
        onPointerMove={draw}
        onPointerUp={() => {
          from.current = null;
        }}
      >
        <img
          src={wholeFrame(shots[0], Math.floor((clip.frames ?? 1) / 2))}
          alt="with its bars"
          draggable={false}
          onLoad={(event) => setSize([event.currentTarget.naturalWidth, event.currentTarget.naturalHeight])}
        />
        <i
          style={{
            left: `${box[0] * 100}%`,
            top: `${box[1] * 100}%`,
            width: `${(box[2] - box[0]) * 100}%`,
            height: `${(box[3] - box[1]) * 100}%`,
          }}
        />
      </div>
      <div className="edges">
        {SIDES.map((side, i) => (
          <Form.Label key={side}>
            {side}
            <Form.Control
              type="number"
              min={0}
              max={90}
              step={0.1}
              className="mono"
              value={Number(((i < 2 ? box[i] : 1 - box[i]) * 100).toFixed(1))}
              onChange={(event) => edge(i, Number(event.target.value))}
            />
            %
          </Form.Label>
        ))}
        <span className="mono">{ratio.toFixed(2)}:1</span>
      </div>
      <div className="ratios">
        {RATIOS.map((one) => (
          <button
            key={one}
            type="button"
            className="plain link mono"
            onClick={() => setBox(centred(one, ...size))}
          >
            {one}
          </button>
        ))}
        <button type="button" className="plain link" onClick={() => setBox([0, 0, 1, 1])}>
          whole
        </button>
        <button
          type="button"
          className="plain link"
          onClick={() => {
            void actions.read(shots, { active: null });
            onHide();
          }}
        >
          as it is found
        </button>
      </div>
      <p className="second">
        Drag a box on the picture, or set how much of each side is left out of every measurement.
      </p>
    </Sheet>
  );
}
