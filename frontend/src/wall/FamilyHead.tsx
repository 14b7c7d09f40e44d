import { type DragEvent, useState } from "react";
import type { Day, Family } from "../shared/api";
import { shownOf, WALL_KEYS } from "../shared/keys";
import type { Actions } from "./actions";
import { type Row, select } from "./selection";

/** A family's heading: its name, its reference, and a place to drop shots on. */
export function FamilyHead({
  row,
  day,
  actions,
  onShared,
}: {
  row: Row;
  day: Day;
  actions: Actions;
  onShared: (family: Family) => void;
}) {
  const { family, members, hidden } = row;
  const [over, setOver] = useState(false);
  const [naming, setNaming] = useState<string | null>(null);
  const reference = day.shots.find((shot) => shot.id === family.reference?.shot_id);
  const drop = (event: DragEvent) => {
    event.preventDefault();
    setOver(false);
    const dropped: number[] = JSON.parse(event.dataTransfer.getData("application/x-shots") || "[]");
    const shots = day.shots.filter((shot) => dropped.includes(shot.id) && shot.family_id !== family.id);
    if (shots.length > 0) actions.change(shots, { family_id: family.id });
  };
  const finish = () => {
    if (naming?.trim() && naming.trim() !== family.name) actions.rename(family.id, naming.trim());
    setNaming(null);
  };
  return (
    <h2
      className={over ? "over" : ""}
      onDragOver={(event) => {
        event.preventDefault();
        setOver(true);
      }}
      onDragLeave={() => setOver(false)}
      onDrop={drop}
    >
      {naming === null ? (
        <button
          type="button"
          className="plain"
          title="give it another name"
          onClick={() => setNaming(family.name)}
        >
          {family.name}
        </button>
      ) : (
        <input
          aria-label="family name"
          // biome-ignore lint/a11y/noAutofocus: the field appears because the user asked to name
          autoFocus
          value={naming}
          onChange={(event) => setNaming(event.target.value)}
          onBlur={finish}
          onKeyDown={(event) => {
            event.stopPropagation();
            if (event.key === "Enter") finish();
            if (event.key === "Escape") setNaming(null);
          }}
        />
      )}
      <span className="second">
        {reference ? `reference ${reference.name}` : "no reference yet"}
        {hidden > 0 && ` · ${hidden} not shown`}
      </span>
      <button type="button" className="plain small" onClick={() => select(members.map((shot) => shot.id))}>
        select all
      </button>
      {reference && (
        <button
          type="button"
          className="plain small"
          title={`which shots show the same things, and the link path of each to the reference (${shownOf(WALL_KEYS.shared)})`}
          onClick={() => onShared(family)}
        >
          what they share
        </button>
      )}
      {reference && (
        <button
          type="button"
          className="plain small"
          title="sizes that differ: show and measure every picture whole, or cut to the reference's ratio of width to height"
          onClick={() => actions.frame(family.id, family.framing === "whole" ? "reference" : "whole")}
        >
          {family.framing === "whole" ? "cut to the reference's frame" : "show whole pictures"}
        </button>
      )}
      {day.families.length > 1 && (
        <select
          className="choice small"
          aria-label={`merge ${family.name} into`}
          value=""
          onChange={(event) => actions.merge(family.id, Number(event.target.value))}
        >
          <option value="">merge into</option>
          {day.families
            .filter((other) => other.id !== family.id)
            .map((other) => (
              <option key={other.id} value={other.id}>
                {other.name}
              </option>
            ))}
        </select>
      )}
    </h2>
  );
}
