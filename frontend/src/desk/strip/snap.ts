/** Where a drag snaps to, while that was asked for: beats, marks, edges of clips, the cursor. */
import type { Job } from "../../api/types";
import { beatFrame, beatsAt } from "../../time/grid";
import { clipsInOrder, endOf, markFrame, startOf } from "../model/placement";

/** Places that do not move with what is dragged. */
export function snapTargets(job: Job, cursorFrame: number, moving: ReadonlySet<string>, movingMark: string | null): number[] {
  const edges = clipsInOrder(job)
    .filter((clip) => !moving.has(clip.id))
    .flatMap((clip) => [startOf(job, clip), endOf(job, clip)]);
  const marks = Object.values(job.marks).filter((mark) => mark.id !== movingMark && !moving.has(mark.clip_id ?? ""));
  return [0, Math.round(cursorFrame), ...edges, ...marks.map((mark) => markFrame(job, mark))];
}

/** The nearest target within reach, beats among them; the frame itself if none is. */
export function snapped(job: Pick<Job, "grid" | "rate_hz">, frame: number, targets: readonly number[], reachFrames: number): number {
  const beat = job.grid ? [beatFrame(job.grid, Math.round(beatsAt(job.grid, frame, job.rate_hz)), job.rate_hz)] : [];
  let best = frame;
  let distance = reachFrames;
  for (const target of [...beat, ...targets]) {
    if (Math.abs(target - frame) <= distance) [best, distance] = [target, Math.abs(target - frame)];
  }
  return best;
}
