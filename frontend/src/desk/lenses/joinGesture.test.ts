import { describe, expect, it } from "vitest";
import { JOIN_IDLE, endOfJoin, reduceJoin, startOfJoin, underJoin, withEnd, type JoinScene } from "./joinGesture";

describe("a crossfade in its lens", () => {
  const view = { startFrame: 1000, framesPerPx: 10, widthPx: 400 };
  const scene: JoinScene = { cutFrame: 3000, lengthFrames: 600, leadFrames: 200 };

  it("starts before the cut and ends behind it; either end is taken within eight pixels of its line and of the ring outside it", () => {
    expect([startOfJoin(scene), endOfJoin(scene)]).toEqual([2800, 3400]);
    expect([159, 160, 180, 188, 189, 231, 232, 240, 260, 261].map((x) => underJoin(scene, view, x))).toEqual([null, "start", "start", "start", null, null, "end", "end", "end", null]);
    const none = { cutFrame: 3000, lengthFrames: 0, leadFrames: 0 };
    expect([underJoin(none, view, 188), underJoin(none, view, 199), underJoin(none, view, 201), underJoin(none, view, 212)]).toEqual(["start", "start", "end", "end"]);
  });

  it("moves one end and keeps the other, and neither passes the cut", () => {
    expect(withEnd(scene, "start", 2700.4)).toEqual({ leadFrames: 300, lengthFrames: 700 });
    expect(withEnd(scene, "start", 3100)).toEqual({ leadFrames: 0, lengthFrames: 400 });
    expect(withEnd(scene, "end", 3500.6)).toEqual({ leadFrames: 200, lengthFrames: 701 });
    expect(withEnd(scene, "end", 2900)).toEqual({ leadFrames: 200, lengthFrames: 200 });
    const short = { ...scene, most: { before: 250, after: 410 } };
    expect([withEnd(short, "start", 0), withEnd(short, "end", 9000)]).toEqual([{ leadFrames: 250, lengthFrames: 650 }, { leadFrames: 200, lengthFrames: 610 }]);
  });

  it("commits once, only what changed, and moves the view from anywhere else", () => {
    const walk = (...inputs: Parameters<typeof reduceJoin>[1][]) => {
      let gesture = JOIN_IDLE;
      return inputs.map((input) => {
        const [next, effect] = reduceJoin(gesture, input, scene, view);
        gesture = next;
        return effect;
      });
    };
    expect(walk({ kind: "down", x: 180 }, { kind: "move", x: 170 }, { kind: "up" }, { kind: "up" })).toEqual([null, null, { kind: "cross", lengthFrames: 700, leadFrames: 300 }, null]);
    expect(walk({ kind: "down", x: 168 }, { kind: "move", x: 158 }, { kind: "up" })[2]).toEqual({ kind: "cross", lengthFrames: 700, leadFrames: 300 });
    expect(walk({ kind: "down", x: 180 }, { kind: "up" })).toEqual([null, null]);
    expect(walk({ kind: "down", x: 180 }, { kind: "move", x: 170 }, { kind: "cancel" }, { kind: "up" })).toEqual([null, null, null, null]);
    expect(walk({ kind: "down", x: 100 }, { kind: "move", x: 90 }, { kind: "up" }, { kind: "move", x: 50 })).toEqual([null, { kind: "pan", startFrame: 1100 }, null, null]);
  });
});
