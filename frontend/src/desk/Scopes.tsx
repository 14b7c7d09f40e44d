import { useEffect, useState } from "react";
import { MARKS, type Mark, useScopes } from "../scopes/settings";
import { Choice } from "../shared/Choice";
import { useDay } from "../shared/day";
import { UNITS } from "../shared/units";
import { meterFamiliar, setMeter } from "./looking";
import { MarkerSheet } from "./MarkerSheet";
import { takeMarkers } from "./markers";
import { ScopePanel } from "./ScopePanel";
import { useDesk } from "./state";

/** What marks are called where their own name does not say it. */
const MARKED: Partial<Record<Mark, string>> = { none: "nothing" };

const METERS = ["whole picture", "box", "outline", "skin", "neutrals"] as const;

/** Clipping in the recording, which cannot be mended, and by the correction, which can: counted apart. */
function LimitsLine() {
  const limits = useDesk((state) => state.told?.limits);
  if (!limits) return null;
  const part = (value: number) => (value === 0 ? "0" : value < 0.0005 ? "<0.1" : (100 * value).toFixed(1));
  const items: [text: string, title: string, over: number][] = [
    [
      `source: clipped ${part(limits.recorded_high)}, crushed ${part(limits.recorded_low)}`,
      "parts of the picture that were clipped or crushed when they were recorded: no correction brings them back",
      limits.recorded_high + limits.recorded_low,
    ],
    [
      `graded: ${part(limits.corrected_high)}, ${part(limits.corrected_low)}`,
      "parts that the correction clips or crushes: another correction brings them back",
      limits.corrected_high + limits.corrected_low,
    ],
    [
      `out of range ${part(limits.illegal)}`,
      "parts outside EBU R 103: signals −5…105 %, luma −1…103 %",
      limits.illegal,
    ],
  ];
  return (
    <span className="limits" data-testid="limits">
      {items.map(([text, title, over]) => (
        <span key={title} title={title} className={over > 0.002 ? "over" : ""}>
          {text}
        </span>
      ))}
      <span className="second">%</span>
    </span>
  );
}

/** What is measured, in which unit, and what of it is beyond the limits. */
function ScopeLine() {
  const meter = useDesk((state) => state.meter);
  const full = useDesk((state) => state.told?.full);
  const playing = useDesk((state) => state.playing !== 0);
  const brushed = useDesk((state) => state.told?.brushed);
  const pixels = useDesk((state) => state.told?.pixels ?? 1);
  const answer = useDesk((state) => state.told?.number);
  const busy = useDesk((state) => state.asked !== state.told?.number || state.told.searching);
  const { unit, mark, referenceTrace } = useScopes();
  const [marking, setMarking] = useState(false);
  const measured = playing ? "playing, small picture" : full ? "full frame" : "preview";
  return (
    <footer className="scope-line" data-testid="scope-line">
      <div>
        <LimitsLine />
      </div>
      <div>
        <span className="second mono" data-testid="measured-on" data-answer={answer} aria-busy={busy}>
          {measured}
          {brushed !== null &&
            brushed !== undefined &&
            ` · brushed ${((100 * brushed) / pixels).toFixed(1)} %`}
        </span>
        <span>
          <Choice
            name="mark in the picture"
            value={mark}
            among={MARKS}
            text={(one) => (one === mark ? `mark: ${MARKED[one] ?? one}` : (MARKED[one] ?? one))}
            onChange={(one: Mark) => useScopes.setState({ mark: one })}
          />
          <Choice
            name="meter"
            value={meter?.kind ?? "whole picture"}
            among={METERS}
            text={(one) => (one === "whole picture" || one === meter?.kind ? `meter: ${one}` : one)}
            onChange={(one) => {
              if (one === "whole picture") setMeter(null);
              else if (one === "skin" || one === "neutrals") meterFamiliar(one);
              else
                useDesk.setState({
                  fault:
                    one === "box"
                      ? "Drag a box on the picture."
                      : "Hold Shift and draw around it on the picture.",
                });
            }}
          />
          <button
            type="button"
            className="plain"
            aria-pressed={referenceTrace}
            title="the reference's trace behind the shot's"
            onClick={() => useScopes.setState({ referenceTrace: !referenceTrace })}
          >
            trace
          </button>
          <button
            type="button"
            className="plain"
            title="named levels and points that grips land on"
            onClick={() => setMarking(true)}
          >
            markers
          </button>
          <Choice
            name="unit"
            value={unit}
            among={UNITS}
            onChange={(one) => useScopes.setState({ unit: one })}
          />
        </span>
      </div>
      {marking && <MarkerSheet onHide={() => setMarking(false)} />}
    </footer>
  );
}

/** The scopes of the desk: two wide places and two narrow ones, or one over the whole column. */
export function Scopes() {
  const day = useDay();
  const output = day.data?.production.output ?? "rec709";
  const markers = day.data?.production.markers;
  useEffect(() => {
    if (markers) takeMarkers(markers);
  }, [markers]);
  const { slots, enlarged } = useScopes();
  return (
    <div className={`scopes${enlarged ? " enlarged" : ""}`}>
      {slots.map(
        (kind, slot) =>
          (!enlarged || enlarged === kind) && (
            <ScopePanel key={kind} slot={slot} kind={kind} output={output} />
          ),
      )}
      <ScopeLine />
    </div>
  );
}
