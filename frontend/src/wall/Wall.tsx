import { useState } from "react";
import { Button, ButtonGroup } from "react-bootstrap";
import { useNavigate } from "react-router-dom";
import { type Day, type Kept, post, type Refusal, type Shot, thumbnail } from "../shared/api";
import { useDay, useDayChanged } from "../shared/day";
import { distanceText, StateMark, signed } from "../shared/marks";

export const TOLERANCE = 4;
type Order = "shooting order" | "worst first";

/** How far the corrected middle lies from the reference's, in stops of light on the monitor. */
function exposureDifference(shot: Shot, day: Day): number | null {
  const family = day.families.find((f) => f.id === shot.family_id);
  const luma = (readings: number[]) => 0.2126 * readings[1] + 0.7152 * readings[4] + 0.0722 * readings[7];
  const readings = shot.corrected;
  if (!family?.reference || !readings) return null;
  const [here, there] = [luma(readings), luma(family.reference.readings as number[])];
  return here > 0 && there > 0 ? 2.4 * Math.log2(here / there) : null;
}

function Card({ shot, day, onReference }: { shot: Shot; day: Day; onReference: (shot: Shot) => void }) {
  const navigate = useNavigate();
  const family = day.families.find((f) => f.id === shot.family_id);
  const camera = day.cameras.find((c) => c.id === shot.camera_id);
  const isReference = family?.reference?.shot_id === shot.id;
  const off = shot.distance !== null && shot.distance > TOLERANCE;
  const stops = exposureDifference(shot, day);
  const usable = shot.progress === "ready";
  return (
    <li className={`card-shot${off ? " off" : ""}${isReference ? " reference" : ""}`}>
      <button
        type="button"
        disabled={!usable}
        onClick={() => navigate(`/desk/${shot.id}`)}
        aria-label={`open ${shot.name}`}
      >
        {usable ? (
          <img src={thumbnail(shot)} alt="" loading="lazy" />
        ) : (
          <span className="no-picture">{shot.fault || "measuring"}</span>
        )}
      </button>
      <div className="caption mono">
        <StateMark state={shot.state} />
        <b>{shot.name}</b>
        <span className="second">{camera?.letter}</span>
        <span className="second" title="middle as corrected against the reference, in stops">
          {stops === null ? "" : `${signed(stops, 1)} st`}
        </span>
        <strong>{isReference ? "ref" : distanceText(shot.distance)}</strong>
      </div>
      {usable && !isReference && (
        <Button variant="quiet" onClick={() => onReference(shot)}>
          make reference
        </Button>
      )}
    </li>
  );
}

/** The day at a glance: families as rows, shots as cards. */
export function Wall() {
  const day = useDay();
  const changed = useDayChanged();
  const [order, setOrder] = useState<Order>("shooting order");
  const [fault, setFault] = useState<string | null>(null);
  if (!day.data) return <p className="empty">{day.isError ? day.error.message : "Opening the day."}</p>;
  const { families, shots } = day.data;
  if (shots.length === 0) return <p className="empty">No shots yet. Take a card or a folder in on Intake.</p>;
  const off = shots.filter((s) => s.distance !== null && s.distance > TOLERANCE).length;
  const makeReference = async (shot: Shot) => {
    try {
      const frames = (shot.clip as { frames?: number }).frames ?? 1;
      await post<Kept>(`/shots/${shot.id}/keep`, { frame: Math.floor(frames / 2), as_reference: true });
      setFault(null);
    } catch (error) {
      setFault((error as Refusal).message);
    }
    await changed();
  };
  const rank = (shot: Shot) => (order === "worst first" ? -(shot.distance ?? -1) : 0);
  return (
    <div className="wall">
      <div className="bar">
        <ButtonGroup aria-label="Order">
          {(["shooting order", "worst first"] as const).map((name) => (
            <Button key={name} variant="switch" active={order === name} onClick={() => setOrder(name)}>
              {name}
            </Button>
          ))}
        </ButtonGroup>
        <span className="second">
          {shots.length} shots · {families.length} families · <b>{off} out of tolerance</b>
        </span>
        {fault && (
          <span role="alert" className="fault-line">
            {fault}
          </span>
        )}
      </div>
      <div className="rows">
        {families.map((family) => {
          const members = shots.filter((s) => s.family_id === family.id).sort((a, b) => rank(a) - rank(b));
          const reference = shots.find((s) => s.id === family.reference?.shot_id);
          return (
            <section key={family.id} aria-label={family.name}>
              <h2>
                {family.name}
                <span className="second">
                  {reference ? `reference ${reference.name}` : "no reference yet"}
                </span>
              </h2>
              <ul>
                {members.map((shot) => (
                  <Card key={shot.id} shot={shot} day={day.data} onReference={makeReference} />
                ))}
              </ul>
            </section>
          );
        })}
      </div>
    </div>
  );
}
