/** The level line of a clip over its wave: a curve in dB through the points that a hand set. */
import { toFrame, toPx, type Viewport } from "../../wave/geometry";
import { through, type Point } from "../../wave/points";

/** The levels at the top and the bottom of a lane, as in the editor of the line. */
const [HIGHEST_DB, LOWEST_DB] = [12, -24];
const STEP_PX = 4;

export const levelY = (db: number, topPx: number, heightPx: number): number =>
  topPx + ((HIGHEST_DB - Math.min(Math.max(db, LOWEST_DB), HIGHEST_DB)) / (HIGHEST_DB - LOWEST_DB)) * heightPx;

/** Draw the line (job frame, dB) between two pixels, with a dot at each point. */
export function drawLevelLine(ink: CanvasRenderingContext2D, line: readonly Point[], view: Viewport, fromPx: number, untilPx: number, topPx: number, heightPx: number, colour: string): void {
  if (line.length === 0 || untilPx <= fromPx) return;
  const y = (px: number) => levelY(through(line, toFrame(view, px)), topPx, heightPx);
  ink.beginPath();
  ink.moveTo(fromPx, y(fromPx));
  for (let px = fromPx + STEP_PX; px < untilPx; px += STEP_PX) ink.lineTo(px, y(px));
  ink.lineTo(untilPx, y(untilPx));
  ink.lineWidth = 1.5;
  ink.strokeStyle = colour;
  ink.stroke();
  ink.fillStyle = colour;
  for (const [frame, db] of line) {
    const px = toPx(view, frame);
    if (px >= fromPx && px <= untilPx) ink.fillRect(px - 2, levelY(db, topPx, heightPx) - 2, 4, 4);
  }
}
