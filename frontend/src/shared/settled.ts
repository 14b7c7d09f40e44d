import { useEffect, useState } from "react";

/** A value as it was when it had not changed for a moment. */
export function useSettled<T>(value: T, moment = 250): T {
  const [settled, setSettled] = useState(value);
  const text = JSON.stringify(value);
  // biome-ignore lint/correctness/useExhaustiveDependencies: what it holds counts, not which object holds it
  useEffect(() => {
    const timer = window.setTimeout(() => setSettled(value), moment);
    return () => window.clearTimeout(timer);
  }, [text, moment]);
  return settled;
}
