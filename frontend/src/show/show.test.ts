import { expect, test } from "vitest";
import type { ShowPlan } from "../api/types";
import { blocksAhead } from "./ahead";
import { logAsCsv } from "./performanceLog";
import { ShowRun } from "./run";
import { isUnheard, passInWords } from "./runFigures";
import { actOf } from "./runKeys";
import { soundingNow } from "./status";

const cue = (n: number, part: object) => ({ id: `q${n}`, number: `${n + 1}`, name: `cue ${n}`, kind: "sound", start: "go", wait: 0, group: "", page: "", note: "", problem: "", frames: 40_000, silent: false, voices: [{ body: n, delay: 0, gains: [1] }], loop: null, events: [], target: null, everything: false, gain: 0, length: 0, curve: "s 0", stops: false, ...part });
const straight = Array.from({ length: 1025 }, (_, n) => n / 1024);
const plan = {
  rate_hz: 1000, channels: 1, curves: { "s 0": straight }, stop_frames: 100, fade_frames: 300, once_frames: 50, pause_frames: 20, block_frames: 1000, shortest_loop: 10,
  bodies: Array.from({ length: 9 }, (_, n) => ({ key: `b${n}`, cue: n, source_id: "", lead: 0, frames: 40_000 })),
  cues: Array.from({ length: 9 }, (_, n) => cue(n, n === 1 ? { loop: { start: 10_000, end: 30_000, passes: 3, goes: [], comes: [] } } : n === 2 ? { start: "with" } : {})),
} as unknown as ShowPlan;
const keyed = (key: string, part: object = {}) => ({ key, ctrlKey: false, metaKey: false, altKey: false, shiftKey: false, repeat: false, ...part });

test("only what may be needed soon is held: what sounds, where its loop goes on, and the heads of the cues that GO may fire", () => {
  const run = new ShowRun(plan);
  run.press({ frame: 0, kind: "skip" });
  run.press({ frame: 0, kind: "go" });
  run.goTo(28_500);
  const held = blocksAhead(run);
  for (const key of ["1 28", "1 30", "1 39", "1 10", "1 20", "2 28", "3 0", "6 3", "0 0"]) expect(held, key).toContain(key);
  for (const key of ["1 27", "1 5", "3 4", "8 0", "0 4"]) expect(held, key).not.toContain(key);
  expect(held.size).toBeLessThan(80);
  expect([...held][0]).toBe("1 28");
});

test("passes and what is not heard are told", () => {
  const run = new ShowRun(plan);
  run.press({ frame: 0, kind: "stand_at", cue: 1 });
  run.press({ frame: 0, kind: "go" });
  run.goTo(35_000);
  const [loops] = run.sounding;
  const now = loops ? soundingNow(loops, run.now) : null;
  expect(now && passInWords(now, 1000)).toBe("pass 2 of 3 · 0:15.0 of it left");
  expect(now && isUnheard(now)).toBe(false);
  expect(isUnheard({ gain: 0, goal: 0 })).toBe(true);
  expect(isUnheard({ gain: 0, goal: 1 })).toBe(false);
});

test("keys of the run view: none with a modifier or while it repeats", () => {
  expect([keyed("Enter"), keyed("L"), keyed("<", { shiftKey: true }), keyed(",")].map(actOf)).toEqual(["go", "let_go", "start_earlier", "end_earlier"]);
  for (const event of [keyed("Enter", { repeat: true }), keyed("l", { ctrlKey: true }), keyed("x"), keyed("Enter", { altKey: true })]) expect(actOf(event)).toBeNull();
});

test("the log of a performance counts from the first GO, and holds no formula", () => {
  const named = { ...plan, cues: plan.cues.map((one) => ({ ...one, name: '=1+1, "x"' })) };
  const at = Date.UTC(2026, 10, 27, 20);
  // The page was away for a minute in between: the clock of the wall went on, that of the audio did not.
  const rows = logAsCsv(named, [{ frame: 500, what: "GO", cue: 0, event: null, wall: at }, { frame: 2_000, what: "ended", cue: 0, event: null, wall: at + 61_500 }]).split("\n");
  expect(rows[1]).toBe(`2026-11-27T20:00:00.000Z,0.000,GO,1,"'=1+1, ""x""",`);
  expect(rows[2]).toContain("20:01:01.500Z,1.500,ended");
});
