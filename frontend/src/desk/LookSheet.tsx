import { useEffect, useRef, useState } from "react";
import { Button, Modal } from "react-bootstrap";
import type { Day, LookAnswer, LookFile } from "../shared/api";
import { useSettled } from "../shared/settled";
import { DragNumber } from "./DragNumber";
import { LookSaid } from "./LookControls";
import {
  bringIn,
  chooseLook,
  type Look,
  lookedAt,
  lookedAtKept,
  lookInHand,
  lookOf,
  makeLook,
  nameFor,
  useLooks,
} from "./looks";
import { useDesk } from "./state";

const ZONES = ["lows", "mids", "highs"];

/** One of the pictures that looks are compared on: the frame on the desk, or a family's reference. */
interface Subject {
  name: string;
  ask: (look: Look | null) => Promise<LookAnswer>;
}

/** The ten readings in a few lines. */
function Left({ readings }: { readings: number[] }) {
  return (
    <table className="left mono">
      <tbody>
        {ZONES.map((zone, place) => (
          <tr key={zone}>
            <th>{zone}</th>
            {[0, 1, 2].map((channel) => (
              <td key={channel}>{readings[3 * channel + place].toFixed(1)}</td>
            ))}
            {place === 0 && <td rowSpan={3}>sat {readings[9].toFixed(1)}</td>}
          </tr>
        ))}
      </tbody>
    </table>
  );
}

const LUMA = [0.2126, 0.7152, 0.0722];

/** The luma of lows, mids and highs, the saturation, and how far skin lies off its line: room for a line. */
function Short({ answer: { readings, skin_after } }: { answer: LookAnswer }) {
  const lumas = ZONES.map((_, place) =>
    LUMA.reduce((sum, weight, channel) => sum + weight * readings[3 * channel + place], 0).toFixed(0),
  );
  return (
    <div
      className="mono short"
      title="luma of lows, mids and highs, percent; saturation; skin’s hue off its line"
    >
      {lumas.join("·")} s{readings[9].toFixed(1)}
      {skin_after !== null && ` skin ${skin_after.toFixed(1)}°`}
    </div>
  );
}

/** One look on each of the pictures; asked for when the cards before it have been answered. */
function Card({
  look,
  note,
  subjects,
  turn,
  onReady,
  onChoose,
}: {
  look: Look | null;
  note: string | null;
  subjects: Subject[];
  turn: boolean;
  onReady: () => void;
  onChoose?: () => void;
}) {
  const [answers, setAnswers] = useState<(LookAnswer | string)[]>([]);
  // biome-ignore lint/correctness/useExhaustiveDependencies: the card's look and pictures stay as they are; another has another key
  useEffect(() => {
    if (!turn) return;
    let gone = false;
    const askAll = async () => {
      for (const subject of subjects) {
        const answer = await subject.ask(look).catch((error: Error) => error.message);
        if (gone) return;
        setAnswers((before) => [...before, answer]);
      }
      onReady();
    };
    void askAll();
    return () => {
      gone = true;
    };
  }, [turn]);
  const alone = subjects.length === 1;
  const first = answers[0];
  const said = [...new Set(answers.flatMap((one) => (typeof one === "string" ? [one] : one.said)))];
  return (
    <article className={`look-card${alone ? "" : " on-many"}`} aria-busy={answers.length < subjects.length}>
      <div className="pictures">
        {subjects.map(({ name }, i) => {
          const answer = answers[i];
          return (
            <figure key={name}>
              {answer && typeof answer !== "string" ? (
                <img
                  src={`data:image/jpeg;base64,${answer.picture}`}
                  alt={`${name} under ${look?.name ?? "no look"}`}
                />
              ) : (
                <div className="to-come second">{answer ? "" : "…"}</div>
              )}
              {!alone && <figcaption className="second">{name}</figcaption>}
              {!alone && answer && typeof answer !== "string" && <Short answer={answer} />}
            </figure>
          );
        })}
      </div>
      <header>
        <b title={look?.name}>{look?.name ?? "without a look"}</b>
        {onChoose && (
          <Button variant="switch" onClick={onChoose}>
            choose
          </Button>
        )}
      </header>
      {alone && first && typeof first !== "string" && <Left readings={first.readings} />}
      {alone && look && first && typeof first !== "string" && <LookSaid answer={first} />}
      {said.map((sentence) => (
        <p key={sentence} className="warned">
          {sentence}
        </p>
      ))}
      {note && said.length === 0 && <p className="second">{note}</p>}
    </article>
  );
}

/** Looks side by side at one strength, on the current frame or on every family's reference; one is chosen from there. */
export function LookSheet({ day }: { day: Day }) {
  const { looks, changed } = useLooks();
  const level = useDesk((state) => state.focus.level);
  const shot = useDesk((state) => state.shot);
  const [strength, setStrength] = useState(lookInHand()?.strength ?? 1);
  const [on, setOn] = useState<"this frame" | "references">("this frame");
  const [ready, setReady] = useState(0);
  const [refused, setRefused] = useState<string | null>(null);
  const chooser = useRef<HTMLInputElement>(null);
  const settled = useSettled(strength);
  const references = day.families.filter((family) => family.reference);
  const subjects: Subject[] =
    on === "this frame"
      ? [{ name: shot?.name ?? "", ask: lookedAt }]
      : references.map((family) => ({
          name: family.name,
          ask: (look) => lookedAtKept((family.reference as { id: number }).id, look),
        }));
  const files = looks?.files ?? [];
  const key = `${settled} ${on} ${files.map(({ digest }) => digest).join()}`;
  // biome-ignore lint/correctness/useExhaustiveDependencies: the cards are others when their key is
  useEffect(() => setReady(0), [key]);
  const hide = () => useDesk.setState({ lookSheet: false });
  const kept = async (work: Promise<LookFile>) => {
    setRefused(null);
    try {
      await work;
      await changed();
    } catch (error) {
      setRefused((error as Error).message);
    }
  };
  return (
    <Modal
      show
      onHide={hide}
      size="xl"
      centered
      scrollable
      aria-labelledby="looks-title"
      className="look-sheet"
    >
      <Modal.Header closeButton>
        <Modal.Title id="looks-title">Looks of the {level}, compared</Modal.Title>
      </Modal.Header>
      <Modal.Body>
        <div className="head">
          <DragNumber
            name="Strength"
            unit="%"
            value={100 * strength}
            text={(100 * strength).toFixed(0)}
            step={1}
            onChange={(wanted) => setStrength(Math.min(Math.max(wanted / 100, 0), 1))}
            onReset={() => setStrength(1)}
          />
          <div>
            <span className="second">on</span>{" "}
            {(["this frame", "references"] as const).map((name) => (
              <Button
                key={name}
                variant="switch"
                active={on === name}
                disabled={name === "references" && references.length === 0}
                title={name === "references" ? "every family's reference" : (shot?.name ?? "")}
                onClick={() => setOn(name)}
              >
                {name}
              </Button>
            ))}
          </div>
          <div>
            <Button variant="switch" onClick={() => chooser.current?.click()}>
              bring in a file
            </Button>
            <Button
              variant="switch"
              title={`a .cube of what the steps of this ${level} do to colours, to be kept and handed on`}
              onClick={() => looks && void kept(makeLook(nameFor(looks, level)))}
            >
              make one of the {level}’s steps
            </Button>
            <input
              ref={chooser}
              type="file"
              accept=".cube,.clf"
              aria-label="a look's file, .cube or .clf"
              hidden
              onChange={(event) => {
                const file = event.target.files?.[0];
                event.target.value = "";
                if (file) void kept(bringIn(file));
              }}
            />
          </div>
        </div>
        {refused && (
          <p className="warned" role="alert">
            {refused}
          </p>
        )}
        {looks && files.length === 0 && (
          <p className="second">
            No look is kept yet. Bring in a table file (.cube or .clf), or make one of what the steps of this{" "}
            {level} do.
          </p>
        )}
        <div className={`cards${on === "references" ? " on-many" : ""}`}>
          {[null, ...files].map((file, place) => (
            <Card
              key={`${key} ${file?.digest}`}
              look={file && lookOf(file, settled)}
              note={file?.assumed ? `Assumed: ${file.reason}.` : null}
              subjects={subjects}
              turn={place <= ready}
              onReady={() => setReady((before) => Math.max(before, place + 1))}
              onChoose={file ? () => void chooseLook(lookOf(file, strength)) : undefined}
            />
          ))}
        </div>
      </Modal.Body>
    </Modal>
  );
}
