import { patch, post, type Shot } from "../shared/api";
import { FootageMark, footageWords } from "../shared/marks";

/** That the shot's footage is offline or was replaced, and for a replaced file the choice of what becomes of the shot. */
export function FootageSaid({ shot, onChanged }: { shot: Shot; onChanged: () => Promise<unknown> }) {
  const words = footageWords(shot.footage);
  if (!words) return null;
  const takeIn = async () => {
    await post(`/shots/${shot.id}/measure`);
    await onChanged();
  };
  const setAside = async () => {
    await patch("/shots", { shots: [shot.id], off: true });
    await onChanged();
  };
  return (
    <span className="footage-said" role="alert" title={words}>
      <FootageMark shot={shot} /> {shot.footage === "replaced" ? "file replaced" : "footage offline"}
      {shot.footage === "replaced" && (
        <>
          {": "}
          <button type="button" className="plain link" onClick={() => void takeIn()}>
            take in again
          </button>{" "}
          or{" "}
          <button type="button" className="plain link" onClick={() => void setAside()}>
            set aside
          </button>
        </>
      )}
    </span>
  );
}
