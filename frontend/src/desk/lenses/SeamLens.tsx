import { useQuery } from "@tanstack/react-query";
import { useCallback, useMemo, useRef, useState } from "react";
import { api } from "../../api/client";
import type { Clip, Job } from "../../api/types";
import { inks } from "../../ui/theme";
import { useCanvas, useWheel } from "../../ui/useCanvas";
import { drawColumns, type Band } from "../../wave/draw";
import { columnsOf } from "../../wave/tiles";
import type { Loop } from "../state/loops";
import { placed } from "../model/placement";
import { useOpen } from "../state/desk";

const NARROWEST_MS = 1;
const WIDEST_MS = 400;

/** What is heard before the loop's end and after its start: the renderer's samples, its crossfade in them. */
async function heardAround(id: string, revision: number, job: Job, clip: Clip, loop: Loop): Promise<{ before: Float32Array; after: Float32Array }> {
  const frames = Math.round((WIDEST_MS / 1000) * job.rate_hz);
  const [start, end] = [placed(job, clip, loop.start_frame), placed(job, clip, loop.end_frame)];
  const [before, after] = await Promise.all([api.audio(id, revision, end - frames, frames, "result"), api.audio(id, revision, start, frames, "result")]);
  return { before: before.samples.subarray(0, frames), after: after.samples.subarray(0, frames) };
}

/** The seam of a loop: the last samples before its end on the left, the first after its start on the right. */
export function SeamLens({ clip, loop }: { readonly clip: Clip; readonly loop: Loop }) {
  const rate = useOpen((desk) => desk.job.sources[clip.source_id]?.rate_hz ?? 48_000);
  const levelZoom = useOpen((desk) => desk.levelZoom ?? desk.autoLevelZoom);
  const job = useOpen((desk) => desk.job);
  const id = useOpen((desk) => desk.id);
  const revision = useOpen((desk) => desk.revision);
  const [halfMs, setHalf] = useState(30);
  const [size, setSize] = useState({ widthPx: 0, heightPx: 0 });
  const colours = inks();
  const half = Math.floor(size.widthPx / 2);
  const framesPerPx = half > 0 ? (halfMs * job.rate_hz) / 1000 / half : 0;
  const heard = useQuery({ queryKey: ["seam", id, revision, clip.id, loop], queryFn: () => heardAround(id, revision, job, clip, loop), staleTime: Infinity });
  const sides = useMemo(() => {
    if (!heard.data || half < 1) return null;
    const { before, after } = heard.data;
    return { left: columnsOf(before, before.length - half * framesPerPx, framesPerPx, half), right: columnsOf(after, 0, framesPerPx, half) };
  }, [heard.data, framesPerPx, half]);
  const paint = useCallback(
    (ink: CanvasRenderingContext2D, surface: { widthPx: number; heightPx: number }) => {
      if (surface.widthPx !== size.widthPx || surface.heightPx !== size.heightPx) setSize(surface);
      if (!sides) return;
      const band: Band = { topPx: 8, heightPx: surface.heightPx - 16, zoom: levelZoom };
      ink.fillStyle = colours["shade"] ?? "";
      const crossed = Math.min((loop.crossfade_frames * job.rate_hz) / rate / framesPerPx, half);
      ink.fillRect(half - crossed, 0, crossed, surface.heightPx);
      ink.fillStyle = colours["rule"] ?? "";
      ink.fillRect(0, Math.round(surface.heightPx / 2), surface.widthPx, 1);
      drawColumns(ink, sides.left, 0, 0, half, band, colours["wave"] ?? "");
      drawColumns(ink, sides.right, half, 0, half, band, colours["wave"] ?? "");
      ink.fillStyle = colours["join"] ?? "";
      ink.fillRect(half - 1, 0, 2, surface.heightPx);
    },
    [sides, levelZoom, colours, half, framesPerPx, loop.crossfade_frames, job.rate_hz, rate, size],
  );
  const [canvas] = useCanvas(paint);
  const box = useRef<HTMLDivElement>(null);
  useWheel(box, (event) => setHalf((now) => Math.min(Math.max(now * Math.exp(event.deltaY * 0.002), NARROWEST_MS), WIDEST_MS)));
  const ms = (frames: number) => `${((frames / rate) * 1000).toFixed(1)} ms`;
  return (
    <section aria-label={`seam of ${clip.name}`} className="flex min-h-0 min-w-0 flex-1 flex-col">
      <header className="flex h-7 items-center gap-2 bg-sheet px-3">
        <span aria-hidden className="text-join">◗◖</span>
        <b>Seam</b>
        <span className="truncate text-soft">
          of the loop in <bdi>{clip.name}</bdi>
        </span>
        <span className="num ml-auto whitespace-nowrap text-soft">
          {levelZoom > 1 && `×${levelZoom} · `}
          {(2 * halfMs).toFixed(halfMs < 10 ? 1 : 0)} ms
        </span>
      </header>
      <div ref={box} className="relative min-h-[120px] flex-1 bg-sheet">
        <canvas ref={canvas} aria-hidden className="block h-full w-full" />
        <span className="absolute bottom-1 left-2 text-xs text-soft">end of the loop{loop.crossfade_frames > 0 && `, ${ms(loop.crossfade_frames)} crossfade`}</span>
        <span className="absolute right-2 bottom-1 text-xs text-soft">start of the loop</span>
      </div>
      <footer className="flex h-8 items-center gap-4 px-3 text-soft">
        <span className="num">
          {loop.start_frame}f – {loop.end_frame}f, {ms(loop.end_frame - loop.start_frame)}
        </span>
      </footer>
    </section>
  );
}
