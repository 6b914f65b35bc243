import { describe, expect, it } from "vitest";
import { formatTime, parseTime } from "./format";

describe("time", () => {
  it("is read back as it is written, at any place", () => {
    for (const rate of [8000, 44100, 48000, 192000]) {
      for (let frame = 0; frame < 5 * 3600 * rate; frame += 7_654_321) {
        expect(parseTime(formatTime(frame, rate, "clock", 6), rate, 0)).toBe(frame);
        expect(parseTime(formatTime(frame, rate, "frames"), rate, 0)).toBe(frame);
      }
    }
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
