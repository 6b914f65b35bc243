/** Where a clip lies on its lane: the mirror of the core's placement, for drawing. Exact, as the products are whole. */
import type { Clip, Job, Lane, Mark } from "../../api/types";

export function placed(job: Job, clip: Pick<Clip, "source_id" | "origin_frame">, sourceFrame: number): number {
  const rate = job.sources[clip.source_id]?.rate_hz ?? job.rate_hz;
  return clip.origin_frame + Math.ceil((sourceFrame * job.rate_hz) / rate);
}

/** The job frame from which the places of a clip are counted: the start of its recording, or of the job. */
export const countedFrom = (job: Job, clip: Pick<Clip, "source_id" | "origin_frame">, timesOfSource: boolean): number => (timesOfSource ? placed(job, clip, 0) : 0);

export const startOf = (job: Job, clip: Clip): number => placed(job, clip, clip.head_frame);
export const endOf = (job: Job, clip: Clip): number => placed(job, clip, clip.tail_frame);

/** Where a clip ends together with those of its source that follow it by crossfades: a turned loop is one sound. */
export function joinedEndOf(job: Job, clip: Clip): number {
  const after = Object.values(job.joins).find((join) => join.left_clip_id === clip.id);
  const next = after && job.clips[after.right_clip_id];
  return next?.source_id === clip.source_id ? joinedEndOf(job, next) : endOf(job, clip);
}

/** The clips that go on where another of their source ends, by a crossfade. */
export const continuing = (job: Job): ReadonlySet<string> =>
  new Set(Object.values(job.joins).filter((join) => job.clips[join.left_clip_id]?.source_id === job.clips[join.right_clip_id]?.source_id).map((join) => join.right_clip_id));

const halves = new WeakMap<Job, ReadonlyMap<string, string>>();

/** The second half of every turned loop by the first: where it ends in its source, the first begins. Kept for as long as the job is. */
export function turnedHalves(job: Job): ReadonlyMap<string, string> {
  let found = halves.get(job);
  if (!found) {
    const pairs = Object.values(job.joins).map((join) => [job.clips[join.left_clip_id], job.clips[join.right_clip_id]] as const);
    found = new Map(pairs.flatMap(([first, second]) => (first && second && first.source_id === second.source_id && second.tail_frame === first.head_frame ? [[first.id, second.id] as const] : [])));
    halves.set(job, found);
  }
  return found;
}

/** The source frame, not rounded, that lies at a job frame. */
export function sourceFrameAt(job: Job, clip: Pick<Clip, "source_id" | "origin_frame">, jobFrame: number): number {
  const rate = job.sources[clip.source_id]?.rate_hz ?? job.rate_hz;
  return ((jobFrame - clip.origin_frame) * rate) / job.rate_hz;
}

const cache = new WeakMap<Job, Clip[]>();

/** Clips by lane, then by where they start; kept for as long as the job is. */
export function clipsInOrder(job: Job): Clip[] {
  let clips = cache.get(job);
  if (!clips) {
    const start = new Map(Object.values(job.clips).map((clip) => [clip.id, startOf(job, clip)]));
    const lane = (clip: Clip) => job.lanes[clip.lane_id]?.position ?? 0;
    clips = Object.values(job.clips).sort((a, b) => lane(a) - lane(b) || (start.get(a.id) ?? 0) - (start.get(b.id) ?? 0));
    cache.set(job, clips);
  }
  return clips;
}

export function jobEnd(job: Job): number {
  return clipsInOrder(job).reduce((end, clip) => Math.max(end, endOf(job, clip)), 0);
}

export const lanesInOrder = (job: Job): Lane[] => Object.values(job.lanes).sort((a, b) => a.position - b.position);

/** The lanes that sound: those that play alone, if any do, else those that are not muted. */
export function audibleLanes(job: Job): ReadonlySet<string> {
  const lanes = Object.values(job.lanes);
  const alone = lanes.filter((lane) => lane.solo);
  return new Set((alone.length ? alone : lanes.filter((lane) => !lane.muted)).map((lane) => lane.id));
}

/** The job frame of a mark: its own, or where its clip has that frame of its source. */
export function markFrame(job: Job, mark: Mark): number {
  const clip = mark.clip_id === null ? undefined : job.clips[mark.clip_id];
  return clip ? placed(job, clip, mark.frame) : mark.frame;
}

/** Whether a clip has a sound in it, as far as anybody looked: the quiet pieces of a search have none. */
export const hasSound = (clip: Clip): boolean => clip.finding_id === null || clip.sound_start_frame !== null;
