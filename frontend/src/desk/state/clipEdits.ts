/** Edits of clips, edges, joins and marks, as keys, cards and gestures ask for them: each acts on what is selected. */
import { areTogether } from "./together";
import { api } from "../../api/client";
import type { Fade, Law, Reach, Side } from "../../api/types";
import { type CrossfadePlace, leadAt } from "../model/offers";
import { pairAt, overlapAt, pairAtFrame } from "../model/pairs";
import { audibleLanes, clipsInOrder, endOf, lanesInOrder, sourceFrameAt, startOf } from "../model/placement";
import { type Clipboard, currentClip, desk, type Desk, hereFrame, notify, selectionLanes, set, setSelection, showPlace } from "./desk";
import { edit } from "./edits";
import { redraftHits } from "./hitSearch";
import { go, selectClip, selectedIds } from "./selection";

/** Move the same edge of every selected clip, by source frames of the one in the lenses. */
export function nudge(frames: number): void {
  void edit(() => {
    const state = desk();
    const clip = currentClip(state);
    if (!clip) return null;
    const { side, hold } = state;
    const ids = selectedIds(state);
    if (ids.length > 1) return { kind: "move_edges", clip_ids: ids, side, by_frames: inJobFrames(state, clip.source_id, frames), hold };
    const from = side === "head" ? clip.head_frame : clip.tail_frame;
    return { kind: "move_edge", clip_id: clip.id, side, source_frame: from + frames, hold };
  });
}

export function nudgeMs(milliseconds: number): void {
  const clip = currentClip(desk());
  nudge(Math.round((milliseconds * (clip ? sourceRate(desk(), clip.source_id) : 48_000)) / 1000));
}

/** Move a head or a tail to a source frame; with several clips selected all move by as much. */
export function moveEdgeTo(clipId: string, side: Side, frame: number): void {
  const state = desk();
  const clip = state.job.clips[clipId];
  if (!clip) return;
  selectClip(clipId, side, "keep");
  nudge(frame - (side === "head" ? clip.head_frame : clip.tail_frame));
}

/** Move the head or the tail of the clip in the lenses to the cursor, with those of the other selected clips. */
export function edgeToCursor(side: Side): void {
  const state = desk();
  const clip = currentClip(state);
  if (clip) moveEdgeTo(clip.id, side, Math.round(sourceFrameAt(state.job, clip, hereFrame())));
}

/** How far an edge can be dragged, with those of the other selected clips, and what stops it; null if the server does not say. */
export async function edgeReach(clipId: string, side: Side): Promise<Reach | null> {
  const { id, revision, hold } = desk();
  const others = selectedIds(desk()).filter((one) => one !== clipId);
  return api.reach(id, { revision, clip_ids: [clipId, ...others], side, hold }).catch(() => null);
}

/** Remove what the next act is about: the selected time, else the selected clips. */
export function removeChosen(close: "no" | "lane" | "all"): void {
  const { selection } = desk();
  if (selection) {
    void edit({ kind: "clear_span", start_frame: selection.start, end_frame: selection.end, lane_ids: selectionLanes(selection), close }).then(() => {
      if (close !== "no") setSelection(null);
    });
    return;
  }
  const ids = selectedIds(desk());
  const last = ids.at(-1);
  if (last === undefined) return;
  selectClip(last);
  go(1, "clip");
  if (desk().clipId === last) go(-1, "clip");
  void edit({ kind: "remove_clips", clip_ids: ids, close }).then(redraftHits);
}

/**
 * Split at both ends of the selection; without one at the cursor: all lanes where they belong together, else the selected
 * clips there, else what lies there on the lane of the clip in the lenses. Other lanes are never cut unasked.
 */
export function splitAtCursor(): void {
  const { selection } = desk();
  if (selection) return void edit({ kind: "split_span", start_frame: selection.start, end_frame: selection.end, lane_ids: selectionLanes(selection) });
  void edit(() => {
    const state = desk();
    const at = hereFrame();
    const there = (id: string): boolean => {
      const clip = state.job.clips[id];
      return clip !== undefined && startOf(state.job, clip) < at && at < endOf(state.job, clip);
    };
    const all = Object.values(state.job.clips).filter((clip) => there(clip.id));
    const selected = selectedIds(state).filter(there);
    const laneId = currentClip(state)?.lane_id;
    const chosen = areTogether(state) ? all : all.filter((clip) => (selected.length ? selected.includes(clip.id) : clip.lane_id === laneId));
    if (chosen.length === 0) {
      notify(all.length ? "Nothing lies under the cursor on this lane. Select a clip that does." : "Nothing lies under the cursor.");
      return null;
    }
    return { kind: "split", clip_ids: chosen.map((clip) => clip.id), at_frame: at };
  });
}

/** Split the selected clips at the marks on them. */
export const cutAtMarks = (): void => void edit({ kind: "cut_at_marks", clip_ids: selectedIds(desk()) });

/** What the next act is about, as it is now; none if nothing is selected. */
function taken(): Clipboard | null {
  const { revision, selection } = desk();
  const clipIds = selectedIds(desk());
  if (selection) return { kind: "span", span: selection, revision };
  return clipIds.length ? { kind: "clips", clipIds, revision } : null;
}

/** Take what the next act is about, to paste it: the selected time, else the selected clips. */
export function copyChosen(): void {
  const clipboard = taken();
  if (!clipboard) return notify("Nothing is selected to copy.");
  set({ clipboard });
  notify(`Copied ${inWords(clipboard)}. Paste puts it at the cursor.`);
}

export function cutChosen(): void {
  const clipboard = taken();
  if (!clipboard) return notify("Nothing is selected to cut.");
  set({ clipboard });
  removeChosen("no");
}

function inWords(clipboard: Clipboard): string {
  const { job } = desk();
  if (clipboard.kind === "span") return `${((clipboard.span.end - clipboard.span.start) / (job.rate_hz || 48_000)).toFixed(3)} s`;
  return clipboard.clipIds.length === 1 ? `“${job.clips[clipboard.clipIds[0] ?? ""]?.name ?? ""}”` : `${clipboard.clipIds.length} clips`;
}

export function pasteHere(): void {
  const { clipboard } = desk();
  if (clipboard) lay(clipboard, hereFrame);
  else notify("Nothing was copied yet.");
}

function lay(what: Clipboard, toFrame: () => number): void {
  const from_revision = what.revision;
  void edit(() =>
    what.kind === "span"
      ? { kind: "paste_span", from_revision, start_frame: what.span.start, end_frame: what.span.end, to_frame: toFrame(), lane_ids: selectionLanes(what.span) }
      : { kind: "paste_clips", from_revision, clip_ids: [...what.clipIds], to_frame: toFrame() },
  );
}

/** A copy of what is selected, right behind it. */
export function duplicateChosen(): void {
  const what = taken();
  if (!what) return notify("Nothing is selected to duplicate.");
  const { job } = desk();
  const end = what.kind === "span" ? what.span.end : Math.max(...what.clipIds.map((id) => (job.clips[id] ? endOf(job, job.clips[id]) : 0)));
  lay(what, () => end);
}

/** A copy of what is selected, at the cursor. */
export function copyToCursor(): void {
  const what = taken();
  if (what) lay(what, hereFrame);
}

/** Give what the next act is about a gain: the selected time, else the selected clips. */
export function setGainOfChosen(gain_db: number): void {
  const { selection } = desk();
  if (selection) void edit({ kind: "set_gain_of_span", start_frame: selection.start, end_frame: selection.end, gain_db, lane_ids: selectionLanes(selection) });
  else void edit({ kind: "set_gain", clip_ids: selectedIds(desk()), gain_db });
}

/** Move the cursor by frames, milliseconds or beats. */
export function nudgeCursor(by: number, unit: "frames" | "ms" | "beats"): void {
  const { job } = desk();
  const rate = job.rate_hz || 48_000;
  const beat = job.grid ? (60 * rate * job.grid.bpm_denominator) / job.grid.bpm_numerator : rate;
  showPlace(hereFrame() + Math.round(by * { frames: 1, ms: rate / 1000, beats: beat }[unit]));
}

/** Move the cursor to where the clip in the lenses starts. */
export function cursorToClip(): void {
  const clip = currentClip(desk());
  if (clip) showPlace(startOf(desk().job, clip));
}

export function cursorTo(where: "start" | "end"): void {
  const { job } = desk();
  showPlace(where === "start" ? 0 : Math.max(...Object.values(job.clips).map((clip) => endOf(job, clip)), 0));
}

export function moveToCursor(): void {
  void edit(() => {
    const state = desk();
    const { job } = state;
    const clips = selectedIds(state).flatMap((id) => job.clips[id] ?? []);
    if (clips.length === 0) return null;
    const first = Math.min(...clips.map((clip) => startOf(job, clip)));
    return { kind: "move_clips", clip_ids: clips.map((clip) => clip.id), by_frames: hereFrame() - first, to_lane_id: null };
  });
}

/** From here to the end, from the start to here, or the part of the selection that is inside. */
export function fadeOver(what: "to_end" | "from_start" | "selection"): void {
  const state = desk();
  const { job, selection } = state;
  const clips = selectedIds(state).flatMap((id) => job.clips[id] ?? []);
  if (clips.length === 0) return;
  if (what === "selection" && !selection) return notify("Select a span across an edge first: drag over the strip.");
  const here = hereFrame();
  const [start, end] = {
    to_end: [here, Math.max(...clips.map((clip) => endOf(job, clip)))],
    from_start: [Math.min(...clips.map((clip) => startOf(job, clip))), here],
    selection: [selection?.start ?? 0, selection?.end ?? 0],
  }[what] as [number, number];
  void edit({ kind: "fade_between", clip_ids: clips.map((clip) => clip.id), start_frame: start, end_frame: end, shape: "s", bend: 0 });
}

export function setFadeOfChosen(side: Side, fade: Pick<Fade, "length_frames" | "shape" | "bend" | "points">): void {
  const { length_frames, shape, bend, points } = fade;
  void edit({ kind: "set_fade", clip_ids: selectedIds(desk()), side, length_frames, shape, bend, points });
}

/** The pair of clips at the cut that the hand or the cursor is at: the selected edge, else the cursor, else the other edge. */
export function currentPair(state: Desk): [string, string] | null {
  const clip = currentClip(state);
  const other = state.side === "head" ? "tail" : "head";
  return (clip && pairAt(state.job, clip, state.side)) ?? pairAtFrame(state.job, state.cursorFrame) ?? (clip ? pairAt(state.job, clip, other) : null);
}

/** The pair that lies over each other at the selected edge of the current clip, else at its other edge. */
export function currentOverlap(state: Desk): [string, string] | null {
  const clip = currentClip(state);
  return clip ? (overlapAt(state.job, clip, state.side) ?? overlapAt(state.job, clip, state.side === "head" ? "tail" : "head")) : null;
}

/** Every pair that meets among the selected clips; else the pair at the selected edge. */
export function selectedPairs(state: Desk): [string, string][] {
  const clips = selectedIds(state).flatMap((id) => state.job.clips[id] ?? []);
  const starts = new Map(clips.map((clip) => [`${clip.lane_id} ${startOf(state.job, clip)}`, clip.id]));
  const pairs = clips.flatMap((clip): [string, string][] => {
    const next = starts.get(`${clip.lane_id} ${endOf(state.job, clip)}`);
    return next === undefined ? [] : [[clip.id, next]];
  });
  const one = currentPair(state);
  return pairs.length ? pairs : one ? [one] : [];
}

export interface Crossfade {
  readonly lengthFrames: number;
  readonly law: Law;
  readonly leadFrames: number;
  readonly bend: number;
}

export function cross(pairs: [string, string][], { lengthFrames, law, leadFrames, bend }: Crossfade): void {
  if (pairs.length === 0) return notify("No clips meet here. Go to an edge where two clips abut, or select clips that do.");
  void edit({ kind: "set_joins", pairs, length_frames: lengthFrames, law, lead_frames: leadFrames, bend });
}

/** What the next crossfade will be: where on the cut, by which law, how bent. */
export interface UsualCrossfade {
  readonly place: CrossfadePlace;
  readonly law: Law;
  readonly bend: number;
}
export const USUAL_CROSSFADE: UsualCrossfade = { place: "around", law: "matched", bend: 0 };

/** A crossfade where the selection lies over the cut; without one, 20 ms, where and as the card says. */
export function crossHere(): void {
  const state = desk();
  const pairs = selectedPairs(state);
  const left = state.job.clips[pairs[0]?.[0] ?? ""];
  const cut = left ? endOf(state.job, left) : 0;
  const { selection } = state;
  const { place, law, bend } = { ...USUAL_CROSSFADE, ...(state.settings["crossfade"] as Partial<UsualCrossfade> | undefined) };
  if (pairs.length === 1 && selection && selection.start < cut && cut < selection.end) {
    return cross(pairs, { lengthFrames: selection.end - selection.start, law, leadFrames: cut - selection.start, bend });
  }
  const lengthFrames = Math.round(0.02 * state.job.rate_hz);
  cross(pairs, { lengthFrames, law, leadFrames: leadAt(place, lengthFrames), bend });
}

/** Add a mark at the cursor, tied to the clip there: a selected one before others, an audible one before muted ones. */
export function dropMark(): void {
  const state = desk();
  const { job } = state;
  const frame = hereFrame();
  const heard = audibleLanes(job);
  const under = clipsInOrder(job).filter((clip) => startOf(job, clip) <= frame && frame < endOf(job, clip));
  const clip = under.find(({ id }) => state.selected.has(id)) ?? under.find((one) => heard.has(one.lane_id)) ?? under[0];
  void edit({ kind: "add_mark", frame, name: "", clip_id: clip?.id ?? null });
}

export function programmeFrom(what: "start_here" | "end_here" | "selection" | "clip"): void {
  const state = desk();
  const { job, selection } = state;
  const here = hereFrame();
  const clips = selectedIds(state).flatMap((id) => job.clips[id] ?? []);
  const set = (start_frame: number | null, end_frame: number | null) => void edit({ kind: "set_programme", start_frame, end_frame });
  if (what === "start_here") return set(here, null);
  if (what === "end_here") return set(null, here);
  if (what === "selection") return selection ? set(selection.start, selection.end) : notify("Select a span of the strip first.");
  if (clips.length === 0) return notify("Select a clip first.");
  set(Math.min(...clips.map((clip) => startOf(job, clip))), Math.max(...clips.map((clip) => endOf(job, clip))));
}

/** The marks of the programme and of tracks go to the nearest head, those that end something to the nearest tail. */
export const snapMarks = (): void => void edit({ kind: "snap_to_clips" });

export function setSyncHere(): void {
  const clip = currentClip(desk());
  if (clip) void edit({ kind: "set_sync", clip_id: clip.id, frame: hereFrame() });
}

export function toggleLane(what: "muted" | "solo", laneId = currentClip(desk())?.lane_id): void {
  const lane = laneId === undefined ? undefined : desk().job.lanes[laneId];
  if (lane) void edit({ kind: "set_lane", lane_id: lane.id, settings: { [what]: !lane[what] } });
}

const sourceRate = (state: Desk, sourceId: string): number => state.job.sources[sourceId]?.rate_hz ?? 48_000;
const inJobFrames = (state: Desk, sourceId: string, frames: number): number => Math.round((frames * state.job.rate_hz) / sourceRate(state, sourceId));

export const addLane = (): void => void edit({ kind: "add_lane", name: `Lane ${lanesInOrder(desk().job).length + 1}` });

/** Remove the last empty lane. */
export function removeLane(): void {
  const { job } = desk();
  const used = new Set(Object.values(job.clips).map((clip) => clip.lane_id));
  const lane = lanesInOrder(job).filter((one) => !used.has(one.id)).at(-1);
  if (lane) void edit({ kind: "remove_lane", lane_id: lane.id });
  else notify("No lane is empty. Move or remove its clips first.");
}

/** Move the selected clips to the lane above or below; below the last, a lane has to be added first. */
export function toLane(direction: 1 | -1): void {
  const state = desk();
  const lanes = lanesInOrder(state.job);
  const at = lanes.findIndex((lane) => lane.id === currentClip(state)?.lane_id);
  const lane = at < 0 ? undefined : lanes[at + direction];
  if (lane) void edit({ kind: "move_clips", clip_ids: selectedIds(state), by_frames: 0, to_lane_id: lane.id });
  else notify(direction > 0 ? "There is no lane below. Add one first." : "There is no lane above.");
}
