import { carried, isTracked, motionAt, withCorner, withoutSample } from "../correction/selection";
import type { Area, Pick, Selection } from "../shared/api";
import { DragNumber } from "./DragNumber";
import { addShape, beginPick, followSubject, narrowToBrushes, putPick, putShape } from "./selecting";
import { useDesk } from "./state";

const within = (value: number, [low, high]: [number, number]) => Math.min(Math.max(value, low), high);

/** A number that is reported in hundredths. */
function Part({
  name,
  value,
  range,
  plain,
  step = 0.1,
  unit,
  onSet,
}: {
  name: string;
  value: number;
  range: [number, number];
  plain: number;
  step?: number;
  unit?: string;
  onSet: (change: string, value: number) => void;
}) {
  const put = (wanted: number) => {
    const kept = within(wanted / 100, range);
    onSet(`${name.toLowerCase()} ${(100 * kept).toFixed(1)}`, kept);
  };
  return (
    <DragNumber
      name={name}
      value={100 * value}
      text={(100 * value).toFixed(1)}
      unit={unit}
      step={step}
      onChange={put}
      onReset={() => put(100 * plain)}
    />
  );
}

/** The samples of a pick: each can be removed. */
function Samples({ pick, out }: { pick: Pick; out: boolean }) {
  const samples = out ? pick.left : pick.taken;
  const word = out ? "excluded" : "included";
  return (
    <p className="channels">
      <span className="second">{word}</span>
      {samples.length === 0 && <span className="second">nothing</span>}
      {samples.map((sample, i) => (
        <button
          // biome-ignore lint/suspicious/noArrayIndexKey: samples are distinguished by their place
          key={i}
          type="button"
          className="plain"
          aria-label={`${word} ${i + 1}: remove it`}
          title="remove this sample"
          onClick={() => putPick(`a sample ${word} removed`, withoutSample(pick, out, i))}
        >
          {i + 1}
          <i className="sample" style={{ background: colourOf(sample) }} />
        </button>
      ))}
    </p>
  );
}

/** Roughly what a sample looks like: enough to tell one from another. */
function colourOf({ level, x, y }: { level: number; x: number; y: number }): string {
  const [r, g, b] = [
    (2 * x) / Math.sqrt(6),
    y / Math.SQRT2 - x / Math.sqrt(6),
    -y / Math.SQRT2 - x / Math.sqrt(6),
  ];
  const shown = [r, g, b].map((one) => Math.round(255 * within((level + 1.6 * one - 0.12) * 1.7, [0, 1])));
  return `rgb(${shown.join(",")})`;
}

const RANGES = ["levels", "depths", "hues"] as const;
const WORDS = { levels: "level", depths: "depth of colour", hues: "hue" };

function PickControls({ pick, hasShapes }: { pick: Pick; hasShapes: boolean }) {
  const brushed = useDesk((state) => state.brushes.length > 0);
  const sizes = [
    { name: "Specks", part: "specks" },
    { name: "Holes", part: "holes" },
    { name: "Edge", part: "edge" },
  ] as const;
  return (
    <>
      <Samples pick={pick} out={false} />
      <Samples pick={pick} out />
      <Part
        name="Reach"
        value={pick.reach}
        range={[0, 0.5]}
        plain={0.02}
        step={0.05}
        onSet={(change, reach) => putPick(change, { ...pick, reach })}
      />
      <Part
        name="Soft"
        value={pick.soft}
        range={[0.015, 0.3]}
        plain={0.02}
        step={0.05}
        onSet={(change, soft) => putPick(change, { ...pick, soft })}
      />
      {sizes.map(({ name, part }) => (
        <Part
          key={part}
          name={name}
          unit="%"
          value={pick[part]}
          range={[0, 0.05]}
          plain={0}
          step={0.02}
          onSet={(change, size) => putPick(change, { ...pick, [part]: size })}
        />
      ))}
      <div className="ends">
        <button
          type="button"
          className="plain"
          disabled={!brushed}
          title={
            brushed
              ? "keep the pick to the range of level, or of depth and hue, of what is brushed"
              : "brush a range on a scope first"
          }
          onClick={() => void narrowToBrushes()}
        >
          keep to brushed
        </button>
        {RANGES.filter((one) => pick[one]).map((one) => (
          <button
            key={one}
            type="button"
            className="plain"
            title={`kept to a range of ${WORDS[one]}; press to keep all`}
            onClick={() => putPick(`all of ${WORDS[one]}`, { ...pick, [one]: null })}
          >
            {WORDS[one]} ×
          </button>
        ))}
        {hasShapes && (
          <button type="button" className="plain" onClick={() => putPick("all colours", null)}>
            all colours
          </button>
        )}
      </div>
    </>
  );
}

const SHAPES = ["ellipse", "gradient", "outline"] as const;

function ShapeNumbers({ shape, at }: { shape: Area; at: number }) {
  const put = (part: string) => (change: string, value: number) =>
    putShape(change, at, { ...shape, [part]: value } as Area);
  const places: [string, string, number][] =
    shape.kind === "outline"
      ? []
      : shape.kind === "ellipse"
        ? [
            ["Across", "x", shape.x],
            ["Down", "y", shape.y],
            ["Width", "width", shape.width],
            ["Height", "height", shape.height],
          ]
        : [
            ["All across", "x", shape.x],
            ["All down", "y", shape.y],
            ["None across", "to_x", shape.to_x],
            ["None down", "to_y", shape.to_y],
          ];
  return (
    <>
      {places.map(([name, part, value]) => (
        <Part
          key={name}
          name={name}
          unit="%"
          value={value}
          range={part === "width" || part === "height" ? [0.004, 4] : [-1, 2]}
          plain={part === "width" || part === "height" ? 0.3 : 0.5}
          step={0.5}
          onSet={put(part)}
        />
      ))}
      {shape.kind === "ellipse" && (
        <DragNumber
          name="Angle"
          unit="°"
          value={shape.angle}
          text={shape.angle.toFixed(0)}
          step={1}
          onChange={(angle) =>
            putShape(`angle ${angle.toFixed(0)}`, at, { ...shape, angle: within(angle, [-180, 180]) })
          }
          onReset={() => putShape("angle 0", at, { ...shape, angle: 0 })}
        />
      )}
      {shape.kind !== "gradient" && (
        <Part
          name="Soft"
          unit="%"
          value={shape.soft}
          range={[0, 1]}
          plain={0.05}
          step={0.25}
          onSet={put("soft")}
        />
      )}
      <div className="ends">
        <button
          type="button"
          className="plain"
          aria-pressed={shape.away}
          title="what lies in it is removed from the shapes before it, or added to them"
          onClick={() => putShape(shape.away ? "added" : "removed", at, { ...shape, away: !shape.away })}
        >
          {shape.away ? "removed" : "added"}
        </button>
        {shape.kind === "outline" && (
          <>
            <button
              type="button"
              className="plain"
              onClick={() => putShape("a corner more", at, withCorner(shape))}
            >
              corner +
            </button>
            <button
              type="button"
              className="plain"
              aria-pressed={shape.straight}
              onClick={() =>
                putShape(shape.straight ? "curved sides" : "straight sides", at, {
                  ...shape,
                  straight: !shape.straight,
                })
              }
            >
              {shape.straight ? "straight" : "curved"}
            </button>
          </>
        )}
        <button type="button" className="plain" onClick={() => putShape(`${shape.kind} removed`, at, null)}>
          remove
        </button>
      </div>
    </>
  );
}

/** Which colours and places belong. */
export function Belonging({ selection }: { selection: Selection }) {
  const frame = useDesk((state) => state.frame);
  const level = useDesk((state) => state.focus.level);
  const working = useDesk((state) => state.work !== null);
  const shapeAt = useDesk((state) => state.shape);
  const at = Math.min(shapeAt, selection.shapes.length - 1);
  useDesk((state) => state.placesHere);
  const lost = Boolean(selection.track && !isTracked(selection.track, frame));
  const motion = motionAt(selection.track, frame);
  const shown = selection.shapes.map((one) => carried(one, motion));
  return (
    <div className="corrections dense">
      {selection.pick && <PickControls pick={selection.pick} hasShapes={shown.length > 0} />}
      {level === "shot" && (
        <p className="channels">
          {shown.map((shape, i) => (
            <button
              // biome-ignore lint/suspicious/noArrayIndexKey: shapes are distinguished by their place
              key={i}
              type="button"
              className="plain"
              aria-pressed={i === at}
              onClick={() => useDesk.setState({ shape: i })}
            >
              {i + 1} {shape.kind}
            </button>
          ))}
          {SHAPES.map((kind) => (
            <button
              key={kind}
              type="button"
              className="plain second"
              title={shown.length > 0 ? "one more shape" : "keep to an area"}
              onClick={() => addShape(kind)}
            >
              + {kind}
            </button>
          ))}
          {!selection.pick && (
            <button
              type="button"
              className="plain second"
              title="of this area only some colours: press, then click them in the picture"
              onClick={beginPick}
            >
              + colours
            </button>
          )}
        </p>
      )}
      {shown[at] && <ShapeNumbers shape={shown[at]} at={at} />}
      {shown.length > 0 && (
        <div className="ends">
          <button
            type="button"
            className="plain"
            aria-pressed={Boolean(selection.track)}
            disabled={working}
            title={
              lost
                ? "its subject was lost before this frame: put the area around it here, and it is followed from here on"
                : selection.track
                  ? "the area stays where it is at this frame"
                  : "the area follows what it is drawn around, through the shot"
            }
            onClick={() => void followSubject()}
          >
            {lost
              ? "follow on from here"
              : selection.track
                ? `follows ${selection.track.first + 1}–${selection.track.first + selection.track.frames}`
                : "follow"}
          </button>
        </div>
      )}
    </div>
  );
}
