/** Looks fade curves up in the table that the core made; computes none. */
import type { Fade } from "../api/types";
import { CURVES, PASSES } from "./curves.gen";
import { through, type Point } from "./points";

/** The gain of a fade in at `u` in 0…1. A bend is u → u^(4^−b), as the core defines it. */
export function gainAt(fade: Pick<Fade, "shape" | "bend"> & { readonly points?: readonly Point[] }, u: number): number {
  const bent = fade.bend ? u ** (4 ** -fade.bend) : u;
  if (fade.points?.length) return Math.min(Math.max(through([[0, 0], ...fade.points, [1, 1]], bent), 0), 1);
  const points = CURVES[fade.shape ?? "s"];
  const at = Math.min(Math.max(bent, 0), 1) * (points.length - 1);
  const below = Math.floor(at);
  const low = points[below] ?? 0;
  const high = points[Math.min(below + 1, points.length - 1)] ?? 1;
  return low + (high - low) * (at - below);
}

/** After which part of a fade its gain passes −40 and −20 dB. */
export const passes = (fade: Pick<Fade, "shape" | "bend"> & { readonly points?: readonly Point[] }): [number, number] => {
  if (fade.points?.length) return [firstOver(fade, 0.01), firstOver(fade, 0.1)];
  const [forty, twenty] = PASSES[fade.shape ?? "s"];
  const bent = 4 ** (fade.bend ?? 0);
  return [forty ** bent, twenty ** bent];
};

const STEPS = 1000;
function firstOver(fade: Parameters<typeof gainAt>[0], gain: number): number {
  for (let n = 0; n < STEPS; n += 1) if (gainAt(fade, n / STEPS) >= gain) return n / STEPS;
  return 1;
}

/** The shapes of fades, by the names that a user reads. */
export const SHAPE_NAMES: readonly (readonly [keyof typeof CURVES, string])[] = [["s", "S-curve"], ["equal_power", "equal power"], ["linear", "linear"], ["logarithmic", "logarithmic"]];
