import { afterEach, beforeEach, expect, test, vi } from "vitest";
import { api } from "../api/client";
import { BANDS, ramp, SpectralTiles, TILE_COLUMNS } from "./spectra";

const colours = { sheet: "#ffffff", wave: "#4060a0", ink: "#000010" };
const FRAMES = 100_000;
const LEVELS = [1, 4, 16, 64, 256];
let painted: { width: number; data: Uint8ClampedArray }[] = [];

beforeEach(() => {
  painted = [];
  vi.stubGlobal("document", {
    createElement: () => {
      const canvas = { width: 0, height: 0, getContext: () => ({ createImageData: (w: number, h: number) => ({ data: new Uint8ClampedArray(4 * w * h) }), putImageData: ({ data }: { data: Uint8ClampedArray }) => painted.push({ width: canvas.width, data }) }) };
      return canvas;
    },
  });
  vi.spyOn(api, "spectralTile").mockImplementation((_, level, index) => {
    const columns = Math.min(TILE_COLUMNS, Math.ceil(FRAMES / level) - index * TILE_COLUMNS);
    return Promise.resolve(Uint8Array.from({ length: columns * BANDS }, (_, n) => (n * 7 + level + index) % 256).buffer);
  });
});
afterEach(() => {
  vi.unstubAllGlobals();
  vi.restoreAllMocks();
});

const settled = () => new Promise((resume) => setTimeout(resume, 5));

function looked(tiles: SpectralTiles, framesPerPx: number, startFrame: number, from = 0, to = 300): number[][] {
  const drawn: number[][] = [];
  const ink = { save: () => {}, restore: () => {}, beginPath: () => {}, rect: () => {}, clip: () => {}, drawImage: (image: { width: number }, ...at: number[]) => drawn.push([image.width, ...at.map((value) => Math.round(100 * value) / 100)]) };
  tiles.draw(ink as unknown as CanvasRenderingContext2D, { startFrame, framesPerPx, widthPx: 300 }, from, to, 10, 80, colours);
  return drawn;
}

test.each([[20, 0], [20, 3_000], [70, -500], [300, 40_000], [5, 99_000]])("tiles of %i frames a pixel from %i lie where their frames do", async (framesPerPx, startFrame) => {
  let arrivals = 0;
  const tiles = new SpectralTiles("s1", LEVELS, FRAMES, () => (arrivals += 1));
  expect(looked(tiles, framesPerPx, startFrame)).toEqual([]);
  looked(tiles, framesPerPx, startFrame);
  await settled();
  const asked = vi.mocked(api.spectralTile).mock.calls.map(([, level, index]) => [level, index] as const);
  const level = asked[0]?.[0] ?? 0;
  expect(level).toBe(framesPerPx <= 63 ? 16 : framesPerPx <= 255 ? 64 : 256);
  const [first, last] = [Math.max(startFrame, 0), Math.min(startFrame + 300 * framesPerPx, FRAMES - 1)].map((frame) => Math.floor(frame / (level * TILE_COLUMNS))) as [number, number];
  expect(asked.map(([, index]) => index)).toEqual(Array.from({ length: last - first + 1 }, (_, n) => first + n));
  expect(arrivals).toBe(asked.length);
  const drawn = looked(tiles, framesPerPx, startFrame);
  expect(drawn).toEqual(asked.map(([, index]) => {
    const columns = Math.min(TILE_COLUMNS, Math.ceil(FRAMES / level) - index * TILE_COLUMNS);
    const x = (index * TILE_COLUMNS * level - startFrame) / framesPerPx;
    return [columns, Math.round(100 * x) / 100, 10, Math.round((100 * columns * level) / framesPerPx) / 100, 80];
  }));
  expect(painted.length).toBe(drawn.length);
  looked(tiles, framesPerPx, startFrame);
  expect(painted.length, "painted once a theme").toBe(drawn.length);
});

test("coarser tiles stand in until finer ones have come, and the lowest band is at the bottom", async () => {
  const tiles = new SpectralTiles("s1", LEVELS, FRAMES, () => {});
  looked(tiles, 300, 0);
  await settled();
  expect(looked(tiles, 20, 0).length).toBeGreaterThan(0);
  await settled();
  expect(looked(tiles, 20, 0).every(([, , , width]) => (width as number) <= (TILE_COLUMNS * 16) / 20)).toBe(true);
  const { width, data } = painted[0] as (typeof painted)[number];
  const table = ramp(colours);
  const level = (5 * BANDS * 7 + 256) % 256; // column 5, band 0
  expect([...data.subarray(4 * ((BANDS - 1) * width + 5), 4 * ((BANDS - 1) * width + 5) + 4)]).toEqual([...table.subarray(3 * level, 3 * level + 3), 255]);
});

test("the ramp goes from paper through the wave to ink", () => {
  const table = ramp(colours);
  expect([0, 127, 128, 255].map((level) => [...table.subarray(3 * level, 3 * level + 3)])).toEqual([[255, 255, 255], [65, 97, 160], [64, 96, 159], [0, 0, 16]]);
});
