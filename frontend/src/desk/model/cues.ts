/** The running order as it is shown: cues in their order, what each is tied to, and how long it takes. */
import type { Cue, Job, Mark } from "../../api/types";
import { endOf, startOf } from "./placement";

const orders = new WeakMap<Job, readonly Cue[]>();

/** The cues from the first to the last; kept for as long as the job is. */
export function inRunningOrder(job: Job): readonly Cue[] {
  let order = orders.get(job);
  if (!order) {
    order = Object.values(job.cues).sort((a, b) => a.position - b.position);
    orders.set(job, order);
  }
  return order;
}

export const cueOfClip = (job: Job, clipId: string | null): Cue | undefined => (clipId === null ? undefined : Object.values(job.cues).find((cue) => cue.clip_id === clipId));

/** The events of a cue, in the order of their moments. */
export const eventsOf = (job: Job, cue: Cue): readonly Mark[] =>
  Object.values(job.marks)
    .filter((mark) => mark.kind === "event" && mark.clip_id !== null && mark.clip_id === cue.clip_id)
    .sort((a, b) => a.frame - b.frame);

/** The section of a cue that is looped. */
export const loopOfCue = (job: Job, cue: Cue): Mark | undefined =>
  Object.values(job.marks)
    .filter((mark) => mark.kind === "loop" && mark.clip_id !== null && mark.clip_id === cue.clip_id)
    .sort((a, b) => a.frame - b.frame)[0];

/** How long a cue takes once it is fired, in job frames: a sound once through, a fade over its length. */
export function lengthOf(job: Job, cue: Cue): number {
  const clip = cue.clip_id === null ? undefined : job.clips[cue.clip_id];
  return clip ? endOf(job, clip) - startOf(job, clip) : cue.length_frames;
}

/** The time of an event since its cue's start, and in its recording, in seconds. */
export function timesOf(job: Job, event: Mark): { readonly cue: number; readonly source: number } {
  const clip = job.clips[event.clip_id ?? ""];
  const rate = job.sources[clip?.source_id ?? ""]?.rate_hz ?? 48_000;
  return { cue: (event.frame - (clip?.head_frame ?? 0)) / rate, source: event.frame / rate };
}

/** What a fade or a stop can act on: every sound but none of itself. */
export const targetsFor = (job: Job, cue: Cue): readonly Cue[] => inRunningOrder(job).filter((one) => one.kind === "sound" && one.id !== cue.id);

/** Where cues land when they are moved one up or down: in front of which cue; undefined if they cannot go. */
export function movedBy(order: readonly Cue[], ids: ReadonlySet<string>, direction: 1 | -1): string | null | undefined {
  const places = order.flatMap((cue, n) => (ids.has(cue.id) ? [n] : []));
  const [first, last] = [places[0], places.at(-1)];
  if (first === undefined || last === undefined) return undefined;
  if (direction < 0) return first === 0 ? undefined : order[first - 1]?.id;
  if (last === order.length - 1) return undefined;
  return order[last + 2]?.id ?? null;
}
