/** The search for hits: its settings, its draft while they are dragged, Apply, and the pictures of the wall. */
import { create } from "zustand";
import { api } from "../../api/client";
import type { Clip, Draft, HitDraft, HitRecipe, Job } from "../../api/types";
import { byTarget, type Heads } from "../model/cells";
import { currentClip, desk, fail, set as setDesk, useDesk } from "./desk";
import { attempt, edit } from "./edits";
import { selectedIds, selectReplacement } from "./selection";
import { settlers } from "./settle";

export const HEAD_COLUMNS = 700;

interface Hits {
  readonly recipe: HitRecipe | null;
  readonly draft: HitDraft | null;
  /** Whether the draft differs from what was applied last. */
  readonly drafted: boolean;
  /** What the core calls doubtful and late, and the grades by which ends are softened; nothing before it was asked. */
  readonly limits: { readonly doubtfulUnder: number; readonly lateFromMs: number; readonly softeningsMs: readonly number[] };
  readonly heads: Heads;
  /** The targets by which their sets are cut, as far as was asked: a draft of the selected ones says nothing of the others. */
  readonly deciding: ReadonlySet<string>;
}

export const useHits = create<Hits>(() => ({ recipe: null, draft: null, drafted: false, limits: { doubtfulUnder: 0, lateFromMs: Infinity, softeningsMs: [] }, heads: new Map(), deciding: new Set() }));
const set = (part: Partial<Hits>): void => useHits.setState(part);

let request: AbortController | null = null;
let headsOf = "";

/** Take over the recipe that was applied last, or the usual one, and draft it. */
export async function settleHitSearch(): Promise<void> {
  if (Object.keys(desk().job.clips).length === 0) {
    headsOf = "";
    set({ recipe: null, draft: null, drafted: false, heads: new Map() });
    setDesk({ drafts: null, targets: [] });
    return;
  }
  await draftHits(null);
}

settlers.set("hits", settleHitSearch);

/** Draft again with the numbers as they stand: a hit that was removed from a take is left out of it. */
export async function redraftHits(): Promise<void> {
  if (desk().findBy !== "hits") return;
  const { recipe, drafted } = useHits.getState();
  await (recipe && drafted && Object.keys(desk().job.clips).length > 0 ? draftHits(recipe) : settleHitSearch());
}

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
    if (!mine.signal.aborted) fail(error);
  }
}

/** What a search is about: the selected hits, or all. */
function hitTargets(): string[] {
  const state = desk();
  if (state.scope === "all") return [];
  return [...new Set(selectedIds(state).map((id) => state.job.clips[id]?.finding_id ?? id))];
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
  const before = currentClip(desk());
  setDesk({ busy: "finding" });
  const targetIds = hitTargets();
  await attempt(() => api.applyHits(desk().id, desk().revision, targetIds, recipe), applyHits);
  setDesk({ busy: null });
  selectReplacement(before);
  await settleHitSearch();
}

export async function readNames(pattern: string): Promise<void> {
  await edit({ kind: "read_names", pattern });
  await settleHitSearch();
}

/** A draft of hits as strip and lenses know drafts. */
function asDrafts(job: Job, draft: HitDraft): Draft[] {
  return [...byTarget(draft)].map(([target_id, entries]) => {
    const base = job.findings[target_id] ?? job.clips[target_id];
    const spans = entries.flatMap((n) => [draft.heads[n] ?? 0, draft.tails[n] ?? 0]);
    const sounds = entries.flatMap((n) => [draft.onsets[n] ?? 0, draft.tails[n] ?? 0]);
    const kept = entries.reduce((sum, n) => sum + (draft.tails[n] ?? 0) - (draft.heads[n] ?? 0), 0);
    return {
      target_id, source_id: base?.source_id ?? "", spans, sounds, kept_frames: kept, closed_up_frames: kept, exact: true,
      frames: base ? base.tail_frame - base.head_frame : 0, rate_hz: job.sources[base?.source_id ?? ""]?.rate_hz ?? 48_000, clicks: [], breaths: [], kept_breaths: [], kept_reasons: [],
      shortest_gap_left_frames: 0, bridged: [], floor_db: Number.NaN, floor_to_db: Number.NaN, speech_db: Number.NaN, peak_db: 0, threshold_db: Number.NaN, // no level to draw: a hit is measured against itself
    };
  });
}

