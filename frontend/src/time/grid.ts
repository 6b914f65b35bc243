/** Bars and beats: the mirror of the core's musical time, for rulers and typing. Whole numbers throughout, so exact. */
import type { Grid } from "../api/types";

/** The job frame nearest to a beat, counted from 0 at bar 1 beat 1. */
export function beatFrame(grid: Grid, beat: number, rateHz: number): number {
  const numerator = 60n * BigInt(rateHz) * BigInt(grid.bpm_denominator) * BigInt(beat);
  const denominator = BigInt(grid.bpm_numerator);
  const doubled = 2n * numerator + denominator;
  const floor = doubled / (2n * denominator) - (doubled < 0n && doubled % (2n * denominator) !== 0n ? 1n : 0n);
  return grid.first_frame + Number(floor);
}

/** How many beats lie before a job frame, with their fraction. */
export const beatsAt = (grid: Grid, frame: number, rateHz: number): number =>
  ((frame - grid.first_frame) * grid.bpm_numerator) / (60 * rateHz * grid.bpm_denominator);

/** "9b1.00": the ninth bar, its first beat. */
export function formatBars(grid: Grid, frame: number, rateHz: number): string {
  const beats = Math.round(beatsAt(grid, frame, rateHz) * 100) / 100;
  const bar = Math.floor(beats / grid.beats_a_bar);
  return `${bar + 1}b${(beats - bar * grid.beats_a_bar + 1).toFixed(2)}`;
}

/** "3b2", "bar 3", "bar 3 beat 2": a job frame, or null. */
export function parseBars(grid: Grid, text: string, rateHz: number): number | null {
  const match = /^(?:bar\s*)?(\d+)(?:\s*(?:b|beat)\s*(\d+))?$/i.exec(text.trim());
  if (!match || !/b/i.test(text)) return null;
  return beatFrame(grid, (Number(match[1]) - 1) * grid.beats_a_bar + Number(match[2] ?? 1) - 1, rateHz);
}

export const tempoOf = (grid: Grid): number => grid.bpm_numerator / grid.bpm_denominator;

/** Every how many beats a ruler has a label: 1, a bar, or 2, 4, 8 … bars. */
export function rulerBeats(grid: Grid, framesPerPx: number, rateHz: number, leastPx = 64): number {
  const beatPx = (60 * rateHz) / tempoOf(grid) / framesPerPx;
  if (beatPx >= leastPx) return 1;
  let beats = grid.beats_a_bar;
  while (beats * beatPx < leastPx) beats *= 2;
  return beats;
}
