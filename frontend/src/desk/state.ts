/** What the desk knows: the job at a revision, what is in hand, the draft. Everything that changes goes through here. */
import { create } from "zustand";
import { api, ServerProblem } from "../api/client";
import type { Change, Clip, ClipVerdicts, Draft, Edit, EditAnswer, HitRecipe, Job, Recipe, Side, Treatment } from "../api/types";
import { Player, type Span } from "../play/player";
import type { TimeStyle } from "../time/format";
import { firstPicture, onArrival } from "./pictures";
import { clipsInOrder, startOf } from "./placement";

export type Step = "find" | "shape" | "mark" | "send";
export type Scope = "this" | "all";
/** What the step Find looks for: sound and silence, or hits. */
export type FindBy = "sound" | "hits";
/** What a fade keeps when its edge moves: its length, or the place of its inner end. */
export type Hold = "length" | "inner";
/** What is heard: the job as it is, without its fades, as it was before its recipes, or before the last edit. */
export type Hearing = "as_it_is" | "without_fades" | "before_recipes" | "before_edit";

export interface Notice {
  readonly tone: "told" | "wrong";
  readonly text: string;
  /** Set when somebody else changed the job: what to do again on the newest state. */
  readonly again?: () => Promise<void>;
}

export interface Desk {
  readonly id: string;
  readonly revision: number;
  readonly job: Job;
  readonly undoLabel: string | null;
  readonly redoLabel: string | null;
  readonly keptAt: Date;
  readonly step: Step;
  readonly clipId: string | null;
  /** All clips in hand; the one whose edges the lenses show among them. */
  readonly chosen: ReadonlySet<string>;
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
  readonly selection: Span | null;
  readonly cursorFrame: number;
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
  readonly levelZoom: number;
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

let draftRequest: AbortController | null = null;
let verdictRequest: AbortController | null = null;

export const player = new Player((playing, message) => {
  if (useDesk.getState().id === null) return;
  set({ playing, ...(message ? { notice: { tone: "wrong" as const, text: message } } : {}) });
});

onArrival(() => {
  const state = useDesk.getState();
  if (state.id !== null) set({ arrivals: (state as Desk).arrivals + 1 });
});

export async function openDesk(id: string): Promise<void> {
  const opened = await api.openJob(id);
  useDesk.setState({
    id,
    revision: opened.revision,
    job: opened.job,
    undoLabel: opened.undo_label,
    redoLabel: opened.redo_label,
    keptAt: new Date(),
    step: "find",
    clipId: null,
    chosen: new Set(),
    side: "head",
    hold: "length",
    snaps: false,
    aroundS: 1,
    walking: false,
    joinLens: false,
    spectral: false,
    hearing: "as_it_is",
    revisionBefore: null,
    selection: null,
    cursorFrame: 0,
    playing: false,
    loops: false,
    findBy: foundBy(opened.job),
    scope: "all",
    targets: [],
    recipe: null,
    treatment: { kind: "cut", amount: 0 },
    drafts: null,
    drafted: false,
    verdicts: new Map(),
    verdictsAt: -1,
    notice: null,
    busy: null,
    timeStyle: "clock",
    levelZoom: opened.job.brief === "drums" ? 1 : 8, // a hit is judged by its attack, a phrase by its floor
    arrivals: 0,
  } satisfies Desk);
  const first = clipsInOrder(opened.job).find(speaks);
  if (first) choose(first.id);
  await firstPicture(opened.job);
  if (useDesk.getState().id === id) await Promise.all([settle(), refreshVerdicts()]);
}

/** What the step Find looked for last; before anything was found, what the brief looks for. */
function foundBy(job: Job): FindBy {
  const last = Object.values(job.findings).at(-1);
  const byHits = last ? !isSoundRecipe(last.recipe) : job.brief === "drums";
  return byHits ? "hits" : "sound";
}

export function closeDesk(): void {
  player.stop();
  draftRequest?.abort();
  verdictRequest?.abort();
  useDesk.setState({ id: null }, true);
}

export const speaks = (clip: Clip): boolean => clip.finding_id === null || clip.sound_start_frame !== null;
export const clipInHand = (state: Desk): Clip | undefined => (state.clipId === null ? undefined : state.job.clips[state.clipId]);

/** The frame that sounds now while playing, else where the cursor stands: "here" of every command. */
export const hereFrame = (): number => Math.round((desk().playing ? player.position() : null) ?? desk().cursorFrame);

export const goTo = (step: Step): void => set({ step });
export const tell = (text: string): void => set({ notice: { tone: "told", text } });
export const dismiss = (): void => set({ notice: null });
export const setScope = (scope: Scope): void => {
  set({ scope });
  void settle();
};
export const setTimeStyle = (timeStyle: TimeStyle): void => set({ timeStyle });
export const setLevelZoom = (levelZoom: number): void => set({ levelZoom: Math.min(Math.max(levelZoom, 1), 256) });
export const setSelection = (selection: Span | null): void => set({ selection });
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

/**
 * Take a clip in hand: alone, beside those that are ("add" takes it out again), with all between ("through"), or as one
 * of those that are in hand already ("keep").
 */
export function choose(clipId: string, side?: Side, how: "only" | "add" | "through" | "keep" = "only"): void {
  const state = desk();
  const clip = state.job.clips[clipId];
  if (!clip) return;
  const chosen = chosenWith(state, clipId, how);
  const first = chosen.has(clipId) ? clipId : ([...chosen][0] ?? clipId);
  set({ clipId: first, chosen: new Set(chosen).add(first), side: side ?? state.side });
  if (how !== "keep") set({ cursorFrame: startOf(state.job, state.job.clips[first] ?? clip) });
  if (state.scope === "this") void settle();
}

function chosenWith(state: Desk, clipId: string, how: "only" | "add" | "through" | "keep"): ReadonlySet<string> {
  if (how === "keep" && state.chosen.has(clipId)) return state.chosen;
  if (how === "add") {
    const chosen = new Set(state.chosen);
    if (!chosen.delete(clipId)) chosen.add(clipId);
    return chosen;
  }
  if (how === "through" && state.clipId !== null) {
    const ids = clipsInOrder(state.job).filter(speaks).map((clip) => clip.id);
    const [from, to] = [ids.indexOf(state.clipId), ids.indexOf(clipId)].sort((a, b) => a - b) as [number, number];
    return new Set([...state.chosen, ...ids.slice(Math.max(from, 0), to + 1)]);
  }
  return new Set([clipId]);
}

/** Take several clips in hand at once, the first of them in the lenses. */
export function chooseMany(clipIds: readonly string[]): void {
  const state = desk();
  const first = clipIds[0] === undefined ? undefined : state.job.clips[clipIds[0]];
  if (!first) return;
  set({ clipId: first.id, chosen: new Set(clipIds), cursorFrame: startOf(state.job, first) });
  if (state.scope === "this") void settle();
}

/** The clips that an edit is about: all in hand that are still there. */
export const inHand = (state: Desk): string[] => [...state.chosen].filter((id) => state.job.clips[id]);

/** Go through the clips that speak, or through their edges one after the other. */
export function go(direction: 1 | -1, by: "clip" | "edge"): void {
  const state = desk();
  const clips = clipsInOrder(state.job).filter(speaks);
  const at = clips.findIndex((clip) => clip.id === state.clipId);
  if (by === "edge" && at >= 0 && (state.side === "head") === (direction > 0)) {
    set({ side: direction > 0 ? "tail" : "head" });
    return;
  }
  const next = clips[Math.min(Math.max(at + direction, 0), clips.length - 1)];
  if (next) choose(next.id, by === "edge" ? (direction > 0 ? "head" : "tail") : undefined);
}

// --- edits ---

/**
 * Make an edit; if somebody else was faster, say so and offer to do it on the newest state. An edit that builds on what
 * is there (a nudge) is a function: it is asked when its turn comes, after the edits before it have been answered.
 */
export async function edit(change: Edit | (() => Edit | null)): Promise<void> {
  const ask = () => {
    const now = typeof change === "function" ? change() : change;
    return now ? api.edit(desk().id, desk().revision, now) : null;
  };
  await attempt(ask, () => edit(change));
}

export async function step(direction: "undo" | "redo"): Promise<void> {
  await attempt(() => api.step(desk().id, desk().revision, direction), () => step(direction));
  await settle();
}

export async function applyRecipe(): Promise<void> {
  const { recipe, treatment, id } = desk();
  if (!recipe) return;
  const before = clipInHand(desk());
  set({ busy: "finding" });
  await attempt(
    () => api.apply(id, { base_revision: desk().revision, target_ids: chosenTargets(desk()), recipe, treatment }),
    applyRecipe,
  );
  set({ busy: null });
  chooseInPlaceOf(before);
  await settle();
}

/** Take in hand what was found where a clip was that is no more: the first of its recording, else the first of all. */
export function chooseInPlaceOf(gone: Clip | undefined): void {
  if (clipInHand(desk())) return;
  const clips = clipsInOrder(desk().job).filter(speaks);
  const next = clips.find((clip) => gone && clip.source_id === gone.source_id && clip.tail_frame > gone.head_frame) ?? clips[0];
  if (next) choose(next.id);
}

/** Turn the fades that come by themselves on or off, for the whole job. */
export function setAutoFades(on: boolean): Promise<void> {
  return attempt(() => api.autoFades(desk().id, desk().revision, on), () => setAutoFades(on));
}

/** Put the programme's marks around the first and the last sound. */
export function programmeFromSound(): Promise<void> {
  return attempt(() => api.programmeFromSound(desk().id, desk().revision), programmeFromSound);
}

let queue: Promise<void> = Promise.resolve();

/** One edit after the other: each is made on the revision that the one before it answered. */
export function attempt(ask: () => Promise<EditAnswer> | null, again: () => Promise<void>): Promise<void> {
  queue = queue.then(async () => {
    try {
      const answer = await ask();
      if (answer) take(answer);
    } catch (error) {
      set({ notice: wrong(error, again) });
    }
  });
  return queue;
}

function wrong(error: unknown, again: () => Promise<void>): Notice {
  const text = error instanceof Error ? error.message : String(error);
  if (!(error instanceof ServerProblem) || !error.isStale) return { tone: "wrong", text };
  return {
    tone: "wrong",
    text,
    again: async () => {
      await reload();
      await again();
    },
  };
}

function take(answer: EditAnswer): void {
  const before = desk();
  const job = applied(before.job, answer.changes);
  set({
    job,
    revision: answer.revision,
    revisionBefore: answer.revision === before.revision ? before.revisionBefore : before.revision,
    undoLabel: answer.undo_label,
    redoLabel: answer.redo_label,
    keptAt: new Date(),
    notice: answer.notes.length ? { tone: "told", text: sentence(answer.notes) } : null,
  });
  void refreshVerdicts();
}

const sentence = (notes: readonly string[]): string => {
  const text = notes.join("; ");
  return text.charAt(0).toUpperCase() + text.slice(1) + ".";
};

/** Fetch the newest state: after a conflict, or when a recording has come in. */
export async function reload(): Promise<void> {
  const { id } = desk();
  const opened = await api.openJob(id);
  if (useDesk.getState().id !== id) return; // it was left while the answer was on its way
  set({ revision: opened.revision, job: opened.job, undoLabel: opened.undo_label, redoLabel: opened.redo_label, notice: null });
  const first = clipsInOrder(opened.job).find(speaks);
  if (!clipInHand(desk()) && first) choose(first.id);
  await Promise.all([settle(), refreshVerdicts()]);
}

const RELOAD_EVERY_MS = 700;
/** So much longer than a reload takes is waited until the next: what comes in needs the server more. */
const RELOAD_RESTS = 4;
let reloadWanted = false;
let reloading = false;

/** Fetch the newest state, but not for each of hundreds of recordings that come in one after the other. */
export function reloadSoon(): void {
  reloadWanted = true;
  if (reloading) return;
  reloading = true;
  void (async () => {
    while (reloadWanted && useDesk.getState().id !== null) {
      reloadWanted = false;
      const began = performance.now();
      await reload().catch(() => undefined); // the next recording that comes in asks again
      const rest = Math.max(RELOAD_EVERY_MS, RELOAD_RESTS * (performance.now() - began));
      await new Promise((resume) => setTimeout(resume, rest));
    }
    reloading = false;
  })();
}

/** The job with every change's `after` in place. */
export function applied(job: Job, changes: readonly Change[]): Job {
  const next = { ...job } as Record<string, unknown>;
  for (const { kind, entity_id, after } of changes) {
    if (kind === "job") {
      Object.assign(next, after);
      continue;
    }
    if (next[kind] === job[kind]) next[kind] = { ...job[kind] };
    const collection = next[kind] as Record<string, unknown>;
    if (after === null) Reflect.deleteProperty(collection, entity_id);
    else collection[entity_id] = after;
  }
  return next as unknown as Job;
}

// --- finding ---

const isSoundRecipe = (recipe: Recipe | HitRecipe): recipe is Recipe => !("kind" in recipe);

export const targetOf = (state: Desk): string | null => {
  const clip = clipInHand(state);
  return clip ? (clip.finding_id ?? clip.id) : null;
};

export function chosenTargets(state: Desk): string[] {
  const target = targetOf(state);
  return state.scope === "this" && target ? [target] : [...state.targets];
}

/** What finds otherwise than by sound and silence brings what it settles by. */
export const settlers = new Map<FindBy, () => Promise<void>>();

export const setFindBy = (findBy: FindBy): void => {
  set({ findBy, drafts: null, drafted: false });
  void settle();
};

/** Take over the settings that were applied last, or ask for a proposal, and draft them. */
async function settle(): Promise<void> {
  const { id, revision, job } = desk();
  const own = settlers.get(desk().findBy);
  if (own) return own();
  if (Object.keys(job.clips).length === 0) {
    set({ targets: [], recipe: null, drafts: null, drafted: false });
    return;
  }
  try {
    const proposal = await api.proposal(id, revision, desk().scope === "this" ? chosenTargets(desk()) : []);
    set({ targets: proposal.target_ids });
    const applied = (target: string) => {
      const finding = desk().job.findings[target];
      return finding && isSoundRecipe(finding.recipe) ? { recipe: finding.recipe, treatment: finding.treatment } : undefined;
    };
    const found = chosenTargets(desk()).map(applied).find(Boolean);
    set({
      recipe: proposal.recipe,
      ...found,
      drafted: chosenTargets(desk()).some((target) => !applied(target)),
    });
    await refreshDraft();
  } catch (error) {
    set({ notice: { tone: "wrong", text: error instanceof Error ? error.message : String(error) } });
  }
}

export function setRecipe(part: Partial<Recipe>): void {
  const { recipe } = desk();
  if (!recipe) return;
  set({ recipe: { ...recipe, ...part }, drafted: true });
  void refreshDraft();
}

export function setTreatment(treatment: Treatment): void {
  set({ treatment, drafted: true });
  void refreshDraft();
}

/** Ask for a draft; the newest request wins. */
async function refreshDraft(): Promise<void> {
  const state = desk();
  if (!state.recipe) return;
  draftRequest?.abort();
  const request = new AbortController();
  draftRequest = request;
  const close_up_s = state.treatment.kind === "close_up" ? state.treatment.amount : 0.6;
  try {
    const body = { revision: state.revision, target_ids: chosenTargets(state), recipe: state.recipe, close_up_s };
    const drafts = await api.draft(state.id, body, request.signal);
    if (draftRequest === request) set({ drafts });
  } catch (error) {
    if (!request.signal.aborted) set({ notice: { tone: "wrong", text: error instanceof Error ? error.message : String(error) } });
  }
}

async function refreshVerdicts(): Promise<void> {
  verdictRequest?.abort();
  const request = new AbortController();
  verdictRequest = request;
  try {
    const answer = await api.verdicts(desk().id, desk().revision, request.signal);
    if (verdictRequest === request) set({ verdicts: new Map(answer.clips.map((row) => [row.clip_id, row])), verdictsAt: answer.revision });
  } catch {
    // The next edit asks again; until then the list keeps what it knew.
  }
}
