/**
 * What fingers on the strip mean: one scrolls, two zoom and scroll, a tap chooses. None of it edits anything, whatever lies under the
 * finger: clips, marks and time are edited by a mouse, a pen or keys.
 */

/** The fingers that are down, by their id, and where each is. */
export type Fingers = ReadonlyMap<number, number>;

export interface TouchGesture {
  readonly fingers: Fingers;
  /** Whether nothing has moved yet, by how far it may: then letting go is a tap. */
  readonly tap: { readonly x: number } | null;
}

export type TouchInput = { readonly kind: "down" | "move" | "up"; readonly id: number; readonly x: number } | { readonly kind: "cancel" };

export type TouchEffect =
  | { readonly kind: "tap"; readonly x: number }
  | { readonly kind: "scroll"; readonly byPx: number }
  | { readonly kind: "zoom"; readonly x: number; readonly factor: number; readonly byPx: number };

const SLOP_PX = 8;
const LEAST_APART_PX = 20;
export const NO_TOUCH: TouchGesture = { fingers: new Map(), tap: null };

export function reduceTouch(gesture: TouchGesture, input: TouchInput): [TouchGesture, TouchEffect | null] {
  if (input.kind === "cancel") return [NO_TOUCH, null];
  const { id, x } = input;
  if (input.kind === "down") return [{ fingers: new Map(gesture.fingers).set(id, x), tap: gesture.fingers.size === 0 ? { x } : null }, null];
  const was = gesture.fingers.get(id);
  if (was === undefined) return [gesture, null];
  const fingers = new Map(gesture.fingers).set(id, x);
  if (input.kind === "up") {
    fingers.delete(id);
    return [{ fingers, tap: null }, gesture.tap ? { kind: "tap", x: gesture.tap.x } : null];
  }
  if (gesture.tap && Math.abs(x - gesture.tap.x) < SLOP_PX) return [gesture, null];
  const moved = { fingers, tap: null };
  const other = [...fingers].find(([key]) => key !== id)?.[1];
  if (other === undefined) return [moved, { kind: "scroll", byPx: was - x }];
  const [before, after] = [Math.max(Math.abs(was - other), LEAST_APART_PX), Math.max(Math.abs(x - other), LEAST_APART_PX)];
  return [moved, { kind: "zoom", x: (x + other) / 2, factor: before / after, byPx: (was - x) / 2 }];
}
