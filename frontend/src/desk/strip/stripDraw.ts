/** Draws the strip: ruler with marks, lanes with their clips and names, selection, playhead, and the overview under it. */
import { drawEdgeMark, drawLevel, traceColumn, type Band } from "../../wave/draw";
import { endFrame, rulerStepS, toFrame, toPx, type Viewport } from "../../wave/geometry";
import type { Columns } from "../../wave/tiles";
import type { Grid, Mark } from "../../api/types";
import { formatTime, type TimeStyle } from "../../time/format";
import { beatFrame, beatsAt, rulerBeats } from "../../time/grid";
import type { Point } from "../../wave/points";
import type { Loudness } from "../model/gains";
import type { Run } from "../model/runs";
import { drawLevelLine } from "./levelLine";
import { drawVoice, type VoiceCurve } from "./voiceCurve";

export const RULER_PX = 26;
export const OVERVIEW_PX = 34;
/** A lane lower than this gives all its height to clips; its own name and settings then stand beside it. */
export const ROOMY_LANE_PX = 76;
const LOWEST_LANE_PX = 52;

/** Over the wave of each lane: a row for its own name and settings if there is room, and one for the names of its clips. */
export const laneRows = (laneHeightPx: number): { readonly headPx: number; readonly namesPx: number } =>
  laneHeightPx >= ROOMY_LANE_PX ? { headPx: 20, namesPx: 16 } : { headPx: 0, namesPx: 14 };

export interface StripMark {
  readonly id: string;
  readonly kind: Mark["kind"];
  readonly name: string;
  readonly frame: number;
}

export interface StripScene {
  readonly view: Viewport;
  readonly rateHz: number;
  readonly endFrame: number;
  readonly heightPx: number;
  /** How far the lanes are scrolled, when there are more than fit. */
  readonly scrollPx: number;
  readonly lanes: readonly { readonly id: string; readonly heard: boolean }[];
  readonly runs: readonly Run[];
  readonly names: ReadonlyMap<string, string>;
  /** The level lines of clips that have one: (job frame, dB). */
  readonly lines: ReadonlyMap<string, readonly Point[]>;
  /** Of clips that are not as loud as their recordings: how loud they are. */
  readonly loudness: ReadonlyMap<string, Loudness>;
  /** How loud the voice of a lane is along time, while that is looked at. */
  readonly voices: ReadonlyMap<string, VoiceCurve>;
  readonly selected: ReadonlySet<string>;
  readonly marks: readonly StripMark[];
  /** How places are shown. */
  readonly style: TimeStyle;
  /** Set while the ruler counts bars. */
  readonly grid: Grid | null;
  readonly selection: { readonly start: number; readonly end: number; readonly laneId: string | null } | null;
  readonly cursorFrame: number;
  readonly threshold: number | null;
  /** Fills the lanes: the loudest sample of the job reaches the edge of its lane. */
  readonly zoom: number;
  readonly colours: Readonly<Record<string, string>>;
  /** Set while the spectral view is on: draws a run's part of it under pixels `[from, to)`. */
  readonly spectra: ((ink: CanvasRenderingContext2D, run: Run, fromPx: number, toPx: number, topPx: number, heightPx: number) => void) | null;
  /** Columns of a source under pixels `[from, to)` of a viewport. */
  readonly columns: (run: Run, view: Viewport, fromPx: number, toPx: number) => Columns | null;
}

export function drawStrip(ink: CanvasRenderingContext2D, scene: StripScene): void {
  const lanesPx = scene.heightPx - RULER_PX - OVERVIEW_PX;
  const laneHeight = laneHeightPx(scene);
  if (scene.grid) drawBars(ink, scene, scene.grid);
  else drawRuler(ink, scene);
  ink.save();
  ink.beginPath();
  ink.rect(0, RULER_PX, scene.view.widthPx, lanesPx);
  ink.clip();
  scene.lanes.forEach((lane, n) => {
    const top = RULER_PX + n * laneHeight - scene.scrollPx;
    if (top + laneHeight > RULER_PX && top < RULER_PX + lanesPx) drawLane(ink, scene, lane, top, laneHeight);
  });
  ink.restore();
  drawProgramme(ink, scene, lanesPx);
  if (scene.selection) drawSelection(ink, scene, scene.selection, lanesPx, laneHeight);
  drawOverview(ink, scene);
  drawMarkLines(ink, scene, lanesPx);
  drawCursor(ink, scene, lanesPx);
}

/** The selected time, on its lane or over all of them. */
function drawSelection(ink: CanvasRenderingContext2D, scene: StripScene, selection: NonNullable<StripScene["selection"]>, lanesPx: number, laneHeight: number): void {
  const lane = scene.lanes.findIndex(({ id }) => id === selection.laneId);
  const top = lane < 0 ? RULER_PX : RULER_PX + lane * laneHeight - scene.scrollPx;
  const [from, to] = [Math.max(top, RULER_PX), Math.min(lane < 0 ? RULER_PX + lanesPx : top + laneHeight, RULER_PX + lanesPx)];
  if (to > from) box(ink, scene, selection.start, selection.end, from, to - from, scene.colours["join"] ?? "", 0.18);
}

/** Lanes share the height until they would be too low to work on; then they scroll. */
export const laneHeightPx = ({ heightPx, lanes }: { readonly heightPx: number; readonly lanes: readonly unknown[] }): number =>
  Math.max((heightPx - RULER_PX - OVERVIEW_PX) / Math.max(lanes.length, 1), LOWEST_LANE_PX);

/** Bars on the ruler: the number of each bar, and a tick for each beat while there is room. */
function drawBars(ink: CanvasRenderingContext2D, { view, rateHz, colours }: StripScene, grid: Grid): void {
  const step = rulerBeats(grid, view.framesPerPx, rateHz);
  ink.font = '12px "Atkinson Hyperlegible Mono Variable", monospace';
  ink.textBaseline = "top";
  ink.fillStyle = colours["soft"] ?? "";
  const first = Math.floor(beatsAt(grid, view.startFrame, rateHz) / step) * step;
  const last = beatsAt(grid, endFrame(view), rateHz);
  for (let beat = first; beat <= last; beat += step) {
    const x = Math.round(toPx(view, beatFrame(grid, beat, rateHz)));
    const [bar, inBar] = [Math.floor(beat / grid.beats_a_bar) + 1, ((beat % grid.beats_a_bar) + grid.beats_a_bar) % grid.beats_a_bar];
    ink.fillRect(x, RULER_PX - (inBar === 0 ? 10 : 5), 1, inBar === 0 ? 10 : 5);
    ink.fillText(inBar === 0 ? String(bar) : `${bar}b${inBar + 1}`, x + 4, 5);
  }
}

/** What lies outside the programme is veiled. */
function drawProgramme(ink: CanvasRenderingContext2D, scene: StripScene, lanesPx: number): void {
  const start = scene.marks.find((mark) => mark.kind === "start")?.frame;
  const end = scene.marks.find((mark) => mark.kind === "end")?.frame;
  const veil = scene.colours["shade"] ?? "";
  if (start !== undefined) box(ink, scene, Math.min(0, scene.view.startFrame), start, RULER_PX, lanesPx, veil, 0.75);
  if (end !== undefined) box(ink, scene, end, endFrame(scene.view) + 1, RULER_PX, lanesPx, veil, 0.75);
}

/** The marks that begin or end something bear the half discs of edges. */
const DISCS: Partial<Record<StripMark["kind"], "head" | "tail">> = { start: "head", track: "head", end: "tail", track_end: "tail" };

/** Marks: a line through the lanes and a word in the ruler; what begins or ends something with the half discs of edges. */
function drawMarkLines(ink: CanvasRenderingContext2D, scene: StripScene, lanesPx: number): void {
  ink.font = '12px "Atkinson Hyperlegible Next Variable", sans-serif';
  ink.textBaseline = "top";
  for (const mark of scene.marks) {
    const x = Math.round(toPx(scene.view, mark.frame));
    if (x < -80 || x > scene.view.widthPx + 80) continue;
    const side = DISCS[mark.kind];
    const name = mark.kind === "track_end" ? "" : mark.name;
    const width = ink.measureText(name).width;
    const left = mark.kind === "end" ? x - width - 10 : x + 4;
    ink.fillStyle = scene.colours["sheet"] ?? "";
    if (name) ink.fillRect(left - 3, 2, width + (side ? 14 : 6), 17);
    ink.fillStyle = scene.colours["ink"] ?? "";
    ink.fillRect(x, 2, 1, RULER_PX - 2);
    ink.setLineDash(side ? [] : [1, 3]);
    ink.beginPath();
    ink.moveTo(x + 0.5, RULER_PX);
    ink.lineTo(x + 0.5, RULER_PX + lanesPx);
    ink.lineWidth = 1;
    ink.strokeStyle = scene.colours["ink"] ?? "";
    ink.stroke();
    ink.setLineDash([]);
    if (side) drawEdgeMark(ink, x, 10, 5, side, scene.colours["ink"] ?? "");
    ink.fillText(name, side === "head" ? left + 2 : left, 4);
  }
}

function box(ink: CanvasRenderingContext2D, { view }: StripScene, start: number, end: number, topPx: number, heightPx: number, colour: string, alpha: number): void {
  const x = Math.max(toPx(view, start), -2);
  const right = Math.min(toPx(view, end), view.widthPx + 2);
  if (right <= x) return;
  ink.globalAlpha = alpha;
  ink.fillStyle = colour;
  ink.fillRect(x, topPx, Math.max(right - x, 1), heightPx);
  ink.globalAlpha = 1;
}

function drawRuler(ink: CanvasRenderingContext2D, { view, rateHz, style, colours }: StripScene): void {
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
    ink.fillText(formatTime(frame, rateHz, style, decimals), x + 4, 5);
  }
}

function drawLane(ink: CanvasRenderingContext2D, scene: StripScene, lane: { id: string; heard: boolean }, topPx: number, heightPx: number): void {
  const { headPx, namesPx } = laneRows(heightPx);
  const band: Band = { topPx: topPx + headPx + namesPx, heightPx: Math.max(heightPx - headPx - namesPx - 4, 8), zoom: scene.zoom };
  const { view, colours } = scene;
  const visible = scene.runs.filter((run) => run.laneId === lane.id && run.end > view.startFrame && run.start < endFrame(view));
  for (const run of visible) {
    if (run.clipId === null || !scene.selected.has(run.clipId)) continue;
    box(ink, scene, run.start, run.end, topPx + headPx, heightPx - headPx, colours["shade"] ?? "", 1);
    box(ink, scene, run.start, run.end, topPx + heightPx - 3, 3, colours["ink"] ?? "", 1);
  }
  if (!lane.heard) ink.globalAlpha = 0.35;
  if (scene.spectra) drawSpectra(ink, scene, visible, band, lane.heard);
  else drawRuns(ink, scene, view, visible, band);
  ink.globalAlpha = 1;
  if (scene.threshold !== null) drawLevel(ink, scene.threshold, 0, view.widthPx, band, colours["warn"] ?? "");
  for (const run of visible) {
    const line = scene.lines.get(run.clipId ?? "");
    if (line) drawLevelLine(ink, line, view, Math.max(toPx(view, run.start), 0), Math.min(toPx(view, run.end), view.widthPx), band.topPx, band.heightPx, colours["join"] ?? "");
  }
  const voice = scene.voices.get(lane.id);
  if (voice) drawVoice(ink, voice, view, scene.rateHz, band.topPx, band.heightPx, colours["ink"] ?? "");
  drawNames(ink, scene, visible, topPx + headPx, namesPx);
  ink.fillStyle = colours["rule"] ?? "";
  ink.fillRect(0, topPx + heightPx - 1, view.widthPx, 1);
}

/** The spectral picture of each run; what is cut away shows through. */
function drawSpectra(ink: CanvasRenderingContext2D, scene: StripScene, runs: readonly Run[], band: Band, heard: boolean): void {
  for (const run of runs) {
    ink.globalAlpha = (run.kept ? 1 : 0.4) * (heard ? 1 : 0.35);
    const [from, to] = [Math.max(toPx(scene.view, run.start), 0), Math.min(toPx(scene.view, run.end), scene.view.widthPx)];
    if (to > from) scene.spectra?.(ink, run, from, to, band.topPx, band.heightPx);
  }
}

/** Runs of one source with one origin: they are parts of one picture, which is looked up once. */
interface Picture {
  readonly run: Run;
  readonly kept: Uint8Array;
  readonly any: Uint8Array;
  /** How loud what is kept is, for each pixel; none while all of it is as loud as its recording. */
  gains: Float32Array | null;
}

/**
 * Draw runs in two strokes: pale what is cut away, and what fades and gains take; in ink what is heard. A run is at least a
 * pixel wide, and reaches past its edges as far as its crossfades do.
 */
function drawRuns(ink: CanvasRenderingContext2D, scene: StripScene, view: Viewport, runs: readonly Run[], band: Band): void {
  const pictures = new Map<string, Picture>();
  const keptByAny = new Uint8Array(view.widthPx);
  for (const run of runs) {
    const key = `${run.sourceId} ${run.originFrame}`;
    const picture = pictures.get(key) ?? { run, kept: new Uint8Array(view.widthPx), any: new Uint8Array(view.widthPx), gains: null };
    pictures.set(key, picture);
    const known = run.kept && run.clipId !== null ? scene.loudness.get(run.clipId) : undefined;
    const loudness = known && run.end - run.start === known.end - known.start ? known : undefined; // a draft has no fades yet
    const shift = loudness ? run.start - loudness.start : 0;
    const [start, end] = loudness ? [loudness.from + shift, loudness.to + shift] : [run.start, run.end];
    const from = Math.max(Math.round(toPx(view, start)), 0);
    const to = Math.min(Math.max(Math.round(toPx(view, end)), from + 1), view.widthPx);
    picture.any.fill(1, from, to);
    if (!run.kept) continue;
    picture.kept.fill(1, from, to);
    keptByAny.fill(1, from, to);
    if (loudness) {
      picture.gains ??= new Float32Array(view.widthPx).fill(1);
      for (let px = from; px < to; px += 1) picture.gains[px] = loudness.gain(toFrame(view, px + 0.5) - shift);
    }
  }
  const looked = [...pictures.values()].flatMap((picture) => {
    const from = picture.any.indexOf(1);
    const columns = from < 0 ? null : scene.columns(picture.run, view, from, picture.any.lastIndexOf(1) + 1);
    return columns ? [{ ...picture, from, columns }] : [];
  });
  const stroke = (colour: string, wanted: (picture: Picture, px: number) => boolean, shaped: boolean) => {
    ink.beginPath();
    for (const picture of looked) {
      for (let n = 0; n < picture.columns.length / 2; n += 1) {
        const gain = shaped && picture.gains ? (picture.gains[picture.from + n] ?? 1) : 1;
        if (wanted(picture, picture.from + n)) traceColumn(ink, picture.columns, n, picture.from, band, gain);
      }
    }
    ink.lineWidth = 1;
    ink.strokeStyle = colour;
    ink.stroke();
  };
  stroke(scene.colours["pale"] ?? "", ({ any, kept, gains }, px) => (any[px] === 1 && keptByAny[px] === 0) || (kept[px] === 1 && (gains?.[px] ?? 1) < 1), false);
  stroke(scene.colours["wave"] ?? "", ({ kept }, px) => kept[px] === 1, true);
}

const MARK_PX = 6;

/** ◖, the name and ◗ over every clip, as far as they have room: a short hit has its ◖ alone. By its name a clip is moved. */
function drawNames(ink: CanvasRenderingContext2D, scene: StripScene, visible: readonly Run[], topPx: number, namesPx: number): void {
  ink.font = '12px "Atkinson Hyperlegible Next Variable", sans-serif';
  ink.textBaseline = "top";
  let markedAt = -Infinity;
  for (const run of visible) {
    if (!run.kept) continue;
    const [head, tail] = [toPx(scene.view, run.start), toPx(scene.view, run.end)];
    const short = tail - head < MARK_PX;
    if (short && Math.abs(head - markedAt) < MARK_PX) continue;
    markedAt = head;
    drawEdgeMark(ink, head, topPx + namesPx / 2, 5, "head", scene.colours["head"] ?? "");
    if (short) continue;
    drawEdgeMark(ink, tail, topPx + namesPx / 2, 5, "tail", scene.colours["tail"] ?? "");
    const name = run.clipId === null ? undefined : scene.names.get(run.clipId);
    const room = Math.min(tail, scene.view.widthPx) - Math.max(head, 0) - 14;
    if (name === undefined || room < 24) continue;
    ink.save();
    ink.beginPath();
    ink.rect(Math.max(head, 0) + 4, topPx, room, namesPx);
    ink.clip();
    ink.fillStyle = scene.colours[scene.selected.has(run.clipId ?? "") ? "ink" : "soft"] ?? "";
    ink.fillText(name, Math.max(head, 0) + 5, topPx + 1);
    ink.restore();
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

/** The run of a lane under a job frame, what is kept before what is not. */
export const runAt = (runs: readonly Run[], frame: number, laneId: string | null): Run | undefined =>
  [...runs].reverse().find((run) => run.kept && run.clipId !== null && (laneId === null || run.laneId === laneId) && frame >= run.start && frame < run.end);

/** How much of a lane, from its top, a clip is moved by; below that time is selected. */
const BODY_PART = 0.45;

/** The lane under a height, and whether that is where a clip is moved by its body. */
export function laneAt(scene: Pick<StripScene, "heightPx" | "lanes" | "scrollPx">, y: number): { readonly laneId: string; readonly onBody: boolean } | null {
  const height = laneHeightPx(scene);
  const down = y - RULER_PX + scene.scrollPx;
  const lane = scene.lanes[Math.floor(down / height)];
  if (!lane || y < RULER_PX) return null;
  const inLane = down % height;
  const { headPx, namesPx } = laneRows(height);
  return { laneId: lane.id, onBody: inLane >= headPx && inLane < Math.max(headPx + namesPx, BODY_PART * height) };
}

const MARK_REACH_PX = 6;

/** The mark whose line in the ruler is near. */
export const markAt = (scene: Pick<StripScene, "view" | "marks">, x: number): StripMark | undefined =>
  [...scene.marks].reverse().find((mark) => Math.abs(toPx(scene.view, mark.frame) - x) <= MARK_REACH_PX);

export const frameAtPx = (scene: Pick<StripScene, "view" | "endFrame">, x: number, onOverview: boolean): number =>
  toFrame(onOverview ? overviewOf(scene) : scene.view, x);
