import { useState } from "react";
import { Form, Table } from "react-bootstrap";
import type { FilesCalled, Shot } from "../shared/api";
import { Choice } from "../shared/Choice";
import { useDay } from "../shared/day";
import { distanceText, ShotMarks, StateMark, standingWords } from "../shared/marks";
import { filtered, ORDERS, type Order, SHOWN, type Shown } from "./listing";

/** What of a shot's correction the chosen formats do not carry. */
function lacking(shot: Shot, formats: string[]): string {
  const without = formats.filter((format) => shot.left_out[format]);
  const names = new Set(without.flatMap((format) => shot.left_out[format] ?? []));
  return names.size > 0 ? `${[...names].join(", ")}, in ${without.map((one) => `.${one}`).join(" ")}` : "";
}

/** The measured shots of the day, filtered and ordered; which of them are handed over. */
export function ShotTable({
  ready,
  left,
  onLeave,
  formats,
  called,
}: {
  ready: Shot[];
  left: Set<number>;
  onLeave: (left: Set<number>) => void;
  formats: string[];
  called: FilesCalled["called"] | undefined;
}) {
  const families = useDay().data?.families;
  const [shown, setShown] = useState<Shown>("all shots");
  const [order, setOrder] = useState<Order>("as on the Wall");
  const rows = filtered(ready, shown, order);
  const leave = (shots: Shot[], out: boolean) => {
    const next = new Set(left);
    for (const { id } of shots)
      if (out) next.add(id);
      else next.delete(id);
    onLeave(next);
  };
  const selected = ready.filter((shot) => !left.has(shot.id));
  const hidden = selected.filter((shot) => !rows.includes(shot)).length;
  return (
    <>
      <div className="listing">
        <Choice name="which shots are listed" value={shown} among={SHOWN} onChange={setShown} />
        <Choice name="order of the list" value={order} among={ORDERS} onChange={setOrder} />
        <span className="second" role="status">
          {selected.length} of {ready.length} selected{hidden > 0 ? `, ${hidden} of them not listed` : ""}
        </span>
      </div>
      <div className="list">
        <Table>
          <thead>
            <tr>
              <th>
                <Form.Check
                  aria-label="all listed shots"
                  checked={rows.length > 0 && rows.every((shot) => !left.has(shot.id))}
                  onChange={(event) => leave(rows, !event.target.checked)}
                />
              </th>
              <th>shot</th>
              <th>family</th>
              <th className="num" title="mean CIEDE2000 to the reference">
                ΔE
              </th>
              <th>state</th>
              <th className="num">version</th>
              <th>files are called</th>
              <th>left out</th>
            </tr>
          </thead>
          <tbody>
            {rows.map((shot) => (
              <tr key={shot.id}>
                <td>
                  <Form.Check
                    aria-label={shot.name}
                    checked={!left.has(shot.id)}
                    onChange={(event) => leave([shot], !event.target.checked)}
                  />
                </td>
                <td className="mono">
                  <StateMark state={shot.state} /> <b>{shot.name}</b> <ShotMarks shot={shot} />
                </td>
                <td>{families?.find((f) => f.id === shot.family_id)?.name}</td>
                <td className="mono num">{distanceText(shot.distance)}</td>
                <td title={standingWords(shot) ?? undefined}>{shot.standing}</td>
                <td className="mono num">{shot.version_id ?? "as recorded"}</td>
                <td className="mono second">{called?.[shot.id]}</td>
                <td className="second left-out">{lacking(shot, formats)}</td>
              </tr>
            ))}
          </tbody>
        </Table>
        {rows.length === 0 && <p className="second">No measured shot is “{shown}”.</p>}
      </div>
    </>
  );
}
