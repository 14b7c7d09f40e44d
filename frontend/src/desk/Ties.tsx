import { signed } from "../shared/marks";
import { removeTie } from "./looking";
import { useDesk } from "./state";

/** The ties' patches on one of the two pictures, numbered. */
export function TieMarks({ side }: { side: "reference" | "shot" }) {
  const ties = useDesk((state) => state.ties);
  return ties.map((tie, i) => {
    const [[left, top], [right, bottom]] = tie[side];
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
  if (ties.length === 0) return null;
  return (
    <table className="tie-list mono" aria-label="ties">
      <thead>
        <tr>
          <th>tie</th>
          <th>reference R G B</th>
          <th>shot − reference</th>
          <th>ΔE</th>
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
              <td data-testid={`tie-${i + 1}`}>{one?.difference.toFixed(1)}</td>
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
