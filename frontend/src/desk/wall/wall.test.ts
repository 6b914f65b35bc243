import { describe, expect, it } from "vitest";
import type { Clip, HitDraft, Job } from "../../api/types";
import { stepsBetween, secondsAStep } from "../../play/bench";
import { columnsOf } from "../../wave/tiles";
import { drawWall } from "./wallDraw";
import { stepped, visibleCells, wallGrid } from "./wallGeometry";
import { cells, type Heads } from "../model/cells";
import { hasWords, inHeldOrder, textOf, wordsOf } from "../model/shown";

const clip = (id: string, name: string, strength: string, mic: string, set_id: string | null, origin_frame: number): Clip => ({
  id, lane_id: "l1", source_id: "s1", name: `${name} ${strength} ${mic}`, head_frame: 0, tail_frame: 48_000, origin_frame, gain_db: 0, fade_in: null, fade_out: null,
  finding_id: null, sound_start_frame: null, sound_end_frame: null, sync_frame: null, line: [], head_review: null, tail_review: null,
  strike: { name, note: 36, strength, mic, take: null }, set_id, confidence: null, reason: "", file_name: "", end_confidence: null, end_reason: "", starts_within: null, ends_within: null,
});

const CLIPS = [
  clip("c1", "Bell", "hard", "near", "k1", 0),
  clip("c2", "Bell", "hard", "far", "k1", 0),
  clip("c3", "Bell", "soft", "near", "k2", 96_000),
  clip("c4", "Bell", "soft", "far", "k2", 96_000),
  clip("c5", "Plank", "hard", "near", null, 192_000),
];
const JOB = { rate_hz: 48_000, joins: {}, sources: { s1: { rate_hz: 48_000 } }, lanes: { l1: { id: "l1", position: 0 } }, findings: {}, clips: Object.fromEntries(CLIPS.map((one) => [one.id, one])) } as unknown as Job;
const DRAFT: HitDraft = {
  target_ids: ["c1", "c2", "c3", "c4", "c5"], heads: [4_800, 4_800, 960, 960, 9_600], tails: [40_000, 40_000, 40_000, 40_000, 40_000], onsets: [4_800, 4_800, 960, 960, 9_648],
  confidences: [1, 1, 0.4, 0.4, 0.9], reasons: ["", "", "slow rise", "slow rise", ""], deciding: [false, true, true, false, true], strengths: ["soft", "hard"], strength_doubts: [], together: 0, too_soft: 0, doubtful: 1,
};
const HEADS: Heads = new Map(CLIPS.map((one) => [one.id, { startFrame: 0, picture: new Int8Array(600) }]));
const KNOWN = { draft: DRAFT, drafted: true, deciding: new Set(["c2", "c3", "c5"]), heads: HEADS, verdicts: new Map() };

describe("the cells of the wall", () => {
  it("has one for each hit, the deciding microphone first", () => {
    const list = cells(JOB, KNOWN, "doubt");
    expect(list.map((cell) => cell.key)).toEqual(["k2", "c5", "k1"]);
    expect(list.map((cell) => cell.clips.map((one) => one.id))).toEqual([["c3", "c4"], ["c5"], ["c2", "c1"]]);
    expect(list[0]).toMatchObject({ name: "Bell soft", onsetMs: 20, headMs: 20, confidence: 0.4, reason: "slow rise" });
  });

  it("is sorted by name and strength, or by the air in front", () => {
    expect(cells(JOB, KNOWN, "name").map((cell) => cell.name)).toEqual(["Bell soft", "Bell hard", "Plank hard"]);
    expect(cells(JOB, KNOWN, "air").map((cell) => cell.onsetMs)).toEqual([201, 100, 20]);
  });

  it("says of a hit what is gravest with any of its edges, once it is applied", () => {
    const verdicts = new Map([["c1", { verdicts: [{ side: "tail", state: "look", text: "rings" }] }], ["c2", { verdicts: [{ side: "head", state: "fail", text: "clicks" }] }]]) as never;
    const wrong = (drafted: boolean) => cells(JOB, { ...KNOWN, drafted, verdicts }, "doubt").map((cell) => [cell.key, cell.wrong?.text]);
    expect(wrong(false).find(([key]) => key === "k1")).toEqual(["k1", "clicks"]);
    expect(wrong(true).every(([, text]) => text === undefined)).toBe(true);
  });

  it("keeps a corrected head, and no longer doubts it", () => {
    const finding = { id: "f1", head_frame: 0, corrections: [{ side: "head", edge_frame: 4_704 }], recipe: { kind: "hits", many: false } };
    const corrected = { ...JOB, findings: { f1: finding }, clips: { c1: { ...CLIPS[0], set_id: null, finding_id: "f1", head_frame: 4_704, sound_start_frame: 4_800 } } } as unknown as Job;
    const [cell] = cells(corrected, { ...KNOWN, draft: { ...DRAFT, target_ids: ["f1"], confidences: [0.2] } }, "doubt");
    expect(cell).toMatchObject({ headMs: 98, onsetMs: 100, confidence: 1 });
  });
});

describe("what is shown", () => {
  const verdict = { side: "tail", state: "look", text: "It is cut while it rings." };
  const verdicts = new Map([["c5", { verdicts: [verdict, { ...verdict, state: "fine", text: "No click." }] }]]) as never;
  const keysWith = (typed: string) => cells(JOB, KNOWN, "name").filter((cell) => hasWords(textOf(cell.clips, verdicts), wordsOf(typed))).map((cell) => cell.key);

  it("has every word in its name, strength, microphone, reason or a verdict that is not fine", () => {
    expect(["hard BELL", "far", "while rings", "click", "oar", " "].map(keysWith)).toEqual([["k1"], ["k2", "k1"], ["c5"], [], [], ["k2", "k1", "c5"]]);
  });

  it("stands where it stood, and what is new comes behind in the order asked for", () => {
    const held = (sorted: string, keys: string) => inHeldOrder([...sorted], (key) => key, [...keys]).join("");
    expect([held("abcd", ""), held("abcd", "dcba"), held("abcde", "dca"), held("ab", "xbya")]).toEqual(["abcd", "dcba", "dcabe", "ba"]);
  });
});

describe("the grid of the wall", () => {
  const grid = wallGrid(776, 1_200);

  it("fills the width, and every cell lies in one row", () => {
    expect(grid.columns).toBe(8);
    expect(grid.columns * grid.cellWidthPx).toBeCloseTo(776);
    expect(grid.rows * grid.columns).toBeGreaterThanOrEqual(1_200);
  });

  it("draws just what is on the screen", () => {
    for (const scroll of [0, 37, 640, 9_000]) {
      const [first, last] = visibleCells(grid, scroll, 256, 1_200);
      expect(first * 1).toBeLessThanOrEqual((scroll / grid.rowHeightPx) * grid.columns);
      expect(last - first).toBeLessThanOrEqual((256 / grid.rowHeightPx + 2) * grid.columns);
    }
    expect(visibleCells(grid, 0, 256, 5)).toEqual([0, 5]);
  });

  it("is walked by the arrow keys and stops at its ends", () => {
    const moves: readonly (readonly [number, string, number])[] = [[0, "ArrowLeft", 0], [0, "ArrowRight", 1], [3, "ArrowDown", 11], [3, "ArrowUp", 0], [5, "End", 1_199], [900, "Home", 0], [7, "x", 7]];
    for (const [at, key, to] of moves) expect(stepped(grid, at, key, 1_200)).toBe(to);
  });

  it("aligns every cell on its onset: the line of the head stands at the same place", () => {
    const lines: number[] = [];
    const recorder = new Proxy({} as Record<string, unknown>, {
      get: (target, name) => (name === "fillRect" ? (x: number, _y: number, width: number) => width === 2 && lines.push(x) : (target[name as string] ?? (() => undefined))),
      set: (target, name, value) => Reflect.set(target, name, value),
    });
    const list = cells(JOB, KNOWN, "doubt");
    drawWall(recorder as never, { grid, cells: list, first: 0, last: 3, scrollPx: 0, heads: () => [], isSelected: () => false, current: -1, colours: {} });
    const within = lines.map((x, n) => x - Math.round(n * grid.cellWidthPx));
    expect(within).toHaveLength(3);
    expect(Math.max(...within) - Math.min(...within)).toBeLessThanOrEqual(2); // one head lies 1 ms before its onset
  });
});

describe("the test bench", () => {
  it("meets every step once, whatever the clock is asked", () => {
    const step = secondsAStep(120, 4);
    expect(step).toBe(0.125);
    const met: number[] = [];
    let from = 0;
    for (const until of [0.15, 0.2, 0.2, 0.51, 2.0]) {
      met.push(...stepsBetween(step, from, until).map((one) => one.step));
      from = Math.max(from, until);
    }
    expect(met).toEqual(Array.from({ length: 16 }, (_, n) => n));
    expect(stepsBetween(step, 0.125, 0.25)).toEqual([{ step: 1, atS: 0.125 }]);
  });
});

describe("columns of samples at hand", () => {
  it("hold the lowest and the highest of each, and nothing beyond the ends", () => {
    const samples = Float32Array.from([0, 1, -1, 0.5, 0.25, 0]);
    const columns = columnsOf(samples, 0, 2, 4);
    expect([...columns.slice(0, 4)]).toEqual([-1, 1, -1, 0.5]);
    expect(Number.isNaN(columnsOf(samples, 100, 2, 1)[0])).toBe(true);
    expect([...columnsOf(samples, 1, 0.25, 4)].every((value) => value >= -1 && value <= 1)).toBe(true);
  });
});
