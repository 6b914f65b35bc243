/** Pointers dragged at random over lens, join lens and strip: what each comes to, held still (`npx vitest run -u`). */
import { expect, test } from "vitest";
import { dice, sumOf } from "../testing/heldStill";
import { toPx } from "../wave/geometry";
import { endOfJoin, JOIN_IDLE, reduceJoin, startOfJoin, type JoinInput } from "./lenses/joinGesture";
import { FADE_HANDLE_PX, innerFrame, LENS_IDLE, reduceLens, type LensInput, type LensScene } from "./lenses/lensGesture";
import { IDLE, reduceStrip, type StripInput, type Under } from "./strip/stripGesture";

type Dice = ReturnType<typeof dice>;

/** What comes of a drag: down, some moves, then up or cancelled; what it was and what it asked for at each step. */
function dragged<G, I, E>(d: Dice, idle: G, inputs: (kind: "down" | "move" | "up" | "cancel") => I, reduce: (gesture: G, input: I) => [G, E | null]): unknown[] {
  const kinds = [...(d.part() < 0.1 ? [] : ["down" as const]), ...Array.from({ length: d.whole(0, 4) }, () => "move" as const), d.part() < 0.85 ? ("up" as const) : ("cancel" as const)];
  const out: unknown[] = [];
  let gesture = idle;
  for (const kind of kinds) {
    const [next, effect] = reduce(gesture, inputs(kind));
    out.push([next, effect]);
    gesture = next;
  }
  return out;
}

function lensDrag(seed: number): unknown {
  const d = dice(seed);
  const view = { startFrame: d.between(-100, 300), framesPerPx: d.one([0.25, 1, 6]), widthPx: 300 };
  const scene: LensScene = {
    side: d.one(["head", "tail"]), edgeFrame: d.whole(100, 900), fadeFrames: d.one([0, 30, 200]), bend: d.maybe({ value: d.between(-1, 1), y: d.whole(60, 120) }),
    reach: d.maybe({ lowestFrame: 50, highestFrame: 700, longestFade: 250 }),
  };
  const places = [toPx(view, scene.edgeFrame), toPx(view, innerFrame(scene)), (toPx(view, scene.edgeFrame) + toPx(view, innerFrame(scene))) / 2];
  const x = () => d.one(places) + d.whole(-9, 9);
  const y = () => d.one([FADE_HANDLE_PX, scene.bend?.y ?? 90, 150]) + d.whole(-9, 9);
  return dragged(d, LENS_IDLE, (kind): LensInput => (kind === "up" || kind === "cancel" ? { kind } : { kind, x: kind === "down" ? x() : x() + d.whole(-150, 150), y: y() }), (gesture, input) => reduceLens(gesture, input, scene, view));
}

function joinDrag(seed: number): unknown {
  const d = dice(seed);
  const length = d.one([0, 40, 300]);
  const scene = { cutFrame: 1_000, lengthFrames: length, leadFrames: d.whole(0, length), ...(d.part() < 0.5 ? { most: { before: 200, after: 150 } } : {}) };
  const view = { startFrame: d.between(700, 900), framesPerPx: d.one([0.5, 1, 4]), widthPx: 300 };
  const x = () => d.one([startOfJoin(scene), endOfJoin(scene)].map((frame) => toPx(view, frame))) + d.whole(-24, 24);
  return dragged(d, JOIN_IDLE, (kind): JoinInput => (kind === "up" || kind === "cancel" ? { kind } : { kind, x: kind === "down" ? x() : x() + d.whole(-120, 120) }), (gesture, input) => reduceJoin(gesture, input, scene, view));
}

function stripDrag(seed: number): unknown {
  const d = dice(seed);
  const start = d.whole(0, 500);
  const under: Under = d.one([{ on: "wave", clipId: d.maybe("c1"), laneId: d.maybe("l1") }, { on: "name", clipId: "c1" }, { on: "mark", markId: "m1" }, { on: "ruler" }, { on: "overview" }] as const);
  return dragged(d, IDLE, (kind): StripInput => {
    if (kind === "cancel") return { kind };
    const x = start + d.whole(-7, 7) * d.one([1, 1, 20]);
    return kind === "down" ? { kind, x: start, frame: 30.4 * start, under, how: d.one(["only", "add", "through"]) } : { kind, x, frame: 30.4 * x, laneId: d.maybe("l2") };
  }, (gesture, input) => reduceStrip(gesture, input));
}

test.each([["lens", lensDrag], ["join lens", joinDrag], ["strip", stripDrag]] as const)("two hundred drags on the %s", (_, drag) => {
  const came = Array.from({ length: 200 }, (_, seed) => sumOf(drag(seed)));
  expect(new Set(came).size).toBeGreaterThan(100);
  expect(came.join(" ")).toMatchSnapshot();
});
