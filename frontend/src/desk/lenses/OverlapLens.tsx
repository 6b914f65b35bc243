import { useQuery } from "@tanstack/react-query";
import { useCallback, useEffect, useMemo } from "react";
import { api } from "../../api/client";
import type { Clip } from "../../api/types";
import { formatPlace } from "../../time/format";
import { inks } from "../../ui/theme";
import { useCanvas } from "../../ui/useCanvas";
import type { Band } from "../../wave/draw";
import { toPx, type Limits } from "../../wave/geometry";
import { drawGain, drawSide } from "./joinDraw";
import { drawLensRuler, FOOT_PX } from "./lensRuler";
import { usePairView } from "./usePairView";
import { loudnesses } from "../model/gains";
import { endOf, startOf } from "../model/placement";
import { setJoinLens, useOpen } from "../state/desk";
import { usePlayhead } from "../state/usePlayhead";

/** Two clips laid over each other on purpose: both at the full length of what they share, each with its fade, and their sum. */
export function OverlapLens({ leftId, rightId }: { readonly leftId: string; readonly rightId: string }) {
  const left = useOpen((desk) => desk.job.clips[leftId]);
  const right = useOpen((desk) => desk.job.clips[rightId]);
  if (!left || !right) return null;
  return <Overlap key={`${leftId} ${rightId}`} left={left} right={right} />;
}

function Overlap({ left, right }: { readonly left: Clip; readonly right: Clip }) {
  const job = useOpen((desk) => desk.job);
  const id = useOpen((desk) => desk.id);
  const revision = useOpen((desk) => desk.revision);
  const style = useOpen((desk) => desk.timeStyle);
  const levelZoom = useOpen((desk) => desk.levelZoom ?? 1);
  const cursorFrame = usePlayhead();
  const rate = job.rate_hz || 48_000;
  const [start, end] = [startOf(job, right), Math.min(endOf(job, left), endOf(job, right))];
  const sum = useQuery({ queryKey: ["overlaps", id, revision, left.id], queryFn: () => api.overlaps(id, revision, left.id) }).data?.find((one) => one.clip_id === right.id);
  const limits: Limits = useMemo(() => ({ lowestFrame: start - 120 * rate, highestFrame: end + 120 * rate, smallestFramesPerPx: 1 / 24 }), [start, end, rate]);
  const shown = { middle: (start + end) / 2, frames: Math.max(1.4 * (end - start), rate / 4) };
  const { view, sides, fit, box } = usePairView(left, right, limits, shown, levelZoom);
  const loud = useMemo(() => loudnesses(job), [job]);
  const colours = inks();
  const paint = useCallback(
    (ink: CanvasRenderingContext2D, { heightPx }: { heightPx: number }) => {
      if (view.framesPerPx === 0) return;
      const half = (heightPx - FOOT_PX) / 2;
      const bands: [Band, Band] = [
        { topPx: 6, heightPx: half - 12, zoom: levelZoom },
        { topPx: half + 6, heightPx: half - 12, zoom: levelZoom },
      ];
      const [from, to] = [toPx(view, start), toPx(view, end)];
      ink.fillStyle = colours["shade"] ?? "";
      ink.fillRect(from, 0, to - from, heightPx - FOOT_PX);
      const gain = (clip: Clip) => (px: number) => loud.get(clip.id)?.gain(view.startFrame + px * view.framesPerPx) ?? 1;
      for (const [n, clip] of [left, right].entries()) {
        const sounds: [number, number] = [toPx(view, startOf(job, clip)), toPx(view, endOf(job, clip))];
        drawSide(ink, n === 0 ? sides.left : sides.right, bands[n as 0 | 1], view.widthPx, sounds, { colours }, gain(clip));
        const along = loud.get(clip.id)?.gain;
        if (along && to > from) drawGain(ink, from, to, n * half, half, (u) => Math.min(along(start + u * (end - start)), 1), colours[n === 0 ? "tail" : "head"] ?? "", colours["sheet"] ?? "");
      }
      ink.fillStyle = colours["rule"] ?? "";
      ink.fillRect(0, Math.round(half), view.widthPx, 1);
      ink.fillStyle = colours["join"] ?? "";
      for (const x of [from, to]) ink.fillRect(Math.round(x), 0, 1, heightPx - FOOT_PX);
      ink.fillStyle = colours["ink"] ?? "";
      ink.fillRect(Math.round(toPx(view, cursorFrame)), 0, 1, heightPx - FOOT_PX);
      drawLensRuler(ink, view, rate, heightPx - FOOT_PX, Infinity, colours, (frame, decimals) => formatPlace(job, frame, style, decimals));
    },
    [view, sides, loud, left, right, job, start, end, rate, levelZoom, cursorFrame, style, colours],
  );
  const [canvas, surface] = useCanvas(paint);
  useEffect(() => fit(surface.widthPx), [fit, surface.widthPx]);
  return (
    <section aria-label={`overlap of ${left.name} and ${right.name}`} className="flex min-h-0 min-w-0 flex-1 flex-col">
      <header className="flex h-7 items-center gap-2 bg-sheet px-3">
        <span aria-hidden className="text-join">◗◖</span>
        <b>Overlap</b>
        <span className="truncate text-soft">
          <bdi>{left.name}</bdi> under <bdi>{right.name}</bdi>
        </span>
        <span className="num ml-auto whitespace-nowrap text-soft">
          {((end - start) / rate).toFixed(3)} s
          {sum && <span className={sum.peak_db > 0 ? "text-fail" : ""}>, sum peaks at {sum.peak_db.toFixed(1).replace("-", "−")} dB</span>}
        </span>
        <button type="button" className="underline" onClick={() => setJoinLens(false)}>
          head and tail
        </button>
      </header>
      <div ref={box} className="relative min-h-[120px] flex-1 bg-sheet">
        <canvas ref={canvas} aria-hidden className="block h-full w-full" />
      </div>
    </section>
  );
}
