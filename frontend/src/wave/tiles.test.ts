import { afterEach, describe, expect, it, vi } from "vitest";
import type { SourceInfo } from "../api/types";
import { SourceTiles } from "./tiles";

const FRAMES = 9000;
const BINS = 1024;
const info = { id: "s1", channels: 2, frames: FRAMES, rate_hz: 48_000, bin_frames: 256, tile_bins: BINS, levels: [1, 4, 16, 64, 256], floor_db: -60, peak: 1 } as unknown as SourceInfo;

const left = (frame: number) => Math.sin(frame / 50) * 0.5;
const right = (frame: number) => (frame === 4321 ? -1 : 0.125);

function half(value: number): number {
  const view = new DataView(new ArrayBuffer(4));
  view.setFloat32(0, value);
  const bits = view.getUint32(0);
  const exponent = ((bits >> 23) & 255) - 112;
  const sign = (bits >>> 16) & 0x8000;
  if (exponent <= 0) return sign;
  return sign | (exponent << 10) | ((bits >> 13) & 1023);
}

/** What the server would answer for a tile, as the core defines it. */
function tile(level: number, index: number): ArrayBuffer {
  const first = index * BINS;
  if (level === 1) {
    const frames = Math.min(BINS, FRAMES - first);
    return new Float32Array(Array.from({ length: 2 * frames }, (_, n) => (n % 2 ? right : left)(first + (n >> 1)))).buffer;
  }
  const bins = Math.min(BINS, Math.ceil(FRAMES / level) - first);
  const out: number[] = [];
  for (let bin = first; bin < first + bins; bin += 1) {
    for (const sound of [left, right]) {
      const values = Array.from({ length: Math.min(level, FRAMES - bin * level) }, (_, n) => sound(bin * level + n));
      out.push(half(Math.min(...values)), half(Math.max(...values)));
    }
  }
  return new Uint16Array(out).buffer;
}

function served(): { tiles: SourceTiles; asked: string[]; arrivals: () => number } {
  const asked: string[] = [];
  let arrivals = 0;
  vi.stubGlobal("fetch", (path: string) => {
    const match = /tiles\/(\d+)\/(\d+)$/.exec(path);
    asked.push(path);
    return Promise.resolve(new Response(tile(Number(match?.[1]), Number(match?.[2]))));
  });
  return { tiles: new SourceTiles(info, () => (arrivals += 1)), asked, arrivals: () => arrivals };
}

const settled = () => new Promise((resume) => setTimeout(resume, 10));
afterEach(() => vi.unstubAllGlobals());

describe("tiles", () => {
  it("give the lowest and highest of every column at any zoom, all channels together", async () => {
    for (const framesPerPx of [1, 3, 5.5, 17, 64, 300]) {
      const { tiles } = served();
      const width = Math.min(Math.floor(FRAMES / framesPerPx), 500);
      tiles.columns(0, framesPerPx, width);
      await settled();
      const columns = tiles.columns(0, framesPerPx, width);
      for (let px = 0; px < width; px += 1) {
        const frames = Array.from({ length: Math.max(Math.ceil(framesPerPx), 1) }, (_, n) => Math.floor(px * framesPerPx) + n);
        const inside = frames.filter((frame) => frame < FRAMES && frame < (px + 1) * framesPerPx);
        const low = Math.min(...inside.map((frame) => Math.min(left(frame), right(frame))));
        expect(columns[2 * px] ?? 9).toBeLessThanOrEqual(low + 0.001);
      }
    }
  });

  it("never lose a single peak, however far out", async () => {
    const { tiles } = served();
    tiles.columns(0, 450, 20);
    await settled();
    const columns = tiles.columns(0, 450, 20);
    expect(Math.min(...columns.filter((_, n) => n % 2 === 0))).toBe(-1);
  });

  it("are fetched once, and a coarser level stands in meanwhile", async () => {
    const { tiles, asked, arrivals } = served();
    expect(tiles.columns(0, 256, 30).every(Number.isNaN)).toBe(true);
    await settled();
    expect([asked.length, arrivals()]).toEqual([1, 1]);
    const coarse = tiles.columns(0, 16, 300);
    expect(coarse.some(Number.isNaN)).toBe(false);
    await settled();
    tiles.columns(0, 16, 300);
    await settled();
    expect(new Set(asked).size).toBe(asked.length);
  });

  it("have nothing where the source has nothing", async () => {
    const { tiles } = served();
    tiles.columns(-100, 10, 30);
    await settled();
    const columns = tiles.columns(-100, 10, 30);
    expect(Number.isNaN(columns[0])).toBe(true);
    expect(Number.isNaN(columns[2 * 15])).toBe(false);
    expect(tiles.columns(FRAMES + 10, 10, 5).every(Number.isNaN)).toBe(true);
  });

  it("end at single samples of each channel", async () => {
    const { tiles } = served();
    expect(tiles.samples(1000, 100)).toBeNull();
    await settled();
    const [one, other] = tiles.samples(1000, 100) ?? [];
    expect([one?.length, other?.[0]]).toEqual([100, 0.125]);
    expect(one?.[24]).toBeCloseTo(left(1024), 6);
  });
});
