/** Loops of the current clip: the one it has, and which one the seam lens shows. */
import { create } from "zustand";
import type { Clip, Job, LoopFigure, Mark } from "../../api/types";

export type Loop = Pick<LoopFigure, "start_frame" | "end_frame" | "crossfade_frames">;

/** The loop in the seam lens, and its clip; none shows head and tail. */
export const useSeam = create<{ readonly clipId: string | null; readonly loop: Loop | null }>(() => ({ clipId: null, loop: null }));
export const showSeam = (clipId: string, loop: Loop | null): void => useSeam.setState({ clipId, loop });

export function loopOf(job: Job, clip: Clip): Loop | null {
  const mark = loopMark(job, clip);
  return mark?.end_frame ? { start_frame: mark.frame, end_frame: mark.end_frame, crossfade_frames: mark.crossfade_frames } : null;
}

export const loopMark = (job: Job, clip: Clip): Mark | undefined => Object.values(job.marks).find((mark) => mark.kind === "loop" && mark.clip_id === clip.id);

/** The marks of the loops that clips have: those of a hit's microphones are one loop. */
export const loopMarks = (job: Job, clipIds: readonly string[]): string[] => clipIds.flatMap((id) => (job.clips[id] ? (loopMark(job, job.clips[id])?.id ?? []) : []));
