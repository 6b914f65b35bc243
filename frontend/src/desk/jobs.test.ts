/** What is read off a hundred made-up jobs, held still (`npx vitest run -u`). */
import { expect, it } from "vitest";
import type { Job } from "../api/types";
import { anyDrafts, anyHits, anyJob } from "../testing/anyJob";
import { dice, sumOf } from "../testing/heldStill";
import { snapped, snapTargets } from "./strip/snap";
import { cells, struckAs } from "./model/cells";
import * as cues from "./model/cues";
import { leadOf, loudnesses } from "./model/gains";
import { crossfadesThatFit, leadAt } from "./model/offers";
import { keysOf, padAt, padUnder, padWith } from "./model/pads";
import * as pairs from "./model/pairs";
import * as placement from "./model/placement";
import { draftedEdges, drawnEnd, runs } from "./model/runs";
import { boundarySpan, trackSpans } from "./model/tracks";

const read: Record<string, (job: Job, seed: number) => unknown> = {
  places: (job, seed) => {
    const clips = placement.clipsInOrder(job);
    const frame = dice(seed).whole(0, 5_000);
    return [
      clips.map((clip) => [clip.id, placement.startOf(job, clip), placement.joinedEndOf(job, clip), placement.sourceFrameAt(job, clip, frame), placement.countedFrom(job, clip, seed % 2 === 0), placement.hasSound(clip)]),
      [...placement.continuing(job)], [...placement.turnedHalves(job)], placement.jobEnd(job), placement.lanesInOrder(job).map(({ id }) => id), [...placement.audibleLanes(job)],
      Object.values(job.marks).map((mark) => placement.markFrame(job, mark)),
    ];
  },
  pairs: (job, seed) => [Object.values(job.clips).flatMap((clip) => (["head", "tail"] as const).map((side) => [pairs.pairAt(job, clip, side), pairs.overlapAt(job, clip, side)])), pairs.pairAtFrame(job, dice(seed).whole(0, 5_000)), Object.values(job.joins).map(leadOf)],
  runs: (job, seed) => [runs(job, null), runs(job, anyDrafts(seed)), Object.values(job.clips).map((clip) => draftedEdges(clip, anyDrafts(seed))), drawnEnd(job)],
  loudness: (job) => [...loudnesses(job)].map(([id, one]) => [id, one.from, one.to, Array.from({ length: 30 }, (_, n) => one.gain(one.from + ((one.to - one.from) * n) / 29))]),
  cues: (job) => {
    const order = cues.inRunningOrder(job);
    const each = order.map((cue) => [cue.id, cues.eventsOf(job, cue).map((event) => [event.id, cues.timesOf(job, event)]), cues.loopOfCue(job, cue)?.id, cues.lengthOf(job, cue), cues.targetsFor(job, cue).map(({ id }) => id), cues.cueOfClip(job, cue.clip_id)?.id]);
    return [each, ([1, -1] as const).flatMap((way) => [["q1"], ["q0", "q5"], ["q2", "q3"]].map((ids) => cues.movedBy(order, new Set(ids), way) ?? "nowhere"))];
  },
  hits: (job, seed) => {
    const known = { draft: dice(seed).maybe(anyHits(seed)), drafted: seed % 2 === 0, deciding: new Set(["c1", "c4"]), heads: new Map([["c1", { startFrame: 40, picture: new Int8Array(4) }]]), verdicts: new Map() };
    const byOrder = (["doubt", "name", "air"] as const).map((order) => cells(job, known, order).map((cell) => [cell.key, cell.name, cell.onsetMs, cell.headMs, cell.confidence, cell.reason, cell.clips.map(({ id, strike }) => [id, strike && struckAs(strike)])]));
    const shown = cells(job, known, "name");
    const places = shown.map((cell, n) => ({ clip_id: cell.clips[0]?.id ?? "", note: `n${n % 3}`, place: { key: 36 + (n % 3), low_strength: n % 4 === 0 ? 1 : 64, high_strength: n % 4 === 0 ? 63 : 127, mic: "", turn: 1, turns: 2 } }));
    const keys = keysOf(places, shown);
    const pads = [30, 36, 37].flatMap((note) => [1, 64, 127].map((strength) => padAt(keys, note, strength)?.takes.map(({ key }) => key)));
    return [byOrder, keys.map(({ pads: held }) => held.map(({ takes }) => takes.map(({ key }) => key))), pads, padWith(keys, shown[1]?.key ?? "")?.takes.length, [0, 1].map((bank) => ["KeyA", "KeyS", "Digit1"].map((code) => padUnder(keys, bank, code, seed % 2 === 0)?.takes.length))];
  },
  tracks: (job) => {
    const spans = trackSpans(job);
    return [spans, spans.map((_, n) => boundarySpan(spans, n, 300))];
  },
  offers: (_, seed) => {
    const d = dice(seed);
    const [before, after] = [d.whole(0, 900), d.whole(0, 900)];
    return [crossfadesThatFit({ fits: { before, around: 2 * Math.min(before, after), after }, best: "before" }, 1_000, d.whole(1, 900)), (["before", "around", "after"] as const).map((place) => leadAt(place, before))];
  },
  snaps: (job, seed) => {
    const d = dice(seed);
    const targets = snapTargets(job, d.whole(0, 5_000), new Set(["c1"]), "m0");
    return [targets, Array.from({ length: 20 }, () => snapped(job, d.whole(0, 5_000), targets, d.one([0, 5, 60])))];
  },
};

it.each(Object.entries(read))("%s", (_, of) => {
  const sums = Array.from({ length: 100 }, (_, seed) => sumOf(of(anyJob(seed), seed)));
  expect(new Set(sums).size).toBeGreaterThan(60);
  expect(sums.join(" ")).toMatchSnapshot();
});
