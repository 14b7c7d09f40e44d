import { useQuery } from "@tanstack/react-query";
import { sumOf } from "../correction/model";
import { get, type Kept, type Shot, type Version } from "../shared/api";
import { distanceText } from "../shared/marks";
import { compareWith } from "./looking";
import { type DeskState, useDesk } from "./state";
import { bringBack } from "./steps";

const at = (made: string) =>
  new Date(`${made}Z`).toLocaleTimeString("en-GB", { hour: "2-digit", minute: "2-digit" });

/** What the pictures depend on beside the shot's own steps. */
const around = ({ saved }: DeskState) => [saved.camera, saved.family, saved.show].map(sumOf).join(".");

const versionPicture = (shot: Shot, frame: number, version: number, look: string) =>
  `/api/shots/${shot.id}/frames/${frame}.jpg?version=${version}&v=${look}`;

/** The shot's versions, newest first: pressed, one is compared in the split view; it can be brought back. */
export function Versions({ shot }: { shot: Shot }) {
  const frame = useDesk((state) => state.frame);
  const look = useDesk(around);
  const compared = useDesk((state) => state.compared);
  const versions = useQuery({
    queryKey: ["versions", shot.id, shot.version_id],
    queryFn: () => get<Version[]>(`/shots/${shot.id}/versions`),
  });
  const rows = [
    ...(versions.data ?? []).map((one) => ({ ...one, name: one.change || "changed" })),
    { id: 0, name: "as it started", made_at: null, distance: null },
  ];
  return (
    <ul className="history" aria-label={`versions of ${shot.name}`}>
      {rows.map((one) => {
        const current = one.id === (shot.version_id ?? 0);
        const source = versionPicture(shot, frame, one.id, look);
        return (
          <li key={one.id} className={current ? "current" : ""}>
            <button
              type="button"
              className="plain"
              aria-pressed={compared?.source === source}
              disabled={current}
              title={
                current
                  ? "this is the current version"
                  : "compare it with the shot as it is, in the split view"
              }
              onClick={() => compareWith({ label: one.name, source })}
            >
              {one.name}
            </button>
            <span className="second mono">
              {one.made_at ? at(one.made_at) : ""} {one.distance === null ? "" : distanceText(one.distance)}
            </span>
            {!current && (
              <button
                type="button"
                className="plain link"
                title="make a new version that is as this one was"
                onClick={() => void bringBack(one.id)}
              >
                bring back
              </button>
            )}
          </li>
        );
      })}
    </ul>
  );
}

/** Frames that were kept of the family's shots: pressed, one is compared in the split view. */
export function KeptFrames({ familyId, shots }: { familyId: number | null; shots: Shot[] }) {
  const compared = useDesk((state) => state.compared);
  const keeping = useDesk((state) => state.keptCount);
  const look = useDesk(around);
  const kept = useQuery({
    queryKey: ["kept", familyId, keeping],
    queryFn: () => (familyId === null ? [] : get<Kept[]>(`/families/${familyId}/kept`)),
  });
  if (kept.data?.length === 0)
    return (
      <p className="second">
        No frame is kept yet. Shift R keeps the frame on the desk as it looks now; R makes it the reference.
      </p>
    );
  return (
    <ul>
      {kept.data?.map((one) => {
        const source = `/api/kept/${one.id}/picture.jpg?v=${look}`;
        const name = shots.find((shot) => shot.id === one.shot_id)?.name ?? "a shot";
        return (
          <li key={one.id}>
            <button
              type="button"
              className={compared?.source === source ? "current" : ""}
              title="compare it with the shot on the desk, in the split view"
              onClick={() => compareWith({ label: `${name}, frame ${one.frame + 1}`, source })}
            >
              <img src={source} alt="" />
              <span className="caption mono">
                <b>{name}</b>
                <span>{one.frame + 1}</span>
              </span>
            </button>
          </li>
        );
      })}
    </ul>
  );
}
