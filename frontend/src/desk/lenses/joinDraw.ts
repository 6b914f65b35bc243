/** Draws the join lens: what goes above, what comes below, each with its handle pale and its gain as a curve. */
import { drawColumns, drawEdgeMark, strokeOver, type Band } from "../../wave/draw";
import { toPx, type Viewport } from "../../wave/geometry";
import type { Columns } from "../../wave/tiles";
import { drawLensRuler, FOOT_PX, type PlaceLabel } from "./lensRuler";
import { endOfJoin, GRIP_PX, startOfJoin, type JoinScene } from "./joinGesture";

export interface JoinPicture extends JoinScene {
  readonly view: Viewport;
  readonly heightPx: number;
  readonly rateHz: number;
  readonly label: PlaceLabel;
  readonly levelZoom: number;
  readonly cursorFrame: number;
  readonly left: Columns | null;
  readonly right: Columns | null;
  /** The gain of the side that comes, at a part of the crossfade. */
  readonly gainAt: (u: number) => number;
  readonly colours: Readonly<Record<string, string>>;
}

export function drawJoin(ink: CanvasRenderingContext2D, picture: JoinPicture): void {
  const { view, heightPx, colours } = picture;
  const half = (heightPx - FOOT_PX) / 2;
  const [start, end, cut] = [startOfJoin(picture), endOfJoin(picture), picture.cutFrame].map((frame) => toPx(view, frame)) as [number, number, number];
  const bands: [Band, Band] = [
    { topPx: 6, heightPx: half - 12, zoom: picture.levelZoom },
    { topPx: half + 6, heightPx: half - 12, zoom: picture.levelZoom },
  ];
  ink.fillStyle = colours["shade"] ?? "";
  ink.fillRect(Math.max(end, 0), 0, view.widthPx, half);
  ink.fillRect(0, half, Math.min(Math.max(start, 0), view.widthPx), half);
  const part = (px: number) => Math.min(Math.max((px + 0.5 - start) / Math.max(end - start, 1e-9), 0), 1);
  drawSide(ink, picture.left, bands[0], view.widthPx, [0, end], picture, (px) => picture.gainAt(1 - part(px)));
  drawSide(ink, picture.right, bands[1], view.widthPx, [start, view.widthPx], picture, (px) => picture.gainAt(part(px)));
  if (end > start) {
    drawGain(ink, start, end, 0, half, (u) => picture.gainAt(1 - u), colours["tail"] ?? "", colours["sheet"] ?? "");
    drawGain(ink, start, end, half, half, picture.gainAt, colours["head"] ?? "", colours["sheet"] ?? "");
  }
  ink.fillStyle = colours["rule"] ?? "";
  ink.fillRect(0, Math.round(half), view.widthPx, 1);
  ink.fillStyle = colours["join"] ?? "";
  ink.fillRect(Math.round(cut) - 1, 0, 2, heightPx - FOOT_PX);
  for (const x of [start, end]) ink.fillRect(Math.round(x), 0, 1, heightPx - FOOT_PX);
  drawGrip(ink, start - GRIP_PX, half, colours["head"] ?? "", colours["sheet"] ?? "");
  drawGrip(ink, end + GRIP_PX, half, colours["tail"] ?? "", colours["sheet"] ?? "");
  drawEdgeMark(ink, cut, half - 10, 7, "tail", colours["tail"] ?? "");
  drawEdgeMark(ink, cut, half + 10, 7, "head", colours["head"] ?? "");
  ink.fillStyle = colours["ink"] ?? "";
  ink.fillRect(Math.round(toPx(view, picture.cursorFrame)), 0, 1, heightPx - FOOT_PX);
  drawLensRuler(ink, view, picture.rateHz, heightPx - FOOT_PX, Infinity, colours, picture.label);
}

/** The ring by which an end of the crossfade is pulled, as that of a fade. */
function drawGrip(ink: CanvasRenderingContext2D, x: number, y: number, colour: string, sheet: string): void {
  ink.beginPath();
  ink.arc(x, y, 5, 0, 2 * Math.PI);
  ink.fillStyle = sheet;
  ink.fill();
  ink.lineWidth = 2;
  ink.strokeStyle = colour;
  ink.stroke();
}

/** One side: in ink as it is heard, pale what is only handle and what the crossfade takes. */
export function drawSide(ink: CanvasRenderingContext2D, columns: Columns | null, band: Band, widthPx: number, sounds: [number, number], { colours }: Pick<JoinPicture, "colours">, gainAt: (px: number) => number): void {
  if (!columns) return;
  const [from, to] = sounds.map((x) => Math.min(Math.max(Math.round(x), 0), widthPx)) as [number, number];
  drawColumns(ink, columns, 0, 0, widthPx, band, colours["pale"] ?? "");
  drawColumns(ink, columns, 0, from, to, band, colours["wave"] ?? "", gainAt);
}

/** A gain along a stretch, from nothing at the bottom to the whole at the top. */
export function drawGain(ink: CanvasRenderingContext2D, start: number, end: number, topPx: number, heightPx: number, gainAt: (u: number) => number, colour: string, sheet: string): void {
  const steps = Math.max(Math.min(Math.ceil(end - start), 200), 2);
  const y = (u: number) => topPx + heightPx - 6 - (heightPx - 12) * gainAt(u);
  const trace = () => {
    for (let n = 0; n <= steps; n += 1) ink[n === 0 ? "moveTo" : "lineTo"](start + ((end - start) * n) / steps, y(n / steps));
  };
  strokeOver(ink, trace, colour, sheet);
}
