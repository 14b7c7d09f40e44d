import { Button } from "react-bootstrap";
import { KEYS, shownOf } from "../shared/keys";
import { type Actions, meetAll } from "./actions";
import { toggleBefore } from "./keys";
import { useDesk } from "./state";

const noReference = () =>
  `the family has no reference yet: open the shot that the others should look like and press ${shownOf(KEYS.keep)}`;

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
        title={`set exposure and white by the light in the picture (${shownOf(KEYS.balance)})`}
      >
        {busy === "balancing" ? "Balancing" : "Balance"}
      </Button>
      <Button
        variant="quiet"
        onClick={() => void actions.proposeBalances()}
        disabled={busy !== null}
        title={`compare all proposed balances as pictures and choose one (${shownOf(KEYS.balanceBy)})`}
      >
        proposals…
      </Button>
      <Button
        variant="action"
        onClick={() => void actions.match()}
        disabled={busy !== null || why !== null}
        title={why ?? `make this shot look like the reference (${shownOf(KEYS.match)})`}
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
          `match with a strength, parts of the look, an extended step, or by ties alone (${shownOf(KEYS.matchBy)})`
        }
      >
        options…
      </Button>
      <Button
        variant="action"
        onClick={meetAll}
        disabled={why !== null}
        title={why ?? "move all ten readings to the reference's, whatever the pictures show"}
      >
        Meet targets
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
        title={`make this frame, as it looks now, the reference of its family (${shownOf(KEYS.keep)})`}
      >
        Make reference
      </Button>
      <Button
        variant="action"
        active={showNumbers}
        onClick={() => useDesk.setState({ showNumbers: !showNumbers })}
        title={`show slope, offset, power and saturation in place of exposure, warmth and tint (${shownOf(KEYS.numbers)})`}
      >
        CDL
      </Button>
    </div>
  );
}

/** Why nothing can be compared with a reference; null if it can. */
export const whyNot = (hasReference: boolean, isOwn: boolean): string | null =>
  isOwn ? "this shot is the reference itself" : hasReference ? null : noReference();
