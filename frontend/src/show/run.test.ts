import { expect, test } from "vitest";
import type { ShowPlan } from "../api/types";
import { blocksAhead } from "./ahead";
import { Mixer } from "./mix";
import { type Press, ShowRun } from "./run";
import { soundingNow } from "./status";
import written from "./traces.gen.json";

interface Trace {
  readonly plan: ShowPlan;
  readonly presses: readonly Press[];
  readonly until: number;
  readonly log: readonly unknown[];
  readonly left: readonly unknown[];
  readonly digest: number;
}
const read = written as unknown as { curves: ShowPlan["curves"]; traces: readonly Trace[] };

const noise = (body: number, frame: number, channel: number): number => (((frame * 7919 + channel * 104729 + body * 1299709) % 65521) - 32760) / 32768;

function blocks(plan: ShowPlan): (body: number, block: number) => Float32Array | null {
  return (body, block) => {
    const { lead, frames } = plan.bodies[body] ?? { lead: 0, frames: 0 };
    const length = Math.min(plan.block_frames, lead + frames - block * plan.block_frames);
    return Float32Array.from({ length: length * plan.channels }, (_, i) => noise(body, block * plan.block_frames + (i % length), Math.floor(i / length)));
  };
}

test.each(read.traces.map((trace, n) => [n, trace] as const))("show %i runs as in the core, to the bit", (_, trace) => {
  const plan = { ...trace.plan, curves: read.curves };
  const run = new ShowRun(plan);
  const mixer = new Mixer(plan, blocks(plan), 128);
  let digest = 2166136261;
  const floats = new Float32Array(1);
  const halves = new Uint16Array(floats.buffer);
  const goOn = (until: number) => {
    while (run.frame < until) {
      const frames = Math.min(until - run.frame, 128);
      mixer.advance(run, frames);
      for (let i = 0; i < frames; i += 1) {
        for (const sum of mixer.sums) {
          floats[0] = sum[i] as number;
          for (const half of halves) digest = Math.imul(digest ^ half, 16777619) >>> 0;
        }
      }
    }
  };
  for (const press of trace.presses) {
    goOn(press.frame);
    run.press(press);
  }
  goOn(trace.until);
  expect(run.log.map(({ frame, what, cue, event }) => [frame, what, cue, event])).toEqual(trace.log);
  expect(run.sounding.map((one) => [one.cue, one.timeLeft(run.now)])).toEqual(trace.left);
  expect(digest).toBe(trace.digest);
});

test("what is held ahead and what is shown of every show, at any moment, held still", () => {
  const sums = read.traces.map((trace) => {
    const plan = { ...trace.plan, curves: read.curves };
    const run = new ShowRun(plan);
    let digest = 2166136261;
    const note = (text: string) => {
      for (const letter of text) digest = Math.imul(digest ^ letter.charCodeAt(0), 16777619) >>> 0;
    };
    const look = () => note(JSON.stringify([[...blocksAhead(run)], run.sounding.map((one) => ({ ...soundingNow(one, run.now), gain: Math.round(1e6 * one.ramp.at(run.now)) }))]));
    const goOn = (until: number) => {
      while (run.frame < until) {
        run.goTo(Math.min(run.frame + 7_001, until));
        look();
      }
    };
    for (const press of trace.presses) {
      goOn(press.frame);
      run.press(press);
      look();
    }
    goOn(trace.until);
    return digest.toString(16);
  });
  expect(sums.join(" ")).toMatchSnapshot();
});
