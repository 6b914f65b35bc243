import { useCallback, useEffect, useMemo, useRef, useState, type PointerEvent } from "react";
import { formatTime } from "../time/format";
import { useCanvas, useWheel } from "../ui/useCanvas";
import { inks } from "../ui/theme";
import { clamped, endFrame, scrolled, showing, toPx, zoomedAt, type Limits, type Viewport } from "../wave/geometry";
import { drawnEnd, runs as runsOf, type Run } from "./kept";
import { endOf, sourceFrameAt, startOf } from "./placement";
import { choose, clipInHand, player, setCursor, setSelection, tilesOf, useOpen } from "./state";
import { drawStrip, frameAtPx, OVERVIEW_PX, runAt, type StripScene } from "./stripDraw";
import { IDLE, reduceStrip, type StripEffect, type StripInput } from "./stripGesture";
import { usePlayhead } from "./usePlayhead";
import { useStripKeys } from "./stripView";

/** The whole job, at any zoom: what is kept in ink, what is cut away pale. */
export function Strip() {
  const job = useOpen((desk) => desk.job);
  const drafts = useOpen((desk) => (desk.drafted ? desk.drafts : null));
  const shownDrafts = useOpen((desk) => desk.drafts);
  const clip = useOpen(clipInHand);
  const selection = useOpen((desk) => desk.selection);
  const step = useOpen((desk) => desk.step);
  const arrivals = useOpen((desk) => desk.arrivals);
  const cursorFrame = usePlayhead();
  const runs = useMemo(() => runsOf(job, drafts), [job, drafts]);
  const end = useMemo(() => drawnEnd(job), [job]);
  const [view, setView] = useState<Viewport>({ startFrame: 0, framesPerPx: 0, widthPx: 0 });
  const limits: Limits = useMemo(() => ({ lowestFrame: 0, highestFrame: Math.max(end * 1.02, 1), smallestFramesPerPx: 1 / 24 }), [end]);
  const threshold = step === "find" ? (shownDrafts?.[0]?.threshold_db ?? null) : null;
  const colours = inks();

  const columns = useCallback(
    (run: Run, on: Viewport, from: number, to: number) => {
      const tiles = tilesOf(run.sourceId);
      if (!tiles) return null;
      const at = { source_id: run.sourceId, origin_frame: run.originFrame };
      const start = sourceFrameAt(job, at, on.startFrame + from * on.framesPerPx);
      const perPx = sourceFrameAt(job, at, on.startFrame + (from + 1) * on.framesPerPx) - start;
      return tiles.columns(start, perPx, to - from);
    },
    [job],
  );
  const scene = useMemo(
    () => ({
      view,
      rateHz: job.rate_hz || 48_000,
      endFrame: limits.highestFrame,
      lanes: Object.values(job.lanes).sort((a, b) => a.position - b.position),
      runs,
      clipId: clip?.id ?? null,
      selection,
      cursorFrame,
      threshold: threshold === null ? null : 10 ** (threshold / 20),
      zoom: 1 / Math.max(...Object.keys(job.sources).map((id) => tilesOf(id)?.info.peak ?? 0), 0.01),
      colours,
      columns,
      arrivals,
    }),
    [view, job, limits, runs, clip, selection, cursorFrame, threshold, columns, arrivals, colours],
  );
  const paint = useCallback(
    (ink: CanvasRenderingContext2D, { heightPx }: { heightPx: number }) => {
      if (view.framesPerPx > 0) drawStrip(ink, { ...scene, heightPx } satisfies StripScene);
    },
    [scene, view],
  );
  const [canvas, surface] = useCanvas(paint);

  // The view starts with everything, keeps its place when the window changes, and follows the clip in hand.
  useEffect(() => {
    if (surface.widthPx === 0 || end === 0) return; // the view of an empty job is chosen when something comes in
    setView((now) => {
      const sized = { ...now, widthPx: surface.widthPx };
      return now.framesPerPx === 0 ? showing(sized, 0, Math.min(limits.highestFrame, 48 * job.rate_hz), limits) : clamped(sized, limits);
    });
  }, [surface.widthPx, limits, end, job.rate_hz]);
  useEffect(() => {
    if (!clip) return;
    const [start, stop] = [startOf(job, clip), endOf(job, clip)];
    setView((now) => {
      if (now.framesPerPx === 0 || (start >= now.startFrame && Math.min(stop, start + now.widthPx * now.framesPerPx * 0.5) <= endFrame(now))) return now;
      return clamped({ ...now, startFrame: start - 0.2 * now.widthPx * now.framesPerPx }, limits);
    });
  }, [clip?.id]); // eslint-disable-line react-hooks/exhaustive-deps
  useEffect(() => {
    if (!player.playing) return;
    setView((now) => (toPx(now, cursorFrame) > now.widthPx * 0.95 ? clamped({ ...now, startFrame: cursorFrame - 0.1 * now.widthPx * now.framesPerPx }, limits) : now));
  }, [cursorFrame, limits]);

  const box = useRef<HTMLDivElement>(null);
  useWheel(box, (event) => {
    const x = event.offsetX;
    setView((now) =>
      event.shiftKey || Math.abs(event.deltaX) > Math.abs(event.deltaY)
        ? scrolled(now, event.deltaX || event.deltaY, limits)
        : zoomedAt(now, x, Math.exp(event.deltaY * 0.002), limits),
    );
  });
  useStripKeys(setView, limits);

  const gesture = useRef(IDLE);
  const act = (input: StripInput) => {
    const [next, effect] = reduceStrip(gesture.current, input);
    gesture.current = next;
    if (effect) carryOut(effect);
  };
  const carryOut = (effect: StripEffect) => {
    if (effect.kind === "select") setSelection({ start: Math.max(effect.start, 0), end: effect.end });
    if (effect.kind === "unselect") setSelection(null);
    if (effect.kind === "center") setView((now) => clamped({ ...now, startFrame: effect.frame - (now.widthPx * now.framesPerPx) / 2 }, limits));
    if (effect.kind === "choose") {
      setSelection(null);
      const run = runAt(runs, effect.frame);
      if (run?.clipId) choose(run.clipId);
      setCursor(effect.frame);
    }
  };
  const at = (event: PointerEvent<HTMLCanvasElement>) => {
    const bounds = event.currentTarget.getBoundingClientRect();
    const x = event.clientX - bounds.left;
    const onOverview = event.clientY - bounds.top > bounds.height - OVERVIEW_PX;
    return { x, onOverview, frame: frameAtPx(scene, x, gesture.current.phase === "panning" || (gesture.current.phase === "idle" && onOverview)) };
  };
  const shown = selection ? [selection.start, selection.end].map((frame) => formatTime(frame, job.rate_hz)).join(" to ") : "";

  return (
    <div ref={box} className="relative h-full overflow-hidden bg-sheet">
      <canvas
        ref={canvas}
        aria-hidden
        className="block h-full w-full touch-none"
        onPointerDown={(event) => {
          event.currentTarget.setPointerCapture(event.pointerId);
          act({ kind: "down", ...at(event) });
        }}
        onPointerMove={(event) => act({ kind: "move", ...at(event) })}
        onPointerUp={(event) => act({ kind: "up", ...at(event) })}
        onPointerCancel={() => act({ kind: "cancel" })}
      />
      {end === 0 && <p className="absolute inset-0 grid place-items-center text-soft">Drop recordings or a folder here to bring them in.</p>}
      {shown && <span className="num absolute right-2 bottom-10 bg-sheet px-1 text-xs text-soft">selected {shown}</span>}
    </div>
  );
}
