/** How the scopes are arranged and drawn; remembered in the browser. */
import { create } from "zustand";
import { UNITS, type Unit } from "../shared/units";

export const SCOPES = [
  "parade",
  "waveform",
  "vectorscope",
  "histogram",
  "cast by level",
  "memory colours",
] as const;
export type ScopeKind = (typeof SCOPES)[number];
export const PARADES = ["R′G′B′", "Y′CbCr"] as const;
export const WAVEFORMS = ["luma", "R′G′B′"] as const;
export const HISTOGRAMS = ["R G B", "R+G+B", "luma", "hue", "saturation"] as const;
export const GAINS = [1, 2, 4] as const;
export const VECTOR_RANGES = ["all levels", "lows", "mids", "highs"] as const;
export const MARKS = [
  "none",
  "tone only",
  "clipping",
  "legality",
  "false colour",
  "skin",
  "foliage",
  "sky",
  "neutrals",
  "matte",
] as const;
export type Mark = (typeof MARKS)[number];

/** Part of the level axis that is shown, in percent. */
export interface View {
  low: number;
  high: number;
}
export const WHOLE_VIEW: View = { low: -7, high: 109 };

/** Luma between which the vectorscope is limited, in percent. */
export const VECTOR_LEVELS: Record<(typeof VECTOR_RANGES)[number], [number, number] | null> = {
  "all levels": null,
  lows: [-12, 25],
  mids: [25, 65],
  highs: [65, 112],
};

export interface Settings {
  slots: ScopeKind[];
  enlarged: ScopeKind | null;
  parade: (typeof PARADES)[number];
  waveform: (typeof WAVEFORMS)[number];
  histogram: (typeof HISTOGRAMS)[number];
  logarithmic: boolean;
  unsmoothed: boolean;
  /** Whether the histogram's levels go upwards, as those of parade and waveform. */
  vertical: boolean;
  gain: (typeof GAINS)[number];
  vectorRange: (typeof VECTOR_RANGES)[number];
  view: View;
  unit: Unit;
  referenceTrace: boolean;
  mark: Mark;
}

const KEPT_AS = "dovrel.scopes";
const DEFAULTS: Settings = {
  slots: ["parade", "waveform", "vectorscope", "histogram"],
  enlarged: null,
  parade: "R′G′B′",
  waveform: "luma",
  histogram: "R G B",
  logarithmic: false,
  unsmoothed: false,
  vertical: false,
  gain: 2,
  vectorRange: "all levels",
  view: WHOLE_VIEW,
  unit: "%",
  referenceTrace: true,
  mark: "none",
};

/** What was remembered, taken only where it still makes sense. */
function remembered(): Partial<Settings> {
  try {
    const kept = JSON.parse(window.localStorage.getItem(KEPT_AS) ?? "{}") as Partial<Settings>;
    const known = kept.slots?.length === 4 && kept.slots.every((slot) => SCOPES.includes(slot));
    const unit = kept.unit && UNITS.includes(kept.unit);
    return { ...kept, ...(known ? {} : { slots: DEFAULTS.slots }), ...(unit ? {} : { unit: DEFAULTS.unit }) };
  } catch {
    return {};
  }
}

export const useScopes = create<Settings>(() => ({ ...DEFAULTS, ...remembered(), mark: "none" }));

useScopes.subscribe((settings) => window.localStorage.setItem(KEPT_AS, JSON.stringify(settings)));

/** Put a scope into a place; the one that is there changes places with it. */
export function place(slot: number, kind: ScopeKind) {
  const slots = [...useScopes.getState().slots];
  const other = slots.indexOf(kind);
  if (other >= 0) slots[other] = slots[slot];
  slots[slot] = kind;
  useScopes.setState({ slots, enlarged: null });
}

export const isOpen = (settings: Settings, kind: ScopeKind) =>
  settings.enlarged ? settings.enlarged === kind : settings.slots.includes(kind);
