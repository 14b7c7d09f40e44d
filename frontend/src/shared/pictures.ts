/** Where pictures of shots are found; their addresses change with what is done to the shot. */
import { lookOf } from "../correction/model";
import type { Day, Shot } from "./api";

/** The shot's thumbnail with its correction; changes its address with the look. */
export const thumbnail = (shot: Shot, day: Day) =>
  `/api/shots/${shot.id}/thumbnail.jpg?v=${lookOf(shot, day)}`;

/** A frame as recorded, with its bars if it has any. */
export const wholeFrame = (shot: Shot, frame: number) =>
  `/api/shots/${shot.id}/frames/${frame}.jpg?whole=true&v=${shot.checksum.slice(0, 8)}`;

/** A frame as corrected, small. */
export const frameAt = (shot: Shot, day: Day, frame: number) =>
  `/api/shots/${shot.id}/frames/${frame}.jpg?v=${lookOf(shot, day)}`;
