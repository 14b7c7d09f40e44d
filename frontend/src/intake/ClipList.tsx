import { useVirtualizer } from "@tanstack/react-virtual";
import { type MouseEvent, memo, useEffect, useRef } from "react";
import type { Day, Shot } from "../shared/api";
import { thumbnail } from "../shared/pictures";
import { assumedOf, type Row, rateText, seenAs, soundText } from "./clips";
import { extend, toggle, useIntake } from "./selection";

const ROW_HEIGHT = 46;
const HEADINGS = ["", "shot, file", "cam", "recorded", "colour", "picture, sound", "to decide"];

function Assumed({ text, assumed }: { text: string; assumed: boolean }) {
  return assumed ? (
    <span className="assumed" title="the file does not say; this is assumed">
      {text}?
    </span>
  ) : (
    <span>{text}</span>
  );
}

function Colour({ row }: { row: Row }) {
  const clip = row.shot.clip;
  const assumed = assumedOf(row.shot, row.camera);
  if (!clip.matrix) return null;
  return (
    <>
      <div>
        <Assumed text={clip.full_range ? "full" : "narrow"} assumed={assumed.includes("range")} />{" "}
        <Assumed text={clip.matrix} assumed={assumed.includes("matrix")} />
      </div>
      <div className="second">
        {clip.transfer || "not tagged"}
        {clip.primaries && clip.primaries !== clip.transfer ? `, ${clip.primaries}` : ""}
      </div>
    </>
  );
}

const ClipRow = memo(function ClipRow({
  row,
  picture,
  top,
  selected,
  inHand,
  onPick,
}: {
  row: Row;
  picture: string;
  top: number;
  selected: boolean;
  inHand: boolean;
  onPick: (shot: Shot, event: MouseEvent) => void;
}) {
  const { shot, camera, decisions } = row;
  const clip = shot.clip;
  const grave = decisions[0]?.need;
  const names = [
    selected && "selected",
    inHand && "in-hand",
    shot.off && "off",
    grave === "faulty" && "faulty",
  ];
  const doing = { waiting: "waiting", measuring: "being measured", stopped: "stopped" }[shot.progress];
  return (
    <tr
      aria-selected={selected}
      tabIndex={-1}
      data-clip={shot.id}
      className={`clip ${names.filter(Boolean).join(" ")}`}
      style={{ transform: `translateY(${top}px)`, height: ROW_HEIGHT }}
      onClick={(event) => onPick(shot, event)}
      onKeyDown={() => undefined}
    >
      <td className="small-picture">
        {shot.progress === "ready" && <img src={picture} alt="" loading="lazy" />}
      </td>
      <td className="mono">
        <b title={shot.name}>{shot.name}</b>
        <span className="second" title={shot.file}>
          {shot.file}
        </span>
      </td>
      <td className="mono" title={camera?.name}>
        <b>{camera?.letter}</b>
      </td>
      <td className="mono">
        <div>
          {clip.width ? `${clip.width}×${clip.height} ${rateText(clip.rate)}` : ""}
          {clip.frames ? <span className="second"> {clip.frames} fr</span> : null}
        </div>
        <div className="second">
          {clip.codec} {clip.bit_depth ? `${clip.bit_depth} bit` : ""} {clip.timecode}
        </div>
      </td>
      <td>
        <Colour row={row} />
      </td>
      <td className="told">
        <div>{seenAs(shot).join(", ")}</div>
        <div className="second">
          {clip.width ? soundText(clip) : ""}
          {clip.verified ? `, as in ${clip.verified}` : ""}
        </div>
      </td>
      <td className="decisions" title={decisions.map((one) => one.says).join("\n")}>
        {decisions.length > 0 ? (
          decisions.map((one) => (
            <span key={one.says}>
              <b>{one.need}</b> {one.need === "assumed" ? one.says.replace(/ assumed$/, "") : one.says}
            </span>
          ))
        ) : (
          <span className="second">{shot.off ? "set aside" : (doing ?? "measured")}</span>
        )}
      </td>
    </tr>
  );
});

/** The clips, as many as fit; a day of any length scrolls alike. */
export function ClipList({ rows, order, day }: { rows: Row[]; order: number[]; day: Day }) {
  const box = useRef<HTMLDivElement>(null);
  const at = useIntake((state) => state.at);
  const selected = useIntake((state) => state.selected);
  const virtual = useVirtualizer({
    count: rows.length,
    getScrollElement: () => box.current,
    estimateSize: () => ROW_HEIGHT,
    overscan: 8,
  });
  const orderNow = useRef(order);
  orderNow.current = order;
  useEffect(() => {
    // What is current is brought into sight when the hand moves, not when the list changes under it.
    const place = orderNow.current.indexOf(at ?? -1);
    if (place >= 0) virtual.scrollToIndex(place);
  }, [at, virtual]);
  const pick = useRef((shot: Shot, event: MouseEvent) => {
    if (event.shiftKey) extend(shot.id, orderNow.current);
    else if (event.ctrlKey || event.metaKey) toggle(shot.id);
    else useIntake.setState({ at: shot.id, anchor: shot.id, selected: new Set([shot.id]) });
  });
  return (
    <div className="clips" ref={box}>
      <table aria-label="clips" aria-rowcount={rows.length}>
        <thead>
          <tr className="clip headings">
            {HEADINGS.map((name) => (
              <th key={name}>{name || <span className="visually-hidden">picture</span>}</th>
            ))}
          </tr>
        </thead>
        <tbody style={{ height: virtual.getTotalSize() }}>
          {virtual.getVirtualItems().map((item) => {
            const row = rows[item.index];
            return (
              <ClipRow
                key={row.shot.id}
                row={row}
                picture={thumbnail(row.shot, day)}
                top={item.start}
                selected={selected.has(row.shot.id)}
                inHand={row.shot.id === at}
                onPick={pick.current}
              />
            );
          })}
        </tbody>
      </table>
    </div>
  );
}
