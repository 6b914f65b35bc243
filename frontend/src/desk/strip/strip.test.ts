import { stretches } from "./voiceCurve";
import { describe, expect, it } from "vitest";
import { snapped } from "./snap";
import { NO_TOUCH, reduceTouch, type TouchGesture, type TouchInput } from "./stripTouch";
import { IDLE, reduceStrip, type StripEffect, type StripInput, type Under } from "./stripGesture";

describe("the strip", () => {
  const down = (x: number, under: Under, how: "only" | "add" = "only"): StripInput => ({ kind: "down", x, frame: 10 * x, under, how });
  const move = (x: number, laneId: string | null = null): StripInput => ({ kind: "move", x, frame: 10 * x, laneId });
  const up = (x: number, laneId: string | null = null): StripInput => ({ kind: "up", x, frame: 10 * x, laneId });
  const wave: Under = { on: "wave", clipId: "a", laneId: "l1" };
  const name: Under = { on: "name", clipId: "a" };
  it.each<[string, StripInput[], (StripEffect | null)[]]>([
    ["chooses on a click", [down(5, wave), move(7), up(7)], [null, null, { kind: "choose", frame: 50, clipId: "a", inGap: false, how: "only" }]],
    ["is about nothing after a click in a gap", [down(5, { on: "wave", clipId: null, laneId: "l1" }), up(5)], [null, { kind: "choose", frame: 50, clipId: null, inGap: true, how: "only" }]],
    ["adds on a click by the name", [down(5, name, "add"), up(5)], [null, { kind: "choose", frame: 50, clipId: "a", inGap: false, how: "add" }]],
    ["selects on a drag, either way", [down(50, wave), move(20), up(10)], [null, { kind: "select", start: 200, end: 500, laneId: "l1" }, { kind: "select", start: 100, end: 500, laneId: "l1" }]],
    ["selects on all lanes in the ruler", [down(50, { on: "ruler" }), move(20)], [null, { kind: "select", start: 200, end: 500, laneId: null }]],
    ["forgets a selection on Esc", [down(50, wave), move(20), { kind: "cancel" }], [null, { kind: "select", start: 200, end: 500, laneId: "l1" }, { kind: "unselect" }]],
    ["moves the selected clips by a name, along and across", [down(50, name), move(60), move(70, "l1"), up(80, "l1")], [null, { kind: "take", clipId: "a" }, null, { kind: "move_clips", byFrames: 300, laneId: "l1" }]],
    ["puts clips back on Esc", [down(50, name), move(60), { kind: "cancel" }, up(80)], [null, { kind: "take", clipId: "a" }, null, null]],
    ["moves a mark and commits once", [down(50, { on: "mark", markId: "m" }), move(60), up(70)], [null, null, { kind: "move_mark", markId: "m", frame: 700 }]],
    ["pans on the overview", [down(5, { on: "overview" }), up(9)], [{ kind: "center", frame: 50 }, { kind: "center", frame: 90 }]],
  ])("%s", (_, inputs, effects) => {
    let gesture = IDLE;
    const seen = inputs.map((input) => {
      const [next, effect] = reduceStrip(gesture, input);
      gesture = next;
      return effect;
    });
    expect(seen).toEqual(effects);
  });
});

describe("snapping", () => {
  const to = (...args: Parameters<typeof snapped>) => snapped(...args)?.frame ?? args[1];
  const job = { grid: { bpm_numerator: 96, bpm_denominator: 1, beats_a_bar: 4, first_frame: 0 }, rate_hz: 48_000 };
  it("goes to the nearest beat, mark or edge within reach, and else leaves alone", () => {
    expect(to(job, 29_900, [{ frame: 31_000, name: "x" }], 500)).toBe(30_000); // a beat is 30,000 frames
    expect(to(job, 30_900, [{ frame: 31_000, name: "x" }], 1_000)).toBe(31_000);
    expect(to(job, 15_000, [], 500)).toBe(15_000);
    expect(to({ ...job, grid: null }, 29_900, [], 500)).toBe(29_900);
  });
});

describe("the curve of a voice", () => {
  const view = { startFrame: 0, framesPerPx: 100, widthPx: 400 };

  it("is drawn from stretch to stretch, within its band", () => {
    const curve = [[1000, -20], [2000, -20], [10_000, -90], [11_000, 0]] as const;
    expect(stretches(curve, view, 1000, 40, 36)).toEqual([null, [10, 52], [20, 52], null, [100, 76], [110, 40]]);
  });
});

describe("fingers on the strip", () => {
  const run = (inputs: readonly TouchInput[]) => inputs.reduce<[TouchGesture, unknown[]]>(([gesture, effects], input) => {
    const [next, effect] = reduceTouch(gesture, input);
    return [next, effect ? [...effects, effect] : effects];
  }, [NO_TOUCH, []]);
  const finger = (kind: "down" | "move" | "up", x: number, id = 1): TouchInput => ({ kind, id, x });

  it("scroll with one, tap where it did not move, zoom with two about the middle", () => {
    expect(run([finger("down", 100), finger("move", 104), finger("up", 104)])[1]).toEqual([{ kind: "tap", x: 100 }]);
    expect(run([finger("down", 100), finger("move", 60), finger("move", 50), finger("up", 50)])[1]).toEqual([{ kind: "scroll", byPx: 40 }, { kind: "scroll", byPx: 10 }]);
    const [rest, zoomed] = run([finger("down", 100), finger("down", 200, 2), finger("move", 300, 2), finger("up", 300, 2), finger("up", 100)]);
    expect(zoomed).toEqual([{ kind: "zoom", x: 200, factor: 0.5, byPx: -50 }]);
    expect(rest).toEqual(NO_TOUCH);
  });
});
