import { expect, test } from "vitest";
import type { Clip, Job, Mark } from "../../api/types";
import { boundarySpan, trackSpans } from "./tracks";

const mark = (id: string, kind: Mark["kind"], frame: number): Mark => ({ id, kind, frame, name: id, clip_id: null, end_frame: null, crossfade_frames: 0, link: "", picture: "", performer: "", isrc: "", point: "", by_hand: true, does: "" });
const clip = { id: "c", source_id: "s", origin_frame: 0, head_frame: 0, tail_frame: 1000, lane_id: "l" } as Clip;

/** The core's parsing of marks (`tests/core/test_tracks.py`) is mirrored for playing: same tracks, same bounds. */
test("tracks end at the last end before the next, run on without one, and the last goes to the end of the music", () => {
  const marks = [mark("a", "track", 100), mark("ea", "track_end", 300), mark("b", "track", 400), mark("c", "track", 600), mark("eb", "track_end", 650), mark("ec", "track_end", 800), mark("d", "track", 900)];
  const job = { rate_hz: 100, lanes: {}, sources: { s: { rate_hz: 100 } }, clips: { c: clip }, marks: Object.fromEntries(marks.map((one) => [one.id, one])) } as unknown as Job;
  const spans = trackSpans(job);
  expect(spans.map(({ start, end }) => [start, end])).toEqual([[100, 300], [400, 600], [600, 800], [900, 1000]]);
  expect(boundarySpan(spans, 1, 50)).toEqual({ start: 250, end: 450 });
  expect(boundarySpan(spans, 0, 500)).toEqual({ start: 0, end: 300 });
  expect(boundarySpan(spans, 9, 50)).toEqual({ start: 0, end: 0 });
});
