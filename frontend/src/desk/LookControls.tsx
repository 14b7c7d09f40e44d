import { useQuery } from "@tanstack/react-query";
import { useState } from "react";
import type { LookAnswer } from "../shared/api";
import { Choice } from "../shared/Choice";
import { KEYS, shownOf } from "../shared/keys";
import { useSettled } from "../shared/settled";
import { compareLooks, type Look, lookedAt, useLooks } from "./looks";
import { Part } from "./Part";
import { editValues } from "./saving";
import { useDesk } from "./state";

const ofSkin = ({ skin_before, skin_after }: LookAnswer) =>
  skin_before !== null && skin_after !== null
    ? `skin ${skin_before.toFixed(1)}° → ${skin_after.toFixed(1)}° off its line`
    : "no skin found";

const chroma = ([cb, cr]: [number, number]) => Math.hypot(cb, cr).toFixed(1);

/** What a look did to skin and to the neutrals of each zone: hue off its line, cast in percent. */
export function LookSaid({ answer }: { answer: LookAnswer }) {
  return (
    <span className="look-said second">
      {ofSkin(answer)}
      {answer.casts.map(({ zone, before, after }) => (
        <span key={zone}>
          ; cast of {zone} {chroma(before)} → {chroma(after)} %
        </span>
      ))}
    </span>
  );
}

/** The current look: its strength, the space it expects, and what it does to skin and neutrals here. */
export function LookControls({ values }: { values: Look }) {
  const { looks } = useLooks();
  const frame = useDesk((state) => state.frame);
  const shot = useDesk((state) => state.shot?.id);
  const now = useDesk((state) => state.now);
  const [file] = useState(() => `/api/looks/${values.digest}/file`);
  const settled = useSettled({ values, frame, shot, now });
  const { data, error } = useQuery({
    queryKey: ["looked", settled],
    queryFn: () => lookedAt(settled.values),
    placeholderData: (before) => before,
    retry: false,
  });
  const kept = looks?.files.find(({ digest }) => digest === values.digest);
  const spaces = looks?.spaces ?? [];
  const space = (which: "takes" | "gives") => (
    <div className="space">
      <span className="second">{which}</span>{" "}
      <Choice
        name={`what the look ${which}`}
        value={values[which]}
        among={spaces.map(({ id }) => id)}
        text={(id) => spaces.find((one) => one.id === id)?.name ?? id}
        onChange={(id) => editValues(`look ${which} another space`, { ...values, [which]: id })}
      />
    </div>
  );
  return (
    <div className="corrections look-controls">
      <div className="of-file">
        <b title={values.name}>{values.name}</b>
        <button
          type="button"
          className="plain"
          title={`${KEYS.looks.does} (${shownOf(KEYS.looks)})`}
          onClick={compareLooks}
        >
          compare
        </button>
        <a href={file} download title="the look's file, as it was brought in">
          file
        </a>
      </div>
      <Part
        name="Strength"
        unit="%"
        value={100 * values.strength}
        text={(100 * values.strength).toFixed(0)}
        step={1}
        range={[0, 100]}
        plain={100}
        onSet={(strength) => ({ ...values, strength: strength / 100 })}
      />
      <div className="spaces">
        {space("takes")}
        {space("gives")}
      </div>
      {error && <p className="warned">{error.message}</p>}
      {data?.said.map((said) => (
        <p key={said} className="warned">
          {said}
        </p>
      ))}
      {!error && data && <LookSaid answer={data} />}
      {kept?.assumed && !data?.said.length && <p className="second about">Assumed: {kept.reason}.</p>}
    </div>
  );
}
