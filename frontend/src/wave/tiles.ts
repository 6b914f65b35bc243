/** Tiles of the pyramid, fetched once and kept; whoever draws asks for columns and is told when more has come. */
import { api } from "../api/client";
import type { SourceInfo } from "../api/types";
import { levelFor } from "./geometry";

const MOST_TILES = 600;
const HALF = halfTable();

/** Lowest and highest value of each column, interleaved; NaN where nothing is known or nothing lies. */
export type Columns = Float32Array;

interface Tile {
  /** Interleaved lowest, highest for each bin, all channels together; for samples the samples of each channel. */
  readonly values: Float32Array;
}

export class SourceTiles {
  private readonly tiles = new Map<string, Tile>();
  private readonly asked = new Set<string>();
  /** The tile that was looked up last: neighbouring bins lie in the same one. */
  private last: { readonly level: number; readonly index: number; readonly tile: Tile } | null = null;

  constructor(
    readonly info: SourceInfo,
    private readonly onArrival: () => void,
  ) {}

  /** Columns from `startFrame` on, `framesPerPx` each, from the best level that is here; the right one is fetched. */
  columns(startFrame: number, framesPerPx: number, widthPx: number): Columns {
    const out = new Float32Array(2 * widthPx).fill(Number.NaN);
    const wanted = levelFor(this.info.levels, framesPerPx);
    const missing = this.fill(out, wanted, startFrame, framesPerPx);
    if (missing) {
      for (const level of this.info.levels.filter((other) => other > wanted)) {
        if (!this.fill(out, level, startFrame, framesPerPx, false)) break;
      }
    }
    return out;
  }

  /** Single samples of every channel over a span, or null while they are being fetched. */
  samples(startFrame: number, frames: number): Float32Array[] | null {
    const { channels, tile_bins } = this.info;
    const start = Math.max(Math.floor(startFrame), 0);
    const end = Math.min(start + frames, this.info.frames);
    const out = Array.from({ length: channels }, () => new Float32Array(Math.max(end - start, 0)));
    let missing = false;
    for (let index = Math.floor(start / tile_bins); index * tile_bins < end; index += 1) {
      const tile = this.tile(1, index);
      missing ||= !tile;
      if (!tile) continue;
      for (let frame = Math.max(start, index * tile_bins); frame < Math.min(end, (index + 1) * tile_bins); frame += 1) {
        for (let channel = 0; channel < channels; channel += 1) {
          const row = out[channel];
          if (row) row[frame - start] = tile.values[(frame - index * tile_bins) * channels + channel] ?? 0;
        }
      }
    }
    return missing ? null : out;
  }

  private fill(out: Columns, level: number, startFrame: number, framesPerPx: number, ask = true): boolean {
    const lastBin = Math.ceil(this.info.frames / level);
    let missing = false;
    for (let px = 0; px < out.length / 2; px += 1) {
      if (!Number.isNaN(out[2 * px] ?? 0)) continue;
      const first = Math.max(Math.floor((startFrame + px * framesPerPx) / level), 0);
      const last = Math.min(Math.max(Math.ceil((startFrame + (px + 1) * framesPerPx) / level), first + 1), lastBin);
      if (startFrame + px * framesPerPx < 0 || first >= lastBin) continue;
      missing = !this.column(out, px, level, first, last, ask) || missing;
    }
    return missing;
  }

  private column(out: Columns, px: number, level: number, first: number, last: number, ask: boolean): boolean {
    const { tile_bins, channels } = this.info;
    let low = Infinity;
    let high = -Infinity;
    for (let bin = first; bin < last; bin += 1) {
      const tile = this.tile(level, Math.floor(bin / tile_bins), ask);
      if (!tile) return false;
      const at = bin % tile_bins;
      if (level === 1) {
        for (let channel = 0; channel < channels; channel += 1) {
          const value = tile.values[at * channels + channel] ?? 0;
          low = Math.min(low, value);
          high = Math.max(high, value);
        }
      } else {
        low = Math.min(low, tile.values[2 * at] ?? 0);
        high = Math.max(high, tile.values[2 * at + 1] ?? 0);
      }
    }
    out[2 * px] = low;
    out[2 * px + 1] = high;
    return true;
  }

  private tile(level: number, index: number, ask = true): Tile | undefined {
    if (this.last?.level === level && this.last.index === index) return this.last.tile;
    const key = `${level}/${index}`;
    const tile = this.tiles.get(key);
    if (tile) {
      this.tiles.delete(key);
      this.tiles.set(key, tile);
      this.last = { level, index, tile };
      return tile;
    }
    if (ask && !this.asked.has(key)) {
      this.asked.add(key);
      void this.fetch(key, level, index);
    }
    return undefined;
  }

  private async fetch(key: string, level: number, index: number): Promise<void> {
    try {
      const data = await api.tile(this.info.id, level, index);
      const values = level === 1 ? new Float32Array(data) : loudestOf(new Uint16Array(data), this.info.channels);
      this.tiles.set(key, { values });
      const oldest = this.tiles.keys().next().value;
      if (this.tiles.size > MOST_TILES && oldest !== undefined) this.tiles.delete(oldest);
      this.onArrival();
    } catch {
      // It is asked for again the next time that it is drawn.
    } finally {
      this.asked.delete(key);
    }
  }
}

/** Reduce (bins, channels, 2) float16 to the lowest and highest of all channels. */
function loudestOf(halves: Uint16Array, channels: number): Float32Array {
  const bins = halves.length / (2 * channels);
  const out = new Float32Array(2 * bins);
  for (let bin = 0; bin < bins; bin += 1) {
    let low = Infinity;
    let high = -Infinity;
    for (let channel = 0; channel < channels; channel += 1) {
      low = Math.min(low, HALF[halves[2 * (bin * channels + channel)] ?? 0] ?? 0);
      high = Math.max(high, HALF[halves[2 * (bin * channels + channel) + 1] ?? 0] ?? 0);
    }
    out[2 * bin] = low;
    out[2 * bin + 1] = high;
  }
  return out;
}

/** Every float16 as a float32: browsers of the last years lack a view of halves. */
function halfTable(): Float32Array {
  const table = new Float32Array(65536);
  for (let bits = 0; bits < 65536; bits += 1) {
    const exponent = (bits >> 10) & 31;
    const fraction = bits & 1023;
    const size = exponent === 0 ? fraction * 2 ** -24 : exponent === 31 ? Infinity : (1 + fraction / 1024) * 2 ** (exponent - 15);
    table[bits] = bits & 32768 ? -size : size;
  }
  return table;
}

/** Columns of samples that are at hand, one channel; between two samples a column joins them. */
export function columnsOf(samples: Float32Array, startFrame: number, framesPerPx: number, widthPx: number): Columns {
  const out = new Float32Array(2 * widthPx).fill(Number.NaN);
  for (let px = 0; px < widthPx; px += 1) {
    const from = Math.floor(startFrame + px * framesPerPx);
    const to = Math.max(Math.ceil(startFrame + (px + 1) * framesPerPx), from + 1);
    for (let frame = Math.max(from, 0); frame <= to && frame < samples.length; frame += 1) {
      const value = samples[frame] ?? 0;
      const [low, high] = [out[2 * px] ?? value, out[2 * px + 1] ?? value];
      out[2 * px] = Number.isNaN(low) ? value : Math.min(low, value);
      out[2 * px + 1] = Number.isNaN(high) ? value : Math.max(high, value);
    }
  }
  return out;
}
