import { useState } from "react";
import { Form } from "react-bootstrap";
import type { Shot } from "./api";
import { Sheet } from "./Sheet";

/** A note on one shot or several. */
export function NoteSheet({
  shots,
  onNote,
  onHide,
}: {
  shots: Shot[];
  onNote: (shots: Shot[], text: string) => void;
  onHide: () => void;
}) {
  const [note, setNote] = useState(shots[0]?.note ?? "");
  // As they were when the note was begun: what another window notes meanwhile is not written over.
  const [begun] = useState(shots);
  return (
    <Sheet
      title={`Note for ${shots.length === 1 ? shots[0].name : `${shots.length} shots`}`}
      action="Save note"
      onHide={onHide}
      onDone={() => onNote(begun, note.trim())}
    >
      <Form.Control
        autoFocus
        aria-label="note"
        maxLength={2000}
        placeholder="for whoever comes next"
        value={note}
        onChange={(event) => setNote(event.target.value)}
      />
    </Sheet>
  );
}
