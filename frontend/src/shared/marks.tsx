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

/** Sign and digits with a true minus, so that columns line up. */
export function signed(value: number, digits: number): string {
  const text = Math.abs(value).toFixed(digits);
  if (Number(text) === 0) return `±${text}`;
  return value < 0 ? `−${text}` : `+${text}`;
}

export const distanceText = (distance: number | null | undefined) =>
  distance === null || distance === undefined ? "–" : distance.toFixed(1);
