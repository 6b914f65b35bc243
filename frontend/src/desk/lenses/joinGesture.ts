/** What a pointer on the join lens means: where the crossfade starts or ends is dragged, or the view. */
import { toFrame, toPx, type Viewport } from "../../wave/geometry";

/** A crossfade around a cut, in job frames. */
export interface JoinScene {
  readonly cutFrame: number;
  readonly lengthFrames: number;
  readonly leadFrames: number;
  /** How much sound there is for it before and after the cut; none: it is not known. */
  readonly most?: { readonly before: number; readonly after: number };
}

export type JoinGesture =
  | { readonly phase: "idle" }
  | { readonly phase: "start" | "end"; readonly grabPx: number; readonly lengthFrames: number; readonly leadFrames: number }
  | { readonly phase: "pan"; readonly x: number; readonly startFrame: number };

export type JoinInput = { readonly kind: "down" | "move"; readonly x: number } | { readonly kind: "up" } | { readonly kind: "cancel" };

export type JoinEffect =
  | { readonly kind: "cross"; readonly lengthFrames: number; readonly leadFrames: number }
  | { readonly kind: "pan"; readonly startFrame: number };

const REACH_PX = 8;
/** So far outside of either end lies the ring by which it is pulled: both can be taken while the cut is plain. */
export const GRIP_PX = 12;
export const JOIN_IDLE: JoinGesture = { phase: "idle" };
export const startOfJoin = (scene: JoinScene): number => scene.cutFrame - scene.leadFrames;
export const endOfJoin = (scene: JoinScene): number => startOfJoin(scene) + scene.lengthFrames;

export function underJoin(scene: JoinScene, view: Viewport, x: number): "start" | "end" | null {
  const [startPx, endPx] = [toPx(view, startOfJoin(scene)), toPx(view, endOfJoin(scene))];
  const start = Math.min(Math.abs(x - startPx), Math.abs(x - startPx + GRIP_PX));
  const end = Math.min(Math.abs(x - endPx), Math.abs(x - endPx - GRIP_PX));
  if (Math.min(start, end) > REACH_PX) return null;
  return start < end || (start === end && x < toPx(view, scene.cutFrame)) ? "start" : "end";
}

/** One end dragged to a frame: the other end stays, and neither passes the cut, or the end of the sound for it. */
export function withEnd(scene: JoinScene, which: "start" | "end", frame: number): { readonly lengthFrames: number; readonly leadFrames: number } {
  const lag = scene.lengthFrames - scene.leadFrames;
  if (which === "start") {
    const leadFrames = Math.min(Math.max(Math.round(scene.cutFrame - frame), 0), scene.most?.before ?? Infinity);
    return { leadFrames, lengthFrames: leadFrames + lag };
  }
  return { leadFrames: scene.leadFrames, lengthFrames: scene.leadFrames + Math.min(Math.max(Math.round(frame - scene.cutFrame), 0), scene.most?.after ?? Infinity) };
}

export function reduceJoin(gesture: JoinGesture, input: JoinInput, scene: JoinScene, view: Viewport): [JoinGesture, JoinEffect | null] {
  if (input.kind === "cancel") return [JOIN_IDLE, null];
  if (input.kind === "down") {
    const target = underJoin(scene, view, input.x);
    if (target) {
      const grabPx = input.x - toPx(view, target === "start" ? startOfJoin(scene) : endOfJoin(scene));
      return [{ phase: target, grabPx, lengthFrames: scene.lengthFrames, leadFrames: scene.leadFrames }, null];
    }
    return [{ phase: "pan", x: input.x, startFrame: view.startFrame }, null];
  }
  if (gesture.phase === "idle") return [gesture, null];
  if (gesture.phase === "pan") {
    if (input.kind === "up") return [JOIN_IDLE, null];
    return [gesture, { kind: "pan", startFrame: gesture.startFrame - (input.x - gesture.x) * view.framesPerPx }];
  }
  if (input.kind === "move") return [{ ...gesture, ...withEnd(scene, gesture.phase, toFrame(view, input.x - gesture.grabPx)) }, null];
  const changed = gesture.lengthFrames !== scene.lengthFrames || gesture.leadFrames !== scene.leadFrames;
  return [JOIN_IDLE, changed ? { kind: "cross", lengthFrames: gesture.lengthFrames, leadFrames: gesture.leadFrames } : null];
}
