/** Draws a lens: handle and clip, floor and threshold, where the sound was found, the fade as what it takes away. */
import { drawColumns, drawEdgeMark, drawLevel, drawSamples, strokeOver, yOf, type Band } from "../../wave/draw";
import { toFrame, toPx, type Viewport } from "../../wave/geometry";
import { drawLensRuler, FOOT_PX, type PlaceLabel } from "./lensRuler";
import { FADE_HANDLE_PX, innerFrame, type LensScene } from "./lensGesture";

/** Wider than this a sample is drawn as a dot on a line; narrower, columns do. */
export const DOTS_FROM_PX = 2;

export interface LensPicture extends LensScene {
  readonly view: Viewport;
  readonly heightPx: number;
  readonly rateHz: number;
  readonly label: PlaceLabel;
  readonly frames: number;
  readonly soundFrame: number | null;
  /** Between which frames the sound begins or ends with nine in ten. */
  readonly within: readonly [number, number] | null;
  readonly floor: number | null;
  readonly threshold: number | null;
  readonly levelZoom: number;
  readonly cursorFrame: number | null;
  readonly gainAt: (u: number) => number;
  /** The clip's gain and level line at a source frame. */
  readonly levelAt: (frame: number) => number;
  readonly columns: Float32Array | null;
  /** Set while the spectral view is on: draws it under pixels `[from, to)`. */
  readonly spectra: ((ink: CanvasRenderingContext2D, fromPx: number, toPx: number, topPx: number, heightPx: number) => void) | null;
  /** Samples of the first channel from `firstSample` on, if the view is that near. */
  readonly samples: Float32Array | null;
  readonly firstSample: number;
  readonly colours: Readonly<Record<string, string>>;
}

/** The band of the wave in a lens of a height. */
export const lensBand = (heightPx: number, zoom: number): Band => ({ topPx: 26, heightPx: heightPx - 26 - FOOT_PX - 6, zoom });

/** How high a gain lies on the curve of a fade. */
export function curveY(heightPx: number, gain: number): number {
  const band = lensBand(heightPx, 1);
  const middle = band.topPx + band.heightPx / 2;
  return middle - (middle - FADE_HANDLE_PX) * gain;
}

export function drawLens(ink: CanvasRenderingContext2D, picture: LensPicture): void {
  const { view, heightPx, colours, side } = picture;
  const band = lensBand(heightPx, picture.levelZoom);
  const edgeX = toPx(view, picture.edgeFrame);
  const bottom = heightPx - FOOT_PX;
  ink.fillStyle = colours["shade"] ?? "";
  if (side === "head") ink.fillRect(0, 0, Math.max(edgeX, 0), bottom);
  else ink.fillRect(Math.min(edgeX, view.widthPx), 0, view.widthPx, bottom);
  if (picture.spectra) {
    const cut = Math.min(Math.max(edgeX, 0), view.widthPx);
    for (const [from, to, kept] of [[0, cut, side === "tail"], [cut, view.widthPx, side === "head"]] as const) {
      ink.globalAlpha = kept ? 1 : 0.4;
      picture.spectra(ink, from, to, 26, bottom - 26);
    }
    ink.globalAlpha = 1;
  } else {
    drawFloor(ink, picture, band);
    drawWave(ink, picture, band, edgeX);
  }
  if (picture.threshold !== null && !picture.spectra) drawLevel(ink, picture.threshold, 0, view.widthPx, band, colours["warn"] ?? "");
  drawWithin(ink, picture, bottom);
  drawSound(ink, picture, bottom, edgeX);
  drawFade(ink, picture);
  const colour = colours[side] ?? "";
  ink.fillStyle = colour;
  ink.fillRect(Math.round(edgeX) - 1, 12, 2, bottom - 12);
  drawEdgeMark(ink, edgeX, 12, 8, side, colour);
  if (picture.cursorFrame !== null) {
    ink.fillStyle = colours["ink"] ?? "";
    ink.fillRect(Math.round(toPx(view, picture.cursorFrame)), 0, 1, bottom);
  }
  drawLensRuler(ink, view, picture.rateHz, bottom, picture.frames, colours, picture.label);
}

/** The sound as it will be heard, in ink; pale what is cut away and what fade and gain take. */
function drawWave(ink: CanvasRenderingContext2D, picture: LensPicture, band: Band, edgeX: number): void {
  const { view, side, colours } = picture;
  const [kept, pale] = [colours["wave"] ?? "", colours["pale"] ?? ""];
  const heard = (frame: number) => heardAt(picture, frame);
  if (picture.samples) {
    const step = 1 / view.framesPerPx;
    const x0 = toPx(view, picture.firstSample);
    const cut = Math.min(Math.max(picture.edgeFrame - picture.firstSample, 0), picture.samples.length);
    const [before, after] = [picture.samples.subarray(0, cut), picture.samples.subarray(cut)];
    const shaped = (samples: Float32Array, first: number) => samples.map((value, n) => value * heard(picture.firstSample + first + n));
    drawSamples(ink, picture.samples, x0, step, band, pale);
    if (side === "head") drawSamples(ink, shaped(after, cut), x0 + cut * step, step, band, kept);
    else drawSamples(ink, shaped(before, 0), x0, step, band, kept);
  } else if (picture.columns) {
    const cut = Math.min(Math.max(Math.round(edgeX), 0), view.widthPx);
    drawColumns(ink, picture.columns, 0, 0, view.widthPx, band, pale);
    const [from, to] = side === "head" ? [cut, view.widthPx] : [0, cut];
    drawColumns(ink, picture.columns, 0, from, to, band, kept, (px) => heard(toFrame(view, px + 0.5)));
  }
}

/** How loud a frame inside the clip is heard: its gain, and the fade at this edge. */
function heardAt(picture: LensPicture, frame: number): number {
  const inward = picture.side === "head" ? frame - picture.edgeFrame : picture.edgeFrame - frame;
  const part = picture.fadeFrames > 0 ? Math.min(Math.max(inward / picture.fadeFrames, 0), 1) : 1;
  return picture.levelAt(frame) * (part < 1 ? picture.gainAt(part) : 1);
}

function drawFloor(ink: CanvasRenderingContext2D, picture: LensPicture, band: Band): void {
  if (picture.floor === null) return;
  const [top, bottom] = [yOf(band, picture.floor), yOf(band, -picture.floor)];
  ink.globalAlpha = 0.18;
  ink.fillStyle = picture.colours["soft"] ?? "";
  ink.fillRect(0, top, picture.view.widthPx, Math.max(bottom - top, 1));
  ink.globalAlpha = 1;
}

/** Where the sound may begin or end: as a shade over the wave, at least as wide as can be seen. */
function drawWithin(ink: CanvasRenderingContext2D, picture: LensPicture, bottom: number): void {
  if (picture.within === null) return;
  const { view, colours, side } = picture;
  const [from, to] = picture.within.map((frame) => toPx(view, frame)) as [number, number];
  ink.globalAlpha = 0.16;
  ink.fillStyle = colours[side] ?? "";
  ink.fillRect(from, 26, Math.max(to - from, 2), bottom - 26);
  ink.globalAlpha = 1;
}

function drawSound(ink: CanvasRenderingContext2D, picture: LensPicture, bottom: number, edgeX: number): void {
  if (picture.soundFrame === null) return;
  const { view, colours, side, rateHz, within } = picture;
  const x = Math.round(toPx(view, picture.soundFrame));
  ink.setLineDash([2, 3]);
  ink.beginPath();
  ink.moveTo(x + 0.5, 28);
  ink.lineTo(x + 0.5, bottom);
  ink.lineWidth = 1;
  ink.strokeStyle = colours["ink"] ?? "";
  ink.stroke();
  ink.setLineDash([]);
  ink.font = '12px "Atkinson Hyperlegible Next Variable", sans-serif';
  ink.textBaseline = "top";
  const label = `sound ${side === "head" ? "starts" : "ends"}${within ? ` within ${lengthText((within[1] - within[0]) / rateHz)}` : ""}`;
  const width = ink.measureText(label).width;
  const [fitsBefore, fitsAfter] = [x - 7 >= width, x + 7 + width <= view.widthPx];
  const left = (side === "head" && fitsAfter) || !fitsBefore ? x + 5 : x - 5 - width;
  ink.fillStyle = colours["sheet"] ?? "";
  ink.fillRect(left - 2, 25, width + 4, 15);
  ink.fillStyle = colours["ink"] ?? "";
  ink.fillText(label, left, 26);
  const room = ((picture.soundFrame - picture.edgeFrame) / rateHz) * 1000 * (side === "head" ? 1 : -1);
  const [from, to] = [Math.min(edgeX, x), Math.max(edgeX, x)];
  if (to - from < 44 || room <= 0) return;
  ink.fillStyle = colours[side] ?? "";
  ink.fillRect(from + 2, bottom - 10, to - from - 4, 1);
  ink.font = '12px "Atkinson Hyperlegible Mono Variable", monospace';
  ink.fillStyle = colours["soft"] ?? "";
  const text = `${room.toFixed(0)} ms`;
  ink.fillText(text, (from + to - ink.measureText(text).width) / 2, bottom - 26);
}

/** A short time, as fine as it is told apart. */
const lengthText = (seconds: number): string => (seconds < 1 ? `${(1000 * seconds).toFixed(seconds < 0.01 ? 1 : 0)} ms` : `${seconds.toFixed(1)} s`);

/** The fade as the area that it takes away, its curve, and the handle at its inner end. */
function drawFade(ink: CanvasRenderingContext2D, picture: LensPicture): void {
  const { view, side, colours, edgeFrame, fadeFrames } = picture;
  const edgeX = toPx(view, edgeFrame);
  const innerX = toPx(view, innerFrame(picture));
  const colour = colours[side] ?? "";
  const top = FADE_HANDLE_PX;
  if (fadeFrames > 0) {
    const steps = Math.max(Math.min(Math.ceil(Math.abs(innerX - edgeX)), 200), 2);
    const points = Array.from({ length: steps + 1 }, (_, n) => ({
      x: edgeX + ((innerX - edgeX) * n) / steps,
      y: curveY(picture.heightPx, picture.gainAt(n / steps)),
    }));
    ink.beginPath();
    points.forEach(({ x, y }, n) => (n === 0 ? ink.moveTo(x, y) : ink.lineTo(x, y)));
    ink.lineTo(edgeX, top);
    ink.closePath();
    ink.globalAlpha = 0.16;
    ink.fillStyle = colour;
    ink.fill();
    ink.globalAlpha = 1;
    strokeOver(ink, () => points.forEach(({ x, y }, n) => (n === 0 ? ink.moveTo(x, y) : ink.lineTo(x, y))), colour, colours["sheet"] ?? "");
    if (Math.abs(innerX - edgeX) > 36) {
      const [x, y] = [(edgeX + innerX) / 2, curveY(picture.heightPx, picture.gainAt(0.5))];
      ink.fillStyle = colours["sheet"] ?? "";
      ink.fillRect(x - 6, y - 6, 12, 12);
      ink.fillStyle = colour;
      ink.fillRect(x - 4, y - 4, 8, 8);
    }
  }
  ink.beginPath();
  ink.arc(innerX, top, 5, 0, 2 * Math.PI);
  ink.fillStyle = colours["sheet"] ?? "";
  ink.fill();
  ink.lineWidth = 2;
  ink.strokeStyle = colour;
  ink.stroke();
}

/** The first and the last frame that a view can show a sample of. */
export function visibleFrames(view: Viewport, frames: number): [number, number] {
  const first = Math.max(Math.floor(toFrame(view, 0)) - 1, 0);
  return [first, Math.min(Math.ceil(toFrame(view, view.widthPx)) + 2, frames)];
}
