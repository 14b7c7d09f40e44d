import { useEffect, useState } from "react";
import { Button } from "react-bootstrap";
import { useLocation, useNavigate } from "react-router-dom";
import type { Day } from "./api";
import { useKey } from "./pressing";

const WALKED = "dovrel.walked";
const NEXT = "shift+enter";

interface Stage {
  /** The screen on which it is done. */
  to: string;
  title: string;
  text: string;
  /** Whether the user has done it; null if reading is all there is to do. */
  done: ((day: Day, path: string) => boolean) | null;
}

const has = (day: Day, standing: Day["shots"][number]["standing"]) =>
  day.shots.some((shot) => shot.standing === standing);

const STAGES: Stage[] = [
  {
    to: "/wall",
    title: "Balance the day",
    text: "The Wall shows the day in families: shots of one place and light that should look alike. Press Ctrl A to select all shots, then B: Dovrel sets exposure and white of each, in the background.",
    done: (day) => day.shots.some((shot) => shot.state !== "new"),
  },
  {
    to: "/wall",
    title: "Choose a reference",
    text: "Go with the arrows to a shot that its family should look like, and press R. It becomes the family's reference.",
    done: (day) => has(day, "reference"),
  },
  {
    to: "/wall",
    title: "Match the family",
    text: "Press = to select the family, then M. The ΔE below each shot says how far it is from the reference; the strip above shows which shot is the odd one.",
    done: (day) => day.shots.some((shot) => shot.state === "matched"),
  },
  {
    to: "/wall",
    title: "Open a shot",
    text: "Go with the arrows to a matched shot and press Enter. It opens on the Desk.",
    done: (_, path) => path.startsWith("/desk"),
  },
  {
    to: "/desk",
    title: "Look, and correct by hand",
    text: "V shows the reference, both, and a split. Ten readings say where red, green and blue stand in lows, mids and highs. Drag a grip on a scope, or type into a reading. Ctrl Z takes it back.",
    done: null,
  },
  {
    to: "/handover",
    title: "Hand over",
    text: "Handover writes CDLs, tables, clips and a report. On every screen ? lists the keys, Shift Space finds an action by its name, and Ctrl Z takes the last change back.",
    done: null,
  },
];

/** Whether the walk is still to be shown in this browser. */
export const isFirstTime = () => window.localStorage.getItem(WALKED) === null;

/** A first match by the user's own hands: each stage says what to press, and is over when it was done. Escape ends the walk. */
export function Walk({ day, onEnd }: { day: Day; onEnd: () => void }) {
  const navigate = useNavigate();
  const { pathname } = useLocation();
  const [at, setAt] = useState(0);
  const stage = STAGES[at];
  const done = stage.done?.(day, pathname) ?? false;
  const [doneBefore, setDoneBefore] = useState(done);
  const end = () => {
    window.localStorage.setItem(WALKED, "yes");
    onEnd();
  };
  const go = (place: number) => {
    const next = STAGES[place];
    if (!next) return end();
    if (!pathname.startsWith(next.to)) navigate(next.to);
    setAt(place);
    setDoneBefore(next.done?.(day, next.to) ?? false);
  };
  useKey("escape", end, { first: true });
  useKey(NEXT, () => go(at + 1), { first: true });
  // The first stage is on the Wall, whichever screen was open.
  // biome-ignore lint/correctness/useExhaustiveDependencies: once, when the walk begins
  useEffect(() => void navigate(STAGES[0].to), []);
  // biome-ignore lint/correctness/useExhaustiveDependencies: only what the user does goes on by itself
  useEffect(() => {
    if (done && !doneBefore) go(at + 1);
  }, [done, doneBefore]);
  return (
    <section className="walk" aria-label="first steps" aria-live="polite">
      <header>
        <h2>{stage.title}</h2>
        <span className="second mono">
          {at + 1} of {STAGES.length}
        </span>
      </header>
      <p>
        {stage.text}
        {doneBefore && " This day has it already."}
      </p>
      <footer>
        {at > 0 && (
          <Button variant="quiet" onClick={() => go(at - 1)}>
            back
          </Button>
        )}
        <Button variant="quiet" onClick={end}>
          end (Esc)
        </Button>
        <Button variant="action" onClick={() => go(at + 1)}>
          {at + 1 === STAGES.length ? "Done" : "Next"} (Shift Enter)
        </Button>
      </footer>
    </section>
  );
}
