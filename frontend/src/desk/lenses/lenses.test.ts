import { describe, expect, it } from "vitest";
import { toPx, type Viewport } from "../../wave/geometry";
import { autoLevelZoom, mostForPeak, scaleText } from "./autoLevel";
import { JOIN_IDLE, reduceJoin, type JoinEffect, type JoinInput } from "./joinGesture";
import { FADE_HANDLE_PX, LENS_IDLE, reduceLens, type LensEffect, type LensInput, type LensScene } from "./lensGesture";

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

describe("the level of a lens", () => {
  const columns = (peaks: number[]) => new Float32Array(peaks.flatMap((peak) => [-peak, peak / 2]));
  it("is as far in as asked around a soft start, and less where most of the lens would be saturated", () => {
    expect(autoLevelZoom(columns([...Array<number>(80).fill(0.001), ...Array<number>(20).fill(0.9)]), 8)).toBe(8);
    expect(autoLevelZoom(columns(Array<number>(100).fill(0.3)), 8)).toBe(2);
    expect(autoLevelZoom(columns(Array<number>(100).fill(1)), 8)).toBe(1);
    expect(autoLevelZoom(new Float32Array(0), 8)).toBe(8);
    expect([mostForPeak(1, 8), mostForPeak(0.2, 1), mostForPeak(0.03, 8), mostForPeak(0, 1)]).toEqual([8, 4, 256, 256]);
    expect([scaleText(1), scaleText(8)]).toEqual(["0 dB", "×8, −18 dB"]);
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
