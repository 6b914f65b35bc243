/** Where a drag snaps to, while that was asked for: beats, marks, edges of clips, the cursor. */
import type { Job } from "../../api/types";
import { beatFrame, beatsAt, formatBars } from "../../time/grid";
import { clipsInOrder, endOf, markFrame, startOf } from "../model/placement";

/** A place that a drag snaps to, and what it is called. */
export interface Target {
  readonly frame: number;
  readonly name: string;
}

/** Places that do not move with what is dragged. */
export function snapTargets(job: Job, cursorFrame: number, moving: ReadonlySet<string>, movingMark: string | null): Target[] {
  const edges = clipsInOrder(job)
    .filter((clip) => !moving.has(clip.id))
    .flatMap((clip) => [
      { frame: startOf(job, clip), name: `head of “${clip.name}”` },
      { frame: endOf(job, clip), name: `tail of “${clip.name}”` },
    ]);
  const marks = Object.values(job.marks).filter((mark) => mark.id !== movingMark && !moving.has(mark.clip_id ?? ""));
  const named = marks.map((mark) => ({ frame: markFrame(job, mark), name: `mark “${mark.name}”` }));
  return [{ frame: 0, name: "start" }, { frame: Math.round(cursorFrame), name: "cursor" }, ...edges, ...named];
}

/** The nearest target within reach, beats among them; none if no target is near. */
export function snapped(job: Pick<Job, "grid" | "rate_hz">, frame: number, targets: readonly Target[], reachFrames: number): Target | null {
  const beat = job.grid ? beatFrame(job.grid, Math.round(beatsAt(job.grid, frame, job.rate_hz)), job.rate_hz) : null;
  const beats = beat === null || !job.grid ? [] : [{ frame: beat, name: `beat ${formatBars(job.grid, beat, job.rate_hz)}` }];
  let best: Target | null = null;
  let distance = reachFrames;
  for (const target of [...beats, ...targets]) {
    if (Math.abs(target.frame - frame) <= distance) [best, distance] = [target, Math.abs(target.frame - frame)];
  }
  return best;
}
