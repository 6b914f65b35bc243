/** Hits: the recipe that finds them, its draft, the pictures of their heads, and the order of the wall. */
import { create } from "zustand";
import { api } from "../api/client";
import type { Clip, Draft, HitDraft, HitRecipe, Job } from "../api/types";
import { continuing, startOf } from "./placement";
import { attempt, chooseInPlaceOf, clipInHand, desk, inHand, set as setDesk, settlers, speaks, useDesk } from "./state";

export const HEAD_COLUMNS = 700;
export type WallOrder = "doubt" | "name" | "air";

export type Heads = ReadonlyMap<string, { readonly startFrame: number; readonly picture: Int8Array }>;

interface Hits {
  readonly recipe: HitRecipe | null;
  readonly draft: HitDraft | null;
  /** Whether the draft differs from what was applied last. */
  readonly drafted: boolean;
  /** What the core calls doubtful and late, and the grades by which ends are softened; nothing before it was asked. */
  readonly limits: { readonly doubtfulUnder: number; readonly lateFromMs: number; readonly softeningsMs: readonly number[] };
  readonly heads: Heads;
  /** The targets by which their sets are cut, as far as was asked: a draft of those in hand says nothing of the others. */
  readonly deciding: ReadonlySet<string>;
  readonly order: WallOrder;
  readonly only: string;
}

export const useHits = create<Hits>(() => ({ recipe: null, draft: null, drafted: false, limits: { doubtfulUnder: 0, lateFromMs: Infinity, softeningsMs: [] }, heads: new Map(), deciding: new Set(), order: "doubt", only: "" }));
const set = (part: Partial<Hits>): void => useHits.setState(part);
export const setOrder = (order: WallOrder): void => set({ order });
export const setOnly = (only: string): void => set({ only });

let request: AbortController | null = null;
let headsOf = "";

/** Take over the recipe that was applied last, or the usual one, and draft it. */
export async function settleHits(): Promise<void> {
  if (Object.keys(desk().job.clips).length === 0) {
    headsOf = "";
    set({ recipe: null, draft: null, drafted: false, heads: new Map() });
    setDesk({ drafts: null, targets: [] });
    return;
  }
  await draftHits(null);
}

settlers.set("hits", settleHits);

/** Whether a clip is all of a file that is one hit: its picture does not depend on where it was cut. */
const isOneHit = (job: Job, clip: Clip): boolean => {
  const recipe = clip.finding_id === null ? undefined : job.findings[clip.finding_id]?.recipe;
  return recipe !== undefined && "kind" in recipe && !recipe.many;
};

/** Ask for the pictures of the heads, if files came or clips were cut since they were asked for. */
export async function fetchHeads(): Promise<void> {
  const { id, revision, job } = desk();
  const files = `${id} ${Object.values(job.clips).map((clip) => `${clip.id}${isOneHit(job, clip) ? "" : clip.head_frame}`).join()}`;
  if (files === headsOf) return;
  headsOf = files;
  try {
    const heads = await api.heads(id, revision, HEAD_COLUMNS);
    if (headsOf === files) set({ heads });
  } catch {
    if (headsOf === files) headsOf = ""; // asked again with the next edit; the wall shows names and lines until then
  }
}

/** Ask what a recipe would find; the newest request wins. */
async function draftHits(recipe: HitRecipe | null): Promise<void> {
  request?.abort();
  const mine = new AbortController();
  request = mine;
  const { id, revision } = desk();
  try {
    const answer = await api.draftHits(id, revision, hitTargets(), recipe, mine.signal);
    if (request !== mine || useDesk.getState().id !== id) return;
    const dragged = recipe !== null;
    const limits = { doubtfulUnder: answer.doubtful_under, lateFromMs: answer.late_from_ms, softeningsMs: answer.softenings_ms };
    set({ draft: answer.draft, deciding: nowDeciding(answer.draft), limits, drafted: !answer.applied, ...(dragged ? {} : { recipe: answer.recipe }) });
    setDesk({ targets: answer.target_ids, drafted: !answer.applied, drafts: answer.applied ? null : asDrafts(desk().job, answer.draft) });
  } catch (error) {
    if (!mine.signal.aborted) setDesk({ notice: { tone: "wrong", text: error instanceof Error ? error.message : String(error) } });
  }
}

/** What a search is about: the hits in hand, or all. */
function hitTargets(): string[] {
  const state = desk();
  if (state.scope === "all") return [];
  return [...new Set(inHand(state).map((id) => state.job.clips[id]?.finding_id ?? id))];
}

function nowDeciding(draft: HitDraft): ReadonlySet<string> {
  const deciding = new Set(useHits.getState().deciding);
  draft.target_ids.forEach((target, n) => (draft.deciding[n] ? deciding.add(target) : deciding.delete(target)));
  return deciding;
}

export function setHitRecipe(part: Partial<HitRecipe>): void {
  const { recipe } = useHits.getState();
  if (!recipe) return;
  const next = { ...recipe, ...part };
  set({ recipe: next, drafted: true });
  void draftHits(next);
}

export async function applyHits(): Promise<void> {
  const { recipe } = useHits.getState();
  if (!recipe) return;
  const before = clipInHand(desk());
  setDesk({ busy: "finding" });
  const targetIds = hitTargets();
  await attempt(() => api.applyHits(desk().id, desk().revision, targetIds, recipe), applyHits);
  setDesk({ busy: null });
  chooseInPlaceOf(before);
  await settleHits();
}

export async function readNames(pattern: string): Promise<void> {
  await attempt(() => api.readNames(desk().id, desk().revision, pattern), () => readNames(pattern));
  await settleHits();
}

export const turnDown = (clipIds: string[], ceilingDb: number): Promise<void> =>
  attempt(() => api.turnDown(desk().id, desk().revision, clipIds, ceilingDb), () => turnDown(clipIds, ceilingDb));

export const soften = (clipIds: string[], milliseconds: number): Promise<void> =>
  attempt(() => api.soften(desk().id, desk().revision, clipIds, milliseconds), () => soften(clipIds, milliseconds));

export const loopAll = (clipIds: string[], crossfadeMs: number | null): Promise<void> =>
  attempt(() => api.loopAll(desk().id, desk().revision, clipIds, crossfadeMs), () => loopAll(clipIds, crossfadeMs));

/** The entries of a draft by their target: a one-shot has one, a take one for each of its hits. */
function byTarget(draft: HitDraft): Map<string, number[]> {
  const entries = new Map<string, number[]>();
  draft.target_ids.forEach((target, n) => {
    const list = entries.get(target);
    if (list) list.push(n);
    else entries.set(target, [n]);
  });
  return entries;
}

/** A draft of hits as strip and lenses know drafts. */
function asDrafts(job: Job, draft: HitDraft): Draft[] {
  return [...byTarget(draft)].map(([target_id, entries]) => {
    const base = job.findings[target_id] ?? job.clips[target_id];
    const spans = entries.flatMap((n) => [draft.heads[n] ?? 0, draft.tails[n] ?? 0]);
    const sounds = entries.flatMap((n) => [draft.onsets[n] ?? 0, draft.tails[n] ?? 0]);
    const kept = entries.reduce((sum, n) => sum + (draft.tails[n] ?? 0) - (draft.heads[n] ?? 0), 0);
    return {
      target_id, source_id: base?.source_id ?? "", spans, sounds, kept_frames: kept, closed_up_frames: kept,
      frames: base ? base.tail_frame - base.head_frame : 0, rate_hz: job.sources[base?.source_id ?? ""]?.rate_hz ?? 48_000, clicks: 0, breaths: 0,
      shortest_gap_left_frames: 0, bridged: [], floor_db: Number.NaN, peak_db: 0, threshold_db: Number.NaN, // no level to draw: a hit is measured against itself
    };
  });
}

/** A cell of the wall: the clips of one hit, one for each microphone, and what is known of its head. */
export interface Cell {
  readonly key: string;
  readonly clips: readonly Clip[];
  readonly name: string;
  /** Milliseconds from where the picture begins: the onset found, and the head. */
  readonly onsetMs: number;
  readonly headMs: number;
  readonly confidence: number;
}

/** The cells of a job under a draft, in the order that was asked for; `only` keeps those whose names have all its words. */
export function cells(job: Job, known: Pick<Hits, "draft" | "drafted" | "deciding" | "heads">, order: WallOrder, only: string): Cell[] {
  const { draft, heads } = known;
  // A take that is not cut yet has one cell, and all that is drafted in it stands in the strip.
  const drafted = new Map([...(draft ? byTarget(draft) : [])].flatMap(([target, [n, ...others]]) => (n !== undefined && others.length === 0 ? [[target, n]] : [])));
  const sets = new Map<string, Clip[]>();
  const goesOn = continuing(job);
  for (const clip of Object.values(job.clips).filter((one) => speaks(one) && !goesOn.has(one.id))) {
    const key = clip.set_id ?? clip.id;
    const set = sets.get(key);
    if (set) set.push(clip);
    else sets.set(key, [clip]);
  }
  // What was applied is known to the sample; a draft only to the block.
  const pending = known.drafted ? drafted : new Map<string, number>();
  const decides = (clip: Clip): number => Number(known.deciding.has(clip.finding_id ?? clip.id));
  const all = [...sets].map(([key, clips]): Cell => cellOf(job, draft, pending, heads, key, clips.sort((a, b) => decides(b) - decides(a))));
  const words = only.toLowerCase().split(/\s+/).filter(Boolean);
  const kept = words.length ? all.filter((cell) => words.every((word) => textOf(cell).includes(word))) : all;
  const start = new Map(kept.map((cell) => [cell.key, cell.clips[0] ? startOf(job, cell.clips[0]) : 0]));
  const strength = (cell: Cell): number => draft?.strengths.indexOf(cell.clips[0]?.strike?.strength ?? "") ?? 0;
  const thing = (cell: Cell): string => cell.clips[0]?.strike?.name ?? cell.name;
  const by: Record<WallOrder, (a: Cell, b: Cell) => number> = {
    doubt: (a, b) => a.confidence - b.confidence,
    name: (a, b) => thing(a).localeCompare(thing(b), undefined, { numeric: true }) || strength(a) - strength(b),
    air: (a, b) => b.onsetMs - a.onsetMs,
  };
  return kept.sort((a, b) => by[order](a, b) || (start.get(a.key) ?? 0) - (start.get(b.key) ?? 0));
}

const textOf = (cell: Cell): string => cell.clips.map((clip) => `${clip.name} ${clip.strike?.strength ?? ""} ${clip.strike?.mic ?? ""} ${clip.strike?.note ?? ""}`).join(" ").toLowerCase();

function cellOf(job: Job, draft: HitDraft | null, drafted: ReadonlyMap<string, number>, heads: Heads, key: string, clips: readonly Clip[]): Cell {
  const clip = clips[0];
  if (!clip) return { key, clips, name: "", onsetMs: 0, headMs: 0, confidence: 1 };
  const finding = clip.finding_id === null ? undefined : job.findings[clip.finding_id];
  const corrected = finding?.corrections?.some((correction) => correction.side === "head" && correction.edge_frame !== null);
  const n = drafted.get(clip.finding_id ?? clip.id);
  const begins = heads.get(clip.id)?.startFrame ?? finding?.head_frame ?? clip.head_frame;
  const ms = (frame: number) => ((frame - begins) * 1000) / (job.sources[clip.source_id]?.rate_hz ?? 48_000);
  const head = corrected || n === undefined ? clip.head_frame : (draft?.heads[n] ?? clip.head_frame);
  const onset = n === undefined ? (clip.sound_start_frame ?? clip.head_frame) : (draft?.onsets[n] ?? 0);
  const confidence = corrected ? 1 : n === undefined ? (clip.confidence ?? 1) : (draft?.confidences[n] ?? 1);
  const strike = clip.strike;
  const name = strike ? [strike.name, strike.strength].filter(Boolean).join(" ") : clip.name;
  return { key, clips, name, onsetMs: ms(onset), headMs: ms(head), confidence };
}
