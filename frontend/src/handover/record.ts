/** A handover as it is written: how far it is, and what is to be said of it. */
import { useQuery } from "@tanstack/react-query";
import { get, type HandoverRecord } from "../shared/api";
import { CLIPS } from "./kinds";

export type Item = HandoverRecord["items"][number];

const POLL_MS = 500;

export const isUnderway = ({ state }: Item) => state === "waiting" || state === "working";

export const isRendered = ({ kind }: Item) => CLIPS.some((clip) => clip.id === kind);

/** Written whole, whether or not it is what it should be. */
export const isThere = ({ state }: Item) => state === "done" || state === "differs";

const isCancelled = ({ state }: Item) => state === "cancelled";

/** A handover of the list; one that is still written is asked for again and again until all of it has ended. */
export function useRecord(listed: HandoverRecord): HandoverRecord {
  const underway = listed.items.some(isUnderway);
  const { data } = useQuery({
    queryKey: ["handovers", listed.id],
    queryFn: () => get<HandoverRecord>(`/handovers/${listed.id}`),
    initialData: listed,
    enabled: underway,
    refetchInterval: ({ state }) => (state.data?.items.some(isUnderway) ? POLL_MS : false),
  });
  return underway ? data : listed;
}

const counted = (count: number, one: string) => `${count} ${one}${count === 1 ? "" : "s"}`;

/** How far a handover is, or what came of it. */
export function stateOf(record: HandoverRecord): string {
  const rendered = record.items.filter(isRendered);
  const there = rendered.filter(isThere).length;
  const differing = rendered.filter((item) => item.state === "differs").length;
  const underway = record.items.filter(isUnderway).length;
  if (underway > 0)
    return `writing: ${record.items.length - underway} of ${counted(record.items.length, "part")}`;
  const failed = record.items.filter((item) => item.state === "failed").length;
  const parts = [
    ...(record.files.length > 0 || rendered.length === 0 ? [counted(record.files.length, "file")] : []),
    ...(rendered.length > 0 ? [`${there} of ${rendered.length} rendered`] : []),
    ...(record.items.some(isCancelled) ? ["cancelled"] : []),
    ...(differing > 0 ? [`${differing} not as on the Desk`] : []),
    ...(failed > 0 ? [`${failed} failed`] : []),
  ];
  return parts.join(", ");
}

/** How many shots are not rendered yet, and how many are not rendered any more. */
export function notBegun(record: HandoverRecord): string {
  const count = (state: Item["state"]) =>
    record.items.filter((item) => isRendered(item) && item.state === state).length;
  const [waiting, cancelled] = [count("waiting"), count("cancelled")];
  return [
    ...(waiting > 0 ? [`${counted(waiting, "clip")} to be rendered yet`] : []),
    ...(cancelled > 0 ? [`${counted(cancelled, "clip")} not rendered: cancelled`] : []),
  ].join("; ");
}

/** How long what is still rendered will take, by how long what is done took; nothing while that says little. */
export function timeLeft(record: HandoverRecord, now: number): string | null {
  const rendered = record.items.filter(isRendered);
  const done = rendered.reduce(
    (sum, item) => sum + (item.state === "working" ? item.part : isUnderway(item) ? 0 : 1),
    0,
  );
  const passed = (now - Date.parse(record.made_at)) / 1000;
  if (rendered.length === 0 || done < 0.05 * rendered.length || passed < 5) return null;
  const left = (passed * (rendered.length - done)) / done;
  return left < 90
    ? `some ${Math.max(5, Math.round(left / 5) * 5)} s left`
    : `some ${Math.round(left / 60)} min left`;
}
