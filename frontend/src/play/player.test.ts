import { describe, expect, it } from "vitest";
import { frameAt, pieces } from "./player";

describe("a run", () => {
  const spans = [
    { start: 100, end: 130_000 },
    { start: 5_000, end: 5_010 },
  ];

  it("is cut into blocks that abut, a quarter of a second first", () => {
    const blocks = [...pieces(spans, false, 48_000)];
    expect(blocks[0]).toEqual({ start: 100, end: 12_100 });
    const heard = blocks.flatMap((block) => [block.start, block.end]);
    for (let n = 1; n + 1 < heard.length; n += 2) expect(heard[n] === heard[n + 1] || heard[n] === 130_000).toBe(true);
    expect(blocks.reduce((sum, block) => sum + block.end - block.start, 0)).toBe(129_910);
  });

  it("knows which frame sounds, in loops too", () => {
    expect(frameAt(spans, 129_900, false)).toBe(5_000);
    expect(frameAt(spans, 129_910 + 7, true)).toBe(107);
    expect(frameAt(spans, 1e9, false)).toBe(5_010);
  });
});
