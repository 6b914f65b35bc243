import { describe, expect, it } from "vitest";
import type { Clip, Job, Join, Lane, Mark } from "../../api/types";
import { audibleLanes, clipsInOrder, continuing, endOf, hasSound, joinedEndOf, jobEnd, lanesInOrder, markFrame, placed, sourceFrameAt, startOf } from "../model/placement";
import { snapTargets, snapped } from "./snap";

const clip = (id: string, lane: string, source: string, head: number, tail: number, origin: number) =>
  ({ id, lane_id: lane, source_id: source, head_frame: head, tail_frame: tail, origin_frame: origin, finding_id: null, sound_start_frame: null }) as unknown as Clip;
const lane = (id: string, position: number, part: Partial<Lane> = {}) => ({ id, position, muted: false, solo: false, ...part }) as Lane;
const job = {
  rate_hz: 48_000,
  grid: null,
  sources: { s: { id: "s", rate_hz: 48_000 }, t: { id: "t", rate_hz: 44_100 } },
  lanes: { l2: lane("l2", 1), l1: lane("l1", 0) },
  clips: {
    c: clip("c", "l2", "s", 10, 40, 0),
    b: clip("b", "l1", "s", 100, 200, 50),
    a: clip("a", "l1", "t", 441, 882, 1000),
    d: clip("d", "l1", "s", 0, 60, 250),
  },
  joins: { j: { id: "j", left_clip_id: "b", right_clip_id: "d" } as Join },
  marks: { free: { id: "free", clip_id: null, frame: 7 } as Mark, tied: { id: "tied", clip_id: "a", frame: 441 } as Mark },
} as unknown as Job;
const named = (id: string) => job.clips[id] as Clip;

describe("places on the strip", () => {
  it("lays a clip as the core does: the first job frame at or behind each source frame", () => {
    expect([startOf(job, named("b")), endOf(job, named("b"))]).toEqual([150, 250]);
    expect([startOf(job, named("a")), endOf(job, named("a"))]).toEqual([1480, 1960]); // 441 frames at 44.1 kHz are 480 at 48 kHz
    expect(placed(job, named("a"), 1)).toBe(1002); // 1.09 frames: it begins with the second
    for (const frame of [0, 1, 2, 440, 441]) {
      const there = placed(job, named("a"), frame);
      expect(sourceFrameAt(job, named("a"), there)).toBeGreaterThanOrEqual(frame);
      expect(sourceFrameAt(job, named("a"), there - 1)).toBeLessThan(frame);
    }
  });

  it("orders by lane and start, and knows what is joined, what sounds, and where all ends", () => {
    expect(clipsInOrder(job).map(({ id }) => id)).toEqual(["b", "d", "a", "c"]);
    expect(lanesInOrder(job).map(({ id }) => id)).toEqual(["l1", "l2"]);
    expect(jobEnd(job)).toBe(1960);
    expect(joinedEndOf(job, named("b"))).toBe(310);
    expect([...continuing(job)]).toEqual(["d"]);
    const other = { ...job, joins: { j: { id: "j", left_clip_id: "b", right_clip_id: "a" } as Join } };
    expect([joinedEndOf(other, named("b")), continuing(other).size]).toEqual([250, 0]);
    expect([...audibleLanes({ ...job, lanes: { l1: lane("l1", 0, { muted: true }), l2: lane("l2", 1) } })]).toEqual(["l2"]);
    expect([...audibleLanes({ ...job, lanes: { l1: lane("l1", 0, { muted: true, solo: true }), l2: lane("l2", 1) } })]).toEqual(["l1"]);
    expect([hasSound(named("a")), hasSound({ ...named("a"), finding_id: "f" }), hasSound({ ...named("a"), finding_id: "f", sound_start_frame: 0 })]).toEqual([true, false, true]);
    expect(Object.values(job.marks).map((mark) => markFrame(job, mark))).toEqual([7, 1480]);
  });

  it("snaps to what does not move, the nearest within reach, beats among it", () => {
    const targets = snapTargets(job, 33.4, new Set(["b", "a"]), null);
    expect(targets.map(({ frame }) => frame).sort((x, y) => x - y)).toEqual([0, 7, 10, 33, 40, 250, 310]);
    expect(snapTargets(job, 0, new Set(), "free").map(({ frame }) => frame)).not.toContain(7);
    const to = (...args: Parameters<typeof snapped>) => snapped(...args)?.frame ?? args[1];
    expect([to(job, 243, targets, 7), to(job, 242, targets, 7), to(job, 37, targets, 9), to(job, 36, targets, 9)]).toEqual([250, 242, 40, 33]);
    const beats = { rate_hz: 48_000, grid: { bpm_numerator: 120, bpm_denominator: 1, beats_a_bar: 4, first_frame: 100 } } as Job;
    expect([to(beats, 24_050, [], 100), to(beats, 23_000, [], 100), to(beats, 24_090, [{ frame: 24_085, name: "x" }], 100)]).toEqual([24_100, 23_000, 24_085]);
  });
});
