/** How far a lens looks into the level of a sound by itself: as far as its brief asks, but no further than the sound allows. */

/** A lens is saturated when most of it is over its edge; it may be where a quarter is. */
const MAY_BE_OVER = 0.25;
const MOST = 256;

/**
 * The largest power of two up to `most` at which at most a quarter of the columns (lowest, highest, …) reach over the edge.
 * A soft start between silence and a phrase is shown at `most`, a loud piece at less.
 */
export function autoLevelZoom(columns: Float32Array, most: number): number {
  const peaks: number[] = [];
  for (let n = 0; n + 1 < columns.length; n += 2) {
    const peak = Math.max(Math.abs(columns[n] ?? 0), Math.abs(columns[n + 1] ?? 0));
    if (Number.isFinite(peak)) peaks.push(peak);
  }
  if (peaks.length === 0) return most;
  peaks.sort((a, b) => b - a);
  const reached = Math.max(peaks[Math.floor(MAY_BE_OVER * peaks.length)] ?? 0, 1e-6);
  return Math.min(Math.max(2 ** Math.floor(Math.log2(1 / reached)), 1), most);
}

/** How far a sound with this peak is enlarged to be looked at as if it were at full scale, and `factor` times as much. */
export const mostForPeak = (peak: number, factor: number): number => Math.min(factor * 2 ** Math.max(Math.floor(Math.log2(1 / Math.max(peak, 1e-4))), 0), MOST);

/** A lens's scale in words: how much it is enlarged, and the level at its edge. */
export const scaleText = (zoom: number): string => (zoom === 1 ? "0 dB" : `×${zoom}, ${(20 * Math.log10(1 / zoom)).toFixed(0).replace("-", "−")} dB`);
