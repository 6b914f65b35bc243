import { useVoiceCurves } from "../state/talk";
import { areTogether } from "../state/together";
import { useCallback, useEffect, useMemo, useRef, useState, type PointerEvent } from "react";
import { formatPlace } from "../../time/format";
import { useCanvas, useWheel } from "../../ui/useCanvas";
import { inks } from "../../ui/theme";
import { clamped, endFrame, scrolled, showing, toPx, zoomedAt, type Limits, type Viewport } from "../../wave/geometry";
import type { Point } from "../../wave/points";
import { HEADS_REM, LaneHeads } from "./LaneHeads";
import { drawStrip, frameAtPx, laneAt, laneHeightPx, markAt, OVERVIEW_PX, ROOMY_LANE_PX, RULER_PX, runAt, type StripScene } from "./stripDraw";
import { IDLE, reduceStrip, type StripEffect, type StripGesture, type StripInput, type Under } from "./stripGesture";
import { NO_TOUCH, reduceTouch } from "./stripTouch";
import { snapped, snapTargets } from "./snap";
import { useStripKeys } from "./stripKeys";
import { audibleLanes, endOf, lanesInOrder, markFrame, placed, sourceFrameAt, startOf } from "../model/placement";
import { trackSpans } from "../model/tracks";
import { loudnesses } from "../model/gains";
import { drawnEnd, runs as runsOf, type Run } from "../model/runs";
import { currentClip, desk, player, setCursor, setSelection, useOpen } from "../state/desk";
import { edit } from "../state/edits";
import { spectraOf, tilesOf } from "../state/pictures";
import { keepStripView, keptStripView } from "../state/place";
import { selectClip, selectedIds, selectNothing, takingOf } from "../state/selection";
import { usePlayhead } from "../state/usePlayhead";

const SNAP_REACH_PX = 8;

/** The whole job, at any zoom: what is kept in ink, what is cut away pale. */
export function Strip() {
  const job = useOpen((desk) => desk.job);
  const drafts = useOpen((desk) => (desk.drafted && desk.step === "find" ? desk.drafts : null));
  const shownDrafts = useOpen((desk) => desk.drafts);
  const clip = useOpen(currentClip);
  const selection = useOpen((desk) => desk.selection);
  const step = useOpen((desk) => desk.step);
  const arrivals = useOpen((desk) => desk.arrivals);
  const cursorFrame = usePlayhead();
  const selected = useOpen((desk) => desk.selected);
  const snaps = useOpen((desk) => desk.snaps);
  const style = useOpen((desk) => desk.timeStyle);
  const [live, setLive] = useState<StripGesture>(IDLE);
  const [scrollPx, setScrollPx] = useState(0);
  const scroller = useRef<HTMLDivElement>(null);
  const still = useMemo(() => runsOf(job, drafts), [job, drafts]);
  const runs = useMemo(() => moved(still, live, selected), [still, live, selected]);
  const lanes = useMemo(() => lanesInOrder(job).map((lane) => ({ ...lane, heard: audibleLanes(job).has(lane.id) })), [job]);
  const loudness = useMemo(() => loudnesses(job), [job]);
  const names = useMemo(() => new Map(Object.values(job.clips).map((one) => [one.id, one.name])), [job]);
  const lines = useMemo(() => {
    const drawn = Object.values(job.clips).filter((one) => one.line.length > 0);
    return new Map(drawn.map((one) => [one.id, one.line.map(([frame, db]): Point => [placed(job, one, frame) + shiftOf(one.id), db])]));
    function shiftOf(clipId: string): number {
      return live.phase === "moving" && selected.has(clipId) ? live.byFrames : 0;
    }
  }, [job, live, selected]);
  const clipId = useOpen((desk) => desk.clipId);
  const numbers = useMemo(() => new Map(trackSpans(job).map((track, n) => [track.mark.id, n + 1])), [job]);
  const marks = useMemo(
    () =>
      Object.values(job.marks).filter((mark) => mark.kind !== "air" || (step === "mark" && mark.clip_id === clipId)).map((mark) => ({
        id: mark.id,
        kind: mark.kind,
        name: numbers.has(mark.id) ? `${numbers.get(mark.id)} ${mark.name}` : mark.name,
        frame: live.phase === "mark" && live.markId === mark.id ? live.frame : markFrame(job, mark),
      })),
    [job, live, numbers, step, clipId],
  );
  const end = useMemo(() => drawnEnd(job), [job]);
  const id = useOpen((desk) => desk.id);
  const [view, setView] = useState<Viewport>(() => keptStripView(id) ?? { startFrame: 0, framesPerPx: 0, widthPx: 0 });
  useEffect(() => {
    const later = setTimeout(() => view.framesPerPx > 0 && keepStripView(id, view), 300);
    return () => clearTimeout(later);
  }, [id, view]);
  const whole = Math.max(end * 1.02, 1);
  /** One may zoom out past the end, to lay things there. */
  const limits: Limits = useMemo(() => ({ lowestFrame: 0, highestFrame: Math.max(end * 1.25, end + 10 * (job.rate_hz || 48_000), 1), smallestFramesPerPx: 1 / 24 }), [end, job.rate_hz]);
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
  const spectral = useOpen((desk) => desk.spectral);
  const spectra = useCallback(
    (ink: CanvasRenderingContext2D, run: Run, from: number, to: number, topPx: number, heightPx: number) => {
      const at = { source_id: run.sourceId, origin_frame: run.originFrame };
      const startFrame = sourceFrameAt(job, at, view.startFrame);
      const framesPerPx = sourceFrameAt(job, at, view.startFrame + view.framesPerPx) - startFrame;
      spectraOf(run.sourceId)?.draw(ink, { startFrame, framesPerPx, widthPx: view.widthPx }, from, to, topPx, heightPx, colours);
    },
    [job, view, colours],
  );
  const voices = useVoiceCurves((shown) => shown.curves);
  const scene = useMemo(
    () => ({
      view,
      rateHz: job.rate_hz || 48_000,
      endFrame: whole,
      lanes,
      runs,
      names,
      loudness,
      lines,
      voices,
      selected,
      marks,
      style,
      grid: style === "bars" ? job.grid : null,
      selection,
      cursorFrame,
      threshold: threshold === null ? null : 10 ** (threshold / 20),
      zoom: 1 / Math.max(...Object.keys(job.sources).map((id) => tilesOf(id)?.info.peak ?? 0), 0.01),
      colours,
      columns,
      spectra: spectral ? spectra : null,
      arrivals,
    }),
    [view, job, whole, lanes, runs, names, loudness, lines, voices, selected, marks, style, selection, cursorFrame, threshold, columns, spectral, spectra, arrivals, colours],
  );
  const paint = useCallback(
    (ink: CanvasRenderingContext2D, { heightPx }: { heightPx: number }) => {
      if (view.framesPerPx > 0) drawStrip(ink, { ...scene, heightPx, scrollPx } satisfies StripScene);
    },
    [scene, view, scrollPx],
  );
  const [canvas, surface] = useCanvas(paint);

  const laneHeight = laneHeightPx({ lanes, heightPx: surface.heightPx });
  const [lanesPx, shownPx] = [laneHeight * lanes.length, Math.max(surface.heightPx - RULER_PX - OVERVIEW_PX, 0)];
  // Lanes scroll as far as there are any, and to the one of the current clip.
  useEffect(() => {
    const at = lanes.findIndex((lane) => lane.id === clip?.lane_id);
    setScrollPx((now) => {
      const most = Math.max(lanesPx - shownPx, 0);
      const top = at < 0 ? now : Math.min(Math.max(now, (at + 1) * laneHeight - shownPx), at * laneHeight);
      const next = Math.min(Math.max(top, 0), most);
      if (scroller.current) scroller.current.scrollTop = next;
      return next;
    });
  }, [clip?.id, clip?.lane_id, lanes, lanesPx, shownPx, laneHeight]);

  // The view starts with everything, keeps its place when the window changes, and follows the current clip.
  useEffect(() => {
    if (surface.widthPx === 0 || end === 0) return; // the view of an empty job is set when something comes in
    setView((now) => {
      const sized = { ...now, widthPx: surface.widthPx };
      return now.framesPerPx === 0 ? showing(sized, 0, Math.min(whole, 48 * job.rate_hz), limits) : clamped(sized, limits);
    });
  }, [surface.widthPx, limits, end, whole, job.rate_hz]);
  useEffect(() => {
    if (!clip) return;
    const [start, stop] = [startOf(job, clip), endOf(job, clip)];
    setView((now) => {
      if (now.framesPerPx === 0 || (start >= now.startFrame && Math.min(stop, start + now.widthPx * now.framesPerPx * 0.5) <= endFrame(now))) return now;
      return clamped({ ...now, startFrame: start - 0.2 * now.widthPx * now.framesPerPx }, limits);
    });
  }, [clip?.id]); // eslint-disable-line react-hooks/exhaustive-deps
  const shownPlace = useOpen((desk) => desk.shownPlace);
  useEffect(() => {
    if (!shownPlace) return;
    const { frame } = shownPlace;
    setView((now) => (now.framesPerPx === 0 || (frame >= now.startFrame && frame < endFrame(now)) ? now : clamped({ ...now, startFrame: frame - 0.3 * now.widthPx * now.framesPerPx }, limits)));
  }, [shownPlace]); // eslint-disable-line react-hooks/exhaustive-deps
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
  useStripKeys(setView, limits, whole);

  const gesture = useRef<StripGesture>(IDLE);
  const [snapsTo, setSnapsTo] = useState("");
  const act = (input: StripInput) => {
    const [next, effect] = reduceStrip(gesture.current, input);
    gesture.current = next;
    if (next.phase === "moving" || next.phase === "mark" || live.phase !== "idle") setLive(next);
    if (effect) carryOut(effect);
  };
  /** Where a drag has got to: on a beat, a mark, an edge or the cursor if it is near and snapping was asked for. */
  const whereTo = (frame: number): number => {
    const now = gesture.current;
    if (!snaps || (now.phase !== "moving" && now.phase !== "mark")) return frame;
    const held = now.phase === "moving" ? job.clips[now.clipId] : undefined;
    const anchor = held ? (held.sync_frame === null ? startOf(job, held) : placed(job, held, held.sync_frame)) : 0;
    const from = held && now.phase === "moving" ? now.frame : 0;
    const targets = now.phase === "mark" ? snapTargets(job, cursorFrame, new Set(), now.markId) : snapTargets(job, cursorFrame, selected, null);
    const target = snapped(job, anchor + frame - from, targets, SNAP_REACH_PX * view.framesPerPx);
    setSnapsTo(target?.name ?? "");
    return target ? from + target.frame - anchor : frame;
  };
  const carryOut = (effect: StripEffect) => {
    if (effect.kind === "select") setSelection({ start: effect.start, end: effect.end, laneId: areTogether(desk()) ? null : effect.laneId });
    if (effect.kind === "unselect") setSelection(null);
    if (effect.kind === "center") setView((now) => clamped({ ...now, startFrame: effect.frame - (now.widthPx * now.framesPerPx) / 2 }, limits));
    if (effect.kind === "take") selectClip(effect.clipId, undefined, "keep");
    if (effect.kind === "move_mark") void edit({ kind: "move_mark", mark_id: effect.markId, frame: Math.max(effect.frame, 0) });
    if (effect.kind === "move_clips") void edit({ kind: "move_clips", clip_ids: selectedIds(desk()), by_frames: effect.byFrames, to_lane_id: effect.laneId });
    if (effect.kind === "choose") {
      setSelection(null);
      if (effect.clipId) selectClip(effect.clipId, undefined, effect.how);
      else if (effect.inGap && effect.how === "only") selectNothing();
      setCursor(effect.frame);
    }
  };
  useEffect(() => {
    const cancel = (event: KeyboardEvent) => {
      if (event.key === "Escape" && gesture.current.phase !== "idle") act({ kind: "cancel" });
    };
    window.addEventListener("keydown", cancel);
    return () => window.removeEventListener("keydown", cancel);
  });
  const at = (event: PointerEvent<HTMLCanvasElement>) => {
    const bounds = event.currentTarget.getBoundingClientRect();
    const [x, y] = [event.clientX - bounds.left, event.clientY - bounds.top];
    const sized = { ...scene, heightPx: bounds.height, scrollPx };
    const onOverview = y > bounds.height - OVERVIEW_PX;
    const frame = frameAtPx(scene, x, gesture.current.phase === "panning" || (gesture.current.phase === "idle" && onOverview));
    const lane = onOverview ? null : laneAt(sized, y);
    const run = lane ? runAt(runs, frame, lane.laneId) : undefined;
    return { x, y, frame, lane, clipId: run?.clipId ?? null, onOverview };
  };
  const under = ({ x, y, lane, clipId, onOverview }: ReturnType<typeof at>): Under => {
    if (onOverview) return { on: "overview" };
    const mark = y < RULER_PX ? markAt(scene, x) : undefined;
    if (mark) return { on: "mark", markId: mark.id };
    if (y < RULER_PX) return { on: "ruler" };
    return lane?.onBody && clipId !== null ? { on: "name", clipId } : { on: "wave", clipId, laneId: lane?.laneId ?? null };
  };
  const touch = useRef(NO_TOUCH);
  const touched = (kind: "down" | "move" | "up", event: PointerEvent<HTMLCanvasElement>): void => {
    const place = at(event);
    const [next, effect] = reduceTouch(touch.current, { kind, id: event.pointerId, x: place.x });
    touch.current = next;
    if (effect?.kind === "scroll") setView((now) => scrolled(now, effect.byPx, limits));
    if (effect?.kind === "zoom") setView((now) => scrolled(zoomedAt(now, effect.x, effect.factor, limits), effect.byPx, limits));
    if (effect?.kind === "tap") carryOut({ kind: "choose", frame: place.frame, clipId: place.clipId, inGap: place.clipId === null && place.y >= RULER_PX, how: "only" });
  };
  /** The lane that clips would go to: another than that of the clip by whose name they are held. */
  const otherLane = (laneId: string | undefined): string | null => {
    const held = gesture.current.phase === "moving" ? gesture.current.clipId : gesture.current.phase === "pressed" && gesture.current.under.on === "name" ? gesture.current.under.clipId : null;
    return held === null || laneId === undefined || job.clips[held]?.lane_id === laneId ? null : laneId;
  };
  const shown = selection ? [selection.start, selection.end].map((frame) => formatPlace(job, frame, style)).join(" to ") : "";
  const [shape, setShape] = useState("default");
  const roomy = lanes.length === 0 || surface.heightPx === 0 || laneHeight >= ROOMY_LANE_PX;
  const heads = <LaneHeads topPx={RULER_PX} bottomPx={surface.heightPx - OVERVIEW_PX} laneHeightPx={laneHeight} scrollPx={scrollPx} roomy={roomy} />;

  return (
    <div className="flex h-full overflow-hidden bg-sheet">
      {!roomy && <div className="relative shrink-0 border-r border-rule" style={{ width: `${HEADS_REM}rem` }}>{heads}</div>}
      <div ref={box} className="relative min-w-0 flex-1">
        <canvas
          ref={canvas}
          aria-hidden
          className="block h-full w-full touch-none"
          style={{ cursor: shape }}
          onPointerDown={(event) => {
            event.currentTarget.setPointerCapture(event.pointerId);
            if (event.pointerType === "touch") return touched("down", event);
            const place = at(event);
            act({ kind: "down", x: place.x, frame: place.frame, under: under(place), how: takingOf(event) });
          }}
          onPointerMove={(event) => {
            if (event.pointerType === "touch") return touched("move", event);
            const place = at(event);
            if (gesture.current.phase === "idle") setShape({ wave: "default", overview: "default", ruler: "default", name: "grab", mark: "ew-resize" }[under(place).on]);
            act({ kind: "move", x: place.x, frame: whereTo(place.frame), laneId: otherLane(place.lane?.laneId) });
          }}
          onPointerUp={(event) => {
            if (event.pointerType === "touch") return touched("up", event);
            const place = at(event);
            act({ kind: "up", x: place.x, frame: whereTo(place.frame), laneId: otherLane(place.lane?.laneId) });
          }}
          onPointerCancel={() => {
            touch.current = NO_TOUCH;
            act({ kind: "cancel" });
          }}
        />
        {roomy && heads}
        {lanesPx > shownPx && (
          <div
            ref={scroller}
            role="group"
            tabIndex={0}
            aria-label="lanes, scrolled"
            className="absolute right-0 w-3.5 overflow-x-hidden overflow-y-scroll"
            style={{ top: RULER_PX, height: shownPx }}
            onScroll={(event) => setScrollPx(event.currentTarget.scrollTop)}
          >
            <div style={{ height: lanesPx }} />
          </div>
        )}
        {live.phase === "moving" && (
          <span className="num pointer-events-none absolute top-1 left-1/2 -translate-x-1/2 rounded-(--radius) bg-ink px-2 py-0.5 text-on-ink">
            {live.byFrames < 0 ? "−" : "+"}
            {(Math.abs(live.byFrames) / (job.rate_hz || 48_000)).toFixed(3)} s{snaps && snapsTo && `, at ${snapsTo}`}
          </span>
        )}
        {end === 0 && <p className="absolute inset-0 grid place-items-center text-soft">Drop recordings or a folder here.</p>}
        {shown && <span className="num absolute right-2 bottom-10 bg-sheet px-1 text-xs text-soft">selected {shown}</span>}
      </div>
    </div>
  );
}

/** Runs as they would lie while the selection is dragged. */
function moved(runs: readonly Run[], live: StripGesture, selected: ReadonlySet<string>): readonly Run[] {
  if (live.phase !== "moving") return runs;
  return runs.map((run) =>
    run.clipId !== null && selected.has(run.clipId)
      ? { ...run, start: run.start + live.byFrames, end: run.end + live.byFrames, originFrame: run.originFrame + live.byFrames, laneId: live.laneId ?? run.laneId }
      : run,
  );
}
