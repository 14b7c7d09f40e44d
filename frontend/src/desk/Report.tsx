import { useState } from "react";
import { Modal, Table } from "react-bootstrap";
import type { ReportOfMatch, Shot } from "../shared/api";
import { worded } from "../shared/glossary";
import { distanceText, signed, standingWords } from "../shared/marks";
import { useDesk } from "./state";

/** The tolerance that matching gives where one view lies over the other; wider ones are for other angles. */
const OVERLYING = 3;

/** The distance to the reference now, and what it was before matching. */
export function Distance() {
  const live = useDesk((state) => state.told?.distance);
  const saved = useDesk((state) => state.shot?.distance);
  const reference = useDesk((state) => state.reference);
  const shot = useDesk((state) => state.shot);
  const report = shot?.report;
  if (reference && reference.shot_id === shot?.id)
    return <div className="distance second">this is the reference</div>;
  return (
    <div className="distance">
      <span className="second" title={worded("ΔE")}>
        ΔE
      </span>
      <strong className="mono" data-testid="distance">
        {distanceText(live ?? saved)}
      </strong>
      {report && report.before - report.after > 0.05 && (
        <span className="second mono">was {report.before.toFixed(1)}</span>
      )}
    </div>
  );
}

/** What stays different zone by zone, CIEDE2000 of mean colours. */
function zones({ residuals }: ReportOfMatch): [zone: string, left: number][] {
  const { lows, mids, highs, skin } = residuals;
  const named: [string, number | null][] = [
    ["lows", lows],
    ["mids", mids],
    ["highs", highs],
    ["skin", skin],
  ];
  return named.filter((one): one is [string, number] => one[1] !== null);
}

/** By which shots it is linked to the reference: what is left adds up along them. */
const chainSaid = (chain: string[]) =>
  `Linked through other shots: ${chain.join(" → ")}. What is left adds up along the path.`;

const CHANNELS = ["R", "G", "B"];

/** All that matching said: what it rests on, what is left of every reading and zone, and why. */
function ReportSheet({ shot, report, onHide }: { shot: Shot; report: ReportOfMatch; onHide: () => void }) {
  return (
    <Modal show onHide={onHide} centered aria-labelledby="report-title">
      <Modal.Header closeButton>
        <Modal.Title id="report-title">Match of {shot.name}</Modal.Title>
      </Modal.Header>
      <Modal.Body className="match-report">
        <p>
          ΔE {report.before.toFixed(1)} before, <b>{distanceText(shot.distance)}</b> now; up to{" "}
          {shot.tolerance.toFixed(1)} is within tolerance
          {report.tolerance > OVERLYING ? " from another angle, which by itself makes colours differ" : ""}.
          Confidence {(100 * report.confidence).toFixed(0)} %.
        </p>
        {report.chain.length > 2 && <p>{chainSaid(report.chain)}</p>}
        <Table size="sm">
          <thead>
            <tr>
              <th>left when matched, %</th>
              <th className="num">lows</th>
              <th className="num">mids</th>
              <th className="num">highs</th>
            </tr>
          </thead>
          <tbody>
            {CHANNELS.map((name, channel) => (
              <tr key={name}>
                <td>{name}</td>
                {[0, 1, 2].map((zone) => (
                  <td key={zone} className="mono num">
                    {signed(report.left[3 * channel + zone], 1)}
                  </td>
                ))}
              </tr>
            ))}
            <tr>
              <td>saturation</td>
              <td className="mono num">{signed(report.left[9], 1)}</td>
              <td />
              <td />
            </tr>
          </tbody>
        </Table>
        <p>
          Mean colours apart, CIEDE2000:{" "}
          {zones(report).map(([zone, left]) => (
            <span key={zone} className="zone">
              {zone} <b className="mono">{left.toFixed(1)}</b>
            </span>
          ))}
        </p>
        {report.residuals.worst != null && (
          <p>
            Nine tenths of what both share differ by less than ΔE{" "}
            <b className="mono">{report.residuals.worst.toFixed(1)}</b>.
          </p>
        )}
        <ul>
          {report.notes.map((note) => (
            <li key={note}>{note}</li>
          ))}
        </ul>
      </Modal.Body>
    </Modal>
  );
}

const asSentence = (note: string) => `${note.charAt(0).toUpperCase()}${note.slice(1)}.`;

/** What could not be met, or what matching said in a line; pressed, all of it. */
export function Report() {
  const shot = useDesk((state) => state.shot);
  const missed = useDesk((state) => state.told?.missed) ?? [];
  const searching = useDesk((state) => state.told?.searching);
  const [open, setOpen] = useState(false);
  if (searching)
    return (
      <p className="report" role="status">
        As near as one search comes; searching on for the aims.
      </p>
    );
  if (missed.length > 0) {
    const worst = missed.reduce((a, b) => (Math.abs(a.difference) > Math.abs(b.difference) ? a : b));
    return (
      <p className="report" role="status">
        {missed.length === 1 ? "One reading stays" : `${missed.length} readings stay`} off, by up to{" "}
        {Math.abs(worst.difference).toFixed(1)} %: {worst.reason}.
      </p>
    );
  }
  if (!shot?.report) return null;
  const { confidence, notes } = shot.report;
  const standing = standingWords(shot);
  const left = zones(shot.report)
    .map(([zone, value]) => `${zone} ${value.toFixed(1)}`)
    .join(", ");
  return (
    <>
      <p className="report" role="status">
        <button type="button" className="plain link" onClick={() => setOpen(true)}>
          Report
        </button>{" "}
        {standing && `${standing}. `}
        Confidence {(100 * confidence).toFixed(0)} %; left in {left}. {notes.map(asSentence).join(" ")}
      </p>
      {open && <ReportSheet shot={shot} report={shot.report} onHide={() => setOpen(false)} />}
    </>
  );
}
