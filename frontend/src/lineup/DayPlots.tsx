import { type Day, type Shot, thumbnail } from "../shared/api";
import { castOf, isOff, lumaOf } from "../shared/compare";
import { StateMark } from "../shared/marks";
import type { Cut } from "./cuts";

const STEP = 116;
const LEVELS_TALL = 120;
const CAST_TALL = 66;
const CAST_REACH = 14;

const levelY = (percent: number) => 6 + (LEVELS_TALL - 12) * (1 - Math.min(Math.max(percent, 0), 104) / 104);
const castY = (percent: number) =>
  CAST_TALL / 2 - (Math.min(Math.max(percent, -CAST_REACH), CAST_REACH) / CAST_REACH) * (CAST_TALL / 2 - 5);

/** One reading of every shot along its own length where it was measured there, stepping at the cuts. */
function along(shots: Shot[], value: (readings: number[]) => number, y: (value: number) => number): string {
  return shots
    .map((shot, i) => {
      if (!shot.corrected) return "";
      const now = value(shot.corrected);
      const drift = (shot.drift as number[][]).map((row) => value(row.slice(1)));
      const middle = drift[Math.floor(drift.length / 2)];
      const points = drift.length > 1 ? drift.map((d) => now + d - middle) : [now, now];
      const x = (k: number) => i * STEP + 4 + (k / (points.length - 1)) * (STEP - 8);
      return points.map((p, k) => `${k === 0 ? "M" : "L"}${x(k).toFixed(1)} ${y(p).toFixed(1)}`).join("");
    })
    .join("");
}

/** The filmstrip in story order, and beneath it levels and cast along the same axis. */
export function DayPlots({
  day,
  shots,
  cuts,
  at,
  onCut,
}: {
  day: Day;
  shots: Shot[];
  cuts: Cut[];
  at: number;
  onCut: (cut: number) => void;
}) {
  const wide = shots.length * STEP;
  const most = Math.max(1, ...cuts.map((cut) => cut.jump));
  return (
    <div style={{ width: wide }}>
      <ol className="filmstrip">
        {shots.map((shot, i) => (
          <li key={shot.id} style={{ width: STEP }}>
            <button
              type="button"
              aria-label={`cut to ${shot.name}`}
              aria-current={i === at + 1}
              className={`${i === at || i === at + 1 ? "current" : ""}${isOff(shot) ? " off" : ""}`}
              onClick={() => onCut(Math.max(i - 1, 0))}
            >
              <img src={thumbnail(shot, day)} alt="" loading="lazy" />
              <span className="caption mono">
                <StateMark state={shot.state} />
                <b>{shot.name}</b>
                <span>{shot.note ? "note" : ""}</span>
              </span>
            </button>
          </li>
        ))}
      </ol>
      <svg
        className="day-plots"
        width={wide}
        height={LEVELS_TALL + CAST_TALL}
        role="img"
        aria-label="levels and cast along the line-up"
      >
        {[0, 50, 100].map((percent) => (
          <line key={percent} className="rule" x1={0} x2={wide} y1={levelY(percent)} y2={levelY(percent)} />
        ))}
        {cuts.map((cut, i) => (
          <g key={cut.to.id}>
            <line
              className={cut.oneFamily ? "cut-line" : "cut-line between"}
              x1={(i + 1) * STEP}
              x2={(i + 1) * STEP}
              y1={0}
              y2={LEVELS_TALL + CAST_TALL}
            />
            {cut.jump > 0 && (
              <rect
                className="jump"
                x={(i + 1) * STEP - 3}
                width={6}
                y={LEVELS_TALL + CAST_TALL - (cut.jump / most) * 26}
                height={(cut.jump / most) * 26}
              >
                <title>{`${cut.from.name} to ${cut.to.name}: ${cut.jump.toFixed(1)} % apart`}</title>
              </rect>
            )}
          </g>
        ))}
        <rect
          className="in-hand"
          x={at * STEP + 1}
          width={2 * STEP - 2}
          y={1}
          height={LEVELS_TALL + CAST_TALL - 2}
        />
        {[0, 1, 2].map((zone) => (
          <path key={zone} className={`level-${zone}`} d={along(shots, (r) => lumaOf(r, zone), levelY)} />
        ))}
        <g transform={`translate(0 ${LEVELS_TALL})`}>
          <line className="rule" x1={0} x2={wide} y1={castY(0)} y2={castY(0)} />
          <path className="warm" d={along(shots, (r) => castOf(r)[0], castY)} />
          <path className="green" d={along(shots, (r) => castOf(r)[1], castY)} />
        </g>
      </svg>
    </div>
  );
}
