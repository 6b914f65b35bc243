import { describe, expect, it } from "vitest";
import { formatPlace, formatTime, parsePlace, parseTime } from "./format";

describe("time", () => {
  it("is read back as it is written, at any place", () => {
    for (const rate of [8000, 44100, 48000, 192000]) {
      for (let frame = 0; frame < 5 * 3600 * rate; frame += 7_654_321) {
        expect(parseTime(formatTime(frame, rate, "clock", 6), rate, 0)).toBe(frame);
        expect(parseTime(formatTime(frame, rate, "frames"), rate, 0)).toBe(frame);
      }
    }
  });

  it("counts disc frames, 75 a second, and reads them back to the first frame of each", () => {
    for (const rate_hz of [44_100, 48_000, 96_000]) {
      const job = { rate_hz, grid: null };
      for (let disc = 0; disc < 75 * 4000; disc += 1_237) {
        const frame = Math.ceil((disc * rate_hz) / 75);
        expect(parsePlace(job, formatPlace(job, frame, "disc"), 0, "disc")).toBe(frame);
      }
    }
    expect(formatTime(44_100 * 62 + 588 * 3, 44_100, "disc")).toBe("01:02:03"); // 588 frames at 44.1 kHz are one (Red Book)
    expect([parsePlace({ rate_hz: 44_100, grid: null }, "0:10:75", 0, "disc"), parsePlace({ rate_hz: 44_100, grid: null }, "0:00:10", 0)]).toEqual([null, 441_000]);
  });

  it.each([
    ["1:02.5", 3_000_000],
    ["1:00:00", 172_800_000],
    ["45000f", 45_000],
    ["250ms", 12_000],
    ["+5ms", 1_240],
    ["-10f", 990],
    ["1:2:3:4", null],
    ["abc", null],
    ["1:05ms", null],
  ])("takes %s", (text, frame) => {
    expect(parseTime(text, 48_000, 1_000)).toBe(frame);
  });
});
