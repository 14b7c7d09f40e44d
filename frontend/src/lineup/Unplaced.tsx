import { useState } from "react";
import type { Day, LineUpAnswer } from "../shared/api";
import { Sheet } from "../shared/Sheet";

/** An edit list as it was taken from a file. */
export interface EditList {
  name: string;
  format: "otio" | "edl";
  text: string;
}

/** What of a list could not be placed, and what was answered before. */
export interface Left {
  list: EditList;
  answers: Record<number, number>;
  unplaced: LineUpAnswer["unplaced"];
}

/** The events that could not be placed, each with its reason; where several shots may be meant, which. */
export function Unplaced({
  left,
  day,
  onPlace,
  onHide,
}: {
  left: Left;
  day: Day;
  onPlace: (answers: Record<number, number>) => void;
  onHide: () => void;
}) {
  const [answers, setAnswers] = useState<Record<number, number>>({});
  const name = (id: number) => day.shots.find((shot) => shot.id === id)?.name ?? "";
  const asked = left.unplaced.some((one) => one.candidates.length > 0);
  const answer = (one: (typeof left.unplaced)[0], shot: number) => {
    // Events of one name are answered together, unless they were answered by themselves.
    const alike = left.unplaced.filter((other) => other.name === one.name && !(other.event in answers));
    const given = Object.fromEntries(alike.map((other) => [other.event, shot]));
    setAnswers({ ...answers, ...given, [one.event]: shot });
  };
  return (
    <Sheet
      title={`Not placed from ${left.list.name}`}
      action={asked ? "Place what is answered" : "Close"}
      wide
      onHide={onHide}
      onDone={() => Object.keys(answers).length > 0 && onPlace({ ...left.answers, ...answers })}
    >
      <div className="unplaced">
        <table>
          <thead>
            <tr>
              <th>event</th>
              <th>at</th>
              <th>clip</th>
              <th>why not</th>
              <th>
                <span className="visually-hidden">which shot is meant</span>
              </th>
            </tr>
          </thead>
          <tbody>
            {left.unplaced.map((one) => (
              <tr key={one.event}>
                <td className="mono">{one.event}</td>
                <td className="mono">{one.at}</td>
                <td className="mono">{one.name}</td>
                <td>{one.reason}</td>
                <td>
                  {one.candidates.length > 0 && (
                    <select
                      className="choice"
                      aria-label={`shot of event ${one.event}`}
                      value={answers[one.event] ?? ""}
                      onChange={(event) => answer(one, Number(event.target.value))}
                    >
                      <option value="">which?</option>
                      {one.candidates.map((id) => (
                        <option key={id} value={id}>
                          {name(id)}
                        </option>
                      ))}
                    </select>
                  )}
                </td>
              </tr>
            ))}
          </tbody>
        </table>
      </div>
    </Sheet>
  );
}
