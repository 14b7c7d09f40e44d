/** What Intake does to clips and cameras: all of it through operations, so that each is undone as one. */
import {
  type Camera,
  type IntakeAnswer,
  patch,
  post,
  type Reading,
  type Shot,
  type Written,
} from "../shared/api";
import { useDoing, useTurning } from "../shared/doing";

const ids = (shots: Shot[]) => shots.map((shot) => shot.id);
const some = (count: number) => `${count} clip${count === 1 ? "" : "s"}`;

export function useIntakeActions() {
  const { said, setSaid, doing } = useDoing();
  const turned = useTurning();
  const read = (shots: Shot[], reading: Reading) => patch("/shots", { shots: ids(shots), reading });
  const turn = (way: "undo" | "redo") => doing(() => turned(way));
  return {
    said,
    say: setSaid,
    takeIn: (folder: string) =>
      doing(async () => {
        setSaid("Looking for clips.");
        const answer = await post<IntakeAnswer>("/intake", { folder });
        const stopped = answer.stopped ? " Stopped; go on when you like." : "";
        const { replaced = [] } = answer;
        const other =
          replaced.length > 0 ? ` Replaced since they were taken in: ${replaced.join(", ")}.` : "";
        return `${some(answer.added)} taken in, ${answer.already} there already, ${answer.ignored} files skipped.${other}${stopped}`;
      }),
    stop: async () => {
      const waiting = await post<number>("/intake/stop");
      setSaid(`Stopped; ${some(waiting)} wait to be measured.`);
    },
    goOn: () =>
      doing(async () => {
        await post<IntakeAnswer>("/intake/go-on");
        return "Going on.";
      }),
    writeChecksums: () =>
      doing(async () => {
        const { path, files } = await post<Written>("/intake/checksums");
        return `Checksums of ${files} files are in ${path}.`;
      }),
    /** What is assumed of the clips is right. */
    right: (shots: Shot[]) =>
      doing(async () => {
        const groups = new Map<string, Shot[]>();
        for (const shot of shots) {
          const { assumed = [], full_range, matrix } = shot.clip;
          const reading: Reading = {};
          if (assumed.includes("range")) reading.range = full_range ? "full" : "narrow";
          if (assumed.includes("matrix")) reading.matrix = matrix as Reading["matrix"];
          const key = JSON.stringify(reading);
          if (key !== "{}") groups.set(key, [...(groups.get(key) ?? []), shot]);
        }
        for (const [key, group] of groups) await read(group, JSON.parse(key));
        return groups.size === 0
          ? "Nothing is assumed of these clips; their cameras' encodings are on the left."
          : null;
      }),
    read: (shots: Shot[], reading: Reading) =>
      doing(async () => {
        await read(shots, reading);
        return `${some(shots.length)} read anew.`;
      }),
    off: (shots: Shot[], off: boolean) =>
      doing(async () => {
        await patch("/shots", { shots: ids(shots), off });
        return off
          ? `${some(shots.length)} set aside; Ctrl Z brings them back.`
          : `${some(shots.length)} brought back.`;
      }),
    again: (shots: Shot[]) =>
      doing(async () => {
        for (const shot of shots) await post(`/shots/${shot.id}/measure`);
        return null;
      }),
    join: (shots: Shot[]) =>
      doing(async () => {
        const first = await post<Shot>("/shots/join", { shots: ids(shots) });
        return `Joined into ${first.name}.`;
      }),
    move: (shots: Shot[], camera: number) =>
      doing(async () => {
        await patch("/shots", { shots: ids(shots), camera_id: camera });
        return null;
      }),
    newCamera: (letter: string, name: string, encoding: string, shots: Shot[]) =>
      doing(async () => {
        await post<Camera>("/cameras", { letter, name, encoding, shots: ids(shots) });
        return null;
      }),
    changeCamera: (
      camera: Camera,
      to: { letter?: string; name?: string; encoding?: string; into?: number; remember?: boolean },
    ) =>
      doing(async () => {
        await patch<Camera>(`/cameras/${camera.id}`, to);
        if (to.into !== undefined) return `Camera ${camera.letter} is merged.`;
        return to.encoding && to.encoding !== camera.encoding
          ? `Camera ${camera.letter}'s clips are measured anew.`
          : null;
      }),
    undo: () => turn("undo"),
    redo: () => turn("redo"),
  };
}

export type IntakeActions = ReturnType<typeof useIntakeActions>;
