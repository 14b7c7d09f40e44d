import { useState } from "react";
import { Form } from "react-bootstrap";
import type { Camera, EncodingChoice } from "../shared/api";
import type { IntakeActions } from "./actions";
import { FILTERS, nameOf, passes, type Row } from "./clips";
import { look, useIntake } from "./selection";

/** Encodings in a list, those that are called after the camera's maker first. */
export function EncodingOptions({ encodings, make }: { encodings: EncodingChoice[]; make: string }) {
  const word = make.toLowerCase().split(" ")[0];
  const own = word ? encodings.filter((one) => one.name.toLowerCase().startsWith(word)) : [];
  const options = (some: EncodingChoice[]) =>
    some.map((one) => (
      <option key={one.id} value={one.id}>
        {one.name}
      </option>
    ));
  if (own.length === 0) return <>{options(encodings)}</>;
  return (
    <>
      <optgroup label={make}>{options(own)}</optgroup>
      <optgroup label="others">{options(encodings.filter((one) => !own.includes(one)))}</optgroup>
    </>
  );
}

function CameraLine({
  camera,
  count,
  encodings,
  others,
  actions,
}: {
  camera: Camera;
  count: number;
  encodings: EncodingChoice[];
  others: Camera[];
  actions: IntakeActions;
}) {
  const selected = useIntake((state) => state.camera === camera.id);
  const [naming, setNaming] = useState<string | null>(null);
  const name = nameOf(camera);
  const keep = () => {
    if (naming !== null && naming.trim() !== camera.name)
      void actions.changeCamera(camera, { name: naming.trim() });
    setNaming(null);
  };
  return (
    <li className={selected ? "selected" : ""}>
      <div className="head">
        <button
          type="button"
          className="plain mono"
          aria-pressed={selected}
          title="show the clips of this camera alone"
          onClick={() => look({ camera: selected ? null : camera.id })}
        >
          <b>{camera.letter}</b> {count}
        </button>
        {naming === null ? (
          <button
            type="button"
            className="plain name"
            title="give it another name"
            onClick={() => setNaming(camera.name)}
          >
            {name}
          </button>
        ) : (
          <input
            // biome-ignore lint/a11y/noAutofocus: it takes the place of the name that was pressed
            autoFocus
            aria-label={`name of camera ${camera.letter}`}
            value={naming}
            maxLength={100}
            onChange={(event) => setNaming(event.target.value)}
            onBlur={keep}
            onKeyDown={(event) => {
              if (event.key === "Enter") event.currentTarget.blur();
              if (event.key === "Escape") setNaming(null);
            }}
          />
        )}
        {others.length > 0 && (
          <select
            className="choice"
            aria-label={`merge camera ${camera.letter}`}
            title="merge it into another camera"
            value=""
            onChange={(event) => void actions.changeCamera(camera, { into: Number(event.target.value) })}
          >
            <option value="">merge</option>
            {others.map((other) => (
              <option key={other.id} value={other.id}>
                into {other.letter}
              </option>
            ))}
          </select>
        )}
      </div>
      <Form.Select
        size="sm"
        aria-label={`encoding of camera ${camera.letter}`}
        value={camera.encoding}
        onChange={(event) => void actions.changeCamera(camera, { encoding: event.target.value })}
      >
        <EncodingOptions encodings={encodings} make={camera.make} />
      </Form.Select>
      <div className="why second">
        {camera.assumed && <b>assumed: </b>}
        {camera.reason}
        {camera.assumed && (
          <button
            type="button"
            className="plain link"
            onClick={() => void actions.changeCamera(camera, { encoding: camera.encoding })}
          >
            it is right
          </button>
        )}
        {camera.make && camera.reason === "selected by hand" && (
          <button
            type="button"
            className="plain link"
            title="put it into the production's table: later clips of this make and model get it too"
            onClick={() => void actions.changeCamera(camera, { encoding: camera.encoding, remember: true })}
          >
            for all of this make and model
          </button>
        )}
      </div>
    </li>
  );
}

/** What needs a decision, counted; and the cameras with their encodings. */
export function Side({
  rows,
  passed,
  cameras,
  encodings,
  actions,
}: {
  rows: Row[];
  passed: number;
  cameras: Camera[];
  encodings: EncodingChoice[];
  actions: IntakeActions;
}) {
  const filter = useIntake((state) => state.filter);
  const counts = FILTERS.map((name) => [name, rows.filter((row) => passes(row, name)).length] as const);
  return (
    <aside className="side">
      <ul className="filters" aria-label="which clips">
        {[...counts, ["skipped", passed] as const].map(([name, count]) => (
          <li key={name} className={FILTERS.indexOf(name as never) > 1 ? "part" : ""}>
            <button
              type="button"
              className="plain"
              aria-pressed={filter === name}
              disabled={count === 0 && filter !== name}
              onClick={() => look({ filter: name })}
            >
              <span>{name}</span>
              <span className="mono">{count}</span>
            </button>
          </li>
        ))}
      </ul>
      <h2>Cameras</h2>
      <ul className="cameras">
        {cameras.map((camera) => (
          <CameraLine
            key={camera.id}
            camera={camera}
            count={rows.filter((row) => row.shot.camera_id === camera.id).length}
            encodings={encodings}
            others={cameras.filter((other) => other !== camera)}
            actions={actions}
          />
        ))}
      </ul>
    </aside>
  );
}
