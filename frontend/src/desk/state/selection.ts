/** Which clips are selected, and which one the lenses show. */
import type { Clip, Job, Side } from "../../api/types";
import { clipsInOrder, hasSound, startOf, turnedHalves } from "../model/placement";
import { currentClip, desk, type Desk, set } from "./desk";
import { settleSearch } from "./settle";
import { seenGroups } from "./shown";

/** Alone, beside the others ("add" takes it out again), all from the last one that was taken alone ("through"), or as one of those selected already ("keep"). */
export type Taking = "only" | "add" | "through" | "keep";

/** How a click or an arrow key takes what it falls on. */
export const takingOf = (event: { readonly shiftKey: boolean; readonly ctrlKey: boolean; readonly metaKey: boolean }): "only" | "add" | "through" => (event.shiftKey ? "through" : event.ctrlKey || event.metaKey ? "add" : "only");

/** Where "through" begins. */
let anchor: string | null = null;

/** Select clips that belong together, as one cell of the wall; the cursor stays where it is: moving it is another act. */
export function selectClips(clipIds: readonly string[], side?: Side, how: Taking = "only"): void {
  const state = desk();
  const ids = clipIds.filter((id) => state.job.clips[id]);
  const first = ids[0];
  if (first === undefined) return;
  const selected = selectedWith(state, ids, how);
  if (how !== "through") anchor = first;
  const shown = selected.has(first) ? first : ([...selected][0] ?? first);
  set({ clipId: shown, selected: new Set(selected).add(shown), side: side ?? state.side });
  if (state.scope === "this") void settleSearch();
}

export const selectClip = (clipId: string, side?: Side, how: Taking = "only"): void => selectClips([clipId], side, how);

function selectedWith(state: Desk, ids: readonly string[], how: Taking): ReadonlySet<string> {
  if (how === "keep" && ids.every((id) => state.selected.has(id))) return state.selected;
  if (how === "add") {
    const others = [...state.selected].filter((id) => !ids.includes(id));
    return new Set(ids.every((id) => state.selected.has(id)) ? others : [...others, ...ids]);
  }
  if (how === "through") {
    const groups = seenGroups(state.job);
    const placeOf = (id: string | null | undefined): number => groups.findIndex((group) => group.includes(id ?? ""));
    const begun = placeOf(anchor);
    const [from, to] = [begun < 0 ? placeOf(state.clipId) : begun, placeOf(ids[0])].sort((a, b) => a - b) as [number, number];
    if (from >= 0) return new Set(groups.slice(from, to + 1).flat());
  }
  return new Set(ids);
}

/** What comes next is about nothing, until something is selected again. */
export function selectNothing(): void {
  set({ clipId: null, selected: new Set() });
  if (desk().scope === "this") void settleSearch();
}

/** Select all that is seen; the lenses keep the clip that they show. */
export function selectAllSeen(): void {
  const all = seenGroups(desk().job).flat();
  const shown = desk().clipId;
  selectClips(shown !== null && all.includes(shown) ? [shown, ...all] : all);
}

/** The clips that an edit acts on: all that are selected and still there. */
export const selectedIds = (state: Desk): string[] => whole(state.job, [...state.selected]);

/** The clips of these that are there, turned loops with both their halves. */
function whole(job: Job, clipIds: readonly string[]): string[] {
  const halves = turnedHalves(job);
  return [...new Set(clipIds.filter((id) => job.clips[id]).flatMap((id) => [id, halves.get(id) ?? id]))];
}

/** Go through what is seen, or through its edges one after the other; the cursor goes along. */
export function go(direction: 1 | -1, by: "clip" | "edge"): void {
  const state = desk();
  const groups = seenGroups(state.job);
  const at = groups.findIndex((group) => group.includes(state.clipId ?? ""));
  if (by === "edge" && at >= 0 && (state.side === "head") === (direction > 0)) {
    set({ side: direction > 0 ? "tail" : "head" });
    return;
  }
  const next = groups[Math.min(Math.max(at + direction, 0), groups.length - 1)];
  const clip = state.job.clips[next?.[0] ?? ""];
  if (!next || !clip) return;
  selectClips(next, by === "edge" ? (direction > 0 ? "head" : "tail") : undefined);
  set({ cursorFrame: startOf(state.job, clip) });
}

/** Select what was found in place of a clip that is gone: the first of its recording, else the first of all. */
export function selectReplacement(gone: Clip | undefined): void {
  if (currentClip(desk())) return;
  const clips = clipsInOrder(desk().job).filter(hasSound);
  const next = clips.find((clip) => gone && clip.source_id === gone.source_id && clip.tail_frame > gone.head_frame) ?? clips[0];
  if (next) selectClip(next.id);
}
