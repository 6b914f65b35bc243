/** Figures behind the pictures, over the whole range of zooms, tempos and levels, held still (`npx vitest run -u`). */
import { describe, expect, it } from "vitest";
import { autoLevelZoom, mostForPeak, scaleText } from "./lenses/autoLevel";
import { dice, sumOf } from "../testing/heldStill";
import { formatTime, type TimeStyle } from "../time/format";
import { beatFrame, beatsAt, formatBars, parseBars, rulerBeats } from "../time/grid";
import { gainAt } from "../wave/curve";
import { clamped, levelFor, rulerStepS, scrolled, showing, zoomedAt } from "../wave/geometry";
import { through, type Point } from "../wave/points";

const SHAPES = ["linear", "s", "equal_power", "logarithmic"] as const;

const cases: Record<string, (d: ReturnType<typeof dice>) => unknown> = {
  "curves through points": (d) => {
    const steps = Array.from({ length: d.whole(1, 6) }, () => d.whole(1, 300));
    const points = steps.map((_, n) => [steps.slice(0, n + 1).reduce((a, b) => a + b), d.one([0, 0, -6, d.between(-24, 12)])] as Point);
    return Array.from({ length: 40 }, (_, n) => through(points, n * 40 - 100));
  },
  "gains of fades": (d) => {
    const fade = { shape: d.one(SHAPES), bend: d.one([0, -1, 1, d.between(-1, 1)]), points: [[0.2, d.part()], [0.7, d.part()]] } as unknown as Parameters<typeof gainAt>[0];
    return Array.from({ length: 21 }, (_, n) => gainAt(fade, n / 20));
  },
  views: (d) => {
    const limits = { lowestFrame: d.whole(-500, 0), highestFrame: d.whole(1, 90_000), smallestFramesPerPx: d.one([0.05, 1]) };
    const view = { startFrame: d.between(-2_000, 90_000), framesPerPx: d.between(0.01, 400), widthPx: d.whole(0, 900) };
    const [a, b] = [d.between(-100, 4_000), d.between(4_000, 90_000)];
    return [clamped(view, limits), zoomedAt(view, d.whole(0, 900), d.one([0.5, 2, 1.1]), limits), scrolled(view, d.whole(-300, 300), limits), showing(view, a, b, limits), levelFor([1, 4, 16, 64, 256], d.between(0.1, 600))];
  },
  rulers: (d) => Array.from({ length: 30 }, () => rulerStepS(10 ** d.between(-2, 6), d.one([8_000, 48_000]), d.one([50, 90]))),
  bars: (d) => {
    const grid = { bpm_numerator: d.whole(20, 900), bpm_denominator: d.whole(1, 7), beats_a_bar: d.whole(1, 9), first_frame: d.whole(-900, 90_000) };
    const [rate, beat, frame] = [d.one([44_100, 48_000]), d.whole(-20, 5_000), d.whole(-90_000, 9_000_000)];
    return [beatFrame(grid, beat, rate), beatsAt(grid, frame, rate), formatBars(grid, frame, rate), rulerBeats(grid, 10 ** d.between(-1, 5), rate), parseBars(grid, d.one(["3b2", "bar 9", "bar 2 beat 3", "7", "b"]), rate)];
  },
  times: (d) => [0, 1, 3].map((decimals) => formatTime(d.whole(-900, 600_000_000), d.one([8_000, 44_100]), d.one(["clock", "seconds", "frames", "disc"]) as TimeStyle, decimals)),
  levels: (d) => {
    const loudest = 10 ** d.between(-4, 0.2);
    const columns = Float32Array.from({ length: 2 * d.whole(0, 60) }, () => (d.part() < 0.05 ? NaN : loudest * d.between(-1, 1)));
    const zoom = autoLevelZoom(columns, d.one([1, 16, 64]));
    return [zoom, scaleText(zoom), mostForPeak(loudest, d.one([1, 4, 16])), mostForPeak(0, 4)];
  },
};

describe("figures", () => {
  it.each(Object.entries(cases))("%s", (_, made) => {
    expect(Array.from({ length: 120 }, (_, seed) => sumOf(made(dice(seed)))).join(" ")).toMatchSnapshot();
  });
});
