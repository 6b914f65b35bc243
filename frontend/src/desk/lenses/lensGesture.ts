/** What a pointer on a lens means: its edge, the inner end of its fade, the bend of its curve, or the view is dragged. */
import { toFrame, toPx, type Viewport } from "../../wave/geometry";

/** How far the edge and its fade can go, as the server says when they are taken hold of. */
export interface LensReach {
  readonly lowestFrame: number;
  readonly highestFrame: number;
  readonly longestFade: number;
}

export interface LensScene {
  readonly side: "head" | "tail";
  readonly edgeFrame: number;
  readonly fadeFrames: number;
  /** −1…+1, and where on the screen the middle of the curve lies; none without a fade. */
  readonly bend?: { readonly value: number; readonly y: number } | null;
  readonly reach?: LensReach | null;
}

export type LensGesture =
  | { readonly phase: "idle" }
  | { readonly phase: "edge"; readonly grabFrames: number; readonly edgeFrame: number }
  | { readonly phase: "fade"; readonly fadeFrames: number }
  | { readonly phase: "bend"; readonly y: number; readonly from: number; readonly bend: number }
  | { readonly phase: "pan"; readonly x: number; readonly startFrame: number };

export type LensInput =
  | { readonly kind: "down"; readonly x: number; readonly y: number }
  | { readonly kind: "move"; readonly x: number; readonly y: number }
  | { readonly kind: "up" }
  | { readonly kind: "cancel" };

export type LensEffect =
  | { readonly kind: "move_edge"; readonly frame: number }
  | { readonly kind: "set_fade"; readonly frames: number }
  | { readonly kind: "set_bend"; readonly bend: number }
  | { readonly kind: "pan"; readonly startFrame: number };

export const LENS_IDLE: LensGesture = { phase: "idle" };
export const FADE_HANDLE_PX = 44;
const REACH_PX = 8;
/** So far up or down bends a curve as much as it can be. */
const WHOLE_BEND_PX = 80;

/** Where the inner end of the fade lies. */
export const innerFrame = (scene: LensScene): number =>
  scene.side === "head" ? scene.edgeFrame + scene.fadeFrames : scene.edgeFrame - scene.fadeFrames;

/** What lies under a point: the fade's handle wins over the edge, as it is the smaller of the two. */
export function under(scene: LensScene, view: Viewport, x: number, y: number): "edge" | "fade" | "bend" | null {
  const nearHandle = Math.abs(x - toPx(view, innerFrame(scene))) <= REACH_PX && Math.abs(y - FADE_HANDLE_PX) <= REACH_PX;
  if (nearHandle) return "fade";
  const middle = (toPx(view, scene.edgeFrame) + toPx(view, innerFrame(scene))) / 2;
  if (scene.bend && scene.fadeFrames > 0 && Math.abs(x - middle) <= REACH_PX && Math.abs(y - scene.bend.y) <= REACH_PX) return "bend";
  return Math.abs(x - toPx(view, scene.edgeFrame)) <= REACH_PX ? "edge" : null;
}

/** The next phase, and what to commit; previews are read from the phase. */
export function reduceLens(gesture: LensGesture, input: LensInput, scene: LensScene, view: Viewport): [LensGesture, LensEffect | null] {
  if (input.kind === "cancel") return [LENS_IDLE, null];
  if (input.kind === "down") {
    const target = under(scene, view, input.x, input.y);
    if (target === "edge") {
      return [{ phase: "edge", grabFrames: scene.edgeFrame - toFrame(view, input.x), edgeFrame: scene.edgeFrame }, null];
    }
    if (target === "fade") return [{ phase: "fade", fadeFrames: scene.fadeFrames }, null];
    if (target === "bend" && scene.bend) return [{ phase: "bend", y: input.y, from: scene.bend.value, bend: scene.bend.value }, null];
    return [{ phase: "pan", x: input.x, startFrame: view.startFrame }, null];
  }
  switch (gesture.phase) {
    case "idle":
      return [gesture, null];
    case "edge":
      if (input.kind === "up") {
        const moved = gesture.edgeFrame !== scene.edgeFrame;
        return [LENS_IDLE, moved ? { kind: "move_edge", frame: gesture.edgeFrame } : null];
      }
      return [{ ...gesture, edgeFrame: within(scene, Math.round(toFrame(view, input.x) + gesture.grabFrames)) }, null];
    case "fade":
      if (input.kind === "up") {
        const changed = gesture.fadeFrames !== scene.fadeFrames;
        return [LENS_IDLE, changed ? { kind: "set_fade", frames: gesture.fadeFrames } : null];
      }
      return [{ ...gesture, fadeFrames: inward(scene, view, input.x) }, null];
    case "bend": {
      if (input.kind === "up") return [LENS_IDLE, gesture.bend === gesture.from ? null : { kind: "set_bend", bend: gesture.bend }];
      const bend = gesture.from + (gesture.y - input.y) / WHOLE_BEND_PX;
      return [{ ...gesture, bend: Math.round(Math.min(Math.max(bend, -1), 1) * 100) / 100 }, null];
    }
    case "pan":
      if (input.kind === "up") return [LENS_IDLE, null];
      return [gesture, { kind: "pan", startFrame: gesture.startFrame - (input.x - gesture.x) * view.framesPerPx }];
  }
}

const within = ({ reach }: LensScene, frame: number): number => (reach ? Math.min(Math.max(frame, reach.lowestFrame), reach.highestFrame) : frame);

/** So near to the edge, the ring means no fade at all, and not one of a frame or two. */
const NO_FADE_PX = 2;

function inward(scene: LensScene, view: Viewport, x: number): number {
  if (Math.abs(x - toPx(view, scene.edgeFrame)) <= NO_FADE_PX) return 0;
  const frame = toFrame(view, x);
  const length = Math.round(scene.side === "head" ? frame - scene.edgeFrame : scene.edgeFrame - frame);
  return Math.min(Math.max(0, length), scene.reach?.longestFade ?? Infinity);
}
