/** What a pointer on the strip means: a click chooses, a drag selects, a drag on the overview pans. */

export type StripGesture =
  | { readonly phase: "idle" }
  | { readonly phase: "pressed"; readonly x: number; readonly frame: number }
  | { readonly phase: "selecting"; readonly x: number; readonly frame: number }
  | { readonly phase: "panning" };

export type StripInput =
  | { readonly kind: "down"; readonly x: number; readonly frame: number; readonly onOverview: boolean }
  | { readonly kind: "move"; readonly x: number; readonly frame: number }
  | { readonly kind: "up"; readonly x: number; readonly frame: number }
  | { readonly kind: "cancel" };

export type StripEffect =
  | { readonly kind: "choose"; readonly frame: number }
  | { readonly kind: "select"; readonly start: number; readonly end: number }
  | { readonly kind: "unselect" }
  | { readonly kind: "center"; readonly frame: number };

const SLOP_PX = 4;
export const IDLE: StripGesture = { phase: "idle" };

export function reduceStrip(gesture: StripGesture, input: StripInput): [StripGesture, StripEffect | null] {
  if (input.kind === "cancel") return [IDLE, gesture.phase === "selecting" ? { kind: "unselect" } : null];
  if (input.kind === "down") {
    if (input.onOverview) return [{ phase: "panning" }, { kind: "center", frame: input.frame }];
    return [{ phase: "pressed", x: input.x, frame: input.frame }, null];
  }
  switch (gesture.phase) {
    case "idle":
      return [gesture, null];
    case "panning":
      return [input.kind === "up" ? IDLE : gesture, { kind: "center", frame: input.frame }];
    case "pressed":
      if (input.kind === "up") return [IDLE, { kind: "choose", frame: gesture.frame }];
      if (Math.abs(input.x - gesture.x) < SLOP_PX) return [gesture, null];
      return [{ ...gesture, phase: "selecting" }, selected(gesture.frame, input.frame)];
    case "selecting":
      return [input.kind === "up" ? IDLE : gesture, selected(gesture.frame, input.frame)];
  }
}

const selected = (one: number, other: number): StripEffect => ({
  kind: "select",
  start: Math.round(Math.min(one, other)),
  end: Math.round(Math.max(one, other)),
});
