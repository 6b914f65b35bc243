/** Which clips are selected, and which one the lenses show. */
import type { Side } from "../../api/types";
import type { Clip } from "../../api/types";
import { clipsInOrder, hasSound, startOf } from "../model/placement";
import { currentClip, desk, type Desk, set } from "./desk";
import { settleSearch } from "./settle";

/**
 * Select a clip: alone, beside the others ("add" takes it out again), with all between ("through"), or as one
 * of those that are selected already ("keep"). The cursor stays where it is: moving it is another act.
 */
export function selectClip(clipId: string, side?: Side, how: "only" | "add" | "through" | "keep" = "only"): void {
  const state = desk();
  const clip = state.job.clips[clipId];
  if (!clip) return;
  const selected = selectedWith(state, clipId, how);
  const first = selected.has(clipId) ? clipId : ([...selected][0] ?? clipId);
  set({ clipId: first, selected: new Set(selected).add(first), side: side ?? state.side });
  if (state.scope === "this") void settleSearch();
}

function selectedWith(state: Desk, clipId: string, how: "only" | "add" | "through" | "keep"): ReadonlySet<string> {
  if (how === "keep" && state.selected.has(clipId)) return state.selected;
  if (how === "add") {
    const selected = new Set(state.selected);
    if (!selected.delete(clipId)) selected.add(clipId);
    return selected;
  }
  if (how === "through" && state.clipId !== null) {
    const ids = clipsInOrder(state.job).filter(hasSound).map((clip) => clip.id);
    const [from, to] = [ids.indexOf(state.clipId), ids.indexOf(clipId)].sort((a, b) => a - b) as [number, number];
    return new Set([...state.selected, ...ids.slice(Math.max(from, 0), to + 1)]);
  }
  return new Set([clipId]);
}

/** What comes next is about nothing, until something is selected again. */
export function selectNothing(): void {
  set({ clipId: null, selected: new Set() });
  if (desk().scope === "this") void settleSearch();
}

/** Select several clips at once, the first of them in the lenses. */
export function selectClips(clipIds: readonly string[]): void {
  const state = desk();
  const first = clipIds[0] === undefined ? undefined : state.job.clips[clipIds[0]];
  if (!first) return;
  set({ clipId: first.id, selected: new Set(clipIds) });
  if (state.scope === "this") void settleSearch();
}

/** The clips that an edit acts on: all that are selected and still there. */
export const selectedIds = (state: Desk): string[] => [...state.selected].filter((id) => state.job.clips[id]);

/** Go through the clips that speak, or through their edges one after the other; the cursor goes along. */
export function go(direction: 1 | -1, by: "clip" | "edge"): void {
  const state = desk();
  const clips = clipsInOrder(state.job).filter(hasSound);
  const at = clips.findIndex((clip) => clip.id === state.clipId);
  if (by === "edge" && at >= 0 && (state.side === "head") === (direction > 0)) {
    set({ side: direction > 0 ? "tail" : "head" });
    return;
  }
  const next = clips[Math.min(Math.max(at + direction, 0), clips.length - 1)];
  if (!next) return;
  selectClip(next.id, by === "edge" ? (direction > 0 ? "head" : "tail") : undefined);
  set({ cursorFrame: startOf(state.job, next) });
}

/** Select what was found in place of a clip that is gone: the first of its recording, else the first of all. */
export function selectReplacement(gone: Clip | undefined): void {
  if (currentClip(desk())) return;
  const clips = clipsInOrder(desk().job).filter(hasSound);
  const next = clips.find((clip) => gone && clip.source_id === gone.source_id && clip.tail_frame > gone.head_frame) ?? clips[0];
  if (next) selectClip(next.id);
}

