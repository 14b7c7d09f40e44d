/** Looks: their files, what each makes of a frame, and the step that holds one. */

import { useQuery, useQueryClient } from "@tanstack/react-query";
import { useCallback } from "react";
import { freeName } from "../correction/model";
import { bring, get, type LookAnswer, type LookFile, type Looks, post, type Values } from "../shared/api";
import { KEYS, shownOf } from "../shared/keys";
import { editValues, flush } from "./saving";
import { inHandValues, useDesk } from "./state";
import { addStepOf } from "./steps";

export type Look = Extract<Values, { kind: "look" }>;

const set = useDesk.setState;
const state = useDesk.getState;

/** The looks that are kept and the spaces they may take and give; and what has them asked for again. */
export function useLooks(): { looks: Looks | undefined; changed: () => Promise<void> } {
  const client = useQueryClient();
  const { data } = useQuery({ queryKey: ["looks"], queryFn: () => get<Looks>("/looks") });
  const changed = useCallback(() => client.invalidateQueries({ queryKey: ["looks"] }), [client]);
  return { looks: data, changed };
}

/** The look of the current step, if it is one. */
export function lookInHand(): Look | null {
  const values = inHandValues(state());
  return values?.kind === "look" ? values : null;
}

/** A file as a step holds it: in the spaces that the current step says, if it holds the same one, else as the file says. */
export function lookOf(file: LookFile, strength: number): Look {
  const held = lookInHand();
  const { takes, gives } = held?.digest === file.digest ? held : file;
  return { kind: "look", digest: file.digest, name: file.name, takes, gives, strength };
}

/** Whether looks can stand at the current level. */
export const takesLooks = () => state().focus.level === "family" || state().focus.level === "show";

/** Open the sheet on which looks are compared. */
export function compareLooks() {
  if (takesLooks()) set({ lookSheet: true, adding: false, refused: null });
  else
    set({
      refused: `A look stands at the family or the show; press ${shownOf(KEYS.level)} until edits go there.`,
    });
}

/** What a look makes of the frame on the desk; of none, the frame without one. */
export function lookedAt(look: Look | null): Promise<LookAnswer> {
  const { shot, frame, now, focus } = state();
  return post<LookAnswer>(`/shots/${shot?.id}/looked`, {
    shot: shot?.id,
    frame,
    levels: now,
    ...focus,
    look,
  });
}

/** What a look makes of a kept frame. */
export const lookedAtKept = (kept: number, look: Look | null): Promise<LookAnswer> =>
  post<LookAnswer>(`/kept/${kept}/looked`, { level: state().focus.level, look });

/** Put a look into the current step, if that is one, or into a new step after it. */
export async function chooseLook(look: Look) {
  set({ lookSheet: false });
  if (lookInHand()) {
    editValues(`look ${look.name}`, look);
    await flush();
  } else await addStepOf("look", look);
}

/** Keep a file that the user has chosen. */
export const bringIn = (file: File): Promise<LookFile> =>
  bring<LookFile>(`/looks?name=${encodeURIComponent(file.name)}`, file);

/** Make a file of what the current level does to colours, its looks left out. */
export function makeLook(name: string): Promise<LookFile> {
  const { now, focus } = state();
  const steps = now[focus.level].steps.filter((step) => step.values.kind !== "look");
  return post<LookFile>("/looks/made", { name, correction: { steps } });
}

/** A name for such a file that no other has. */
export const nameFor = (looks: Looks, level: string): string => {
  const taken = looks.files.map(({ name }) => ({ id: name }));
  return freeName({ steps: taken } as Parameters<typeof freeName>[0], `${level} look`);
};
