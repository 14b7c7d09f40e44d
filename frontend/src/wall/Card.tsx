import type { DragEvent, KeyboardEvent, MouseEvent } from "react";
import { memo, useEffect, useRef } from "react";
import type { Family, Shot } from "../shared/api";
import { castDifference, exposureDifference, isOff } from "../shared/compare";
import { CastArrow, distanceText, ShotMarks, StateMark, signed } from "../shared/marks";
import { extend, focus, toggle, useWall } from "./selection";

/** One shot: thumbnail as corrected, camera, state, and how it stands beside its reference. */
export const Card = memo(function Card({
  shot,
  family,
  letter,
  picture,
  order,
  onOpen,
}: {
  shot: Shot;
  family: Family;
  letter: string;
  picture: string;
  order: number[];
  onOpen: (shot: Shot) => void;
}) {
  const selected = useWall((wall) => wall.selected.has(shot.id));
  const inHand = useWall((wall) => wall.at === shot.id);
  const card = useRef<HTMLLIElement>(null);
  const pressed = useRef(false);
  const letGo = () => {
    pressed.current = false;
    focus(shot.id);
  };
  const usable = shot.progress === "ready";
  const reference = family.reference?.shot_id === shot.id;
  const stops = exposureDifference(shot, family.reference);
  useEffect(() => {
    const other = document.activeElement;
    if (inHand && other !== card.current && (other === document.body || other?.closest(".rows")))
      card.current?.focus();
  }, [inHand]);
  const pick = (event: MouseEvent) => {
    if (event.shiftKey) extend(shot.id, order);
    else toggle(shot.id);
  };
  const onKeyDown = (event: KeyboardEvent) => {
    if (event.target !== event.currentTarget) return;
    if (event.key === "Enter" && usable) onOpen(shot);
    else if (event.key === " ") toggle(shot.id);
    else return;
    event.preventDefault();
  };
  const onDragStart = (event: DragEvent) => {
    const { selected: all } = useWall.getState();
    event.dataTransfer.setData(
      "application/x-shots",
      JSON.stringify(all.has(shot.id) ? [...all] : [shot.id]),
    );
    event.dataTransfer.effectAllowed = "move";
  };
  const names = [isOff(shot) && "off", reference && "reference", selected && "selected"]
    .filter(Boolean)
    .join(" ");
  return (
    <li
      ref={card}
      className={`card-shot ${names}`}
      data-shot={shot.id}
      draggable={usable}
      tabIndex={-1}
      aria-label={`${shot.name}, camera ${letter}, ${shot.standing}${shot.footage === "here" ? "" : `, ${shot.footage}`}${reference ? ", reference" : ""}${selected ? ", selected" : ""}`}
      onDragStart={onDragStart}
      // A pressed card becomes current when it is let go: a change under the pointer would end a drag at once.
      onPointerDown={() => {
        pressed.current = true;
      }}
      onPointerUp={letGo}
      onDragEnd={letGo}
      onFocus={() => !pressed.current && focus(shot.id)}
      onKeyDown={onKeyDown}
    >
      {/* No button element: browsers do not let one be dragged by its content. Enter on the card does the same. */}
      {/* biome-ignore lint/a11y/useSemanticElements: see above */}
      {/* biome-ignore lint/a11y/useKeyWithClickEvents: see above */}
      <div
        role="button"
        tabIndex={-1}
        className="of-shot"
        aria-disabled={!usable}
        onClick={(event) => (event.shiftKey || event.ctrlKey ? pick(event) : usable && onOpen(shot))}
      >
        {usable ? (
          <img src={picture} alt={`open ${shot.name}`} loading="lazy" />
        ) : (
          <span className="no-picture">{shot.fault || "measuring"}</span>
        )}
        {shot.note && (
          <span className="note-mark" title={shot.note}>
            {shot.note}
          </span>
        )}
      </div>
      <button type="button" tabIndex={-1} className="caption mono" aria-pressed={selected} onClick={pick}>
        <StateMark state={shot.state} />
        <span className="visually-hidden">select </span>
        <b title={shot.name}>{shot.name}</b>
        <ShotMarks shot={shot} />
        <span className="second">{letter && shot.name.includes(letter) ? "" : letter}</span>
        <CastArrow cast={castDifference(shot, family.reference)} />
        <span className="second exposure" title="middle as corrected against the reference, in stops">
          {stops === null || reference ? "" : signed(stops, 1)}
        </span>
        <strong title="ΔE to the reference: mean CIEDE2000 over what the two pictures share">
          {reference ? "ref" : distanceText(shot.distance)}
        </strong>
      </button>
    </li>
  );
});
