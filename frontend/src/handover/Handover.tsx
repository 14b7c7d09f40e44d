import { useQuery, useQueryClient } from "@tanstack/react-query";
import { useState } from "react";
import { Button, Form, Table } from "react-bootstrap";
import { get, type HandoverRecord, post, type Refusal, type Sampling, type Shot } from "../shared/api";
import { useDay } from "../shared/day";
import { ChangeMark, distanceText, StateMark } from "../shared/marks";

const FORMATS = [
  { id: "cdl", name: ".cdl", carries: "one decision a shot: the ten numbers" },
  { id: "cc", name: ".cc", carries: "one correction a shot: the ten numbers" },
  { id: "ccc", name: ".ccc", carries: "one collection a family: the ten numbers of each shot" },
  {
    id: "cube",
    name: ".cube",
    carries: "33 points: the whole correction but for areas, recorded code values to display",
  },
] as const;

/** What of a shot's correction the chosen formats do not carry. */
function lacking(shot: Shot, formats: string[]): string {
  const without = formats.filter((format) => shot.left_out[format]);
  const names = new Set(without.flatMap((format) => shot.left_out[format] ?? []));
  return names.size > 0 ? `${[...names].join(", ")}, in ${without.map((one) => `.${one}`).join(" ")}` : "";
}

/** Choose shots and formats, write them, and see what was handed over. */
export function Handover() {
  const day = useDay();
  const client = useQueryClient();
  const records = useQuery({ queryKey: ["handovers"], queryFn: () => get<HandoverRecord[]>("/handovers") });
  const [formats, setFormats] = useState<string[]>(["cdl", "ccc"]);
  const [sampling, setSampling] = useState<Sampling>("keyframes");
  const [left, setLeft] = useState<Set<number>>(new Set());
  const [busy, setBusy] = useState(false);
  const [said, setSaid] = useState<string | null>(null);
  const [written, setWritten] = useState<number | null>(null);
  const ready = (day.data?.shots ?? []).filter((shot) => shot.progress === "ready");
  const chosen = ready.filter((shot) => !left.has(shot.id));
  const write = async () => {
    setBusy(true);
    setSaid(`Writing ${chosen.length} shots.`);
    try {
      const record = await post<HandoverRecord>("/handovers", {
        shots: chosen.map((shot) => shot.id),
        formats,
        sampling,
      });
      await client.invalidateQueries({ queryKey: ["handovers"] });
      setWritten(record.id);
      setSaid(`${record.files.length} files written to ${record.folder}.`);
    } catch (error) {
      setSaid((error as Refusal).message);
    }
    setBusy(false);
  };
  if (day.data && ready.length === 0)
    return <p className="empty">No shot is measured yet; there is nothing to hand over.</p>;
  return (
    <div className="handover">
      <section aria-label="Shots">
        <h2>Shots</h2>
        <div className="list">
          <Table>
            <thead>
              <tr>
                <th>
                  <Form.Check
                    aria-label="all shots"
                    checked={chosen.length === ready.length}
                    onChange={(event) =>
                      setLeft(event.target.checked ? new Set() : new Set(ready.map((s) => s.id)))
                    }
                  />
                </th>
                <th>shot</th>
                <th>family</th>
                <th className="num">distance</th>
                <th className="num">version</th>
                <th>left out</th>
              </tr>
            </thead>
            <tbody>
              {ready.map((shot) => (
                <tr key={shot.id}>
                  <td>
                    <Form.Check
                      aria-label={shot.name}
                      checked={!left.has(shot.id)}
                      onChange={(event) => {
                        const next = new Set(left);
                        if (event.target.checked) next.delete(shot.id);
                        else next.add(shot.id);
                        setLeft(next);
                      }}
                    />
                  </td>
                  <td className="mono">
                    <StateMark state={shot.state} /> <b>{shot.name}</b> <ChangeMark shot={shot} />
                  </td>
                  <td>{day.data?.families.find((f) => f.id === shot.family_id)?.name}</td>
                  <td className="mono num">{distanceText(shot.distance)}</td>
                  <td className="mono num">{shot.version_id ?? "as recorded"}</td>
                  <td className="second">{lacking(shot, formats)}</td>
                </tr>
              ))}
            </tbody>
          </Table>
        </div>
      </section>
      <section aria-label="Formats" className="formats">
        <h2>Formats</h2>
        {FORMATS.map((format) => (
          <Form.Check
            key={format.id}
            id={`format-${format.id}`}
            checked={formats.includes(format.id)}
            onChange={(event) =>
              setFormats(
                event.target.checked ? [...formats, format.id] : formats.filter((f) => f !== format.id),
              )
            }
            label={
              <>
                <b className="mono">{format.name}</b> <span className="second">{format.carries}</span>
              </>
            }
          />
        ))}
        {chosen.some((shot) => shot.changes) && (
          <p>
            <label htmlFor="sampling">A shot with keyframes gives a file for each </label>
            <Form.Select
              id="sampling"
              value={sampling}
              onChange={(event) => setSampling(event.target.value as Sampling)}
            >
              <option value="keyframes">keyframe</option>
              <option value="stretches">stretch between two, as it is in its middle</option>
            </Form.Select>
            <span className="second"> named by its frame: these formats know no time.</span>
          </p>
        )}
        <p className="second">
          The ten numbers apply in ACEScct without clamping; each file says so. They are the whole correction
          but for steps of other kinds, which only a .cube carries, and areas, which none does; “left out”
          names them.
        </p>
        <Button
          variant="action"
          disabled={busy || chosen.length === 0 || formats.length === 0}
          onClick={() => void write()}
        >
          {busy ? "Writing" : `Hand over ${chosen.length} ${chosen.length === 1 ? "shot" : "shots"}`}
        </Button>
        <p role="status">{said}</p>
        <h2>Handed over</h2>
        {records.data?.length === 0 && <p className="second">Nothing yet.</p>}
        <ul className="records">
          {records.data?.map((record) => (
            <li key={record.id}>
              <b className="mono">{new Date(record.made_at).toLocaleString("en-GB")}</b>
              <details open={record.id === written}>
                <summary>{record.files.length} files</summary>
                {record.files.map((file) => (
                  <a
                    key={file.name}
                    className="mono"
                    href={`/api/handovers/${record.id}/${file.name}`}
                    download
                  >
                    {file.name}
                  </a>
                ))}
              </details>
            </li>
          ))}
        </ul>
      </section>
    </div>
  );
}
