/** Tiles of the spectral picture: fetched once, painted once a theme, then only scaled into place. */
import { api } from "../api/client";
import { levelFor, toPx, type Viewport } from "./geometry";

export const TILE_COLUMNS = 256;
export const BANDS = 96;
const MOST_TILES = 200;
/** Finer than this a window tells no more than its neighbour. */
const FINEST = 16;

interface Painted {
  readonly levels: Uint8Array;
  readonly columns: number;
  image: HTMLCanvasElement | null;
  theme: string;
}

export class SpectralTiles {
  private readonly tiles = new Map<string, Painted>();
  private readonly asked = new Set<string>();
  private readonly levels: readonly number[];

  constructor(
    private readonly sourceId: string,
    levels: readonly number[],
    private readonly frames: number,
    private readonly onArrival: () => void,
  ) {
    this.levels = levels.filter((level) => level >= FINEST);
  }

  /** Draw what lies under pixels `[from, to)` of a view in source frames; coarser tiles stand in for those on the way. */
  draw(ink: CanvasRenderingContext2D, view: Viewport, from: number, to: number, topPx: number, heightPx: number, colours: Readonly<Record<string, string>>): void {
    const wanted = levelFor(this.levels, view.framesPerPx);
    ink.save();
    ink.beginPath();
    ink.rect(from, topPx, Math.max(to - from, 0), heightPx);
    ink.clip();
    ink.imageSmoothingEnabled = true;
    const coarser = this.levels.filter((level) => level > wanted).reverse();
    const complete = this.isHere(view, wanted, from, to);
    for (const level of complete ? [wanted] : [...coarser, wanted]) this.drawLevel(ink, view, level, from, to, topPx, heightPx, colours, level === wanted);
    ink.restore();
  }

  private indices(view: Viewport, level: number, from: number, to: number): [number, number] {
    const tileFrames = level * TILE_COLUMNS;
    const last = Math.floor((this.frames - 1) / tileFrames);
    const at = (px: number) => Math.floor((view.startFrame + px * view.framesPerPx) / tileFrames);
    return [Math.max(at(from), 0), Math.min(at(to), last)];
  }

  private isHere(view: Viewport, level: number, from: number, to: number): boolean {
    const [first, last] = this.indices(view, level, from, to);
    for (let index = first; index <= last; index += 1) if (!this.tiles.has(`${level}/${index}`)) return false;
    return true;
  }

  private drawLevel(ink: CanvasRenderingContext2D, view: Viewport, level: number, from: number, to: number, topPx: number, heightPx: number, colours: Readonly<Record<string, string>>, ask: boolean): void {
    const [first, last] = this.indices(view, level, from, to);
    for (let index = first; index <= last; index += 1) {
      const image = this.image(level, index, colours, ask);
      if (!image) continue;
      const start = index * TILE_COLUMNS * level;
      ink.drawImage(image, toPx(view, start), topPx, (image.width * level) / view.framesPerPx, heightPx);
    }
  }

  private image(level: number, index: number, colours: Readonly<Record<string, string>>, ask: boolean): HTMLCanvasElement | null {
    const key = `${level}/${index}`;
    const tile = this.tiles.get(key);
    if (!tile) {
      if (ask && !this.asked.has(key)) {
        this.asked.add(key);
        void this.fetch(key, level, index);
      }
      return null;
    }
    const theme = `${colours["sheet"]} ${colours["ink"]}`;
    if (!tile.image || tile.theme !== theme) {
      tile.image = painted(tile.levels, tile.columns, ramp(colours));
      tile.theme = theme;
    }
    return tile.image;
  }

  private async fetch(key: string, level: number, index: number): Promise<void> {
    try {
      const levels = new Uint8Array(await api.spectralTile(this.sourceId, level, index));
      this.tiles.set(key, { levels, columns: levels.length / BANDS, image: null, theme: "" });
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

/** Paper where it is quiet, through the colour of the wave, to ink where it is loud. */
export function ramp(colours: Readonly<Record<string, string>>): Uint8ClampedArray {
  const stops = [colours["sheet"], colours["wave"], colours["ink"]].map((colour) => rgb(colour ?? "#000000"));
  const out = new Uint8ClampedArray(3 * 256);
  for (let level = 0; level < 256; level += 1) {
    const at = (level / 255) * 2;
    const [low, high] = [stops[Math.min(Math.floor(at), 1)] ?? [0, 0, 0], stops[Math.min(Math.floor(at), 1) + 1] ?? [0, 0, 0]];
    const part = at - Math.min(Math.floor(at), 1);
    for (let channel = 0; channel < 3; channel += 1) out[3 * level + channel] = (low[channel] ?? 0) * (1 - part) + (high[channel] ?? 0) * part;
  }
  return out;
}

const rgb = (hex: string): number[] => [1, 3, 5].map((at) => Number.parseInt(hex.slice(at, at + 2), 16));

function painted(levels: Uint8Array, columns: number, colours: Uint8ClampedArray): HTMLCanvasElement {
  const canvas = document.createElement("canvas");
  canvas.width = columns;
  canvas.height = BANDS;
  const ink = canvas.getContext("2d");
  if (!ink) return canvas;
  const picture = ink.createImageData(columns, BANDS);
  for (let column = 0; column < columns; column += 1) {
    for (let band = 0; band < BANDS; band += 1) {
      const level = levels[column * BANDS + band] ?? 0;
      const at = 4 * ((BANDS - 1 - band) * columns + column);
      picture.data.set(colours.subarray(3 * level, 3 * level + 3), at);
      picture.data[at + 3] = 255;
    }
  }
  ink.putImageData(picture, 0, 0);
  return canvas;
}
