import { memo } from "react";
import { useShallow } from "zustand/react/shallow";
import type { Shot } from "../shared/api";
import { castOf, isOff, lumaOf } from "../shared/compare";
import { focus, type Row, useWall } from "./selection";

const HEIGHT = 96;
const CAST_TOP = 62;
const CAST_REACH = 12;
const FAMILY_GAP = 10;

/** Where a level (0–100 %) lies, and where a difference of colour does. */
const levelY = (percent: number) => 4 + (CAST_TOP - 10) * (1 - Math.min(Math.max(percent, 0), 104) / 104);
const castY = (percent: number) =>
  (CAST_TOP + HEIGHT) / 2 - (Math.min(Math.max(percent, -CAST_REACH), CAST_REACH) / CAST_REACH) * 15;

/** Lows, mids, highs and cast of every shot side by side, so that the one that jumps is seen without reading. */
export const ConsistencyStrip = memo(function ConsistencyStrip({
  shots,
  rows,
  width,
}: {
  shots: number;
  rows: Row[];
  width: number;
}) {
  const count = rows.reduce((sum, row) => sum + row.members.length, 0);
  const gap = Math.min(FAMILY_GAP, (0.2 * width) / Math.max(rows.length, 1));
  const room = width - 46 - gap * rows.length;
  const step = Math.min(room / Math.max(count, 1), 46);
  let x = 44;
  const drawn = rows.map((row) => {
    const left = x;
    const columns = row.members.map((shot) => {
      x += step;
      return { shot, x: x - step / 2 };
    });
    x += gap;
    return { row, left, right: x - gap, columns };
  });
  const columns = drawn.flatMap((one) => one.columns);
  return (
    <figure className="strip" aria-label="consistency of all shots">
      <div className="marks">
        <Marked columns={columns} step={step} />
      </div>
      <svg width={width} height={HEIGHT} role="img" aria-label="levels and cast of every shot">
        {[0, 50, 100].map((percent) => (
          <g key={percent}>
            <line className="rule" x1={40} x2={x - gap} y1={levelY(percent)} y2={levelY(percent)} />
            <text x={36} y={levelY(percent) + 3} textAnchor="end">
              {percent}
            </text>
          </g>
        ))}
        <text x={36} y={castY(0) + 3} textAnchor="end">
          cast
        </text>
        {drawn.map(({ row, left, right, columns }) => {
          const reference = row.family.reference?.readings as number[] | undefined;
          return (
            <g key={row.family.id}>
              {reference &&
                [0, 1, 2].map((zone) => (
                  <line
                    key={zone}
                    className="aim"
                    x1={left}
                    x2={right}
                    y1={levelY(lumaOf(reference, zone))}
                    y2={levelY(lumaOf(reference, zone))}
                  />
                ))}
              <line className="rule" x1={left} x2={right} y1={castY(0)} y2={castY(0)} />
              {columns.map(({ shot, x: middle }) => (
                <Column key={shot.id} shot={shot} x={middle} step={step} reference={reference} />
              ))}
            </g>
          );
        })}
      </svg>
      <figcaption className="second">
        lows – mids – highs against the reference's lines; below, warm ● and green ○ against it · {shots}{" "}
        shots
      </figcaption>
    </figure>
  );
});

/** The current shot and the selected ones, on a layer behind the columns: moving on draws no column anew. */
function Marked({ columns, step }: { columns: { shot: Shot; x: number }[]; step: number }) {
  const { selected, at } = useWall(useShallow((wall) => ({ selected: wall.selected, at: wall.at })));
  return columns
    .filter(({ shot }) => shot.id === at || selected.has(shot.id))
    .map(({ shot, x }) => (
      <i
        key={shot.id}
        className="mark"
        style={{ left: x - step / 2, width: Math.max(step, 3), height: HEIGHT }}
      />
    ));
}

function Column({
  shot,
  x,
  step,
  reference,
}: {
  shot: Shot;
  x: number;
  step: number;
  reference: number[] | undefined;
}) {
  const readings = shot.corrected;
  const half = Math.min(step * 0.32, 7);
  const dot = Math.min(2.6, Math.max(step * 0.4, 0.8));
  if (!readings) return null;
  const [warm, green] = castOf(readings);
  const [otherWarm, otherGreen] = reference ? castOf(reference) : [0, 0];
  const [low, middle, high] = [0, 1, 2].map((zone) => levelY(lumaOf(readings, zone)));
  return (
    // biome-ignore lint/a11y/noStaticElementInteractions: the cards beneath are the keyboard's way to a shot
    <g className={`column${isOff(shot) ? " off" : ""}`} onClick={() => focus(shot.id)}>
      <title>
        {`${shot.name}: mids ${lumaOf(readings, 1).toFixed(0)} %, warm ${(warm - otherWarm).toFixed(1)}, green ${(green - otherGreen).toFixed(1)}`}
      </title>
      <rect className="touch" x={x - step / 2} y={0} width={step} height={HEIGHT} />
      <line x1={x} x2={x} y1={low} y2={high} />
      {[low, middle, high].map((y, zone) => (
        <line key={["low", "mid", "high"][zone]} className="tick" x1={x - half} x2={x + half} y1={y} y2={y} />
      ))}
      {isOff(shot) && (
        <path
          className="flag"
          d={`M${x - half} ${HEIGHT - 2}h${2 * half}M${x - half} ${HEIGHT - 5}h${2 * half}`}
        />
      )}
      <circle className="warm" cx={x - half / 2} cy={castY(warm - otherWarm)} r={dot} />
      <circle className="green" cx={x + half / 2} cy={castY(green - otherGreen)} r={dot} />
    </g>
  );
}
