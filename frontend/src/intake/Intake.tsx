import { useQuery } from "@tanstack/react-query";
import { useState } from "react";
import { Button, Form, Table } from "react-bootstrap";
import {
  type Camera,
  type EncodingChoice,
  get,
  type IntakeAnswer,
  patch,
  post,
  type Refusal,
  type Shot,
} from "../shared/api";
import { useDay, useDayChanged } from "../shared/day";

interface Clip {
  width?: number;
  height?: number;
  rate?: [number, number];
  frames?: number;
  bit_depth?: number;
  full_range?: boolean;
  matrix?: string;
  transfer?: string;
  codec?: string;
  timecode?: string;
  warnings?: string[];
}

function rateText(rate: [number, number] | undefined): string {
  if (!rate) return "";
  const value = rate[0] / rate[1];
  return Number.isInteger(value) ? String(value) : value.toFixed(3);
}

function Row({
  shot,
  camera,
  onAgain,
}: {
  shot: Shot;
  camera: Camera | undefined;
  onAgain: (shot: Shot) => void;
}) {
  const clip = shot.clip as Clip;
  const state =
    shot.progress === "ready"
      ? (clip.warnings?.[0] ?? "measured")
      : shot.progress === "faulty"
        ? shot.fault
        : shot.progress === "measuring"
          ? "measuring"
          : "waiting";
  return (
    <tr className={shot.progress === "faulty" ? "faulty" : ""}>
      <td className="mono">
        <b>{shot.name}</b>
      </td>
      <td className="mono">{shot.file}</td>
      <td>{camera?.letter}</td>
      <td className="mono">{shot.roll}</td>
      <td className="mono num">{clip.timecode}</td>
      <td className="mono num">{clip.width ? `${clip.width}×${clip.height}` : ""}</td>
      <td className="mono num">{rateText(clip.rate)}</td>
      <td className="mono num">{clip.frames}</td>
      <td className="mono num">{clip.bit_depth}</td>
      <td>
        {[clip.matrix, clip.transfer, clip.matrix && (clip.full_range ? "full" : "narrow")]
          .filter((part, i, all) => part && all.indexOf(part) === i)
          .join(", ")}
      </td>
      <td className="mono" title={shot.checksum}>
        {shot.checksum.slice(0, 8)}
      </td>
      <td className="state">
        {state}
        {shot.progress === "faulty" && (
          <Button variant="quiet" onClick={() => onAgain(shot)}>
            try again
          </Button>
        )}
      </td>
    </tr>
  );
}

/** Taking in: folders, cameras with their encodings, and the day's list. */
export function Intake() {
  const day = useDay();
  const changed = useDayChanged();
  const folders = useQuery({ queryKey: ["folders"], queryFn: () => get<string[]>("/folders") });
  const encodings = useQuery({ queryKey: ["encodings"], queryFn: () => get<EncodingChoice[]>("/encodings") });
  const [folder, setFolder] = useState("");
  const [said, setSaid] = useState<string | null>(null);
  const attempt = async (action: () => Promise<string | null>) => {
    try {
      setSaid(await action());
    } catch (error) {
      setSaid((error as Refusal).message);
    }
    await changed();
  };
  const takeIn = () =>
    attempt(async () => {
      const answer = await post<IntakeAnswer>("/intake", { folder: folder || folders.data?.[0] });
      return `${answer.added} clips taken in, ${answer.already} were there already, ${answer.ignored} other files passed over.`;
    });
  const shots = day.data?.shots ?? [];
  const done = shots.filter((s) => s.progress === "ready" || s.progress === "faulty").length;
  return (
    <div className="intake">
      <div className="bar">
        <Form
          className="folder"
          onSubmit={(event) => {
            event.preventDefault();
            void takeIn();
          }}
        >
          <Form.Label htmlFor="folder">Folder or card</Form.Label>
          <Form.Control
            id="folder"
            className="mono"
            list="folders"
            value={folder}
            placeholder={folders.data?.[0] ?? "start the server with --media FOLDER"}
            onChange={(event) => setFolder(event.target.value)}
          />
          <datalist id="folders">
            {folders.data?.map((name) => (
              <option key={name} value={name} />
            ))}
          </datalist>
          <Button type="submit" variant="action">
            Take in
          </Button>
        </Form>
        <span role="status" className="second">
          {said ?? (shots.length ? `${done} of ${shots.length} measured` : "")}
        </span>
        {shots.length > 0 && done < shots.length && (
          <progress max={shots.length} value={done} aria-label="measured" />
        )}
      </div>
      <div className="cameras">
        {day.data?.cameras.map((camera) => (
          <div key={camera.id} className="camera">
            <b className="mono">{camera.letter}</b> {camera.name}
            <Form.Select
              aria-label={`encoding of camera ${camera.letter}`}
              value={camera.encoding}
              onChange={(event) =>
                attempt(async () => {
                  await patch<Camera>(`/cameras/${camera.id}`, { encoding: event.target.value });
                  return `Camera ${camera.letter} has a new encoding; its shots are measured again.`;
                })
              }
            >
              {encodings.data?.map((encoding) => (
                <option key={encoding.id} value={encoding.id}>
                  {encoding.name}
                </option>
              ))}
            </Form.Select>
          </div>
        ))}
      </div>
      {shots.length === 0 ? (
        <p className="empty">
          No clips yet. Name a folder or a camera card above and take it in; every clip below it is listed,
          checked and measured.
        </p>
      ) : (
        <div className="list">
          <Table>
            <thead>
              <tr>
                {["shot", "file", "cam", "roll"].map((name) => (
                  <th key={name}>{name}</th>
                ))}
                {["timecode", "size", "fps", "frames", "bits"].map((name) => (
                  <th key={name} className="num">
                    {name}
                  </th>
                ))}
                {["matrix, transfer, range", "checksum", "state"].map((name) => (
                  <th key={name}>{name}</th>
                ))}
              </tr>
            </thead>
            <tbody>
              {shots.map((shot) => (
                <Row
                  key={shot.id}
                  shot={shot}
                  camera={day.data?.cameras.find((c) => c.id === shot.camera_id)}
                  onAgain={(faulty) =>
                    void attempt(async () => {
                      await post<Shot>(`/shots/${faulty.id}/measure`);
                      return null;
                    })
                  }
                />
              ))}
            </tbody>
          </Table>
        </div>
      )}
    </div>
  );
}
