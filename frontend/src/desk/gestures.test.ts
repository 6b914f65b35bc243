import { describe, expect, it } from "vitest";
import { toPx, type Viewport } from "../wave/geometry";
import { FADE_HANDLE_PX, LENS_IDLE, reduceLens, type LensEffect, type LensInput, type LensScene } from "./lensGesture";
import { IDLE, reduceStrip, type StripEffect, type StripInput, type Under } from "./stripGesture";
import { JOIN_IDLE, reduceJoin, type JoinEffect, type JoinInput } from "./joinGesture";
import { THROUGH } from "../wave/curves.gen";
import { through, type Point } from "../wave/points";
import { snapped } from "./stripSnap";
import { edgesToWalk, nextUnsaid } from "./walk";

const view: Viewport = { startFrame: 1000, framesPerPx: 10, widthPx: 400 };
const head: LensScene = { side: "head", edgeFrame: 2000, fadeFrames: 480 };
const tail: LensScene = { side: "tail", edgeFrame: 4000, fadeFrames: 480 };

function lens(scene: LensScene, inputs: LensInput[]): (LensEffect | null)[] {
  let gesture = LENS_IDLE;
  return inputs.map((input) => {
    const [next, effect] = reduceLens(gesture, input, scene, view);
    gesture = next;
    return effect;
  });
}

describe("a lens", () => {
  const edgeX = toPx(view, head.edgeFrame);
  it.each<[string, LensScene, LensInput[], (LensEffect | null)[]]>([
    ["drags an edge and commits once", head, [{ kind: "down", x: edgeX + 2, y: 150 }, { kind: "move", x: edgeX + 12, y: 150 }, { kind: "move", x: edgeX + 22, y: 150 }, { kind: "up" }], [null, null, null, { kind: "move_edge", frame: 2200 }]],
    ["puts it back on Esc", head, [{ kind: "down", x: edgeX, y: 150 }, { kind: "move", x: edgeX + 50, y: 150 }, { kind: "cancel" }, { kind: "up" }], [null, null, null, null]],
    ["commits nothing that did not move", head, [{ kind: "down", x: edgeX, y: 150 }, { kind: "up" }], [null, null]],
    ["drags the inner end of a fade in", head, [{ kind: "down", x: edgeX + 48, y: FADE_HANDLE_PX }, { kind: "move", x: edgeX + 96, y: 44 }, { kind: "up" }], [null, null, { kind: "set_fade", frames: 960 }]],
    ["drags the inner end of a fade out, mirrored", tail, [{ kind: "down", x: 252, y: FADE_HANDLE_PX }, { kind: "move", x: 280, y: 44 }, { kind: "up" }], [null, null, { kind: "set_fade", frames: 200 }]],
    ["never makes a fade negative", head, [{ kind: "down", x: edgeX + 48, y: FADE_HANDLE_PX }, { kind: "move", x: 0, y: 44 }, { kind: "up" }], [null, null, { kind: "set_fade", frames: 0 }]],
    ["bends the curve up and down, at most all the way", { ...head, bend: { value: 0, y: 90 } }, [{ kind: "down", x: edgeX + 24, y: 92 }, { kind: "move", x: 0, y: 52 }, { kind: "move", x: 0, y: -900 }, { kind: "up" }], [null, null, null, { kind: "set_bend", bend: 1 }]],
    ["pans elsewhere", head, [{ kind: "down", x: 300, y: 150 }, { kind: "move", x: 290, y: 150 }, { kind: "up" }], [null, { kind: "pan", startFrame: 1100 }, null]],
  ])("%s", (_, scene, inputs, effects) => {
    expect(lens(scene, inputs)).toEqual(effects);
  });
});

describe("the strip", () => {
  const down = (x: number, under: Under, how: "only" | "add" = "only"): StripInput => ({ kind: "down", x, frame: 10 * x, under, how });
  const move = (x: number, laneId: string | null = null): StripInput => ({ kind: "move", x, frame: 10 * x, laneId });
  const up = (x: number, laneId: string | null = null): StripInput => ({ kind: "up", x, frame: 10 * x, laneId });
  const wave: Under = { on: "wave", clipId: "a" };
  const name: Under = { on: "name", clipId: "a" };
  it.each<[string, StripInput[], (StripEffect | null)[]]>([
    ["chooses on a click", [down(5, wave), move(7), up(7)], [null, null, { kind: "choose", frame: 50, clipId: "a", how: "only" }]],
    ["adds on a click by the name", [down(5, name, "add"), up(5)], [null, { kind: "choose", frame: 50, clipId: "a", how: "add" }]],
    ["selects on a drag, either way", [down(50, wave), move(20), up(10)], [null, { kind: "select", start: 200, end: 500 }, { kind: "select", start: 100, end: 500 }]],
    ["forgets a selection on Esc", [down(50, wave), move(20), { kind: "cancel" }], [null, { kind: "select", start: 200, end: 500 }, { kind: "unselect" }]],
    ["moves what is in hand by a name, along and across", [down(50, name), move(60), move(70, "l1"), up(80, "l1")], [null, { kind: "take", clipId: "a" }, null, { kind: "move_clips", byFrames: 300, laneId: "l1" }]],
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

describe("the join lens", () => {
  const join = { cutFrame: 3000, lengthFrames: 400, leadFrames: 200 };
  const x = (frame: number) => toPx(view, frame);
  it.each<[string, JoinInput[], (JoinEffect | null)[]]>([
    ["drags the start, the end stays", [{ kind: "down", x: x(2800) }, { kind: "move", x: x(2600) }, { kind: "up" }], [null, null, { kind: "cross", lengthFrames: 600, leadFrames: 400 }]],
    ["drags the end, the start stays", [{ kind: "down", x: x(3200) }, { kind: "move", x: x(3500) }, { kind: "up" }], [null, null, { kind: "cross", lengthFrames: 700, leadFrames: 200 }]],
    ["stops at the cut", [{ kind: "down", x: x(3200) }, { kind: "move", x: x(2000) }, { kind: "up" }], [null, null, { kind: "cross", lengthFrames: 200, leadFrames: 200 }]],
    ["puts it back on Esc", [{ kind: "down", x: x(3200) }, { kind: "move", x: x(3500) }, { kind: "cancel" }, { kind: "up" }], [null, null, null, null]],
    ["pans elsewhere", [{ kind: "down", x: x(2000) }, { kind: "move", x: x(2100) }, { kind: "up" }], [null, { kind: "pan", startFrame: 900 }, null]],
  ])("%s", (_, inputs, effects) => {
    let gesture = JOIN_IDLE;
    const seen = inputs.map((input) => {
      const [next, effect] = reduceJoin(gesture, input, join, view);
      gesture = next;
      return effect;
    });
    expect(seen).toEqual(effects);
  });
});

describe("snapping", () => {
  const job = { grid: { bpm_numerator: 96, bpm_denominator: 1, beats_a_bar: 4, first_frame: 0 }, rate_hz: 48_000 };
  it("goes to the nearest beat, mark or edge within reach, and else leaves alone", () => {
    expect(snapped(job, 29_900, [31_000], 500)).toBe(30_000); // a beat is 30,000 frames
    expect(snapped(job, 30_900, [31_000], 1_000)).toBe(31_000);
    expect(snapped(job, 15_000, [], 500)).toBe(15_000);
    expect(snapped({ ...job, grid: null }, 29_900, [], 500)).toBe(29_900);
  });
});

describe("a drawn curve", () => {
  it("is the core's", () => {
    const points = THROUGH.points as unknown as Point[];
    THROUGH.values.forEach((value, n) => expect(through(points, n / 20)).toBeCloseTo(value, 5));
  });
});

describe("the walk", () => {
  const verdict = (side: "head" | "tail", state: "fine" | "look" | "fail") => ({ side, state, check: "click" as const, figure: 1, text: "" });
  const rows = [
    { clip_id: "a", verdicts: [verdict("head", "fine"), verdict("tail", "look")], head_said: null, tail_said: null },
    { clip_id: "b", verdicts: [verdict("head", "fail"), verdict("tail", "fine")], head_said: "accepted" as const, tail_said: null },
    { clip_id: "c", verdicts: [], head_said: null, tail_said: null },
  ];
  it("goes through edges in time or the gravest first, and skips what was said", () => {
    const inTime = edgesToWalk(rows, "time");
    expect(inTime.map((edge) => edge.clipId + edge.side)).toEqual(["ahead", "atail", "bhead", "btail"]);
    expect(edgesToWalk(rows, "doubtful").map((edge) => edge.clipId + edge.side)).toEqual(["bhead", "atail", "ahead", "btail"]);
    expect(nextUnsaid(inTime, "a", "tail")).toMatchObject({ clipId: "b", side: "tail" });
    expect(nextUnsaid(inTime, "b", "tail")).toMatchObject({ clipId: "a", side: "head" });
    expect(nextUnsaid(inTime.map((edge) => ({ ...edge, said: "accepted" as const })), "a", "head")).toBeNull();
  });
});
