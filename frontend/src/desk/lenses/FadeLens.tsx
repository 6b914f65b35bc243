import { useCallback } from "react";
import type { Cue } from "../../api/types";
import { inks } from "../../ui/theme";
import { useCanvas, type Surface } from "../../ui/useCanvas";
import { drawColumns, strokeOver, yOf, type Band } from "../../wave/draw";
import { Ramp } from "../../wave/ramp";
import { loopOfCue } from "../model/cues";
import { useOpen } from "../state/desk";
import { tilesOf } from "../state/pictures";
import { useShow } from "../state/show";

const MARGIN = 0.15;

/** A fade of what runs: its curve over the sound that it acts on, with the moments at which it passes −40 and −20 dB. */
export function FadeLens({ cue }: { readonly cue: Cue }) {
  const job = useOpen((desk) => desk.job);
  const arrivals = useOpen((desk) => desk.arrivals);
  const show = useShow();
  const planned = show?.plan.cues.find(({ id }) => id === cue.id);
  const fault = show?.faults.find(({ cue_id }) => cue_id === cue.id);
  const target = job.cues[cue.target_id];
  const clip = job.clips[target?.clip_id ?? ""];
  const tiles = clip ? tilesOf(clip.source_id) : undefined;
  const rate = job.rate_hz || 48_000;
  const sourceRate = job.sources[clip?.source_id ?? ""]?.rate_hz ?? rate;
  const seconds = cue.length_frames / rate;
  const colours = inks();
  const paint = useCallback(
    (ink: CanvasRenderingContext2D, { widthPx, heightPx }: Surface) => {
      const table = show?.plan.curves[planned?.curve ?? ""];
      if (!planned || !table) return;
      const band: Band = { topPx: 10, heightPx: heightPx - 20, zoom: 1.6 };
      const shown = Math.max(planned.length, 0.05 * rate);
      const framesPerPx = (shown * (1 + 2 * MARGIN)) / Math.max(widthPx, 1);
      const x = (frame: number) => (MARGIN * shown + frame) / framesPerPx;
      const ramp = new Ramp(planned.before, planned.gain, 0, planned.length, table);
      const gain = (px: number) => {
        const frame = px * framesPerPx - MARGIN * shown;
        return frame < 0 ? planned.before : ramp.at(frame);
      };
      if (tiles && clip && widthPx > 0) {
        const silent = planned.before === 0;
        const loop = target ? loopOfCue(job, target) : undefined;
        const begin = silent ? clip.head_frame : (loop?.frame ?? clip.head_frame);
        const perPx = (framesPerPx * sourceRate) / rate;
        const start = Math.max(begin - (silent ? (MARGIN * shown * sourceRate) / rate : 0), 0);
        const columns = tiles.columns(start, perPx, widthPx);
        drawColumns(ink, columns, 0, 0, widthPx, band, colours.rule);
        drawColumns(ink, columns, 0, 0, widthPx, band, colours.wave, gain);
      }
      for (const { frame } of planned.passed) {
        ink.fillStyle = colours.warn;
        ink.fillRect(Math.round(x(frame)), 0, 1, heightPx);
      }
      const top: Band = { ...band, zoom: 0.9 };
      strokeOver(
        ink,
        () => {
          for (let px = 0; px <= widthPx; px += 2) {
            const y = yOf(top, 2 * gain(px) - 1);
            if (px === 0) ink.moveTo(px, y);
            else ink.lineTo(px, y);
          }
        },
        colours.join,
        colours.sheet,
      );
    },
    [show, planned, clip, tiles, job, target, rate, sourceRate, colours, arrivals], // eslint-disable-line react-hooks/exhaustive-deps
  );
  const [canvas] = useCanvas(paint);
  const words = (planned?.passed ?? []).map(({ level_db, frame }) => `${String(level_db).replace("-", "−")} dB at ${(frame / rate).toFixed(2)} s`).join(", ");
  return (
    <section aria-label="fade lens" className="flex min-h-0 flex-1 flex-col bg-sheet">
      <header className="flex h-8 shrink-0 items-center gap-3 border-b border-rule px-3">
        <span className="font-semibold whitespace-nowrap">{cue.name}</span>
        <span className="whitespace-nowrap text-soft">{clip ? <>over <bdi>{target?.name}</bdi></> : cue.target_id === "all" ? "of everything that sounds" : "acts on nothing yet"}</span>
        {fault && <span className={`ml-auto truncate font-semibold ${fault.stops ? "text-fail" : "text-warn"}`} title={fault.text}>{fault.text}</span>}
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
