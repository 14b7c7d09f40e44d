import { useState } from "react";
import { doesSomething, LEVELS, OWN } from "../correction/model";
import { type Day, type Level, post, type Refusal, type Shot, type Trim } from "../shared/api";
import { worded } from "../shared/glossary";
import { setLevel, takeInHand } from "./opening";
import { edit } from "./saving";
import { useDesk } from "./state";

/** How many shots an edit at a level touches, and what the level is called there. */
function touched(level: Level, shot: Shot, day: Day): { count: number; of: string } {
  const camera = day.cameras.find((one) => one.id === shot.camera_id);
  const family = day.families.find((one) => one.id === shot.family_id);
  if (level === "camera")
    return {
      count: day.shots.filter((s) => s.camera_id === shot.camera_id).length,
      of: `trim of camera ${camera?.letter}`,
    };
  if (level === "family")
    return {
      count: day.shots.filter((s) => s.family_id === shot.family_id).length,
      of: `look of ${family?.name ?? "no family"}`,
    };
  if (level === "show") return { count: day.shots.length, of: "finish of the show" };
  return { count: 1, of: `balance of ${shot.name}` };
}

/** Which level edits go to; a dot marks the levels that are in force. */
export function LevelSwitch({ shot, day }: { shot: Shot; day: Day }) {
  const level = useDesk((state) => state.focus.level);
  const now = useDesk((state) => state.now);
  return (
    <fieldset className="levels" aria-label="edits go to" title={worded("Level")}>
      {LEVELS.map((one) => {
        const { count, of } = touched(one, shot, day);
        const inForce = doesSomething(now[one]);
        return (
          <button
            key={one}
            type="button"
            className="plain"
            aria-pressed={one === level}
            title={`${of}: ${count} ${count === 1 ? "shot" : "shots"}${inForce ? "; applies" : "; does nothing yet"}`}
            onClick={() => setLevel(one)}
          >
            {one}
            {inForce ? " •" : ""}
          </button>
        );
      })}
    </fieldset>
  );
}

/** Said where an edit touches more than the shot; on the camera's level, its trim is solved here. */
export function LevelLine({ shot, day }: { shot: Shot; day: Day }) {
  const level = useDesk((state) => state.focus.level);
  const [said, setSaid] = useState<string | null>(null);
  if (level === "shot") return null;
  const { count, of } = touched(level, shot, day);
  const solve = async (against: number) => {
    setSaid("Comparing the two cameras.");
    try {
      const trim = await post<Trim>(`/cameras/${shot.camera_id}/trim?against=${against}`);
      takeInHand({ level: "camera", step: OWN.camera });
      edit(`trim against camera ${trim.against}`, { numbers: trim.numbers });
      setSaid(`Against camera ${trim.against}, ${trim.pairs.length} pairs of shots: ${trim.reason}.`);
    } catch (error) {
      setSaid((error as Refusal).message);
    }
  };
  return (
    <p className="report level-line" role="status" title={said ?? undefined}>
      <b>
        Edits go to the {of}. It applies to {count} {count === 1 ? "shot" : "shots"}.
      </b>{" "}
      {level === "camera" &&
        day.cameras
          .filter((camera) => camera.id !== shot.camera_id)
          .map((camera) => (
            <button
              key={camera.id}
              type="button"
              className="plain link"
              onClick={() => void solve(camera.id)}
            >
              solve against {camera.letter}
            </button>
          ))}{" "}
      {said}
    </p>
  );
}
