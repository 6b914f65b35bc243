import { describe, expect, it } from "vitest";
import { beatFrame, beatsAt, formatBars, parseBars, rulerBeats } from "./grid";
import { parsePlace } from "./format";

const grid = { bpm_numerator: 96, bpm_denominator: 1, beats_a_bar: 4, first_frame: 0 };

describe("bars", () => {
  it("are where arithmetic puts them, also after an hour", () => {
    expect(beatFrame(grid, 32, 48_000)).toBe(960_000); // bar 9 at 20.000 s
    expect(beatFrame({ ...grid, bpm_numerator: 174 }, 4, 44_100)).toBe(60_828); // 60,827.586…
    expect(beatFrame({ ...grid, bpm_numerator: 1200, bpm_denominator: 13 }, 5538, 48_000)).toBe(172_785_600); // 92.31 BPM, an hour
    expect(beatFrame(grid, -1, 44_100)).toBe(-27_562);
  });
  it("are read and written", () => {
    expect(formatBars(grid, 960_000, 48_000)).toBe("9b1.00");
    expect([parseBars(grid, "bar 3 beat 2", 48_000), parseBars(grid, "3b2", 48_000), parseBars(grid, "12", 48_000)]).toEqual([270_000, 270_000, null]);
    expect(parsePlace({ rate_hz: 48_000, grid }, "9b1", 0)).toBe(960_000);
    expect(parsePlace({ rate_hz: 48_000, grid: null }, "9b1", 0)).toBeNull();
  });
  it.each([1, 100, 5_000, 100_000])("have labels that do not touch, at %i frames a pixel", (framesPerPx) => {
    const step = rulerBeats(grid, framesPerPx, 48_000);
    expect((beatFrame(grid, step, 48_000) - beatFrame(grid, 0, 48_000)) / framesPerPx).toBeGreaterThanOrEqual(64);
    expect(beatsAt(grid, beatFrame(grid, step, 48_000), 48_000)).toBeCloseTo(step, 6);
  });
});
