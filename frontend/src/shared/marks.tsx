import type { ReportOfMatch, Shot } from "./api";

const STATE_WORDS = { new: "new", balanced: "balanced", matched: "matched", checked: "checked" } as const;

/** The state of a shot as a small square: empty, half, full, framed. */
export function StateMark({ state }: { state: Shot["state"] }) {
  return (
    <svg
      className="state-mark"
      width="13"
      height="13"
      viewBox="0 0 13 13"
      role="img"
      aria-label={STATE_WORDS[state]}
    >
      {state === "checked" && (
        <rect x="0.5" y="0.5" width="12" height="12" fill="none" stroke="currentColor" />
      )}
      <rect x="2.5" y="2.5" width="8" height="8" fill="none" stroke="currentColor" />
      {state === "balanced" && <rect x="2" y="2" width="4.5" height="9" fill="currentColor" />}
      {(state === "matched" || state === "checked") && (
        <rect x="2" y="2" width="9" height="9" fill="currentColor" />
      )}
    </svg>
  );
}

/** Whether a shot's light changes inside, in words; null where it is steady, or was not looked at. */
export function changeWords({ course, changes }: Pick<Shot, "course" | "changes">): string | null {
  if (!course || course.steadiness === "steady") return null;
  const what = course.changes.map((one) => one.said).join("; ");
  const how = course.steadiness === "drifting" ? "Its light drifts" : "Its light changes";
  return `${how} inside: ${what}. ${changes ? "Keyframes go with it." : "No keyframe goes with it yet."}`;
}

/** A shot whose light changes inside: a bent line, on a pole where keyframes go with it. */
function ChangeMark({ shot }: { shot: Pick<Shot, "course" | "changes"> }) {
  const words = changeWords(shot);
  if (!words) return null;
  return (
    <svg className="change-mark" width="15" height="11" viewBox="0 0 15 11" role="img" aria-label={words}>
      <title>{words}</title>
      <path d="M0.5,2.5H4L10,8.5H14.5" fill="none" stroke="currentColor" strokeWidth="1.4" />
      {shot.changes && <path d="M4,0V11M10,0V11" fill="none" stroke="currentColor" />}
    </svg>
  );
}

/** What a shot's footage being elsewhere means, in a sentence. */
export const footageWords = (footage: Shot["footage"]) =>
  footage === "offline"
    ? "The footage is offline: connect the card or disc again"
    : footage === "replaced"
      ? "The file was replaced since it was taken in: take it in again or set the shot aside"
      : "";

/** That a shot's files are offline (a frame that is not closed), or others than were taken in (one frame over another). */
export function FootageMark({ shot }: { shot: Pick<Shot, "footage"> }) {
  const words = footageWords(shot.footage);
  if (!words) return null;
  return (
    <svg className="footage-mark" width="15" height="11" viewBox="0 0 15 11" role="img" aria-label={words}>
      <title>{words}</title>
      {shot.footage === "offline" ? (
        <path d="M5,1.5H1.5V9.5H5M10,1.5H13.5V9.5H10" fill="none" stroke="currentColor" strokeWidth="1.4" />
      ) : (
        <path
          d="M1.5,3.5H9.5V10H1.5ZM5,3.5V1H13.5V7.5H9.5"
          fill="none"
          stroke="currentColor"
          strokeWidth="1.4"
        />
      )}
    </svg>
  );
}

/** What a match gains by a rescue, as a part of a sentence. */
export const gainWords = ({ before, after }: NonNullable<ReportOfMatch["rescue"]>) =>
  before === null
    ? `the match finds what both share, to ΔE ${after.toFixed(1)}`
    : `the worst tenth comes from ΔE ${before.toFixed(1)} to ${after.toFixed(1)}`;

/** What is to be known of a shot beside its state and its ΔE, in a sentence; null where there is nothing. */
export function standingWords({ standing, report, left_as_it_was }: Shot): string | null {
  if (standing === "left as it was") return left_as_it_was;
  if (standing === "a rescue would help" && report?.rescue) {
    const { name, reason } = report.rescue;
    return `A rescue would help. With “${name}” before the balance ${gainWords(report.rescue)}: ${reason}`;
  }
  if (standing === "parts are off")
    return `Parts are off: a tenth of what it shares with the reference differs by ΔE ${report?.residuals.worst?.toFixed(1)} or more`;
  return null;
}

/** Parts that are off (one stroke of three apart), a rescue that would help (a stroke lifted), a shot left as it was (an open end). */
const STANDING_STROKES: Partial<Record<Shot["standing"], string>> = {
  "parts are off": "M1.5,1V7M5.5,1V7M9.5,4V10",
  "a rescue would help": "M1,9.5H10M5.5,7.5V1M2.5,4L5.5,1L8.5,4",
  "left as it was": "M1,5.5H5M7.5,1.5A4,4 0 1 1 7.5,9.5",
};

function StandingMark({ shot }: { shot: Shot }) {
  const words = standingWords(shot);
  if (!words) return null;
  return (
    <svg className="standing-mark" width="12" height="11" viewBox="0 0 12 11" role="img" aria-label={words}>
      <title>{words}</title>
      <path d={STANDING_STROKES[shot.standing]} fill="none" stroke="currentColor" strokeWidth="1.4" />
    </svg>
  );
}

/** What is to be seen of a shot at once, whatever screen it is on. */
export function ShotMarks({ shot }: { shot: Shot }) {
  return (
    <>
      <StandingMark shot={shot} />
      <FootageMark shot={shot} />
      <ChangeMark shot={shot} />
    </>
  );
}

/** Sign and digits with a true minus, so that columns line up. */
export function signed(value: number, digits: number): string {
  const text = Math.abs(value).toFixed(digits);
  if (Number(text) === 0) return `±${text}`;
  return value < 0 ? `−${text}` : `+${text}`;
}

export const distanceText = (distance: number | null | undefined) =>
  distance === null || distance === undefined ? "–" : distance.toFixed(1);

const CAST_REACH = 10;

/** A cast as a short arrow: right is warm, left cool, up green, down magenta. */
export function CastArrow({ cast }: { cast: [warm: number, green: number] | null }) {
  const [warm, green] = cast ?? [0, 0];
  const size = Math.hypot(warm, green);
  const long = (Math.min(size, CAST_REACH) / CAST_REACH) * 9;
  const [x, y] = size > 0 ? [(warm / size) * long, (-green / size) * long] : [0, 0];
  const words =
    cast === null
      ? "cast not measured"
      : `warm–cool ${signed(warm, 1)}, green–magenta ${signed(green, 1)} beside the reference`;
  return (
    <svg className="cast-arrow" width="22" height="14" viewBox="-11 -7 22 14" role="img" aria-label={words}>
      <title>{words}</title>
      <circle r="1" fill="currentColor" />
      {long > 1.5 && (
        <>
          <line x2={x} y2={y} stroke="currentColor" strokeWidth="1.6" />
          <circle cx={x} cy={y} r="1.9" fill="currentColor" />
        </>
      )}
    </svg>
  );
}
