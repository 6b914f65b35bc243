/** Draws the head wall: every hit aligned on its onset, what is cut away shaded, its microphones behind each other. */
import type { Ink } from "../../wave/draw";
import { BEFORE_MS, SHOWN_MS, type WallGrid } from "./wallGeometry";
import type { Cell } from "../model/cells";

export interface WallPicture {
  readonly grid: WallGrid;
  readonly cells: readonly Cell[];
  readonly first: number;
  readonly last: number;
  readonly scrollPx: number;
  readonly heads: (cell: Cell) => readonly Int8Array[];
  readonly isSelected: (cell: Cell) => boolean;
  /** Which of them the lenses show. */
  readonly current: number;
  readonly colours: Readonly<Record<string, string>>;
}

const NAME_PX = 17;

export function drawWall(ink: Ink & Pick<CanvasRenderingContext2D, "strokeRect">, picture: WallPicture): void {
  for (let n = picture.first; n < picture.last; n += 1) {
    const cell = picture.cells[n];
    if (cell) drawCell(ink, picture, cell, n);
  }
}

function drawCell(ink: Ink & Pick<CanvasRenderingContext2D, "strokeRect">, picture: WallPicture, cell: Cell, n: number): void {
  const { grid, colours } = picture;
  const x = Math.round((n % grid.columns) * grid.cellWidthPx);
  const width = Math.round(((n % grid.columns) + 1) * grid.cellWidthPx) - x;
  const y = Math.floor(n / grid.columns) * grid.rowHeightPx - picture.scrollPx;
  const pxPerMs = width / SHOWN_MS;
  const startMs = cell.onsetMs - BEFORE_MS;
  const headX = Math.min(Math.max((cell.headMs - startMs) * pxPerMs, 0), width - 1);
  ink.fillStyle = colours["sheet"] ?? "";
  ink.fillRect(x, y, width - 1, grid.rowHeightPx - 1);
  ink.fillStyle = colours["shade"] ?? "";
  ink.fillRect(x, y + NAME_PX, headX, grid.rowHeightPx - NAME_PX - 1);
  const [ours, ...others] = picture.heads(cell);
  for (const other of others) drawHead(ink, other, startMs, pxPerMs, x, width, y, grid.rowHeightPx, colours["rule"] ?? "");
  if (ours) drawHead(ink, ours, startMs, pxPerMs, x, width, y, grid.rowHeightPx, colours["wave"] ?? "");
  ink.fillStyle = colours["head"] ?? "";
  ink.fillRect(x + Math.round(headX), y + NAME_PX, 2, grid.rowHeightPx - NAME_PX - 1);
  if (picture.isSelected(cell)) {
    ink.strokeStyle = colours[n === picture.current ? "ink" : "soft"] ?? "";
    ink.lineWidth = 2;
    ink.strokeRect(x + 1, y + 1, width - 3, grid.rowHeightPx - 3);
  }
}

function drawHead(ink: Ink, head: Int8Array, startMs: number, pxPerMs: number, x: number, width: number, y: number, heightPx: number, colour: string): void {
  const middle = y + NAME_PX + (heightPx - NAME_PX) / 2;
  const half = (heightPx - NAME_PX) / 2 - 3;
  ink.beginPath();
  for (let px = 0; px < width - 1; px += 1) {
    const from = Math.floor(startMs + px / pxPerMs);
    if (from < 0 || 2 * from + 1 >= head.length) continue;
    const [low, high] = [head[2 * from] ?? 0, head[2 * from + 1] ?? 0];
    ink.moveTo(x + px + 0.5, middle - (high / 127) * half - 0.5);
    ink.lineTo(x + px + 0.5, middle - (low / 127) * half + 0.5);
  }
  ink.lineWidth = 1;
  ink.strokeStyle = colour;
  ink.stroke();
}
