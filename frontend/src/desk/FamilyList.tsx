import { useNavigate } from "react-router-dom";
import type { Day, Family, Shot } from "../shared/api";
import { worded } from "../shared/glossary";
import { distanceText, ShotMarks, StateMark } from "../shared/marks";
import { thumbnail } from "../shared/pictures";

/** The shots of the family of the one on the desk. */
export function FamilyList({
  family,
  shots,
  day,
  current,
}: {
  family: Family | undefined;
  shots: Shot[];
  day: Day;
  current: number;
}) {
  const navigate = useNavigate();
  return (
    <>
      <h2 title={worded("Family")}>{family?.name ?? "No family"}</h2>
      <ul>
        {shots.map((shot) => (
          <li key={shot.id}>
            <button
              type="button"
              className={shot.id === current ? "current" : ""}
              aria-current={shot.id === current}
              disabled={shot.progress !== "ready"}
              onClick={() => navigate(`/desk/${shot.id}`)}
            >
              {shot.progress === "ready" ? (
                <img src={thumbnail(shot, day)} alt={shot.name} />
              ) : (
                <span className="no-picture">{shot.fault ? "cannot be read" : "measuring"}</span>
              )}
              <span className="caption mono">
                <StateMark state={shot.state} />
                <b>{shot.name}</b>
                <ShotMarks shot={shot} />
                <span>{family?.reference?.shot_id === shot.id ? "ref" : distanceText(shot.distance)}</span>
              </span>
            </button>
          </li>
        ))}
      </ul>
    </>
  );
}
