/** What a grip on a scope is, whatever it moves. */

/** A place on a scope, in CSS pixels, and the scope's size. */
export interface Place {
  x: number;
  y: number;
  width: number;
  height: number;
}

/** Where keys move a grip: along the level axis of its scope, or anywhere on the plane. */
export type Axis = "up" | "right" | "plane";

/** What a drag from one place to another does, counted from where the grip was taken. */
export type Move = (from: Place, to: Place, fine: boolean) => void;

export interface Standing {
  value: number;
  low: number;
  high: number;
  text: string;
}

export interface Grip {
  name: string;
  label: string;
  cursor: string;
  axis: Axis;
  /** Where it stands: along its scale, and in words with the unit. */
  at: Standing;
  /** Pixels from a place. */
  off: (at: Place) => number;
  /** Taken hold of: what drags from now on do. */
  take: () => Move;
  /** A step by key; `right` and `up` in the grip's own unit. */
  nudge: (right: number, up: number) => void;
  /** Brought to where the reference has it. */
  meet?: () => void;
  remove?: () => void;
}
