/** Draws the strip: ruler, runs, marks, threshold, selection, playhead, and the overview under it. */
import { drawEdgeMark, drawLevel, traceColumn, type Band } from "../wave/draw";
import { endFrame, rulerStepS, toFrame, toPx, type Viewport } from "../wave/geometry";
import type { Columns } from "../wave/tiles";
import { formatTime } from "../time/format";
import type { Run } from "./kept";

export const RULER_PX = 26;
export const OVERVIEW_PX = 34;

export interface StripScene {
  readonly view: Viewport;
  readonly rateHz: number;
  readonly endFrame: number;
  readonly heightPx: number;
  readonly lanes: readonly { readonly id: string; readonly name: string }[];
  readonly runs: readonly Run[];
  readonly clipId: string | null;
  readonly selection: { readonly start: number; readonly end: number } | null;
  readonly cursorFrame: number;
  readonly threshold: number | null;
  /** Fills the lanes: the loudest sample of the job reaches the edge of its lane. */
  readonly zoom: number;
  readonly colours: Readonly<Record<string, string>>;
  /** Columns of a source under pixels `[from, to)` of a viewport. */
  readonly columns: (run: Run, view: Viewport, fromPx: number, toPx: number) => Columns | null;
}

export function drawStrip(ink: CanvasRenderingContext2D, scene: StripScene): void {
  const lanesPx = scene.heightPx - RULER_PX - OVERVIEW_PX;
  const laneHeight = lanesPx / Math.max(scene.lanes.length, 1);
  drawRuler(ink, scene);
  drawSelection(ink, scene, lanesPx);
  scene.lanes.forEach((lane, n) => drawLane(ink, scene, lane, RULER_PX + n * laneHeight, laneHeight));
  drawOverview(ink, scene);
  drawCursor(ink, scene, lanesPx);
}

function drawRuler(ink: CanvasRenderingContext2D, { view, rateHz, colours }: StripScene): void {
  const stepS = rulerStepS(view.framesPerPx, rateHz);
  const decimals = Math.max(0, Math.ceil(-Math.log10(stepS)));
  ink.font = '12px "Atkinson Hyperlegible Mono Variable", monospace';
  ink.textBaseline = "top";
  ink.fillStyle = colours["soft"] ?? "";
  const first = Math.floor(view.startFrame / rateHz / stepS);
  const last = Math.ceil(endFrame(view) / rateHz / stepS);
  for (let step = first; step <= last; step += 1) {
    const frame = Math.round(step * stepS * rateHz);
    const x = Math.round(toPx(view, frame));
    if (x < 0 || frame < 0) continue;
    ink.fillRect(x, RULER_PX - 6, 1, 6);
    ink.fillText(formatTime(frame, rateHz, "clock", decimals), x + 4, 5);
  }
}

function drawSelection(ink: CanvasRenderingContext2D, scene: StripScene, lanesPx: number): void {
  const chosen = scene.runs.find((run) => run.clipId !== null && run.clipId === scene.clipId);
  const box = (start: number, end: number, colour: string, alpha: number) => {
    const x = Math.max(toPx(scene.view, start), -2);
    const right = Math.min(toPx(scene.view, end), scene.view.widthPx + 2);
    if (right <= x) return;
    ink.globalAlpha = alpha;
    ink.fillStyle = colour;
    ink.fillRect(x, RULER_PX, Math.max(right - x, 1), lanesPx);
    ink.globalAlpha = 1;
  };
  if (chosen) {
    box(chosen.start, chosen.end, scene.colours["shade"] ?? "", 1);
    const x = Math.max(toPx(scene.view, chosen.start), 0);
    ink.fillStyle = scene.colours["ink"] ?? "";
    ink.fillRect(x, RULER_PX + lanesPx - 3, Math.min(toPx(scene.view, chosen.end), scene.view.widthPx) - x, 3);
  }
  if (scene.selection) box(scene.selection.start, scene.selection.end, scene.colours["join"] ?? "", 0.18);
}

function drawLane(ink: CanvasRenderingContext2D, scene: StripScene, lane: { id: string; name: string }, topPx: number, heightPx: number): void {
  const band: Band = { topPx: topPx + 30, heightPx: heightPx - 40, zoom: scene.zoom };
  const { view, colours } = scene;
  const visible = scene.runs.filter((run) => run.laneId === lane.id && run.end > view.startFrame && run.start < endFrame(view));
  drawRuns(ink, scene, view, visible, band);
  if (scene.threshold !== null) drawLevel(ink, scene.threshold, 0, view.widthPx, band, colours["warn"] ?? "");
  drawMarks(ink, scene, visible, topPx);
  ink.font = '12px "Atkinson Hyperlegible Next Variable", sans-serif';
  ink.fillStyle = colours["soft"] ?? "";
  ink.textBaseline = "top";
  ink.fillText(lane.name, 10, topPx + 3);
}

/** Runs of one source with one origin: they are parts of one picture, which is looked up once. */
interface Picture {
  readonly run: Run;
  readonly kept: Uint8Array;
  readonly any: Uint8Array;
}

/** Draw runs in two strokes: what is cut away pale, what is kept in ink; a run is at least a pixel wide. */
function drawRuns(ink: CanvasRenderingContext2D, scene: StripScene, view: Viewport, runs: readonly Run[], band: Band): void {
  const pictures = new Map<string, Picture>();
  const keptByAny = new Uint8Array(view.widthPx);
  for (const run of runs) {
    const key = `${run.sourceId} ${run.originFrame}`;
    const picture = pictures.get(key) ?? { run, kept: new Uint8Array(view.widthPx), any: new Uint8Array(view.widthPx) };
    pictures.set(key, picture);
    const from = Math.max(Math.round(toPx(view, run.start)), 0);
    const to = Math.min(Math.max(Math.round(toPx(view, run.end)), from + 1), view.widthPx);
    picture.any.fill(1, from, to);
    if (!run.kept) continue;
    picture.kept.fill(1, from, to);
    keptByAny.fill(1, from, to);
  }
  const looked = [...pictures.values()].flatMap((picture) => {
    const from = picture.any.indexOf(1);
    const columns = from < 0 ? null : scene.columns(picture.run, view, from, picture.any.lastIndexOf(1) + 1);
    return columns ? [{ ...picture, from, columns }] : [];
  });
  const stroke = (colour: string, wanted: (picture: Picture, px: number) => boolean) => {
    ink.beginPath();
    for (const picture of looked) {
      for (let n = 0; n < picture.columns.length / 2; n += 1) {
        if (wanted(picture, picture.from + n)) traceColumn(ink, picture.columns, n, picture.from, band);
      }
    }
    ink.lineWidth = 1;
    ink.strokeStyle = colour;
    ink.stroke();
  };
  stroke(scene.colours["pale"] ?? "", ({ any }, px) => any[px] === 1 && keptByAny[px] === 0);
  stroke(scene.colours["wave"] ?? "", ({ kept }, px) => kept[px] === 1);
}

/** ◖ and ◗ at both ends of every clip, as long as they have room. */
function drawMarks(ink: CanvasRenderingContext2D, scene: StripScene, visible: readonly Run[], topPx: number): void {
  for (const run of visible) {
    if (!run.kept) continue;
    const [head, tail] = [toPx(scene.view, run.start), toPx(scene.view, run.end)];
    if (tail - head < 6) continue;
    drawEdgeMark(ink, head, topPx + 24, 5, "head", scene.colours["head"] ?? "");
    drawEdgeMark(ink, tail, topPx + 24, 5, "tail", scene.colours["tail"] ?? "");
  }
}

/** The whole job under the strip, with what is on view marked. */
export const overviewOf = (scene: Pick<StripScene, "view" | "endFrame">): Viewport => ({
  startFrame: 0,
  framesPerPx: Math.max(scene.endFrame, 1) / Math.max(scene.view.widthPx, 1),
  widthPx: scene.view.widthPx,
});

function drawOverview(ink: CanvasRenderingContext2D, scene: StripScene): void {
  const top = scene.heightPx - OVERVIEW_PX;
  const all = overviewOf(scene);
  ink.fillStyle = scene.colours["shade"] ?? "";
  ink.fillRect(0, top, scene.view.widthPx, OVERVIEW_PX);
  const [x, right] = [toPx(all, scene.view.startFrame), toPx(all, endFrame(scene.view))];
  ink.fillStyle = scene.colours["sheet"] ?? "";
  ink.fillRect(x, top + 1, Math.max(right - x, 2), OVERVIEW_PX - 2);
  const band: Band = { topPx: top + 4, heightPx: OVERVIEW_PX - 8, zoom: scene.zoom };
  drawRuns(ink, scene, all, scene.runs, band);
  ink.fillStyle = scene.colours["ink"] ?? "";
  ink.fillRect(x, top, 1, OVERVIEW_PX);
  ink.fillRect(Math.max(right - 1, x + 1), top, 1, OVERVIEW_PX);
}

function drawCursor(ink: CanvasRenderingContext2D, scene: StripScene, lanesPx: number): void {
  const x = Math.round(toPx(scene.view, scene.cursorFrame));
  ink.fillStyle = scene.colours["ink"] ?? "";
  ink.fillRect(x, RULER_PX - 6, 1, lanesPx + 6);
  const small = Math.round(toPx(overviewOf(scene), scene.cursorFrame));
  ink.fillRect(small, scene.heightPx - OVERVIEW_PX, 1, OVERVIEW_PX);
}

/** The run under a job frame, what is kept before what is not. */
export const runAt = (runs: readonly Run[], frame: number): Run | undefined =>
  [...runs].reverse().find((run) => run.kept && run.clipId !== null && frame >= run.start && frame < run.end);

export const frameAtPx = (scene: Pick<StripScene, "view" | "endFrame">, x: number, onOverview: boolean): number =>
  toFrame(onOverview ? overviewOf(scene) : scene.view, x);
