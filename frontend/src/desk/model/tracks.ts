/** Where tracks begin and end, for what plays and draws them; the numbers and the rules come from the server. */
import type { Job, Mark } from "../../api/types";
import { jobEnd, markFrame } from "./placement";

export interface TrackSpan {
  readonly mark: Mark;
  readonly start: number;
  readonly end: number;
}

/** The tracks in time order: each goes to the last mark that ends it before the next, or on into the next. */
export function trackSpans(job: Job): TrackSpan[] {
  const bounds = Object.values(job.marks)
    .filter((mark) => mark.kind === "track" || mark.kind === "track_end")
    .map((mark) => ({ mark, at: markFrame(job, mark) }))
    .sort((a, b) => a.at - b.at || Number(a.mark.kind === "track") - Number(b.mark.kind === "track"));
  const starts = bounds.filter(({ mark }) => mark.kind === "track");
  return starts.map(({ mark, at }, n) => {
    const next = starts[n + 1];
    const ends = bounds.filter((one) => one.mark.kind === "track_end" && one.at > at && (next === undefined || one.at <= next.at));
    return { mark, start: at, end: ends.at(-1)?.at ?? next?.at ?? Math.max(jobEnd(job), at) };
  });
}

/** What is heard of a boundary: the end of what lies before it, the gap, and the beginning of the track. */
export function boundarySpan(tracks: readonly TrackSpan[], n: number, around: number): { start: number; end: number } {
  const here = tracks[n];
  const before = tracks[n - 1];
  if (!here) return { start: 0, end: 0 };
  const from = before ? Math.min(before.end, here.start) : here.start;
  return { start: Math.max(from - around, 0), end: Math.min(here.start + around, Math.max(here.end, here.start + 1)) };
}
