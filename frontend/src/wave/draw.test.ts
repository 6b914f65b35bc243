import { describe, expect, it } from "vitest";
import { gainAt } from "./curve";
import { CURVES } from "./curves.gen";
import { drawColumns, drawEdgeMark, drawLevel, drawSamples, yOf, type Band, type Ink } from "./draw";

type Call = [string, ...number[]];

/** A context that writes down what it is asked to draw. */
function recording(): { ink: Ink; calls: Call[] } {
  const calls: Call[] = [];
  const note = (name: string) => (...args: unknown[]) => void calls.push([name, ...args.filter((arg) => typeof arg === "number")]);
  const names = ["beginPath", "moveTo", "lineTo", "stroke", "fill", "closePath", "arc", "fillRect", "setLineDash"];
  const ink = Object.fromEntries(names.map((name) => [name, note(name)])) as unknown as Ink;
  return { ink, calls };
}

const band: Band = { topPx: 10, heightPx: 100, zoom: 1 };

describe("drawing", () => {
  it("puts full scale at the edges of its band, and never draws beyond them", () => {
    expect([yOf(band, 1), yOf(band, 0), yOf(band, -1)]).toEqual([10, 60, 110]);
    expect(yOf({ ...band, zoom: 8 }, 0.125)).toBe(10);
    expect(yOf({ ...band, zoom: 8 }, 1)).toBe(10);
  });

  it("draws all columns of a colour as one path with one stroke, and nothing where nothing is known", () => {
    const { ink, calls } = recording();
    drawColumns(ink, new Float32Array([-0.5, 0.5, Number.NaN, Number.NaN, 0, 0]), 20, 0, 3, band, "#000");
    expect(calls).toEqual([["beginPath"], ["moveTo", 20.5, 35], ["lineTo", 20.5, 85], ["moveTo", 22.5, 59], ["lineTo", 22.5, 60], ["stroke"]]);
  });

  it("draws dots only where there is room for them", () => {
    const near = recording();
    drawSamples(near.ink, new Float32Array([0, 1, -1]), 0, 8, band, "#000");
    expect(near.calls.filter(([name]) => name === "arc")).toHaveLength(3);
    const far = recording();
    drawSamples(far.ink, new Float32Array([0, 1, -1]), 0, 3, band, "#000");
    expect(far.calls.filter(([name]) => name === "arc")).toHaveLength(0);
  });

  it("draws a level on both sides of the middle, and a mark's flat side on its edge", () => {
    const { ink, calls } = recording();
    drawLevel(ink, 0.5, 0, 100, band, "#000");
    expect(calls.filter(([name]) => name === "moveTo").map(([, , y]) => y)).toEqual([35.5, 85.5]);
    const mark = recording();
    drawEdgeMark(mark.ink, 50, 12, 8, "head", "#000");
    expect(mark.calls[1]).toEqual(["arc", 50, 12, 8, Math.PI / 2, -Math.PI / 2]);
  });
});

describe("fade curves", () => {
  it.each(Object.keys(CURVES) as (keyof typeof CURVES)[])("%s rises from 0 to 1, with any bend", (shape) => {
    for (const bend of [-1, -0.3, 0, 0.7, 1]) {
      const gains = Array.from({ length: 101 }, (_, n) => gainAt({ shape, bend }, n / 100));
      expect(gains[0]).toBe(0);
      expect(gains[100]).toBe(1);
      for (let n = 1; n < gains.length; n += 1) expect(gains[n] ?? 0).toBeGreaterThanOrEqual(gains[n - 1] ?? 0);
    }
  });

  it("has the middles that the core's tests hold against the textbooks", () => {
    expect(gainAt({ shape: "equal_power", bend: 0 }, 0.5)).toBeCloseTo(Math.SQRT1_2, 5);
    expect(gainAt({ shape: "s", bend: 0 }, 0.5)).toBeCloseTo(0.5, 5);
    expect(gainAt({ shape: "linear", bend: 1 }, 0.0625)).toBeCloseTo(0.5, 5); // u^(1/4)
  });
});
