/** A fade of what runs, drawn: the gain along its length, and when it passes −40 and −20 dB. */
import type { Cue } from "../../api/types";
import { gainAt } from "../../wave/curve";

/** The gain at a part of a fade, 0…1, from one gain to another: up along its curve, down along its mirror image. */
export function fadeGain(cue: Pick<Cue, "shape" | "bend">, from: number, to: number, part: number): number {
  const u = Math.min(Math.max(part, 0), 1);
  const [low, high] = [gainAt(cue, 0), gainAt(cue, 1)];
  const rises = (v: number) => (gainAt(cue, v) - low) / (high - low);
  return to >= from ? from + (to - from) * rises(u) : to + (from - to) * rises(1 - u);
}

const STEPS = 2000;

/** The part of a fade after which its gain passes a level, up or down; null if it never does. */
export function passesAt(cue: Pick<Cue, "shape" | "bend">, from: number, to: number, db: number): number | null {
  const level = 10 ** (db / 20);
  if (level < Math.min(from, to) || level > Math.max(from, to)) return null;
  for (let n = 0; n <= STEPS; n += 1) {
    const gain = fadeGain(cue, from, to, n / STEPS);
    if (to >= from ? gain >= level : gain <= level) return n / STEPS;
  }
  return null;
}
