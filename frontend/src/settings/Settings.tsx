import { useQuery } from "@tanstack/react-query";
import { useState } from "react";
import { Button, Form } from "react-bootstrap";
import { NOTHING_DONE, OWN } from "../correction/model";
import {
  type Day,
  type EncodingChoice,
  type EncodingEntry,
  get,
  type OutputChoice,
  type Production,
  patch,
  put,
} from "../shared/api";
import { useWholeDay } from "../shared/day";
import { useDoing, useTurning } from "../shared/doing";
import { SETTINGS_KEYS as K } from "../shared/keys";
import { useKey } from "../shared/pressing";
import { OwnKeys } from "./OwnKeys";

type Kept = Pick<
  Production,
  "name" | "day" | "output" | "percentiles" | "tolerance" | "assumed_encoding" | "encodings"
>;

/** What a change touches, said before it is made. */
function touched(was: Kept, will: Kept, shots: number): string[] {
  const told: string[] = [];
  const again = `all ${shots} shots are measured anew`;
  if (was.output !== will.output)
    told.push(
      `Another output: ${again}, and a correction looks as the new output shows it. The ten numbers stay.`,
    );
  if (was.percentiles.join() !== will.percentiles.join())
    told.push(`Other percentiles: lows, mids and highs mean other parts of the picture; ${again}.`);
  if (was.tolerance !== will.tolerance)
    told.push(
      "Another tolerance: other shots may count as out of tolerance. Nothing is measured or changed.",
    );
  if (
    was.assumed_encoding !== will.assumed_encoding ||
    JSON.stringify(was.encodings) !== JSON.stringify(will.encodings)
  )
    told.push(
      "Encodings: for clips that are taken in from now on. Cameras that are there keep theirs; change them on Intake.",
    );
  return told;
}

function Table({
  entries,
  encodings,
  onChange,
}: {
  entries: EncodingEntry[];
  encodings: EncodingChoice[];
  onChange: (entries: EncodingEntry[]) => void;
}) {
  const put = (at: number, to: Partial<EncodingEntry>) =>
    onChange(entries.map((entry, place) => (place === at ? { ...entry, ...to } : entry)));
  return (
    <table className="encodings">
      <thead>
        <tr>
          <th>make, as tagged</th>
          <th>model (empty: every model)</th>
          <th>encoding</th>
          <th>
            <span className="visually-hidden">remove</span>
          </th>
        </tr>
      </thead>
      <tbody>
        {entries.map((entry, at) => (
          // biome-ignore lint/suspicious/noArrayIndexKey: what is typed is no key
          <tr key={at}>
            <td>
              <Form.Control
                size="sm"
                aria-label="make"
                value={entry.make}
                maxLength={100}
                onChange={(e) => put(at, { make: e.target.value })}
              />
            </td>
            <td>
              <Form.Control
                size="sm"
                aria-label="model"
                value={entry.model}
                maxLength={100}
                onChange={(e) => put(at, { model: e.target.value })}
              />
            </td>
            <td>
              <Form.Select
                size="sm"
                aria-label="encoding"
                value={entry.encoding}
                onChange={(e) => put(at, { encoding: e.target.value })}
              >
                {encodings.map((one) => (
                  <option key={one.id} value={one.id}>
                    {one.name}
                  </option>
                ))}
              </Form.Select>
            </td>
            <td>
              <button
                type="button"
                className="plain link"
                onClick={() => onChange(entries.filter((_, place) => place !== at))}
              >
                remove
              </button>
            </td>
          </tr>
        ))}
      </tbody>
    </table>
  );
}

const STARTERS = { shot: "a new shot", family: "a new family" } as const;

/** What new shots and families start with: made on the Desk, taken back here. */
function Templates({ production }: { production: Production }) {
  const { said, doing } = useDoing();
  const plain = (level: "shot" | "family") =>
    doing(async () => {
      const order = { correction: NOTHING_DONE[level], base: production.template[level] };
      await put<Production>(`/template/${level}`, order);
      return "Done. Ctrl Z undoes it.";
    });
  return (
    <section className="wide">
      <h2>Steps of new shots and families</h2>
      {(["shot", "family"] as const).map((level) => {
        const { steps } = production.template[level];
        return (
          <p key={level}>
            {STARTERS[level]}:{" "}
            <span className="mono">
              {steps.map((step) => step.id + (step.on ? "" : " (off)")).join(", ")}
            </span>{" "}
            {steps.length > 1 && (
              <button type="button" className="plain link" onClick={() => void plain(level)}>
                {OWN[level]} alone
              </button>
            )}
          </p>
        );
      })}
      <p className="second">
        On the Desk, “as template” in the list that “+ step” opens lets new shots, or new families, start with
        the same steps. Those that are there already stay as they are. {said}
      </p>
    </section>
  );
}

function SettingsForm({ day }: { day: Day }) {
  const { production } = day;
  const was: Kept = {
    name: production.name,
    day: production.day,
    output: production.output,
    percentiles: production.percentiles,
    tolerance: production.tolerance,
    assumed_encoding: production.assumed_encoding,
    encodings: production.encodings,
  };
  const [edited, setEdited] = useState<Partial<Kept>>({});
  const will = { ...was, ...edited };
  const outputs = useQuery({ queryKey: ["outputs"], queryFn: () => get<OutputChoice[]>("/outputs") });
  const encodings = useQuery({ queryKey: ["encodings"], queryFn: () => get<EncodingChoice[]>("/encodings") });
  const { said, doing } = useDoing();
  const turned = useTurning();
  const edit = (to: Partial<Kept>) => setEdited((before) => ({ ...before, ...to }));
  const changed = (Object.keys(edited) as (keyof Kept)[]).filter(
    (name) => JSON.stringify(was[name]) !== JSON.stringify(will[name]),
  );
  const keep = () =>
    doing(async () => {
      const order = Object.fromEntries(changed.map((name) => [name, will[name]]));
      const base = Object.fromEntries(changed.map((name) => [name, was[name]]));
      await patch<Production>("/production", { ...order, base });
      setEdited({});
      return "Saved. Ctrl Z undoes it.";
    });
  const turn = (way: "undo" | "redo") => doing(() => turned(way));
  useKey(K.undo.key, () => turn("undo"));
  useKey(K.redo.key, () => turn("redo"));
  const monitor = outputs.data?.find((one) => one.id === will.output)?.monitor;
  return (
    <Form
      className="settings"
      onSubmit={(event) => {
        event.preventDefault();
        void keep();
      }}
    >
      <section>
        <h2>The production</h2>
        <Form.Label>
          name
          <Form.Control value={will.name} maxLength={200} onChange={(e) => edit({ name: e.target.value })} />
        </Form.Label>
        <Form.Label>
          day
          <Form.Control value={will.day} maxLength={100} onChange={(e) => edit({ day: e.target.value })} />
        </Form.Label>
        <Form.Label>
          output
          <Form.Select value={will.output} onChange={(e) => edit({ output: e.target.value })}>
            {outputs.data?.map((one) => (
              <option key={one.id} value={one.id}>
                {one.name}
              </option>
            ))}
          </Form.Select>
        </Form.Label>
        {monitor && <p className="second">The monitor: {monitor}.</p>}
      </section>
      <section>
        <h2>Measuring</h2>
        <div className="three">
          {["lows", "mids", "highs"].map((zone, i) => (
            <Form.Label key={zone}>
              {zone}
              <Form.Control
                type="number"
                className="mono"
                min={0}
                max={100}
                step={0.1}
                value={will.percentiles[i]}
                onChange={(e) =>
                  edit({
                    percentiles: will.percentiles.map((old, at) => (at === i ? Number(e.target.value) : old)),
                  })
                }
              />
            </Form.Label>
          ))}
        </div>
        <p className="second">The percentiles of each channel that the readings are taken at.</p>
        <Form.Label>
          tolerance
          <Form.Control
            type="number"
            className="mono"
            min={0.1}
            max={50}
            step={0.1}
            value={will.tolerance}
            onChange={(e) => edit({ tolerance: Number(e.target.value) })}
          />
        </Form.Label>
        <p className="second">
          The distance to the reference (CIEDE2000) up to which a shot counts as matched, seen from where the
          reference is seen. Seen from elsewhere it is half as much again.
        </p>
      </section>
      <section className="wide">
        <h2>Encodings</h2>
        <Form.Label>
          encoding of clips without a tag
          <Form.Select
            value={will.assumed_encoding}
            onChange={(e) => edit({ assumed_encoding: e.target.value })}
          >
            {encodings.data?.map((one) => (
              <option key={one.id} value={one.id}>
                {one.name}
              </option>
            ))}
          </Form.Select>
        </Form.Label>
        <Table
          entries={will.encodings}
          encodings={encodings.data ?? []}
          onChange={(entries) => edit({ encodings: entries })}
        />
        <button
          type="button"
          className="plain link"
          onClick={() =>
            edit({ encodings: [...will.encodings, { make: "", model: "", encoding: will.assumed_encoding }] })
          }
        >
          add a make
        </button>
      </section>
      <Templates production={production} />
      <OwnKeys />
      <div className="keep">
        <Button type="submit" variant="action" disabled={changed.length === 0}>
          Save
        </Button>
        {changed.length > 0 && (
          <Button variant="quiet" onClick={() => setEdited({})}>
            discard
          </Button>
        )}
        <div role="status">
          {changed.length > 0
            ? touched(was, will, day.shots.length).map((line) => <p key={line}>{line}</p>)
            : said}
        </div>
      </div>
    </Form>
  );
}

/** The production's settings; a change says what it touches before it is kept. */
export function Settings() {
  const day = useWholeDay();
  if (!day.data) return <p className="empty">{day.isError ? day.error.message : "Opening the day."}</p>;
  return <SettingsForm day={day.data} />;
}
