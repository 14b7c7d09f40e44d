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
  { id: "otio", name: ".otio", carries: "the line-up, each use with its ten numbers" },
  { id: "edl", name: ".edl", carries: "the same, with ASC_SOP and ASC_SAT comments" },
  { id: "clf", name: ".clf", carries: "all that acts on colours by themselves, ACEScct to ACEScct" },
] as const;

const CLIPS = [
  {
    id: "prores-4444",
    name: "ProRes 4444",
    carries: "10 bits, colour at full width: shows what the Desk shows",
  },
  { id: "prores-422", name: "ProRes 422 HQ", carries: "10 bits, for editing" },
  { id: "hevc", name: "HEVC", carries: "4:2:0, 10 bits" },
  { id: "h264", name: "H.264", carries: "4:2:0, 8 bits, for viewing" },
  { id: "dpx", name: "DPX", carries: "a folder of stills, 10 bits" },
  { id: "tiff", name: "TIFF", carries: "a folder of stills, 16 bits" },
  { id: "png", name: "PNG", carries: "a folder of stills, 16 bits" },
] as const;

/** Kinds that are a folder of stills, which is not fetched through the page. */
const STILLS = ["dpx", "tiff", "png"];

const WIDTHS = [
  { width: null, text: "as wide as the clip" },
  { width: 1920, text: "1920 wide, if the clip is wider" },
  { width: 1280, text: "1280 wide, if the clip is wider" },
  { width: 960, text: "960 wide, if the clip is wider" },
] as const;

const ticked = (all: string[], one: string, on: boolean) =>
  on ? [...all, one] : all.filter((id) => id !== one);

const isUnderway = ({ state }: HandoverRecord["items"][number]) => state === "waiting" || state === "working";

/** What became of a shot that is rendered in the background. */
function Item({ record, item }: { record: HandoverRecord; item: HandoverRecord["items"][number] }) {
  const said = {
    waiting: "waits",
    working: `${(100 * item.part).toFixed(0)} %`,
    done: `${item.difference?.toFixed(2)} from the Desk`,
    failed: item.said,
    cancelled: "cancelled",
  }[item.state];
  const isFile = !STILLS.includes(item.kind);
  return (
    <span className={`rendered ${item.state}`}>
      {item.state === "done" && isFile ? (
        <a className="mono" href={`/api/handovers/${record.id}/${item.name}`} download>
          {item.name}
        </a>
      ) : (
        <span className="mono">{item.name}</span>
      )}{" "}
      <span className="second">{said}</span>
    </span>
  );
}

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
  const records = useQuery({
    queryKey: ["handovers"],
    queryFn: () => get<HandoverRecord[]>("/handovers"),
    refetchInterval: ({ state }) => (state.data?.some((one) => one.items.some(isUnderway)) ? 1000 : false),
  });
  const [formats, setFormats] = useState<string[]>(["cdl", "ccc"]);
  const [clips, setClips] = useState<string[]>([]);
  const [report, setReport] = useState(false);
  const [width, setWidth] = useState<number | null>(null);
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
        clips,
        report,
        width,
        sampling,
      });
      await client.invalidateQueries({ queryKey: ["handovers"] });
      setWritten(record.id);
      const rendered =
        record.items.length > 0 ? `; ${record.items.length} more are rendered in the background` : "";
      setSaid(`${record.files.length} files written to ${record.folder}${rendered}.`);
    } catch (error) {
      setSaid((error as Refusal).message);
    }
    setBusy(false);
  };
  const cancel = async (record: HandoverRecord) => {
    try {
      await post(`/handovers/${record.id}/cancel`);
      await client.invalidateQueries({ queryKey: ["handovers"] });
    } catch (error) {
      setSaid((error as Refusal).message);
    }
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
            onChange={(event) => setFormats(ticked(formats, format.id, event.target.checked))}
            label={
              <>
                <b className="mono">{format.name}</b> <span className="second">{format.carries}</span>
              </>
            }
          />
        ))}
        <Form.Check
          id="report"
          checked={report}
          onChange={(event) => setReport(event.target.checked)}
          label={
            <>
              <b>report</b>{" "}
              <span className="second">
                a page of the day for people, which prints on A4, and all measurements as .csv
              </span>
            </>
          }
        />
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
          but for steps of other kinds, which a .cube and a .clf carry, and areas, which neither does; “left
          out” names them.
        </p>
        <h2>Rendered, in the background</h2>
        <div className="rendering">
          {CLIPS.map((clip) => (
            <Form.Check
              key={clip.id}
              id={`clip-${clip.id}`}
              checked={clips.includes(clip.id)}
              onChange={(event) => setClips(ticked(clips, clip.id, event.target.checked))}
              label={
                <>
                  <b>{clip.name}</b> <span className="second">{clip.carries}</span>
                </>
              }
            />
          ))}
        </div>
        {clips.length > 0 && (
          <p>
            <label htmlFor="width">Pictures are </label>
            <Form.Select
              id="width"
              value={width ?? ""}
              onChange={(event) => setWidth(event.target.value ? Number(event.target.value) : null)}
            >
              {WIDTHS.map((one) => (
                <option key={one.text} value={one.width ?? ""}>
                  {one.text}
                </option>
              ))}
            </Form.Select>
            <span className="second">
              {" "}
              With sound, timecode and reel of the clip. Each file is read again and compared with the Desk.
            </span>
          </p>
        )}
        <Button
          variant="action"
          disabled={busy || chosen.length === 0 || (formats.length + clips.length === 0 && !report)}
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
                <summary>
                  {record.files.length} files
                  {record.items.length > 0 &&
                    `, ${record.items.filter((one) => one.state === "done").length} of ${record.items.length} rendered`}
                </summary>
                {record.items.some(isUnderway) && (
                  <button type="button" className="plain link" onClick={() => void cancel(record)}>
                    cancel what is being rendered
                  </button>
                )}
                {record.items.map((item) => (
                  <Item key={item.name} record={record} item={item} />
                ))}
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
