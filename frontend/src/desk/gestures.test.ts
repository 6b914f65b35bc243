import { describe, expect, it } from "vitest";
import { toPx, type Viewport } from "../wave/geometry";
import { FADE_HANDLE_PX, LENS_IDLE, reduceLens, type LensEffect, type LensInput, type LensScene } from "./lensGesture";
import { IDLE, reduceStrip, type StripEffect, type StripInput } from "./stripGesture";

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
    ["drags an edge and commits once", head, [{ kind: "down", x: edgeX + 2, y: 150 }, { kind: "move", x: edgeX + 12 }, { kind: "move", x: edgeX + 22 }, { kind: "up" }], [null, null, null, { kind: "move_edge", frame: 2200 }]],
    ["puts it back on Esc", head, [{ kind: "down", x: edgeX, y: 150 }, { kind: "move", x: edgeX + 50 }, { kind: "cancel" }, { kind: "up" }], [null, null, null, null]],
    ["commits nothing that did not move", head, [{ kind: "down", x: edgeX, y: 150 }, { kind: "up" }], [null, null]],
    ["drags the inner end of a fade in", head, [{ kind: "down", x: edgeX + 48, y: FADE_HANDLE_PX }, { kind: "move", x: edgeX + 96 }, { kind: "up" }], [null, null, { kind: "set_fade", frames: 960 }]],
    ["drags the inner end of a fade out, mirrored", tail, [{ kind: "down", x: 252, y: FADE_HANDLE_PX }, { kind: "move", x: 280 }, { kind: "up" }], [null, null, { kind: "set_fade", frames: 200 }]],
    ["never makes a fade negative", head, [{ kind: "down", x: edgeX + 48, y: FADE_HANDLE_PX }, { kind: "move", x: 0 }, { kind: "up" }], [null, null, { kind: "set_fade", frames: 0 }]],
    ["pans elsewhere", head, [{ kind: "down", x: 300, y: 150 }, { kind: "move", x: 290 }, { kind: "up" }], [null, { kind: "pan", startFrame: 1100 }, null]],
  ])("%s", (_, scene, inputs, effects) => {
    expect(lens(scene, inputs)).toEqual(effects);
  });
});

describe("the strip", () => {
  it.each<[string, StripInput[], (StripEffect | null)[]]>([
    ["chooses on a click", [{ kind: "down", x: 5, frame: 50, onOverview: false }, { kind: "move", x: 7, frame: 70 }, { kind: "up", x: 7, frame: 70 }], [null, null, { kind: "choose", frame: 50 }]],
    ["selects on a drag, either way", [{ kind: "down", x: 50, frame: 500, onOverview: false }, { kind: "move", x: 20, frame: 200 }, { kind: "up", x: 10, frame: 100 }], [null, { kind: "select", start: 200, end: 500 }, { kind: "select", start: 100, end: 500 }]],
    ["forgets a selection on Esc", [{ kind: "down", x: 50, frame: 500, onOverview: false }, { kind: "move", x: 20, frame: 200 }, { kind: "cancel" }], [null, { kind: "select", start: 200, end: 500 }, { kind: "unselect" }]],
    ["pans on the overview", [{ kind: "down", x: 5, frame: 50, onOverview: true }, { kind: "up", x: 9, frame: 90 }], [{ kind: "center", frame: 50 }, { kind: "center", frame: 90 }]],
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
