/** A choice among a few, as a plain list. */
export function Choice<T extends string | number>({
  name,
  value,
  among,
  text,
  onChange,
}: {
  name: string;
  value: T;
  among: readonly T[];
  text?: (value: T) => string;
  onChange: (value: T) => void;
}) {
  return (
    <select
      className="choice"
      aria-label={name}
      title={name}
      value={String(value)}
      onChange={(event) => {
        const chosen = among.find((one) => String(one) === event.target.value);
        if (chosen !== undefined) onChange(chosen);
        event.target.blur();
      }}
    >
      {among.map((one) => (
        <option key={one} value={String(one)}>
          {text ? text(one) : one}
        </option>
      ))}
    </select>
  );
}
