import { useCallback, useState } from "react";
import type { Cue, Job } from "../../api/types";
import { inks } from "../../ui/theme";
import { useCanvas } from "../../ui/useCanvas";
import { drawColumns, strokeOver, yOf, type Band } from "../../wave/draw";
import { inRunningOrder, loopOfCue } from "../model/cues";
import { useOpen } from "../state/desk";
import { tilesOf } from "../state/pictures";
import { fadeGain, passesAt } from "./fadeDraw";

const MARGIN = 0.15;

/** The gain that a fade starts from, as far as the running order tells: silent, faded before, or whole. */
function gainBefore(job: Job, cue: Cue): number {
  const target = job.cues[cue.target_id];
  const earlier = inRunningOrder(job).filter((one) => one.position < cue.position && one.kind === "fade" && one.target_id === cue.target_id && cue.target_id !== "");
  const last = earlier.at(-1);
  if (last) return last.level_db === null ? 0 : 10 ** (last.level_db / 20);
  return target?.silent ? 0 : 1;
}

/** A fade of what runs: its curve over the sound that it acts on, with the moments at which −40 and −20 dB are passed. */
export function FadeLens({ cue }: { readonly cue: Cue }) {
  const job = useOpen((desk) => desk.job);
  useOpen((desk) => desk.arrivals);
  const target = job.cues[cue.target_id];
  const clip = job.clips[target?.clip_id ?? ""];
  const [size, setSize] = useState({ widthPx: 0, heightPx: 0 });
  const tiles = clip ? tilesOf(clip.source_id) : undefined;
  const rate = job.rate_hz || 48_000;
  const sourceRate = job.sources[clip?.source_id ?? ""]?.rate_hz ?? rate;
  const seconds = cue.length_frames / rate;
  const [from, to] = [gainBefore(job, cue), cue.kind === "stop" || cue.level_db === null ? 0 : 10 ** (cue.level_db / 20)];
  const passed = [-40, -20].flatMap((db) => {
    const part = passesAt(cue, from, to, db);
    return part === null ? [] : [{ db, part }];
  });
  const colours = inks();
  const paint = useCallback(
    (ink: CanvasRenderingContext2D, surface: { widthPx: number; heightPx: number }) => {
      if (surface.widthPx !== size.widthPx || surface.heightPx !== size.heightPx) setSize(surface);
      const { widthPx, heightPx } = surface;
      const band: Band = { topPx: 10, heightPx: heightPx - 20, zoom: 1.6 };
      const whole = Math.max(seconds, 0.05) * (1 + 2 * MARGIN);
      const x = (part: number) => ((MARGIN * Math.max(seconds, 0.05) + part * seconds) / whole) * widthPx;
      const partAt = (px: number) => (seconds > 0 ? ((px / widthPx) * whole - MARGIN * seconds) / seconds : px > widthPx / 2 ? 1 : 0);
      if (tiles && clip && widthPx > 0) {
        const loop = target ? loopOfCue(job, target) : undefined;
        const begin = from === 0 ? clip.head_frame : (loop?.frame ?? clip.head_frame);
        const perPx = (whole * sourceRate) / widthPx;
        const start = Math.max(begin - (from === 0 ? MARGIN * seconds * sourceRate : 0), 0);
        const columns = tiles.columns(start, perPx, widthPx);
        drawColumns(ink, columns, 0, 0, widthPx, band, colours.rule);
        drawColumns(ink, columns, 0, 0, widthPx, band, colours.wave, (px) => fadeGain(cue, from, to, partAt(px)));
      }
      for (const { part } of passed) {
        ink.fillStyle = colours.warn;
        ink.fillRect(Math.round(x(part)), 0, 1, heightPx);
      }
      const top: Band = { ...band, zoom: 0.9 };
      strokeOver(
        ink,
        () => {
          for (let px = 0; px <= widthPx; px += 2) {
            const y = yOf(top, 2 * fadeGain(cue, from, to, partAt(px)) - 1);
            if (px === 0) ink.moveTo(px, y);
            else ink.lineTo(px, y);
          }
        },
        colours.join,
        colours.sheet,
      );
    },
    [cue, clip, tiles, job, target, from, to, seconds, sourceRate, size, colours, passed],
  );
  const [canvas] = useCanvas(paint);
  const words = passed.map(({ db, part }) => `${String(db).replace("-", "−")} dB at ${(part * seconds).toFixed(2)} s`).join(", ");
  const unheard = to <= 0.001 && cue.kind === "fade" && !cue.stops;
  return (
    <section aria-label="fade lens" className="flex min-h-0 flex-1 flex-col bg-sheet">
      <header className="flex h-8 shrink-0 items-center gap-3 border-b border-rule px-3">
        <span className="font-semibold">{cue.name}</span>
        <span className="text-soft">{clip ? <>over <bdi>{target?.name}</bdi></> : cue.target_id === "all" ? "of everything that sounds" : "acts on nothing yet"}</span>
        {unheard && <span className="ml-auto font-semibold text-warn">sounding, unheard, when it is done</span>}
      </header>
      <div className="relative min-h-0 flex-1">
        <canvas ref={canvas} className="absolute inset-0 h-full w-full" role="img" aria-label={`fade over ${seconds.toFixed(1)} s${words ? `, passing ${words}` : ""}`} />
      </div>
      <footer className="num flex h-8 shrink-0 items-center gap-4 border-t border-rule px-3 text-soft">
        <span>{seconds.toFixed(2)} s</span>
        <span aria-live="polite">{words ? `passes ${words}` : "passes neither −40 nor −20 dB"}</span>
      </footer>
    </section>
  );
}
