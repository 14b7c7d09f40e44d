import { Button } from "react-bootstrap";
import { KEYS, shownOf } from "../shared/keys";
import { type Actions, meetAll } from "./actions";
import { toggleBefore } from "./keys";
import { useDesk } from "./state";

const NO_REFERENCE = "the family has no reference yet: make one with R, on the shot that is to lead";

/** What is done to the shot with one press. Each says on hover and focus what it does, and its key. */
export function ActionRow({ actions, why }: { actions: Actions; why: string | null }) {
  const before = useDesk((state) => state.before);
  const showNumbers = useDesk((state) => state.showNumbers);
  const { busy, matched } = actions;
  return (
    <div className="actions">
      <Button
        variant="action"
        onClick={() => void actions.balance()}
        disabled={busy !== null}
        title="set exposure and white by what the picture says of its light (B)"
      >
        {busy === "balancing" ? "Balancing" : "Balance"}
      </Button>
      <Button
        variant="quiet"
        onClick={() => void actions.proposeBalances()}
        disabled={busy !== null}
        title="see all proposed balances as pictures and choose one (Shift B)"
      >
        proposals…
      </Button>
      <Button
        variant="action"
        onClick={() => void actions.match()}
        disabled={busy !== null || why !== null}
        title={why ?? "find the numbers that make this shot look like the reference (M)"}
      >
        {busy !== "matching"
          ? "Match"
          : matched > 0
            ? `Matching ${(100 * matched).toFixed(0)} %`
            : "Matching"}
      </Button>
      <Button
        variant="quiet"
        onClick={actions.askMatch}
        disabled={busy !== null || why !== null}
        title={
          why ??
          "match in part: how strongly, what of the look, with an extended step, by ties alone (Shift M)"
        }
      >
        options…
      </Button>
      <Button
        variant="action"
        onClick={meetAll}
        disabled={why !== null}
        title={why ?? "bring all ten readings to the reference's, whatever is in the pictures"}
      >
        Meet readings
      </Button>
      <Button
        variant="action"
        active={before !== "none"}
        onClick={toggleBefore("level")}
        title={`${KEYS.before.does} (${shownOf(KEYS.before)})`}
      >
        Before
      </Button>
      <Button
        variant="action"
        onClick={() => void actions.keep()}
        disabled={busy !== null}
        title="make this frame, as it looks now, the reference of its family (R)"
      >
        Make reference
      </Button>
      <Button
        variant="action"
        active={showNumbers}
        onClick={() => useDesk.setState({ showNumbers: !showNumbers })}
        title="show the step's slope, offset, power and saturation in the place of the turned numbers (N)"
      >
        Ten numbers
      </Button>
    </div>
  );
}

/** Why nothing can be compared with a reference; null if it can. */
export const whyNot = (hasReference: boolean, isOwn: boolean): string | null =>
  isOwn ? "this shot is the reference itself" : hasReference ? null : NO_REFERENCE;
