/** What is kept and what is cut, as spans on the lane: of the draft while there is one, else of the clips. */
import type { Clip, Draft, Job } from "../../api/types";
import { clipsInOrder, endOf, placed, startOf } from "./placement";

/** A run of one source on a lane, as the strip draws it. */
export interface Run {
  readonly sourceId: string;
  readonly laneId: string;
  readonly originFrame: number;
  /** Job frames. */
  readonly start: number;
  readonly end: number;
  readonly kept: boolean;
  readonly clipId: string | null;
}

interface Placement {
  readonly source_id: string;
  readonly lane_id: string;
  readonly origin_frame: number;
  readonly head_frame: number;
  readonly tail_frame: number;
}

/** All runs in order of drawing: what is cut away first, what is kept on top. */
export function runs(job: Job, drafts: readonly Draft[] | null): Run[] {
  const drafted = new Map((drafts ?? []).map((draft) => [draft.target_id, draft]));
  const below: Run[] = [];
  const above: Run[] = [];
  for (const finding of Object.values(job.findings)) {
    if (drafted.has(finding.id) || finding.treatment.kind !== "close_up") below.push(whole(job, finding, false));
  }
  for (const clip of clipsInOrder(job)) {
    const target = clip.finding_id ?? clip.id;
    if (drafted.has(target)) {
      if (clip.finding_id === null) below.push(whole(job, clip, false));
      continue;
    }
    above.push({ ...whole(job, clip, true), clipId: clip.id });
  }
  for (const draft of drafted.values()) {
    const base: Placement | undefined = job.findings[draft.target_id] ?? job.clips[draft.target_id];
    if (!base) continue;
    const known = clipsInOrder(job).filter((clip) => clip.finding_id === draft.target_id);
    for (let n = 0; n + 1 < draft.spans.length; n += 2) {
      const [head, tail] = [draft.spans[n] ?? 0, draft.spans[n + 1] ?? 0];
      const clip = known.find((one) => overlaps(one, draft.sounds[n] ?? 0, draft.sounds[n + 1] ?? 0));
      above.push({ ...whole(job, { ...base, head_frame: head, tail_frame: tail }, true), clipId: clip?.id ?? null });
    }
  }
  return [...below, ...above];
}

/** Where a clip's edges would be under a draft; its own edges without one. */
export function draftedEdges(clip: Clip, drafts: readonly Draft[] | null): { head: number; tail: number; gone: boolean } {
  const draft = drafts?.find((one) => one.target_id === (clip.finding_id ?? clip.id));
  const only = clip.finding_id === null && draft?.spans.length === 2 ? draft.spans : undefined; // one hit, one file
  if (only) return { head: only[0] ?? 0, tail: only[1] ?? 0, gone: false };
  if (!draft || clip.sound_start_frame === null) return { head: clip.head_frame, tail: clip.tail_frame, gone: false };
  for (let n = 0; n + 1 < draft.spans.length; n += 2) {
    if (overlaps(clip, draft.sounds[n] ?? 0, draft.sounds[n + 1] ?? 0)) {
      return { head: draft.spans[n] ?? 0, tail: draft.spans[n + 1] ?? 0, gone: false };
    }
  }
  return { head: clip.head_frame, tail: clip.tail_frame, gone: true };
}

const overlaps = (clip: Clip, start: number, end: number): boolean =>
  clip.sound_start_frame !== null && clip.sound_end_frame !== null && clip.sound_start_frame < end && start < clip.sound_end_frame;

function whole(job: Job, base: Placement, kept: boolean): Run {
  const clip = base as Clip;
  return {
    sourceId: base.source_id,
    laneId: base.lane_id,
    originFrame: base.origin_frame,
    start: startOf(job, clip),
    end: endOf(job, clip),
    kept,
    clipId: null,
  };
}

/** The end of everything that is drawn. */
export const drawnEnd = (job: Job): number =>
  Math.max(
    0,
    ...Object.values(job.findings).map((finding) => placed(job, finding as unknown as Clip, finding.tail_frame)),
    ...clipsInOrder(job).map((clip) => endOf(job, clip)),
  );
