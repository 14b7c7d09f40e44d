import { type KeyboardEvent, useRef, useState } from "react";
import { signed } from "../shared/marks";
import { meet, useDesk } from "./store";

const ROWS = ["R", "G", "B"];
const ZONES = ["lows", "mids", "highs"];
const NAMES = [...["red", "green", "blue"].flatMap((c) => ZONES.map((z) => `${c} ${z}`)), "saturation"];
export const readingName = (index: number) => NAMES[index];
const BAR_RANGE = 12;

function Cell({ index }: { index: number }) {
  const measured = useDesk((state) => state.shown?.readings[index]);
  const aim = useDesk((state) => state.referenceReadings?.[index]);
  const miss = useDesk((state) => state.shown?.missed.find((m) => m.reading === index));
  const [typing, setTyping] = useState<string | null>(null);
  const box = useRef<HTMLTableCellElement>(null);
  const difference = measured !== undefined && aim !== undefined ? measured - aim : undefined;

  const go = (value: number) => meet(`${NAMES[index]} to ${value.toFixed(1)} %`, new Map([[index, value]]));
  const finish = () => {
    const wanted = Number((typing ?? "").replace(",", "."));
    if (typing?.trim() && Number.isFinite(wanted)) go(Math.min(Math.max(wanted, 0), 110));
    setTyping(null);
    box.current?.focus();
  };
  const onKey = (event: KeyboardEvent) => {
    if (typing !== null || measured === undefined) return;
    const nudge = { ArrowUp: 1, ArrowDown: -1 }[event.key];
    const step = { ArrowLeft: -1, ArrowRight: 1 }[event.key];
    if (nudge) go(measured + nudge * (event.shiftKey ? 0.1 : 1));
    else if (step) {
      const cells = [
        ...(box.current?.closest("table")?.querySelectorAll<HTMLElement>("[data-reading]") ?? []),
      ];
      cells[cells.indexOf(box.current as HTMLElement) + step]?.focus();
    } else if (event.key === "Enter" && aim !== undefined) go(aim);
    else if (/^[\d.,]$/.test(event.key) && !event.ctrlKey && !event.metaKey) setTyping(event.key);
    else return;
    event.preventDefault();
    event.stopPropagation();
  };
  const half = difference === undefined ? 0 : Math.min(Math.abs(difference) / BAR_RANGE, 1) * 50;
  return (
    <td
      ref={box}
      // biome-ignore lint/a11y/noNoninteractiveTabindex: a cell of readings is walked and typed into like a grid
      tabIndex={0}
      data-reading={index}
      className={`reading${difference !== undefined && Math.abs(difference) > 3 ? " off" : ""}`}
      aria-label={`${NAMES[index]}: ${measured?.toFixed(1) ?? "not measured"}${aim === undefined ? "" : `, aim ${aim.toFixed(1)}`}`}
      title={
        miss
          ? `stays ${signed(-miss.difference, 1)} off: ${miss.reason}`
          : "type a value, arrows nudge, Enter meets the aim"
      }
      onKeyDown={onKey}
      onDoubleClick={() => aim !== undefined && go(aim)}
    >
      <span className="numbers">
        <span className="aim mono">{aim?.toFixed(1) ?? ""}</span>
        {typing === null ? (
          <span className="measured mono" data-testid={`reading-${index}`}>
            {miss && <span className="miss">!</span>}
            {measured?.toFixed(1) ?? "–"}
          </span>
        ) : (
          <input
            className="mono"
            aria-label={`${NAMES[index]}, new value`}
            // biome-ignore lint/a11y/noAutofocus: the field appears because the user began to type in it
            autoFocus
            value={typing}
            onChange={(event) => setTyping(event.target.value)}
            onBlur={() => setTyping(null)}
            onKeyDown={(event) => {
              event.stopPropagation();
              if (event.key === "Enter") finish();
              if (event.key === "Escape") setTyping(null);
            }}
          />
        )}
      </span>
      <span className="bar" aria-hidden="true">
        {difference !== undefined && (
          <i style={{ left: difference < 0 ? `${50 - half}%` : "50%", width: `${half}%` }} />
        )}
        <b />
      </span>
      <span className="difference mono">{difference === undefined ? "" : signed(difference, 1)}</span>
    </td>
  );
}

/** Measured, aim and difference of all ten readings. */
export function Readings() {
  return (
    <table className="readings" aria-label="Readings in percent">
      <thead>
        <tr>
          <th aria-label="channel" />
          {ZONES.map((zone) => (
            <th key={zone} className="mono">
              {zone}
            </th>
          ))}
        </tr>
      </thead>
      <tbody>
        {ROWS.map((row, r) => (
          <tr key={row}>
            <th>{row}</th>
            {ZONES.map((zone, z) => (
              <Cell key={zone} index={r * 3 + z} />
            ))}
          </tr>
        ))}
        <tr className="saturation">
          <th title="saturation">S</th>
          <Cell index={9} />
          <td colSpan={2} className="legend">
            aim <b>measured</b> · percent
          </td>
        </tr>
      </tbody>
    </table>
  );
}
