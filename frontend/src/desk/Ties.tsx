import { signed } from "../shared/marks";
import { useDesk } from "./state";
import { followTie, removeTie, tieAt } from "./ties";

/** The ties' patches on one of the two pictures, numbered. */
export function TieMarks({ side }: { side: "reference" | "shot" }) {
  const ties = useDesk((state) => state.ties);
  const frame = useDesk((state) => state.frame);
  return ties.map((tie, i) => {
    const corners = side === "shot" ? tieAt(tie, frame) : tie.reference;
    if (!corners) return null;
    const [[left, top], [right, bottom]] = corners;
    const box = { left, top, width: right - left, height: bottom - top };
    const style = Object.fromEntries(Object.entries(box).map(([name, part]) => [name, `${100 * part}%`]));
    return (
      // biome-ignore lint/suspicious/noArrayIndexKey: a tie is named by its number
      <span key={i} className="tie" style={style}>
        {i + 1}
      </span>
    );
  });
}

/** What each tie measures in the reference and in the shot, and what is left between them. */
export function TieList() {
  const ties = useDesk((state) => state.ties);
  const measured = useDesk((state) => state.told?.ties);
  const moves = useDesk((state) => (state.shot?.clip.frames ?? 1) > 1);
  const busy = useDesk((state) => state.work !== null);
  if (ties.length === 0) return null;
  return (
    <table className="tie-list mono" aria-label="ties">
      <thead>
        <tr>
          <th>tie</th>
          <th>reference R G B</th>
          <th>shot − reference</th>
          <th>ΔE</th>
          {moves && <th>subject</th>}
          <th>
            <span className="visually-hidden">tie</span>
          </th>
        </tr>
      </thead>
      <tbody>
        {ties.map((tie, i) => {
          const one = measured?.[i];
          return (
            <tr key={JSON.stringify(tie)}>
              <th>{i + 1}</th>
              <td>{one?.reference.map((value) => value.toFixed(1)).join(" ")}</td>
              <td>{one?.shot.map((value, c) => signed(value - one.reference[c], 1)).join(" ")}</td>
              <td data-testid={`tie-${i + 1}`}>{one === null ? "lost" : one?.difference.toFixed(1)}</td>
              {moves && (
                <td>
                  <button
                    type="button"
                    className="plain second"
                    disabled={busy}
                    aria-label={tie.track ? `tie ${i + 1} stays` : `follow tie ${i + 1}`}
                    title={
                      tie.track
                        ? "its box on the shot follows what it lies on; press to leave it where it is now"
                        : "follow what its box on the shot lies on, through the shot"
                    }
                    onClick={() => void followTie(i)}
                  >
                    {tie.track
                      ? `follows ${tie.track.first + 1}–${tie.track.first + tie.track.frames}`
                      : "follow"}
                  </button>
                </td>
              )}
              <td>
                <button
                  type="button"
                  className="plain"
                  aria-label={`remove tie ${i + 1}`}
                  onClick={() => removeTie(i)}
                >
                  ✕
                </button>
              </td>
            </tr>
          );
        })}
      </tbody>
    </table>
  );
}
