/** How loud a clip is at every place, for pictures of the sound as it will be heard: gain, level line, fades, crossfades. */
import type { Clip, Fade, Job, Join } from "../../api/types";
import { gainAt } from "../../wave/curve";
import { through } from "../../wave/points";
import { endOf, placed, startOf } from "./placement";

/** A clip's gain at a job frame, and from where to where it sounds at all: a crossfade reaches past its edges. */
export interface Loudness {
  /** Where the clip starts; what is drawn elsewhere, while it is dragged, is as loud. */
  readonly start: number;
  readonly end: number;
  readonly from: number;
  readonly to: number;
  readonly gain: (frame: number) => number;
}

const linear = (db: number): number => 10 ** (db / 20);

/** The gain of a clip and its level line at a job frame, without fades. */
export function levelOf(job: Job, clip: Clip): (frame: number) => number {
  const line = clip.line.map(([frame, db]) => [placed(job, clip, frame), db] as const);
  const even = linear(clip.gain_db);
  return line.length ? (frame) => even * linear(through(line, frame)) : () => even;
}

/** What is drawn of a crossfade: a matched one lies between the two, nearer to equal power. */
export const shapeOfLaw = (law: Join["law"]): Fade["shape"] => (law === "equal_gain" ? "s" : "equal_power");

/** The loudness of every clip that is not simply as loud as its recording. */
export function loudnesses(job: Job): ReadonlyMap<string, Loudness> {
  const comes = new Map(Object.values(job.joins).map((join) => [join.right_clip_id, join]));
  const goes = new Map(Object.values(job.joins).map((join) => [join.left_clip_id, join]));
  const found = new Map<string, Loudness>();
  for (const clip of Object.values(job.clips)) {
    const [joinIn, joinOut] = [comes.get(clip.id), goes.get(clip.id)];
    if (clip.gain_db !== 0 || clip.line.length || clip.fade_in || clip.fade_out || joinIn || joinOut) found.set(clip.id, loudness(job, clip, joinIn, joinOut));
  }
  return found;
}

function loudness(job: Job, clip: Clip, joinIn: Join | undefined, joinOut: Join | undefined): Loudness {
  const [start, end] = [startOf(job, clip), endOf(job, clip)];
  const level = levelOf(job, clip);
  const perSource = job.rate_hz / (job.sources[clip.source_id]?.rate_hz ?? job.rate_hz);
  const rising = joinIn ? ramp(start - leadOf(joinIn), joinIn.length_frames, crossing(joinIn)) : ramp(start, (clip.fade_in?.length_frames ?? 0) * perSource, clip.fade_in);
  const fallsFor = joinOut ? joinOut.length_frames : (clip.fade_out?.length_frames ?? 0) * perSource;
  const falls = joinOut ? end - leadOf(joinOut) + joinOut.length_frames : end;
  const falling = ramp(-falls, fallsFor, joinOut ? crossing(joinOut) : clip.fade_out);
  return {
    start,
    end,
    from: joinIn ? start - leadOf(joinIn) : start,
    to: falls,
    gain: (frame) => level(frame) * rising(frame) * falling(-frame),
  };
}

export const leadOf = (join: Join): number => join.lead_frames ?? Math.floor(join.length_frames / 2);
const crossing = (join: Join): Curve => ({ shape: shapeOfLaw(join.law), bend: join.bend });

type Curve = Parameters<typeof gainAt>[0];

/** A rise from nothing at a frame to the whole, some frames later. */
function ramp(from: number, frames: number, curve: Curve | null): (frame: number) => number {
  if (!curve || frames <= 0) return () => 1;
  return (frame) => (frame >= from + frames ? 1 : frame <= from ? 0 : gainAt(curve, (frame - from) / frames));
}
