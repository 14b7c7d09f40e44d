import { useEffect, useState } from "react";
import { Button, Modal } from "react-bootstrap";
import { useNavigate } from "react-router-dom";

const WALKED = "dovrel.walked";

const CARDS = [
  {
    to: "/intake",
    title: "Intake: what the cards hold",
    text: "Every clip with what was recorded and how it is read. What needs a decision comes first; here, nothing must be decided to go on.",
  },
  {
    to: "/wall",
    title: "Wall: the day in families",
    text: "A family is shots of one place and light that should look alike. Ctrl A selects all shots, B balances them: exposure and white, in the background. The strip above shows which shot is the odd one.",
  },
  {
    to: "/wall",
    title: "A reference for each family",
    text: "R makes the current shot the one that its family is matched to. Then Ctrl A and M match all the others. The ΔE below each says how near it came.",
  },
  {
    to: "/desk",
    title: "Desk: one shot",
    text: "Ten readings say where red, green and blue stand in lows, mids and highs, and how saturated the picture is. Drag a grip on a scope, or type into a reading: Dovrel finds the ten numbers that put it there. What you do not move holds still.",
  },
  {
    to: "/line-up",
    title: "Line-up and Handover",
    text: "Look at the day in story order, cut by cut, and hand it over as CDLs and tables. Ctrl Z takes anything back, on every screen. ? lists a screen's keys, and starts this walk again.",
  },
];

/** Whether the walk is still to be shown in this browser. */
export const isFirstTime = () => window.localStorage.getItem(WALKED) === null;

/** Five cards through the day, each over its screen; Enter goes on, Escape ends it. */
export function Walk({ onEnd }: { onEnd: () => void }) {
  const navigate = useNavigate();
  const [at, setAt] = useState(0);
  const end = () => {
    window.localStorage.setItem(WALKED, "yes");
    onEnd();
  };
  const go = (place: number) => {
    if (place === CARDS.length) {
      navigate("/wall");
      return end();
    }
    navigate(CARDS[place].to);
    setAt(place);
  };
  // The first card speaks of its own screen, whichever was open.
  // biome-ignore lint/correctness/useExhaustiveDependencies: once, when the walk begins
  useEffect(() => void navigate(CARDS[0].to), []);
  const { title, text } = CARDS[at];
  return (
    <Modal
      show
      onHide={end}
      className="walk"
      backdropClassName="walk-behind"
      aria-labelledby="walk-title"
      animation={false}
    >
      <Modal.Header closeButton>
        <Modal.Title id="walk-title">{title}</Modal.Title>
      </Modal.Header>
      <Modal.Body>
        <p>{text}</p>
      </Modal.Body>
      <Modal.Footer>
        <span className="second mono">
          {at + 1} of {CARDS.length}
        </span>
        {at > 0 && (
          <Button variant="quiet" onClick={() => go(at - 1)}>
            back
          </Button>
        )}
        <Button variant="quiet" onClick={end}>
          skip (Esc)
        </Button>
        <Button variant="action" key={at} autoFocus onClick={() => go(at + 1)}>
          {at + 1 < CARDS.length ? "Next (Enter)" : "To the Wall (Enter)"}
        </Button>
      </Modal.Footer>
    </Modal>
  );
}
