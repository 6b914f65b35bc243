/** The desk's state: the job at a revision, what is selected, the draft of a search. Other files here change it. */
import { create } from "zustand";
import type { BriefRecord, Clip, ClipVerdicts, Draft, Job, Recipe, Side, Treatment } from "../../api/types";
import { Player, type Span } from "../../play/player";
import { HOW_TO_TYPE_TIME, parsePlace, type TimeStyle } from "../../time/format";

export type Step = "find" | "shape" | "mark" | "send";
export type Scope = "this" | "all";
/** What the step Find looks for: sound and silence, or hits. */
export type FindBy = "sound" | "hits";
/** What a fade keeps when its edge moves: its length, or the place of its inner end. */
export type Hold = "length" | "inner";
/** What is heard: the job as it is, without its fades, as it was before its recipes, or before the last edit. */
export type Hearing = "result" | "without_fades" | "original" | "before_edit";

/** A selected span of time, in job frames, on one lane or on all: what the next act is about. */
export interface Selection extends Span {
  readonly laneId: string | null;
}

/** Clips or a span, taken by "copy" or "cut" as a revision had them: pasted at the cursor. */
export type Clipboard = { readonly revision: number } & ({ readonly kind: "clips"; readonly clipIds: readonly string[] } | { readonly kind: "span"; readonly span: Selection });

/** Something that a message offers to do. */
export interface Offer {
  readonly name: string;
  readonly run: () => Promise<void> | void;
}

export interface Notice {
  readonly tone: "told" | "wrong";
  readonly text: string;
  /** What can be done about it, the last of them first choice. */
  readonly offers?: readonly Offer[];
}

export interface Desk {
  readonly id: string;
  readonly revision: number;
  readonly job: Job;
  readonly brief: BriefRecord;
  readonly settings: Readonly<Record<string, unknown>>;
  readonly undoLabel: string | null;
  readonly redoLabel: string | null;
  /** How many edits are on their way to the server. */
  readonly saving: number;
  /** Whether the last edit that was asked for was not made. */
  readonly unsaved: boolean;
  readonly step: Step;
  readonly clipId: string | null;
  /** All selected clips; the one whose edges the lenses show among them. */
  readonly selected: ReadonlySet<string>;
  readonly side: Side;
  readonly hold: Hold;
  readonly snaps: boolean;
  /** How much is heard on each side of an edge or a join. */
  readonly aroundS: number;
  readonly walking: boolean;
  readonly joinLens: boolean;
  readonly spectral: boolean;
  readonly hearing: Hearing;
  readonly revisionBefore: number | null;
  readonly selection: Selection | null;
  readonly clipboard: Clipboard | null;
  readonly cursorFrame: number;
  /** The place that was asked to be shown last; the count tells one asking from the next. */
  readonly shownPlace: { readonly frame: number; readonly asked: number } | null;
  readonly playing: boolean;
  readonly loops: boolean;
  readonly findBy: FindBy;
  readonly scope: Scope;
  readonly targets: readonly string[];
  readonly recipe: Recipe | null;
  readonly treatment: Treatment;
  readonly drafts: readonly Draft[] | null;
  /** Whether the draft differs from what was applied last. */
  readonly drafted: boolean;
  readonly verdicts: ReadonlyMap<string, ClipVerdicts>;
  readonly verdictsAt: number;
  readonly notice: Notice | null;
  readonly busy: string | null;
  readonly timeStyle: TimeStyle;
  /** How far lenses look into the level; none: each as far as its sound allows. */
  readonly levelZoom: number | null;
  /** How far the lens of the selected edge looks in by itself. */
  readonly autoLevelZoom: number;
  /** Counts arrivals of tiles: whoever draws depends on it. */
  readonly arrivals: number;
}

export const useDesk = create<Desk | { readonly id: null }>(() => ({ id: null }));

/** The desk, once a job is open. */
export const desk = (): Desk => {
  const state = useDesk.getState();
  if (state.id === null) throw new Error("no job is open");
  return state as Desk;
};
export const useOpen = <T>(pick: (desk: Desk) => T): T => useDesk((state) => pick(state as Desk));
export const set = (part: Partial<Desk>): void => useDesk.setState(part);

export const player = new Player((playing, message) => {
  if (useDesk.getState().id === null) return;
  set({ playing, ...(message ? { notice: { tone: "wrong" as const, text: message } } : {}) });
});

export const currentClip = (state: Desk): Clip | undefined => (state.clipId === null ? undefined : state.job.clips[state.clipId]);

/** The frame that sounds now while playing, else the cursor: where every command "at the cursor" acts. */
export const hereFrame = (): number => Math.round((desk().playing ? player.position() : null) ?? desk().cursorFrame);

export const goTo = (step: Step): void => set({ step });
export const notify = (text: string): void => set({ notice: { tone: "told", text } });
/** What a typed place means; for one that cannot be read it is said how a time is typed. */
export function typedPlace(job: Parameters<typeof parsePlace>[0], text: string, from: number, style: TimeStyle): number | null {
  const place = parsePlace(job, text, from, style);
  if (place === null) notify(HOW_TO_TYPE_TIME);
  return place;
}
export const fail = (error: unknown): void => set({ notice: { tone: "wrong", text: error instanceof Error ? error.message : String(error) } });
export const dismiss = (): void => set({ notice: null });
export const setTimeStyle = (timeStyle: TimeStyle): void => set({ timeStyle });
export const setSelection = (selection: Selection | null): void => set({ selection });
/** The lanes that a selection is on, as edits name them: none means all. */
export const selectionLanes = (selection: Selection): string[] => (selection.laneId ? [selection.laneId] : []);
/** Bring a place of the job into view. */
export const bringIntoView = (frame: number): void => set({ shownPlace: { frame, asked: (desk().shownPlace?.asked ?? 0) + 1 } });
/** Bring a place of the job into view, with the cursor on it. */
export const showPlace = (frame: number): void => {
  setCursor(frame);
  bringIntoView(frame);
};
export const setCursor = (frame: number): void => set({ cursorFrame: Math.max(0, Math.round(frame)) });
export const setLoops = (loops: boolean): void => set({ loops });
export const setHold = (hold: Hold): void => set({ hold });
export const setSide = (side: Side): void => set({ side });
export const setSnaps = (snaps: boolean): void => set({ snaps });
export const setAround = (aroundS: number): void => set({ aroundS });
export const setWalking = (walking: boolean): void => set({ walking });
export const setJoinLens = (joinLens: boolean): void => set({ joinLens });
export const setSpectral = (spectral: boolean): void => set({ spectral });
export const setHearing = (hearing: Hearing): void => set({ hearing });
export const setLevelZoom = (levelZoom: number | null): void => set({ levelZoom: levelZoom === null ? null : Math.min(Math.max(levelZoom, 1), 256) });
export const zoomLevel = (factor: number): void => setLevelZoom((desk().levelZoom ?? desk().autoLevelZoom) * factor);
