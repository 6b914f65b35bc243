/**
 * What a pointer on the strip means. A click chooses. A drag over the wave of a lane selects time on it, one in the ruler on
 * all lanes; by the upper part of its body a clip is moved, along its lane and to another; in the ruler a mark is dragged;
 * on the overview the view is.
 */

/** What lies under the pointer when it goes down. */
export type Under =
  | { readonly on: "wave"; readonly clipId: string | null; readonly laneId: string | null }
  | { readonly on: "name"; readonly clipId: string }
  | { readonly on: "mark"; readonly markId: string }
  | { readonly on: "ruler" }
  | { readonly on: "overview" };

export type How = "only" | "add" | "through";

export type StripGesture =
  | { readonly phase: "idle" }
  | { readonly phase: "pressed"; readonly x: number; readonly frame: number; readonly under: Under; readonly how: How }
  | { readonly phase: "selecting"; readonly frame: number; readonly laneId: string | null }
  | { readonly phase: "moving"; readonly frame: number; readonly clipId: string; readonly byFrames: number; readonly laneId: string | null }
  | { readonly phase: "mark"; readonly markId: string; readonly frame: number }
  | { readonly phase: "panning" };

export type StripInput =
  | { readonly kind: "down"; readonly x: number; readonly frame: number; readonly under: Under; readonly how: How }
  | { readonly kind: "move" | "up"; readonly x: number; readonly frame: number; readonly laneId: string | null }
  | { readonly kind: "cancel" };

export type StripEffect =
  | { readonly kind: "choose"; readonly frame: number; readonly clipId: string | null; readonly inGap: boolean; readonly how: How }
  | { readonly kind: "take"; readonly clipId: string }
  | { readonly kind: "select"; readonly start: number; readonly end: number; readonly laneId: string | null }
  | { readonly kind: "unselect" }
  | { readonly kind: "move_clips"; readonly byFrames: number; readonly laneId: string | null }
  | { readonly kind: "move_mark"; readonly markId: string; readonly frame: number }
  | { readonly kind: "center"; readonly frame: number };

const SLOP_PX = 4;
export const IDLE: StripGesture = { phase: "idle" };

export function reduceStrip(gesture: StripGesture, input: StripInput): [StripGesture, StripEffect | null] {
  if (input.kind === "cancel") return [IDLE, gesture.phase === "selecting" ? { kind: "unselect" } : null];
  if (input.kind === "down") {
    if (input.under.on === "overview") return [{ phase: "panning" }, { kind: "center", frame: input.frame }];
    if (input.under.on === "mark") return [{ phase: "mark", markId: input.under.markId, frame: input.frame }, null];
    return [{ phase: "pressed", x: input.x, frame: input.frame, under: input.under, how: input.how }, null];
  }
  const up = input.kind === "up";
  switch (gesture.phase) {
    case "idle":
      return [gesture, null];
    case "panning":
      return [up ? IDLE : gesture, { kind: "center", frame: input.frame }];
    case "mark":
      if (up) return [IDLE, { kind: "move_mark", markId: gesture.markId, frame: Math.round(input.frame) }];
      return [{ ...gesture, frame: input.frame }, null];
    case "moving": {
      const byFrames = Math.round(input.frame - gesture.frame);
      if (up) return [IDLE, byFrames || input.laneId !== null ? { kind: "move_clips", byFrames, laneId: input.laneId } : null];
      return [{ ...gesture, byFrames, laneId: input.laneId }, null];
    }
    case "pressed": {
      const { under, how, frame } = gesture;
      if (up) return [IDLE, { kind: "choose", frame, clipId: "clipId" in under ? under.clipId : null, inGap: under.on === "wave" && under.clipId === null, how }];
      if (Math.abs(input.x - gesture.x) < SLOP_PX && (under.on !== "name" || input.laneId === null)) return [gesture, null];
      if (under.on === "name") {
        return [{ phase: "moving", frame, clipId: under.clipId, byFrames: 0, laneId: input.laneId }, { kind: "take", clipId: under.clipId }];
      }
      const laneId = under.on === "wave" ? under.laneId : null;
      return [{ phase: "selecting", frame, laneId }, selected(frame, input.frame, laneId)];
    }
    case "selecting":
      return [up ? IDLE : gesture, selected(gesture.frame, input.frame, gesture.laneId)];
  }
}

const selected = (one: number, other: number, laneId: string | null): StripEffect => ({
  kind: "select",
  start: Math.max(0, Math.round(Math.min(one, other))),
  end: Math.round(Math.max(one, other)),
  laneId,
});
