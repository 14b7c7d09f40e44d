import { useState } from "react";
import { useScopes } from "../scopes/settings";
import type { Selection } from "../shared/api";
import { KEYS, shownOf } from "../shared/keys";
import { Belonging } from "./Belonging";
import { Corrections, TenNumbers } from "./Corrections";
import { holdDown, leadToSkinLine, lessColour, turnMatte, turnSide } from "./selecting";
import { useDesk } from "./state";

/** One press, and the ten numbers of what is selected are moved to an aim. */
function Answers() {
  const acting = useDesk((state) => state.acting);
  const [percent, setPercent] = useState(80);
  return (
    <div className="ends">
      <button
        type="button"
        className="plain"
        disabled={acting}
        title="lead the mean hue of what is selected to the skin's line; its lightness stays"
        onClick={() => void leadToSkinLine()}
      >
        on skin line
      </button>
      <button
        type="button"
        className="plain"
        title="a fifth less colour of what is selected"
        onClick={lessColour}
      >
        less of it
      </button>
      <button
        type="button"
        className="plain"
        disabled={acting}
        title="limit its highs to so many percent; what is dark in it hardly moves"
        onClick={() => void holdDown(percent)}
      >
        hold at
      </button>
      <input
        className="small-number"
        type="number"
        aria-label="percent that its highs are limited to"
        min={1}
        max={109}
        value={percent}
        onChange={(event) => setPercent(Math.min(Math.max(Number(event.target.value), 1), 109))}
      />
    </div>
  );
}

/** A current selection: its numbers, inside or outside, and which colours and places are selected. */
export function SelectionControls({ selection }: { selection: Selection }) {
  const outside = useDesk((state) => state.focus.side === "outside");
  const belonging = useDesk((state) => state.belonging);
  const selected = useDesk((state) => state.told?.selected);
  const showNumbers = useDesk((state) => state.showNumbers);
  const matte = useScopes((state) => state.mark === "matte");
  const part =
    typeof selected === "number"
      ? selected > 0.0002
        ? `${(100 * selected).toFixed(1)} %`
        : "nothing here"
      : "";
  return (
    <div className="selection-controls">
      <div className="channels">
        <button
          type="button"
          className="plain"
          aria-pressed={!outside}
          title={`the numbers and readings of what is selected (${shownOf(KEYS.side)} changes sides)`}
          onClick={() => outside && turnSide()}
        >
          inside
        </button>
        <button
          type="button"
          className="plain"
          aria-pressed={outside}
          title={`the numbers and readings of all else (${shownOf(KEYS.side)} changes sides)`}
          onClick={() => !outside && turnSide()}
        >
          outside
        </button>
        <button
          type="button"
          className="plain"
          aria-pressed={matte}
          title={`${KEYS.matte.does} (${shownOf(KEYS.matte)})`}
          onClick={turnMatte}
        >
          matte
        </button>
        <button
          type="button"
          className="plain"
          aria-pressed={belonging}
          title="which colours and places are selected, in place of the numbers"
          onClick={() => useDesk.setState({ belonging: !belonging })}
        >
          selection
        </button>
        <span className="second mono" data-testid="selected">
          {part}
        </span>
      </div>
      {belonging ? (
        <Belonging selection={selection} />
      ) : (
        <>
          {showNumbers ? <TenNumbers /> : <Corrections />}
          <Answers />
        </>
      )}
    </div>
  );
}
