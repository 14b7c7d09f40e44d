import { useDesk } from "./state";
import { cancelWork } from "./working";

/** The work that was asked for and takes seconds, how far it is, and its end on request; nothing where there is none. */
export function WorkLine() {
  const work = useDesk((state) => state.work);
  if (!work) return null;
  return (
    <p className="report" role="status">
      <progress value={work.part} aria-label={work.what} /> {work.what}: {(100 * work.part).toFixed(0)} %{" "}
      <button type="button" className="plain link" onClick={cancelWork}>
        cancel
      </button>
    </p>
  );
}
