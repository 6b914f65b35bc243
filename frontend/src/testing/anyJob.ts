/** Made-up jobs with some of everything, for tests of what is read off a job. */
import type { Clip, Cue, Draft, HitDraft, Job, Mark } from "../api/types";
import { dice } from "./heldStill";

export function anyJob(seed: number): Job {
  const d = dice(seed);
  const sources = { s: { id: "s", name: "take", rate_hz: 500, frames: 6_000, channels: 1, derived_from: null }, t: { id: "t", name: "other", rate_hz: 1_000, frames: 9_000, channels: 2, derived_from: null } };
  const lanes = ["l1", "l2", "l3"].map((id, n) => ({ id, name: id, position: 2 - n, gain_db: 0, pan: 0, muted: d.part() < 0.2, solo: d.part() < 0.15, role: d.one(["", "", "opening"]) }));
  const fade = (most: number) => (d.part() < 0.5 ? null : { length_frames: d.whole(1, Math.max(most, 1)), shape: d.one(["s", "linear"]), bend: 0, origin: "own", points: [] });
  let at = 0;
  const clips = Array.from({ length: 10 }, (_, n) => {
    const head = d.whole(0, 1_500);
    const tail = head + d.whole(2, 1_200);
    const source = d.one(["s", "t"]);
    const factor = source === "s" ? 2 : 1;
    const abuts = d.part() < 0.5;
    const origin = abuts ? at - factor * head : d.whole(-500, 5_000);
    at = origin + factor * tail;
    const found = d.maybe([head + 1, tail - 1]);
    return {
      id: `c${n}`, lane_id: d.one(["l1", "l1", "l2", "l3"]), source_id: source, name: `clip ${d.whole(1, 12)}`, head_frame: head, tail_frame: tail, origin_frame: origin, gain_db: d.one([0, 0, -9, 5]), fade_in: fade(tail - head), fade_out: fade(tail - head),
      line: d.part() < 0.3 ? [[head, 3], [head + d.whole(1, tail - head), -15], [tail, 30]] : [],
      finding_id: d.part() < 0.3 ? "f1" : null, sound_start_frame: found && found[0], sound_end_frame: found && found[1], sync_frame: null, set_id: d.one([null, null, "a", "b"]), file_name: "", confidence: d.one([null, 0.3, 0.9]), end_confidence: d.one([null, 0.2, 1]), reason: d.one(["", "rises slowly"]), end_reason: "",
      strike: d.maybe({ name: d.one(["kick", "snare 2", "snare 10"]), note: d.one([null, 36, 38]), strength: d.one([null, "soft", "hard"]), mic: null, take: d.one([null, 1, 2]) }), head_review: null, tail_review: null,
    } as unknown as Clip;
  });
  const kinds = ["section", "track", "track_end", "track", "track_end", "loop", "event", "event", "start", "end", "air"] as const;
  const marks = kinds.map((kind, n) => ({ id: `m${n}`, kind, name: `${kind} ${n}`, frame: d.whole(0, 5_000), clip_id: d.part() < 0.5 ? `c${d.whole(0, 9)}` : null, end_frame: kind === "loop" ? 6_000 : null, crossfade_frames: d.one([0, 20]), point: "", by_hand: true }) as unknown as Mark);
  const cues = clips.slice(0, 6).map((clip, n) => ({ id: `q${n}`, position: 5 - n, number: `${n + 1}`, name: clip.name, kind: d.one(["sound", "sound", "fade", "stop", "note"]), clip_id: d.maybe(clip.id), target_id: d.one(["", "all", "q1"]), length_frames: d.whole(0, 900), passes: d.whole(0, 3), group: "", events: [] }) as unknown as Cue);
  const joins = Object.fromEntries(clips.slice(1).flatMap((clip, n) => (d.part() < 0.4 ? [[`j${n}`, { id: `j${n}`, left_clip_id: `c${n}`, right_clip_id: clip.id, length_frames: d.whole(1, 200), lead_frames: d.maybe(d.whole(0, 90)), law: d.one(["equal_gain", "matched"]), bend: 0.2 }]] : [])));
  const finding = { id: "f1", name: "take", source_id: "s", lane_id: "l1", head_frame: 0, tail_frame: 5_000, origin_frame: 0, treatment: { kind: d.one(["cut", "close_up"]), amount: 0 }, corrections: d.part() < 0.3 ? [{ side: "head", edge_frame: 40 }] : [] };
  const byId = <T extends { readonly id: string }>(all: readonly T[]) => Object.fromEntries(all.map((one) => [one.id, one]));
  return { rate_hz: 1_000, channels: 2, name: "any", brief: "drums", auto_fades: true, sources, lanes: byId(lanes), clips: byId(clips), marks: byId(marks), cues: byId(cues), joins, findings: { f1: finding }, grid: d.maybe({ bpm_numerator: 97, bpm_denominator: 1, beats_a_bar: 4, first_frame: 30 }) } as unknown as Job;
}

export function anyDrafts(seed: number): Draft[] {
  const d = dice(seed);
  const ends = Array.from({ length: 8 }, () => d.whole(0, 3_000)).sort((a, b) => a - b);
  return [{ target_id: d.one(["f1", "c3", "gone"]), source_id: "s", spans: ends, sounds: ends.map((frame, n) => frame + (n % 2 ? -5 : 5)) } as unknown as Draft];
}

export function anyHits(seed: number): HitDraft {
  const d = dice(seed);
  const targets = Array.from({ length: 9 }, () => d.one(["c0", "c1", "c4", "c5", "f1", "c8"]));
  const numbers = (low: number, high: number) => targets.map(() => d.whole(low, high));
  return { target_ids: targets, heads: numbers(0, 900), tails: numbers(900, 1_500), onsets: numbers(0, 900), confidences: targets.map(() => d.part()), reasons: targets.map(() => d.one(["", "unsure"])), deciding: targets.map(() => true), strengths: ["soft", "hard"], strength_doubts: [], doubtful: 1, together: 0, too_soft: 0 };
}
