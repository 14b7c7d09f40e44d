import type { Shot } from "./api";

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
export function ChangeMark({ shot }: { shot: Pick<Shot, "course" | "changes"> }) {
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
