/** Drawing sound: one path of vertical lines a colour, and one stroke. Reads what it is given, nothing else. */
import type { Columns } from "./tiles";

/** A canvas context, or anything that records what is drawn. */
export type Ink = Pick<
  CanvasRenderingContext2D,
  "beginPath" | "moveTo" | "lineTo" | "stroke" | "fill" | "closePath" | "arc" | "fillRect" | "setLineDash" | "strokeStyle" | "fillStyle" | "lineWidth" | "globalAlpha"
>;

export interface Band {
  readonly topPx: number;
  readonly heightPx: number;
  /** How much louder than full scale the band's edge is not: 1 shows ±1.0, 8 shows ±0.125. */
  readonly zoom: number;
}

const middle = (band: Band): number => band.topPx + band.heightPx / 2;
export const yOf = (band: Band, value: number): number =>
  middle(band) - (Math.max(-1, Math.min(1, value * band.zoom)) * band.heightPx) / 2;

/** Draw columns `[from, to)` at `xPx` and on, each as loud as it is heard. */
export function drawColumns(ink: Ink, columns: Columns, xPx: number, from: number, to: number, band: Band, colour: string, gainAt: (px: number) => number = () => 1): void {
  ink.beginPath();
  for (let px = from; px < to; px += 1) traceColumn(ink, columns, px, xPx, band, gainAt(px));
  ink.lineWidth = 1;
  ink.strokeStyle = colour;
  ink.stroke();
}

/** Add one column to the path that is under way, as loud as `gain` makes it. */
export function traceColumn(ink: Ink, columns: Columns, px: number, xPx: number, band: Band, gain = 1): void {
  const low = columns[2 * px] ?? Number.NaN;
  if (Number.isNaN(low)) return;
  const bottom = yOf(band, gain * low);
  const x = xPx + px + 0.5;
  ink.moveTo(x, Math.min(yOf(band, gain * (columns[2 * px + 1] ?? 0)), bottom - 1));
  ink.lineTo(x, bottom);
}

/** Draw single samples as a line, with dots where there is room for them. */
export function drawSamples(ink: Ink, samples: Float32Array, firstX: number, stepPx: number, band: Band, colour: string): void {
  ink.beginPath();
  samples.forEach((value, n) => {
    const x = firstX + n * stepPx;
    if (n === 0) ink.moveTo(x, yOf(band, value));
    else ink.lineTo(x, yOf(band, value));
  });
  ink.lineWidth = 1.25;
  ink.strokeStyle = colour;
  ink.stroke();
  if (stepPx < 5) return;
  ink.beginPath();
  samples.forEach((value, n) => {
    const x = firstX + n * stepPx;
    ink.moveTo(x + 2.25, yOf(band, value));
    ink.arc(x, yOf(band, value), 2.25, 0, 2 * Math.PI);
  });
  ink.fillStyle = colour;
  ink.fill();
}

/** The mark of an edge: a half disc, flat side on the edge. ◖ opens a clip, ◗ ends it. */
export function drawEdgeMark(ink: Ink, x: number, y: number, radius: number, side: "head" | "tail", colour: string): void {
  ink.beginPath();
  if (side === "head") ink.arc(x, y, radius, Math.PI / 2, -Math.PI / 2);
  else ink.arc(x, y, radius, -Math.PI / 2, Math.PI / 2);
  ink.closePath();
  ink.fillStyle = colour;
  ink.fill();
}

/** A level line at ±value across `[x0, x1)`. */
export function drawLevel(ink: Ink, value: number, x0: number, x1: number, band: Band, colour: string): void {
  ink.setLineDash([4, 3]);
  ink.beginPath();
  for (const y of [yOf(band, value), yOf(band, -value)]) {
    ink.moveTo(x0, Math.round(y) + 0.5);
    ink.lineTo(x1, Math.round(y) + 0.5);
  }
  ink.lineWidth = 1;
  ink.strokeStyle = colour;
  ink.stroke();
  ink.setLineDash([]);
}

/** A curve that is read over any wave: a wide line in the colour of the sheet under it. */
export function strokeOver(ink: Ink, trace: () => void, colour: string, sheet: string): void {
  for (const [width, style] of [[5, sheet], [2, colour]] as const) {
    ink.beginPath();
    trace();
    ink.lineWidth = width;
    ink.strokeStyle = style;
    ink.stroke();
  }
}
