import { useState } from "react";
import { Button, Form, Modal } from "react-bootstrap";
import type { Marker } from "../shared/api";
import { setMarkers } from "./markers";
import { useDesk } from "./state";

/** One number of a marker, in percent. */
function Percent({
  label,
  value,
  onChange,
}: {
  label: string;
  value: number;
  onChange: (value: number) => void;
}) {
  return (
    <Form.Control
      type="number"
      size="sm"
      step={0.1}
      aria-label={label}
      value={value}
      onChange={(event) => {
        const wanted = Number(event.target.value);
        if (event.target.value.trim() !== "" && Number.isFinite(wanted)) onChange(wanted);
      }}
    />
  );
}

/** The production's markers: named, typed, removed, new ones made. */
export function MarkerSheet({ onHide }: { onHide: () => void }) {
  const markers = useDesk((state) => state.markers);
  const [name, setName] = useState("");
  const put = (at: number, to: Partial<Marker>) =>
    setMarkers(markers.map((one, i) => (i === at ? { ...one, ...to } : one)));
  const add = (place: Partial<Marker>) => {
    const called = name.trim() || `marker ${markers.length + 1}`;
    setMarkers([...markers, { name: called.slice(0, 24), level: null, cb: null, cr: null, ...place }]);
    setName("");
  };
  return (
    <Modal show onHide={onHide} centered aria-labelledby="marker-title">
      <Modal.Header closeButton>
        <Modal.Title id="marker-title">Markers</Modal.Title>
      </Modal.Header>
      <Modal.Body className="markers">
        <p className="second">
          A line at a level of parade, waveform and histogram, or a point of the vectorscope. A grip that you
          let go within 0.8 % of a marker lands on it. All shots of the production share them.
        </p>
        {markers.map((marker, at) => (
          // biome-ignore lint/suspicious/noArrayIndexKey: markers are distinguished by their place
          <div key={at} className="marker-row">
            <Form.Control
              size="sm"
              aria-label={`name of marker ${at + 1}`}
              value={marker.name}
              maxLength={24}
              onChange={(event) => event.target.value.trim() && put(at, { name: event.target.value })}
            />
            {marker.level !== null && marker.level !== undefined ? (
              <Percent
                label={`level of ${marker.name}`}
                value={marker.level}
                onChange={(level) => put(at, { level: Math.min(Math.max(level, -12), 112) })}
              />
            ) : (
              <>
                <Percent
                  label={`Cb of ${marker.name}`}
                  value={marker.cb ?? 0}
                  onChange={(cb) => put(at, { cb: Math.min(Math.max(cb, -62), 62) })}
                />
                <Percent
                  label={`Cr of ${marker.name}`}
                  value={marker.cr ?? 0}
                  onChange={(cr) => put(at, { cr: Math.min(Math.max(cr, -62), 62) })}
                />
              </>
            )}
            <button
              type="button"
              className="plain"
              aria-label={`take ${marker.name} away`}
              onClick={() => setMarkers(markers.filter((_, i) => i !== at))}
            >
              ×
            </button>
          </div>
        ))}
        <div className="marker-row new">
          <Form.Control
            size="sm"
            aria-label="name of a new marker"
            placeholder="name"
            autoFocus
            value={name}
            maxLength={24}
            onChange={(event) => setName(event.target.value)}
          />
          <Button variant="action" size="sm" onClick={() => add({ level: 55 })}>
            Add a level
          </Button>
          <Button variant="action" size="sm" onClick={() => add({ cb: -5, cr: 8 })}>
            Add a point
          </Button>
        </div>
      </Modal.Body>
    </Modal>
  );
}
