/** Where clips meet: the pair at an edge of a clip, and at a place in the job. */
import type { Clip, Job, Side } from "../../api/types";
import { clipsInOrder, endOf, startOf } from "./placement";

export type Pair = [leftId: string, rightId: string];

/** So near to a cut counts as at it. */
const NEAR_S = 0.02;

/** The pair that meets at an edge of a clip; null if nothing abuts there. */
export function pairAt(job: Job, clip: Clip, side: Side): Pair | null {
  const at = side === "head" ? startOf(job, clip) : endOf(job, clip);
  const meets = side === "head" ? endOf : startOf;
  const neighbour = clipsInOrder(job).find((one) => one.lane_id === clip.lane_id && one.id !== clip.id && meets(job, one) === at);
  if (!neighbour) return null;
  return side === "head" ? [neighbour.id, clip.id] : [clip.id, neighbour.id];
}

/** The pair that lies over each other at an edge of a clip, the one that began first first; null if none does. */
export function overlapAt(job: Job, clip: Clip, side: Side): Pair | null {
  const [start, end] = [startOf(job, clip), endOf(job, clip)];
  const at = side === "head" ? start : end;
  const over = clipsInOrder(job).find((one) => one.lane_id === clip.lane_id && one.id !== clip.id && startOf(job, one) < at && at < endOf(job, one));
  if (!over) return null;
  return startOf(job, over) < start ? [over.id, clip.id] : [clip.id, over.id];
}

/** The pair whose cut is nearest to a frame, if one is at it. */
export function pairAtFrame(job: Job, frame: number): Pair | null {
  const near = clipsInOrder(job)
    .map((clip) => ({ clip, apart: Math.abs(startOf(job, clip) - frame) }))
    .filter(({ apart }) => apart <= NEAR_S * job.rate_hz)
    .sort((a, b) => a.apart - b.apart);
  for (const { clip } of near) {
    const pair = pairAt(job, clip, "head");
    if (pair) return pair;
  }
  return null;
}
