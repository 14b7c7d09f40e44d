import { useQuery, useQueryClient } from "@tanstack/react-query";
import { useState } from "react";
import { Button, Form } from "react-bootstrap";
import { type FilesCalled, get, type HandoverRecord, post, type Refusal, type Sampling } from "../shared/api";
import { useDay } from "../shared/day";
import { CLIPS, CUBE_SIZES, FORMATS, SHAPES, STILLS, WIDTHS, WORDS } from "./kinds";
import { Records } from "./Records";
import { ShotTable } from "./ShotTable";

const ticked = (all: string[], one: string, on: boolean) =>
  on ? [...all, one] : all.filter((id) => id !== one);

/** That a pattern gives several shots one name, by the first of such names. */
function clashSaid(clashes: [string, string[]][]): string {
  const [[name, of]] = clashes;
  const more = clashes.length > 1 ? `; so with ${clashes.length - 1} more` : "";
  return `${of.join(", ")} would all be ${name}${more}. Each has a number after it.`;
}

/** Choose shots and formats, write them, and see what was handed over. */
export function Handover() {
  const day = useDay();
  const client = useQueryClient();
  const records = useQuery({
    queryKey: ["handovers"],
    queryFn: () => get<HandoverRecord[]>("/handovers"),
  });
  const [formats, setFormats] = useState<string[]>(["cdl", "ccc"]);
  const [clips, setClips] = useState<string[]>([]);
  const [report, setReport] = useState(false);
  const [width, setWidth] = useState<number | null>(null);
  const [aspect, setAspect] = useState<number | null>(null);
  const [first, setFirst] = useState<number | null>(null);
  const [burnt, setBurnt] = useState(false);
  const [cubeSize, setCubeSize] = useState<17 | 33 | 65>(33);
  const [names, setNames] = useState("{name}");
  const [sampling, setSampling] = useState<Sampling>("keyframes");
  const [left, setLeft] = useState<Set<number>>(new Set());
  const [busy, setBusy] = useState(false);
  const [said, setSaid] = useState<string | null>(null);
  const [written, setWritten] = useState<number | null>(null);
  const ready = (day.data?.shots ?? []).filter((shot) => shot.progress === "ready");
  const notReady = (day.data?.shots ?? []).filter((shot) => shot.progress !== "ready" && !shot.off);
  const chosen = ready.filter((shot) => !left.has(shot.id));
  const shots = chosen.map((shot) => shot.id);
  const called = useQuery({
    queryKey: ["called", names, shots],
    queryFn: () => post<FilesCalled>("/handovers/names", { shots, names }),
    enabled: shots.length > 0 && names !== "",
    retry: false,
    placeholderData: (before) => before,
  });
  const clashes = Object.entries(called.data?.clashes ?? {});
  const write = async () => {
    setBusy(true);
    setSaid(null);
    try {
      const order = {
        shots,
        formats,
        clips,
        report,
        width,
        aspect,
        first,
        burnt,
        names,
        cube_size: cubeSize,
        sampling,
      };
      const record = await post<HandoverRecord>("/handovers", order);
      await client.invalidateQueries({ queryKey: ["handovers"], exact: true });
      setWritten(record.id);
      setSaid(`The workers write it to ${record.folder}.`);
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
        {notReady.length > 0 && (
          <p className="second" role="status">
            {notReady.length === 1
              ? `${notReady[0].name} is not measured and not listed here.`
              : `${notReady.length} shots are not measured and not listed here; Intake tells why.`}
          </p>
        )}
        <ShotTable
          ready={ready}
          left={left}
          onLeave={setLeft}
          formats={formats}
          called={called.isError ? undefined : called.data?.called}
        />
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
                a page of the day for people, printed on A4 as .pdf too where Chromium is at hand, and all
                measurements as .csv
              </span>
            </>
          }
        />
        {formats.includes("cube") && (
          <p>
            <label htmlFor="cube-size">A .cube has </label>
            <Form.Select
              id="cube-size"
              value={cubeSize}
              onChange={(event) => setCubeSize(Number(event.target.value) as 17 | 33 | 65)}
            >
              {CUBE_SIZES.map((size) => (
                <option key={size} value={size}>
                  {size} points a side
                </option>
              ))}
            </Form.Select>
          </p>
        )}
        <p className="named">
          <label htmlFor="names">Files are called </label>
          <Form.Control
            id="names"
            className="mono"
            spellCheck={false}
            value={names}
            isInvalid={called.isError || names === ""}
            aria-describedby="names-said"
            onChange={(event) => setNames(event.target.value)}
          />
          <span id="names-said" className="second" role="status">
            {called.isError
              ? called.error.message
              : clashes.length > 0
                ? clashSaid(clashes)
                : `from ${WORDS}`}
          </span>
        </p>
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
        <h2>Rendered</h2>
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
            <label htmlFor="aspect">, and </label>
            <Form.Select
              id="aspect"
              aria-label="cut to"
              value={aspect ?? ""}
              onChange={(event) => setAspect(event.target.value ? Number(event.target.value) : null)}
            >
              {SHAPES.map((one) => (
                <option key={one.text} value={one.aspect ?? ""}>
                  {one.text}
                </option>
              ))}
            </Form.Select>
            <Form.Check
              id="burnt"
              checked={burnt}
              onChange={(event) => setBurnt(event.target.checked)}
              label="name and timecode stand in the picture"
            />
            <span className="second">
              {" "}
              With sound, timecode and reel of the clip. Each file is read again and compared with the Desk.
            </span>
          </p>
        )}
        {clips.some((clip) => STILLS.includes(clip)) && (
          <p className="numbered">
            <label htmlFor="first">Stills are numbered from </label>
            <Form.Control
              id="first"
              type="number"
              min={0}
              max={9_999_999}
              placeholder="timecode"
              title="the number of the first still; nothing for its timecode, in frames since midnight"
              value={first ?? ""}
              onChange={(event) => setFirst(event.target.value === "" ? null : Number(event.target.value))}
            />
          </p>
        )}
        <Button
          variant="action"
          disabled={
            busy || chosen.length === 0 || (formats.length + clips.length === 0 && !report) || called.isError
          }
          onClick={() => void write()}
        >
          {`Hand over ${chosen.length} ${chosen.length === 1 ? "shot" : "shots"}`}
        </Button>
        <p role="status">{said}</p>
        <h2>Handed over</h2>
        {records.data?.length === 0 && <p className="second">Nothing yet.</p>}
        <Records records={records.data ?? []} opened={written} onCancel={(record) => void cancel(record)} />
      </section>
    </div>
  );
}
