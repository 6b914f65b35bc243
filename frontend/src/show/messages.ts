/** What the page and the audio thread tell each other about a run. */
import type { ShowPlan } from "../api/types";
import type { LogEntry, Press, PressKind } from "./run";

/** A performance as it was captured: what was pressed, and how far it came. */
export interface Captured {
  readonly presses: readonly Press[];
  readonly frame: number;
}

export type ToThread =
  | { readonly type: "load"; readonly plan: ShowPlan; readonly from: Captured | null }
  | { readonly type: "block"; readonly key: string; readonly samples: Float32Array }
  | { readonly type: "press"; readonly kind: PressKind; readonly id: number; /** By the clock of the wall, in ms. */ readonly at: number; readonly cue?: number | null; readonly start?: number; readonly end?: number; readonly passes?: number };

/** What sounds, as it is shown. */
export interface SoundingNow {
  readonly id: number;
  readonly cue: number;
  readonly gain: number;
  readonly goal: number;
  readonly left: number | null;
  readonly passLeft: number | null;
  readonly pass: number;
  readonly passes: number | null;
  readonly loop: { readonly start: number; readonly end: number } | null;
  readonly letGo: boolean;
  readonly stops: boolean;
  /** Frames of the run until each event that is still to come in what is decided, by its number. */
  readonly events: readonly (readonly [number, number])[];
}

export interface Status {
  readonly type: "status";
  readonly frame: number;
  readonly now: number;
  readonly standing: number | null;
  readonly sounding: readonly SoundingNow[];
  readonly waiting: readonly { readonly cue: number; readonly left: number }[];
  readonly paused: boolean;
  readonly peak: number;
  /** Frames that were not here when they were due: silence was heard in their place. */
  readonly missing: number;
  readonly log: readonly LogEntry[];
}

export type FromThread =
  | Status
  | { readonly type: "pressed"; readonly id: number; readonly press: Press }
  /** It came when there was no sound, and is not done now. */
  | { readonly type: "stale"; readonly id: number; readonly kind: PressKind }
  | { readonly type: "want"; readonly keys: readonly string[] };
