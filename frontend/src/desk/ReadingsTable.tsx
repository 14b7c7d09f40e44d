import { type KeyboardEvent, useRef, useState } from "react";
import { useScopes } from "../scopes/settings";
import { useDay } from "../shared/day";
import { worded } from "../shared/glossary";
import { signed } from "../shared/marks";
import { differenceOf, fromUnit, levelText, type Unit } from "../shared/units";
import { withAims } from "./exchange";
import { aimsFor, FORMS, type Form, inForm, ROWS, readingName, ZONES } from "./readings";
import { meet } from "./saving";
import { useDesk } from "./state";

const BAR_RANGE = 12;
const TOLERANCE = 3;

interface Place {
  form: Form;
  /** Row and zone of one of the nine; the saturation has none. */
  row: number | null;
  zone: number;
}

const nameOf = ({ form, row, zone }: Place) =>
  row === null
    ? "saturation"
    : form === "R G B"
      ? readingName(row * 3 + zone)
      : `${ROWS[form][row][1]} ${ZONES[zone]}`;

const readIn = (readings: number[], { form, row, zone }: Place) =>
  row === null ? readings[9] : inForm(readings, form, row, zone);

/** Differences of colour and the saturation stay percentages; levels follow the unit chosen. */
const unitOf = ({ form, row }: Place, unit: Unit): Unit =>
  row === null || (form !== "R G B" && row > 0) ? "%" : unit;

const indicesOf = ({ form, row, zone }: Place) =>
  row === null ? [9] : form === "R G B" ? [row * 3 + zone] : [zone, 3 + zone, 6 + zone];

function Cell({ place, output }: { place: Place; output: string }) {
  const readings = useDesk((state) => state.told?.readings);
  const reference = useDesk((state) => state.referenceReadings);
  const missed = useDesk((state) => state.told?.missed);
  const unit = unitOf(
    place,
    useScopes((state) => state.unit),
  );
  const [typing, setTyping] = useState<string | null>(null);
  const box = useRef<HTMLTableCellElement>(null);
  const name = nameOf(place);
  const indices = indicesOf(place);
  const miss = missed?.find((m) => indices.includes(m.reading));
  const measured = readings && readIn(readings, place);
  const aim = reference ? readIn(reference, place) : undefined;
  const difference = measured !== undefined && aim !== undefined ? measured - aim : undefined;
  const isSigned = place.form !== "R G B" && (place.row ?? 0) > 0;
  const shown = (percent: number) => (isSigned ? signed(percent, 1) : levelText(percent, unit, output));

  const go = (value: number) => {
    if (!readings) return;
    const aims =
      place.row === null
        ? new Map([[9, Math.min(Math.max(value, 0.1), 60)]])
        : aimsFor(
            readings,
            place.form,
            place.row,
            place.zone,
            isSigned ? value : Math.min(Math.max(value, 0), 110),
          );
    meet(`${name} to ${value.toFixed(1)} %`, aims);
  };
  const finish = () => {
    const wanted = Number((typing ?? "").replace(",", ".").replace("−", "-"));
    if (typing?.trim() && Number.isFinite(wanted)) go(fromUnit(wanted, unit, output));
    setTyping(null);
    box.current?.focus();
  };
  const onKey = (event: KeyboardEvent) => {
    if (typing !== null || measured === undefined) return;
    const nudge = { ArrowUp: 1, ArrowDown: -1 }[event.key];
    const step = { ArrowLeft: -1, ArrowRight: 1 }[event.key];
    const cells = [...(box.current?.closest("table")?.querySelectorAll<HTMLElement>("[data-reading]") ?? [])];
    const at = cells.indexOf(box.current as HTMLElement);
    if (nudge && event.ctrlKey) cells[Math.min(Math.max(at - 3 * nudge, 0), cells.length - 1)]?.focus();
    else if (nudge) go(measured + nudge * (event.shiftKey ? 0.1 : 1));
    else if (step) cells[at + step]?.focus();
    else if (event.key === "Enter" && aim !== undefined) go(aim);
    else if (/^[\d.,-]$/.test(event.key) && !event.ctrlKey && !event.metaKey) setTyping(event.key);
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
      data-reading={place.row === null ? 9 : place.row * 3 + place.zone}
      className={`reading${difference !== undefined && Math.abs(difference) > TOLERANCE ? " off" : ""}`}
      aria-label={`${name}: ${measured === undefined ? "not measured" : shown(measured)}${aim === undefined ? "" : `, target ${shown(aim)}`}`}
      title={
        miss
          ? `stays ${signed(-miss.difference, 1)} off: ${miss.reason}`
          : "type a value, arrows nudge, Enter meets the target"
      }
      onKeyDown={onKey}
      onDoubleClick={() => aim !== undefined && go(aim)}
    >
      <span className="numbers">
        <span className="aim mono">{aim === undefined ? "" : shown(aim)}</span>
        {typing === null ? (
          <span
            className="measured mono"
            data-testid={`reading-${place.row === null ? 9 : place.row * 3 + place.zone}`}
          >
            {miss && <span className="miss">!</span>}
            {measured === undefined ? "–" : shown(measured)}
          </span>
        ) : (
          <input
            className="mono"
            aria-label={`${name}, new value`}
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
      <span className="difference mono">
        {difference === undefined || measured === undefined || aim === undefined
          ? ""
          : signed(
              isSigned ? difference : differenceOf(measured, aim, unit, output),
              unit === "code" ? 0 : 1,
            )}
      </span>
    </td>
  );
}

/** Meet the reference in a row or a column of the nine. */
function meetMany(name: string, places: Place[]) {
  withAims((reference) => meetAims(name, places, reference));
}

function meetAims(name: string, places: Place[], reference: number[]) {
  const { shown } = useDesk.getState();
  if (!shown) return;
  const values = [...shown.readings];
  const moved = new Set<number>();
  for (const place of places) {
    const aims = aimsFor(values, place.form, place.row ?? 0, place.zone, readIn(reference, place));
    for (const [index, aim] of aims) {
      values[index] = aim;
      moved.add(index);
    }
  }
  meet(`${name} met the reference`, new Map([...moved].map((index) => [index, values[index]])));
}

/** Measured, aim and difference of all ten readings. */
export function Readings() {
  const [form, setForm] = useState<Form>("R G B");
  const day = useDay();
  const output = day.data?.production.output ?? "rec709";
  const hasAims = useDesk((state) => state.referenceReadings !== null);
  const unit = useScopes((state) => state.unit);
  const meetButton = (text: string, name: string, places: Place[]) => (
    <button
      type="button"
      className="plain"
      disabled={!hasAims}
      title={hasAims ? `meet the reference: ${name}` : "the family has no reference yet"}
      onClick={() => meetMany(name, places)}
    >
      {text}
    </button>
  );
  return (
    <table className="readings" aria-label="Readings">
      <thead>
        <tr>
          <th>
            <span className="visually-hidden">signal</span>
          </th>
          {ZONES.map((zone, z) => (
            <th key={zone} className="mono" title={worded("Reading")}>
              {meetButton(
                zone,
                `all ${zone}`,
                [0, 1, 2].map((row) => ({ form, row, zone: z })),
              )}
            </th>
          ))}
        </tr>
      </thead>
      <tbody>
        {ROWS[form].map(([short, long], row) => (
          <tr key={long}>
            <th title={long}>
              {meetButton(
                short,
                long,
                [0, 1, 2].map((zone) => ({ form, row, zone })),
              )}
            </th>
            {ZONES.map((zone, z) => (
              <Cell key={zone} place={{ form, row, zone: z }} output={output} />
            ))}
          </tr>
        ))}
        <tr className="saturation">
          <th title="saturation">S</th>
          <Cell place={{ form, row: null, zone: 0 }} output={output} />
          <td colSpan={2} className="legend">
            target <b>measured</b> · {unit} ·{" "}
            <button
              type="button"
              className="plain switch"
              onClick={() => setForm(FORMS[(FORMS.indexOf(form) + 1) % FORMS.length])}
            >
              show {form === "R G B" ? "level, warm–cool, green–magenta" : "R G B"}
            </button>
          </td>
        </tr>
      </tbody>
    </table>
  );
}
