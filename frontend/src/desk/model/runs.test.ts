import { describe, expect, it } from "vitest";
import type { Change, Clip, Draft, Finding, Job } from "../../api/types";
import { applied } from "./changes";
import { clipsInOrder, endOf, jobEnd, placed, sourceFrameAt, startOf } from "./placement";
import { draftedEdges, drawnEnd, runs } from "./runs";

const clip = (id: string, head: number, tail: number, finding: string | null = "f1"): Clip => ({
  id,
  lane_id: "l1",
  source_id: "s1",
  name: id,
  head_frame: head,
  tail_frame: tail,
  origin_frame: 100,
  gain_db: 0,
  fade_in: null,
  fade_out: null,
  finding_id: finding,
  sound_start_frame: finding ? head + 10 : null,
  sound_end_frame: finding ? tail - 10 : null,
  sync_frame: null,
  line: [],
  head_review: null,
  tail_review: null, strike: null, set_id: null, confidence: null, reason: "", file_name: "", end_confidence: null, end_reason: "", starts_within: null, ends_within: null,
});

const job = (clips: Clip[], kind = "cut", rate = 48_000): Job => ({
  name: "job",
  brief: "voiceover",
  rate_hz: 48_000,
  channels: 1,
  next_number: 9,
  lanes: { l1: { id: "l1", name: "Narration", position: 0, gain_db: 0, pan: 0, muted: false, solo: false, role: "" } },
  sources: { s1: { id: "s1", name: "take", rate_hz: rate, channels: 1, frames: 10_000, derived_from: null } },
  clips: Object.fromEntries(clips.map((one) => [one.id, one])),
  joins: {},
  marks: {},
  grid: null,
  auto_fades: true,
  cues: {},
  findings: {
    f1: { id: "f1", lane_id: "l1", source_id: "s1", name: "take", head_frame: 0, tail_frame: 10_000, origin_frame: 100, treatment: { kind, amount: 0 } } as unknown as Finding,
  },
});

const draft = (spans: number[], sounds: number[]): Draft => ({ target_id: "f1", spans, sounds }) as unknown as Draft;

describe("what is drawn", () => {
  const two = job([clip("a", 1000, 2000), clip("b", 4000, 5000)]);

  it("is the whole recording pale, and the clips in ink on top", () => {
    const drawn = runs(two, null);
    expect(drawn.map((run) => [run.start, run.end, run.kept, run.clipId])).toEqual([
      [100, 10_100, false, null],
      [1100, 2100, true, "a"],
      [4100, 5100, true, "b"],
    ]);
    expect(drawnEnd(two)).toBe(10_100);
    expect(jobEnd(two)).toBe(5100);
  });

  it("shows no pale recording where time was closed up, as it lies elsewhere", () => {
    expect(runs(job([clip("a", 1000, 2000)], "close_up"), null).every((run) => run.kept)).toBe(true);
  });

  it("is the draft while there is one, and knows which clip each span is", () => {
    const drawn = runs(two, [draft([900, 2100, 7000, 8000], [1010, 1990, 7100, 7900])]);
    expect(drawn.filter((run) => run.kept).map((run) => [run.start, run.end, run.clipId])).toEqual([
      [1000, 2200, "a"],
      [7100, 8100, null],
    ]);
    const edges = two.clips["a"] as Clip;
    expect(draftedEdges(edges, [draft([900, 2100], [1010, 1990])])).toEqual({ head: 900, tail: 2100, gone: false });
    expect(draftedEdges(two.clips["b"] as Clip, [draft([900, 2100], [1010, 1990])]).gone).toBe(true);
    expect(draftedEdges(edges, null)).toEqual({ head: 1000, tail: 2000, gone: false });
  });
});

describe("placement", () => {
  it("rounds up as the core does, so that pieces tile at any two rates", () => {
    const other = job([clip("a", 0, 333), clip("b", 333, 1000)], "split", 44_100);
    const [a, b] = clipsInOrder(other) as [Clip, Clip];
    expect(endOf(other, a)).toBe(startOf(other, b));
    expect(placed(other, a, 441)).toBe(100 + 480);
    expect(placed(other, a, 1)).toBe(100 + 2);
    expect(sourceFrameAt(other, a, 580)).toBeCloseTo(441, 9);
  });

  it("keeps the order of clips for as long as the job is the same", () => {
    const one = job([clip("b", 4000, 5000), clip("a", 1000, 2000)]);
    expect(clipsInOrder(one).map((each) => each.id)).toEqual(["a", "b"]);
    expect(clipsInOrder(one)).toBe(clipsInOrder(one));
  });
});

describe("changes", () => {
  it("are put in place, and what did not change stays the same object", () => {
    const before = job([clip("a", 1000, 2000), clip("b", 4000, 5000)]);
    const changes: Change[] = [
      { kind: "clips", entity_id: "a", after: null },
      { kind: "clips", entity_id: "c", after: clip("c", 6000, 7000) },
      { kind: "job", entity_id: "job", after: { name: "new name", brief: "voiceover", rate_hz: 48_000, channels: 1, next_number: 10, auto_fades: true, grid: null } },
    ];
    const after = applied(before, changes);
    expect(Object.keys(after.clips)).toEqual(["b", "c"]);
    expect(after.clips["b"]).toBe(before.clips["b"]);
    expect(after.lanes).toBe(before.lanes);
    expect([after.name, before.name]).toEqual(["new name", "job"]);
  });
});
