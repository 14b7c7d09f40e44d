import type { Values } from "../shared/api";
import { DragNumber } from "./DragNumber";
import { editValues } from "./saving";

const within = (value: number, low: number, high: number) => Math.min(Math.max(value, low), high);

/** A number of a step that can be dragged and typed; what it is set to is kept within its range. */
export function Part({
  name,
  value,
  text,
  unit,
  step,
  range,
  plain = 0,
  onSet,
}: {
  name: string;
  value: number;
  text: string;
  unit?: string;
  step: number;
  range: [number, number];
  plain?: number;
  onSet: (value: number) => Values;
}) {
  const put = (wanted: number) => {
    const kept = within(wanted, ...range);
    editValues(`${name.toLowerCase()} ${kept.toFixed(3)}`, onSet(kept));
  };
  return (
    <DragNumber
      name={name}
      value={value}
      text={text}
      unit={unit}
      step={step}
      onChange={put}
      onReset={() => put(plain)}
    />
  );
}
