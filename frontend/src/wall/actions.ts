/** What the Wall does to shots: all of it through operations, so that each is undone as one. */
import {
  type Control,
  type Kept,
  noteOrder,
  type Operation,
  type ProposedFamily,
  patch,
  post,
  type Shot,
} from "../shared/api";
import { useDoing, useTurning } from "../shared/doing";

export const CONTROLS: Control[] = ["exposure", "white balance", "contrast", "saturation"];

/** What is shown from the press of a key until the server has begun. */
const BEGINS = {
  balance: "Balance begins.",
  match: "Match begins.",
  copy: "Copy begins.",
};

const ids = (shots: Shot[]) => shots.map((shot) => shot.id);

export function useActions() {
  const { said, setSaid, doing } = useDoing();
  const turned = useTurning();
  const batch = (order: {
    kind: "balance" | "match" | "copy";
    shots: Shot[];
    source?: number;
    steps?: string[];
    controls?: Control[];
    extended?: boolean;
    strength?: number;
  }) =>
    doing(async () => {
      await post<Operation>("/batches", { ...order, shots: ids(order.shots) });
      return null;
    }, BEGINS[order.kind]);
  const change = (shots: Shot[], to: { family_id?: number; state?: Shot["state"] }) =>
    doing(async () => {
      await patch("/shots", { shots: ids(shots), ...to });
      return null;
    });
  const note = (shots: Shot[], text: string) =>
    doing(async () => {
      await patch("/shots", noteOrder(shots, text));
      return null;
    });
  const turn = (way: "undo" | "redo") => doing(() => turned(way));
  return {
    said,
    balance: (shots: Shot[]) => batch({ kind: "balance", shots }),
    match: (shots: Shot[], how: { strength?: number; extended?: boolean } = {}) =>
      batch({ kind: "match", shots, ...how }),
    copy: (source: Shot, shots: Shot[], steps: string[], controls: Control[]) =>
      batch({ kind: "copy", shots, source: source.id, steps, controls }),
    change,
    note,
    makeReference: (shot: Shot) =>
      doing(async () => {
        const frames = shot.clip.frames ?? 1;
        await post<Kept>(`/shots/${shot.id}/keep`, { frame: Math.floor(frames / 2), as_reference: true });
        return null;
      }),
    newFamily: (name: string, shots: Shot[]) =>
      doing(async () => {
        await post("/families", { name, shots: ids(shots) });
        return null;
      }),
    arrange: (families: ProposedFamily[]) =>
      doing(async () => {
        await post("/families/arrange", { families: families.map(({ name, shots }) => ({ name, shots })) });
        return null;
      }),
    rename: (family: number, name: string) =>
      doing(async () => {
        await patch(`/families/${family}`, { name });
        return null;
      }),
    frame: (family: number, framing: "whole" | "reference") =>
      doing(async () => {
        await patch(`/families/${family}`, { framing });
        return null;
      }),
    merge: (family: number, into: number) =>
      doing(async () => {
        await patch(`/families/${family}`, { into });
        return null;
      }),
    undo: () => turn("undo"),
    redo: () => turn("redo"),
    say: setSaid,
  };
}

export type Actions = ReturnType<typeof useActions>;
