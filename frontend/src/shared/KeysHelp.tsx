import { useState } from "react";
import { Modal } from "react-bootstrap";
import { useLocation } from "react-router-dom";
import { GLOSSARY } from "./glossary";
import { DESK_TASKS, GENERAL_KEYS, KEYS, type Key, SCREEN_KEYS, shownOf } from "./keys";

type Row = [string, string];

/** What keys and the mouse do on a control. */
const IN_CELLS: Row[] = [
  ["↑ ↓", "on a reading or number: nudge; with Shift by a tenth"],
  ["← →", "on a reading: the next one; with Ctrl ↑ ↓ the row above or below"],
  ["Tab", "to a scope: its grips; arrows along the scale nudge one, across it or with Ctrl take the next"],
  ["Enter", "on a reading or a grip: meet the reference; on a number: type"],
  ["digits", "on a reading or number: type a value"],
  ["double-click", "on a number's name: reset it; on a reading or a grip: meet the reference"],
  ["drag", "on a scope: a grip, or brush a range; on the picture: a box to meter, with Shift an outline"],
  ["wheel", "on a scope: zoom its levels"],
];

const rowsOf = (keys: Key[]): Row[] =>
  keys.map((key): Row => [shownOf(key), key.does]).filter(([shown]) => shown !== "");

/** A screen's keys, by what they are for where there are many. */
const tasksOf = (screen: string): [string, Row[]][] =>
  screen === "Desk"
    ? [
        ...DESK_TASKS.map(([task, names]): [string, Row[]] => [
          task,
          rowsOf(names.map((name) => KEYS[name])),
        ]),
        ["On readings, numbers and scopes", IN_CELLS],
      ]
    : [["", rowsOf(Object.values(SCREEN_KEYS[screen]))]];

const everywhere = (): [string, Row[]] => ["On every screen", rowsOf(Object.values(GENERAL_KEYS))];

/** Dovrel's own words. */
const explained = (): [string, Row[]] => ["Words", Object.entries(GLOSSARY)];

/** The keys of the screen that is open, and Dovrel's own words. */
export function KeysHelp({
  show,
  onHide,
  onWalk,
}: {
  show: boolean;
  onHide: () => void;
  onWalk: () => void;
}) {
  const { pathname } = useLocation();
  const screen =
    Object.keys(SCREEN_KEYS).find((one) => pathname.startsWith(`/${one.toLowerCase()}`)) ?? "Wall";
  const [words, setWords] = useState("");
  const sought = words.toLowerCase();
  const groups = [...tasksOf(screen), everywhere(), explained()]
    .map(([task, rows]): [string, Row[]] => [
      task,
      rows.filter((row) => row.some((text) => text.toLowerCase().includes(sought))),
    ])
    .filter(([, rows]) => rows.length > 0);
  return (
    <Modal show={show} onHide={onHide} centered aria-labelledby="keys-title">
      <Modal.Header closeButton>
        <Modal.Title id="keys-title">Keys of the {screen}</Modal.Title>
      </Modal.Header>
      <Modal.Body>
        <input
          className="search"
          type="search"
          // biome-ignore lint/a11y/noAutofocus: the list was opened to look something up
          autoFocus
          aria-label="search keys and words"
          placeholder="search"
          value={words}
          onChange={(event) => setWords(event.target.value)}
        />
        <table className="keys">
          {groups.map(([task, rows]) => (
            <tbody key={task}>
              {task && (
                <tr>
                  <th colSpan={2} className="task">
                    {task}
                  </th>
                </tr>
              )}
              {rows.map(([key, does]) => (
                <tr key={`${key}${does}`}>
                  <th className={task === "Words" ? "" : "mono"}>{key}</th>
                  <td>{does}</td>
                </tr>
              ))}
            </tbody>
          ))}
        </table>
        <button type="button" className="plain link" onClick={onWalk}>
          first steps: a match by your own hands
        </button>
      </Modal.Body>
    </Modal>
  );
}
