/** Parts of a picture as values: whose numbers are current, samples of a pick, shapes and how they are moved; as the core has it. */
import type { Area, Pick, Primary, Sample, Selection, Track, Values } from "../shared/api";
import { IDENTITY, primaryOf } from "./model";
import { NUMBERS, placesOf } from "./tracks";

export type Place = [number, number];

/** Which side of a selection is current. */
export type Side = "inside" | "outside";

const nothing = () => [primaryOf(IDENTITY)];

/** A new selection that does nothing yet. */
export const selectionOf = (part: { pick?: Pick; shapes?: Area[] }): Selection => ({
  kind: "selection",
  inside: nothing(),
  outside: nothing(),
  pick: part.pick ?? null,
  shapes: part.shapes ?? [],
  track: null,
});

export const isSelection = (values: Values | null | undefined): values is Selection =>
  values?.kind === "selection";

/** The ten numbers of values, or of a side of them; none where there are none. */
export function primaryIn(values: Values | null | undefined, side: Side = "inside"): Primary | null {
  if (values?.kind === "primary") return values;
  if (!isSelection(values)) return null;
  const [first] = values[side];
  return first.kind === "primary" ? first : null;
}

/** The same values with other ten numbers. */
export function withPrimary(values: Values, primary: Primary, side: Side = "inside"): Values {
  if (!isSelection(values)) return primary;
  return { ...values, [side]: [primary, ...values[side].slice(1)] };
}

export const newPick = (taken: Sample[], reach: number, soft: number): Pick => ({
  taken,
  left: [],
  reach,
  soft,
  levels: null,
  depths: null,
  hues: null,
  specks: 0,
  holes: 0,
  edge: 0,
});

const MOST_SAMPLES = 24;
const same = (a: Sample, b: Sample) => a.x === b.x && a.y === b.y && a.level === b.level;

/** The same pick with samples taken in, or left out; the oldest give way where there are too many. */
export function withSamples(pick: Pick, samples: Sample[], out: boolean): Pick {
  const [to, from] = out ? (["left", "taken"] as const) : (["taken", "left"] as const);
  const fresh = samples.filter((one) => ![...pick.taken, ...pick.left].some((other) => same(one, other)));
  return { ...pick, [to]: [...pick[to], ...fresh].slice(-MOST_SAMPLES), [from]: pick[from] };
}

/** The same pick without a sample; null where none would be taken in any more. */
export function withoutSample(pick: Pick, out: boolean, at: number): Pick | null {
  const part = out ? "left" : "taken";
  const kept = pick[part].filter((_, i) => i !== at);
  return !out && kept.length === 0 ? null : { ...pick, [part]: kept };
}

/** A new shape about a place, or around a box. */
export function newShape(kind: Area["kind"], box: [Place, Place] | null, aspect: number): Area {
  const [[left, top], [right, bottom]] = box ?? [
    [0.35, 0.3],
    [0.65, 0.7],
  ];
  if (kind === "gradient")
    return { kind, x: (left + right) / 2, y: top, to_x: (left + right) / 2, to_y: bottom, away: false };
  if (kind === "outline")
    return {
      kind,
      corners: [
        [left, top],
        [right, top],
        [right, bottom],
        [left, bottom],
      ],
      soft: 0.05,
      straight: false,
      away: false,
    };
  return {
    kind,
    x: (left + right) / 2,
    y: (top + bottom) / 2,
    width: Math.max(right - left, 0.01),
    height: Math.max((bottom - top) / aspect, 0.01),
    angle: 0,
    soft: 0.05,
    away: false,
  };
}

/** How a subject has moved on a frame since it was drawn: about a place, along, turned, grown. */
export interface Motion {
  about: Place;
  by: Place;
  angle: number;
  scale: number;
  aspect: number;
}

const STILL: Motion = { about: [0, 0], by: [0, 0], angle: 0, scale: 1, aspect: 1 };

/** How the subject of a track has moved on a frame; not at all while its places are not here. */
export function motionAt(track: Track | null | undefined, frame: number): Motion {
  const places = track && placesOf(track);
  if (!places) return STILL;
  const at = (one: number) => NUMBERS * Math.min(Math.max(one - track.first, 0), track.frames - 1);
  const [drawn, now] = [at(track.drawn), at(frame)];
  return {
    about: [places[drawn], places[drawn + 1]],
    by: [places[now] - places[drawn], places[now + 1] - places[drawn + 1]],
    angle: places[now + 2] - places[drawn + 2],
    scale: places[now + 3] / places[drawn + 3],
    aspect: track.aspect,
  };
}

/** Whether a track has a place of its own at a frame, or its subject was lost there. */
export const isTracked = (track: Track, frame: number) =>
  frame >= track.first && frame < track.first + track.frames;

function turned(x: number, y: number, degrees: number): Place {
  const [cosine, sine] = [Math.cos((degrees * Math.PI) / 180), Math.sin((degrees * Math.PI) / 180)];
  return [cosine * x - sine * y, sine * x + cosine * y];
}

/** Where a place has come to. */
export function movedPlace([x, y]: Place, { about, by, angle, scale, aspect }: Motion): Place {
  const [across, down] = turned(x - about[0], (y - about[1]) / aspect, angle);
  return [about[0] + by[0] + scale * across, about[1] + by[1] + scale * down * aspect];
}

/** Where a place came from. */
function placeBefore([x, y]: Place, { about, by, angle, scale, aspect }: Motion): Place {
  const [across, down] = turned(x - about[0] - by[0], (y - about[1] - by[1]) / aspect, -angle);
  return [about[0] + across / scale, about[1] + (down / scale) * aspect];
}

/** A shape as it has moved with the subject that it follows. */
export function carried(shape: Area, motion: Motion): Area {
  if (motion === STILL) return shape;
  if (shape.kind === "outline")
    return { ...shape, corners: shape.corners.map(([x, y]) => movedPlace([x, y], motion)) };
  const [x, y] = movedPlace([shape.x, shape.y], motion);
  if (shape.kind === "gradient") {
    const [to_x, to_y] = movedPlace([shape.to_x, shape.to_y], motion);
    return { ...shape, x, y, to_x, to_y };
  }
  const { width, height, angle } = shape;
  return {
    ...shape,
    x,
    y,
    width: width * motion.scale,
    height: height * motion.scale,
    angle: angle + motion.angle,
  };
}

/** A shape as it was drawn, of what it has come to: the other way of {@link carried}. */
export function drawnOf(shape: Area, motion: Motion): Area {
  if (motion === STILL) return shape;
  if (shape.kind === "outline")
    return { ...shape, corners: shape.corners.map(([x, y]) => placeBefore([x, y], motion)) };
  const [x, y] = placeBefore([shape.x, shape.y], motion);
  if (shape.kind === "gradient") {
    const [to_x, to_y] = placeBefore([shape.to_x, shape.to_y], motion);
    return { ...shape, x, y, to_x, to_y };
  }
  const { width, height, angle } = shape;
  return {
    ...shape,
    x,
    y,
    width: width / motion.scale,
    height: height / motion.scale,
    angle: angle - motion.angle,
  };
}

/** Places of a shape that a hand can hold, each with its name. */
export function handlesOf(shape: Area, aspect: number): { name: string; at: Place }[] {
  if (shape.kind === "gradient")
    return [
      { name: "whole", at: [shape.x, shape.y] },
      { name: "none", at: [shape.to_x, shape.to_y] },
    ];
  if (shape.kind === "outline")
    return shape.corners.map((at, i) => ({ name: `corner ${i + 1}`, at: [at[0], at[1]] as Place }));
  const end = (x: number, y: number): Place => {
    const [across, down] = turned(x, y, shape.angle);
    return [shape.x + across, shape.y + down * aspect];
  };
  return [
    { name: "middle", at: [shape.x, shape.y] },
    { name: "width", at: end(shape.width / 2, 0) },
    { name: "height", at: end(0, shape.height / 2) },
  ];
}

const LEAST = 0.004;

/** The same shape with one of its handles at another place. */
export function withHandle(shape: Area, name: string, [x, y]: Place, aspect: number): Area {
  if (shape.kind === "gradient") {
    const moved = name === "whole" ? { ...shape, x, y } : { ...shape, to_x: x, to_y: y };
    const apart = Math.max(Math.abs(moved.x - moved.to_x), Math.abs(moved.y - moved.to_y));
    return apart < LEAST ? shape : moved;
  }
  if (shape.kind === "outline") {
    const at = Number(name.split(" ")[1]) - 1;
    return { ...shape, corners: shape.corners.map((one, i) => (i === at ? [x, y] : one)) };
  }
  if (name === "middle") return { ...shape, x, y };
  const [across, down] = [x - shape.x, (y - shape.y) / aspect];
  const length = Math.max(2 * Math.hypot(across, down), LEAST);
  const angle = (Math.atan2(down, across) * 180) / Math.PI;
  if (name === "width") return { ...shape, width: length, angle };
  return { ...shape, height: length, angle: angle - 90 < -180 ? angle + 270 : angle - 90 };
}

/** The same shape moved as a whole. */
export function shifted(shape: Area, dx: number, dy: number): Area {
  if (shape.kind === "gradient")
    return {
      ...shape,
      x: shape.x + dx,
      y: shape.y + dy,
      to_x: shape.to_x + dx,
      to_y: shape.to_y + dy,
    };
  if (shape.kind === "outline")
    return { ...shape, corners: shape.corners.map(([x, y]) => [x + dx, y + dy] as Place) };
  return { ...shape, x: shape.x + dx, y: shape.y + dy };
}

const BENDS = 8;

/** The line of a shape as places, and whether it is closed. */
export function lineOf(shape: Area, aspect: number): Place[] {
  if (shape.kind === "gradient")
    return [
      [shape.x, shape.y],
      [shape.to_x, shape.to_y],
    ];
  if (shape.kind === "ellipse")
    return Array.from({ length: 48 }, (_, i) => {
      const t = (2 * Math.PI * i) / 48;
      const [x, y] = turned((shape.width / 2) * Math.cos(t), (shape.height / 2) * Math.sin(t), shape.angle);
      return [shape.x + x, shape.y + y * aspect] as Place;
    });
  if (shape.straight) return shape.corners.map(([x, y]) => [x, y] as Place);
  const count = shape.corners.length;
  return shape.corners.flatMap((_, i) => {
    const [a, b, c, d] = [-1, 0, 1, 2].map((by) => shape.corners[(i + by + count) % count]);
    return Array.from({ length: BENDS }, (_, k) => {
      const t = k / BENDS;
      return [0, 1].map(
        (axis) =>
          0.5 *
          (2 * b[axis] +
            (c[axis] - a[axis]) * t +
            (2 * a[axis] - 5 * b[axis] + 4 * c[axis] - d[axis]) * t * t +
            (3 * b[axis] - a[axis] - 3 * c[axis] + d[axis]) * t * t * t),
      ) as Place;
    });
  });
}

/** An outline with one more corner, in the middle of its longest side; other shapes as they are. */
export function withCorner(shape: Area): Area {
  if (shape.kind !== "outline") return shape;
  const { corners } = shape;
  const length = (i: number) => {
    const [[x, y], [u, v]] = [corners[i], corners[(i + 1) % corners.length]];
    return Math.hypot(u - x, v - y);
  };
  const longest = corners.reduce((best, _, i) => (length(i) > length(best) ? i : best), 0);
  const [[x, y], [u, v]] = [corners[longest], corners[(longest + 1) % corners.length]];
  return {
    ...shape,
    corners: [...corners.slice(0, longest + 1), [(x + u) / 2, (y + v) / 2], ...corners.slice(longest + 1)],
  };
}

/** An outline without one of its corners, where it keeps three. */
export function withoutCorner(shape: Area, at: number): Area {
  if (shape.kind !== "outline" || shape.corners.length <= 3) return shape;
  return { ...shape, corners: shape.corners.filter((_, i) => i !== at) };
}

/** The same selection with another shape in the place of one, or without it; null where nothing would be selected. */
export function withShape(selection: Selection, at: number, shape: Area | null): Selection | null {
  const shapes = selection.shapes.flatMap((one, i) => (i === at ? (shape ? [shape] : []) : [one]));
  if (shapes.length === 0) return selection.pick ? { ...selection, shapes, track: null } : null;
  return { ...selection, shapes };
}
