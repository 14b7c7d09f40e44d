import type { Day } from "../shared/api";
import { castOf, isOff, lumaOf } from "../shared/compare";
import { useDrift } from "../shared/day";
import { ShotMarks, StateMark } from "../shared/marks";
import { thumbnail } from "../shared/pictures";
import { type Cut, firstFrame, lastFrame, type Use } from "./cuts";

const STEP = 116;
const LEVELS_TALL = 120;
const CAST_TALL = 66;
const CAST_REACH = 14;

const levelY = (percent: number) => 6 + (LEVELS_TALL - 12) * (1 - Math.min(Math.max(percent, 0), 104) / 104);
const castY = (percent: number) =>
  CAST_TALL / 2 - (Math.min(Math.max(percent, -CAST_REACH), CAST_REACH) / CAST_REACH) * (CAST_TALL / 2 - 5);

/** One reading of every use along the frames used, where it was measured there, stepping at the cuts. */
function along(
  uses: Use[],
  drifts: Record<number, number[][]>,
  value: (readings: number[]) => number,
  y: (value: number) => number,
): string {
  return uses
    .map((use, i) => {
      const { corrected, id } = use.shot;
      if (!corrected) return "";
      const now = value(corrected);
      const rows = (drifts[id] ?? []).map(([frame, ...readings]) => ({ frame, at: value(readings) }));
      const middle = rows[Math.floor(rows.length / 2)]?.at ?? 0;
      const [first, last] = [firstFrame(use), lastFrame(use)];
      const used = rows.filter((row) => row.frame >= first && row.frame <= last);
      const x = (part: number) => (i * STEP + 4 + part * (STEP - 8)).toFixed(1);
      const level = (at: number) => y(now + at - middle).toFixed(1);
      const ends = [used[0]?.at ?? middle, used[used.length - 1]?.at ?? middle];
      return [
        `M${x(0)} ${level(ends[0])}`,
        ...used.map((row) => `L${x((row.frame - first) / Math.max(last - first, 1))} ${level(row.at)}`),
        `L${x(1)} ${level(ends[1])}`,
      ].join("");
    })
    .join("");
}

/** The filmstrip in story order, and beneath it levels and cast along the same axis. */
export function DayPlots({
  day,
  uses,
  cuts,
  at,
  onCut,
}: {
  day: Day;
  uses: Use[];
  cuts: Cut[];
  at: number;
  onCut: (cut: number) => void;
}) {
  const drifts = useDrift();
  const wide = uses.length * STEP;
  const most = Math.max(1, ...cuts.map((cut) => cut.jump));
  return (
    <div style={{ width: wide }}>
      <ol className="filmstrip">
        {uses.map(({ key, shot, span }, i) => (
          <li key={key} style={{ width: STEP }}>
            <button
              type="button"
              aria-current={i === at + 1}
              className={`${i === at || i === at + 1 ? "current" : ""}${isOff(shot) ? " off" : ""}`}
              onClick={() => onCut(Math.max(i - 1, 0))}
            >
              <img src={thumbnail(shot, day)} alt="" loading="lazy" />
              <span className="caption mono">
                <StateMark state={shot.state} />
                <span className="visually-hidden">cut to </span>
                <b>{shot.name}</b>
                <ShotMarks shot={shot} />
                <span>{span ? `${span[0] + 1}–${span[1] + 1}` : shot.note ? "note" : ""}</span>
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
          <g key={cut.to.key}>
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
                <title>{`${cut.from.shot.name} to ${cut.to.shot.name}: ${cut.jump.toFixed(1)} % apart`}</title>
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
          <path
            key={zone}
            className={`level-${zone}`}
            d={along(uses, drifts, (r) => lumaOf(r, zone), levelY)}
          />
        ))}
        <g transform={`translate(0 ${LEVELS_TALL})`}>
          <line className="rule" x1={0} x2={wide} y1={castY(0)} y2={castY(0)} />
          <path className="warm" d={along(uses, drifts, (r) => castOf(r)[0], castY)} />
          <path className="green" d={along(uses, drifts, (r) => castOf(r)[1], castY)} />
        </g>
      </svg>
    </div>
  );
}
