import { useCallback, useEffect, useMemo, useRef, useState, type KeyboardEvent, type PointerEvent } from "react";
import type { Clip, Fade, Reach, Shape, Side } from "../../api/types";
import { formatPlace, formatTime } from "../../time/format";
import { inks } from "../../ui/theme";
import { useCanvas, useWheel } from "../../ui/useCanvas";
import { gainAt } from "../../wave/curve";
import { clamped, scrolled, toPx, zoomedAt, type Limits, type Viewport } from "../../wave/geometry";
import { curveY, DOTS_FROM_PX, drawLens, visibleFrames } from "./lensDraw";
import { autoLevelZoom, mostForPeak, scaleText } from "./autoLevel";
import { LensFoot } from "./LensFoot";
import { innerFrame, LENS_IDLE, reduceLens, under, type LensEffect, type LensGesture, type LensInput, type LensScene } from "./lensGesture";
import { levelOf } from "../model/gains";
import { countedFrom, placed, sourceFrameAt } from "../model/placement";
import { draftedEdges } from "../model/runs";
import { edgeReach, moveEdgeTo, nudge, setFadeOfChosen } from "../state/clipEdits";
import { set, setLevelZoom, useOpen } from "../state/desk";
import { spectraOf, tilesOf } from "../state/pictures";
import { selectClip } from "../state/selection";
import { usePlayhead } from "../state/usePlayhead";

const WIDTH_S: Record<Side, number> = { head: 0.24, tail: 0.48 };
const EDGE_AT: Record<Side, number> = { head: 0.3, tail: 0.7 };

/** One edge of the current clip, magnified. */
export function Lens({ side }: { readonly side: Side }) {
  const clip = useOpen((desk) => (desk.clipId ? desk.job.clips[desk.clipId] : undefined));
  if (!clip) {
    return (
      <section aria-label={side} className="flex min-w-0 flex-1 items-center justify-center bg-sheet text-soft">
        {side === "head" ? "no clip selected" : ""}
      </section>
    );
  }
  return <LensOf key={side} clip={clip} side={side} />;
}

function LensOf({ clip, side }: { readonly clip: Clip; readonly side: Side }) {
  const job = useOpen((desk) => desk.job);
  const active = useOpen((desk) => desk.side === side);
  const drafts = useOpen((desk) => (desk.drafted && desk.step === "find" ? desk.drafts : null));
  const ownZoom = useOpen((desk) => desk.levelZoom);
  const factor = useOpen((desk) => desk.brief.level_zoom);
  const [autoZoom, setAutoZoom] = useState<number | null>(null);
  const arrivals = useOpen((desk) => desk.arrivals);
  const spectral = useOpen((desk) => desk.spectral);
  const threshold = useOpen((desk) => (desk.step === "find" ? (desk.drafts?.find((one) => one.target_id === clip.finding_id)?.threshold_db ?? null) : null));
  const cursor = usePlayhead();
  const rateHz = job.sources[clip.source_id]?.rate_hz ?? 48_000;
  const tiles = tilesOf(clip.source_id);
  const most = mostForPeak(tiles?.info.peak ?? 1, factor);
  const levelZoom = ownZoom ?? autoZoom ?? most;
  const frames = tiles?.info.frames ?? clip.tail_frame;
  const fade = side === "head" ? clip.fade_in : clip.fade_out;
  const edges = draftedEdges(clip, drafts);
  const edgeFrame = side === "head" ? edges.head : edges.tail;
  const soundFrame = side === "head" ? clip.sound_start_frame : clip.sound_end_frame;
  const within = side === "head" ? clip.starts_within : clip.ends_within;
  const joined = Object.values(job.joins).some((join) => (side === "head" ? join.right_clip_id : join.left_clip_id) === clip.id);

  const [gesture, setGesture] = useState<LensGesture>(LENS_IDLE);
  const live = useRef<LensGesture>(LENS_IDLE);
  const [heightPx, setHeightPx] = useState(0);
  const [reach, setReach] = useState<Reach | null>(null);
  const bent = useMemo(() => (gesture.phase === "bend" && fade ? { ...fade, bend: gesture.bend } : fade), [gesture, fade]);
  const scene: LensScene = useMemo(
    () => ({
      side,
      edgeFrame,
      fadeFrames: fade?.length_frames ?? 0,
      bend: fade ? { value: fade.bend, y: curveY(heightPx, gainAt(fade, 0.5)) } : null,
      reach: reach && { lowestFrame: reach.lowest_frame, highestFrame: reach.highest_frame, longestFade: reach.longest_fade_frames },
    }),
    [side, edgeFrame, fade, heightPx, reach],
  );
  const shown: LensScene = useMemo(
    () => ({
      ...scene,
      ...(gesture.phase === "edge" ? { edgeFrame: gesture.edgeFrame } : {}),
      ...(gesture.phase === "fade" ? { fadeFrames: gesture.fadeFrames } : {}),
    }),
    [scene, gesture],
  );
  const limits: Limits = useMemo(
    () => {
      const beyond = Math.max(0.25 * rateHz, 0.2 * scene.fadeFrames);
      return { lowestFrame: -beyond, highestFrame: frames + beyond, smallestFramesPerPx: 1 / 24 };
    },
    [rateHz, frames, scene.fadeFrames],
  );
  const [view, setView] = useState<Viewport>({ startFrame: 0, framesPerPx: 0, widthPx: 0 });

  const picture = useMemo(() => {
    if (!tiles || view.framesPerPx === 0) return null;
    const near = view.framesPerPx < 1 / DOTS_FROM_PX;
    const [first, last] = visibleFrames(view, frames);
    const samples = near ? (tiles.samples(first, last - first)?.[0] ?? null) : null;
    return { samples, firstSample: first, columns: samples ? null : tiles.columns(view.startFrame, view.framesPerPx, view.widthPx) };
  }, [tiles, view, frames, arrivals]); // eslint-disable-line react-hooks/exhaustive-deps
  // The level follows the sound of a clip that the lens has just come to, and then holds still.
  useEffect(() => setAutoZoom(null), [clip.id]);
  useEffect(() => {
    if (autoZoom === null && picture?.columns) setAutoZoom(autoLevelZoom(picture.columns, most));
  }, [autoZoom, picture, most]);
  useEffect(() => {
    if (active && autoZoom !== null) set({ autoLevelZoom: autoZoom });
  }, [active, autoZoom]);
  const colours = inks();
  const timeStyle = useOpen((desk) => desk.timeStyle);
  const ofSource = useOpen((desk) => desk.brief.times_of_source);
  const level = useMemo(() => levelOf(job, clip), [job, clip]);
  const paint = useCallback(
    (ink: CanvasRenderingContext2D, { heightPx }: { heightPx: number }) => {
      if (!picture || !tiles) return;
      drawLens(ink, {
        ...shown,
        ...picture,
        view,
        heightPx,
        rateHz,
        frames,
        soundFrame,
        within: soundFrame === null ? null : within,
        floor: 10 ** (tiles.info.floor_db / 20),
        threshold: threshold === null ? null : 10 ** (threshold / 20),
        levelZoom,
        cursorFrame: sourceFrameAt(job, clip, cursor),
        label: (frame, decimals) => formatPlace(job, placed(job, clip, frame) - countedFrom(job, clip, ofSource), timeStyle, decimals),
        levelAt: (frame) => level(placed(job, clip, frame)),
        gainAt: (u) => gainAt(bent ?? { shape: "s", bend: 0 }, u),
        colours,
        spectra: spectral ? (on, from, to, top, height) => spectraOf(clip.source_id)?.draw(on, view, from, to, top, height, colours) : null,
      });
    },
    [picture, shown, view, rateHz, frames, soundFrame, within, tiles, threshold, levelZoom, job, clip, level, timeStyle, ofSource, cursor, bent, spectral, colours],
  );
  const [canvas, surface] = useCanvas(paint);
  useEffect(() => setHeightPx(surface.heightPx), [surface.heightPx]);

  // The lens goes to the edge of another clip, and follows its own when it leaves the view.
  useEffect(() => {
    if (surface.widthPx === 0 || live.current.phase !== "idle") return;
    setView((now) => {
      const sized = { ...now, widthPx: surface.widthPx };
      const x = toPx(sized, edgeFrame);
      if (now.framesPerPx > 0 && x > 0.05 * sized.widthPx && x < 0.95 * sized.widthPx) return clamped(sized, limits);
      const framesPerPx = now.framesPerPx || (WIDTH_S[side] * rateHz) / surface.widthPx;
      return clamped({ ...sized, framesPerPx, startFrame: edgeFrame - EDGE_AT[side] * sized.widthPx * framesPerPx }, limits);
    });
  }, [surface.widthPx, edgeFrame, limits, rateHz, side]);
  useEffect(() => {
    setView((now) => (now.widthPx === 0 ? now : { ...now, startFrame: Number.NEGATIVE_INFINITY }));
    setView((now) => {
      if (now.widthPx === 0) return now;
      const framesPerPx = (WIDTH_S[side] * rateHz) / now.widthPx;
      return { ...now, framesPerPx, startFrame: edgeFrame - EDGE_AT[side] * now.widthPx * framesPerPx };
    });
  }, [clip.id]); // eslint-disable-line react-hooks/exhaustive-deps

  const box = useRef<HTMLDivElement>(null);
  useWheel(box, (event) => {
    if (event.ctrlKey || event.metaKey) return setLevelZoom(levelZoom * (event.deltaY < 0 ? 2 : 0.5));
    const x = event.offsetX;
    setView((now) => (event.shiftKey ? scrolled(now, event.deltaY || event.deltaX, limits) : zoomedAt(now, x, Math.exp(event.deltaY * 0.002), limits)));
  });

  const carryOut = (effect: LensEffect) => {
    if (effect.kind === "pan") setView((now) => clamped({ ...now, startFrame: effect.startFrame }, limits));
    if (effect.kind === "move_edge") moveEdgeTo(clip.id, side, effect.frame);
    if (effect.kind === "set_fade") setFade({ length_frames: effect.frames });
    if (effect.kind === "set_bend") setFade({ bend: effect.bend });
  };
  const setFade = (part: Partial<Fade>) => {
    const base = fade ?? { length_frames: 0, shape: "s" as Shape, bend: 0, points: [] };
    selectClip(clip.id, side, "keep");
    setFadeOfChosen(side, { ...base, ...part });
  };
  const act = (input: LensInput) => {
    const [next, effect] = reduceLens(live.current, input, scene, view);
    live.current = next;
    setGesture(next);
    if (effect) carryOut(effect);
    if (input.kind === "down" && (next.phase === "edge" || next.phase === "fade")) void edgeReach(clip.id, side).then(setReach);
    if (next.phase === "idle") setReach(null);
  };
  const [cursorShape, setCursorShape] = useState("default");
  const at = (event: PointerEvent<HTMLElement>) => {
    const bounds = event.currentTarget.getBoundingClientRect();
    return { x: event.clientX - bounds.left, y: event.clientY - bounds.top };
  };
  useEffect(() => {
    const cancel = (event: globalThis.KeyboardEvent) => {
      if (event.key === "Escape" && live.current.phase !== "idle") act({ kind: "cancel" });
    };
    window.addEventListener("keydown", cancel);
    return () => window.removeEventListener("keydown", cancel);
  });

  const widthMs = ((view.framesPerPx * view.widthPx) / rateHz) * 1000;
  const showWholeFade = () => {
    const length = Math.max(shown.fadeFrames * 1.3, 0.02 * rateHz);
    setView((now) => clamped({ ...now, framesPerPx: length / now.widthPx, startFrame: side === "head" ? edgeFrame - 0.12 * length : edgeFrame - 0.88 * length }, limits));
  };
  const fadeLeaves = view.framesPerPx > 0 && (toPx(view, innerFrame(shown)) < 0 || toPx(view, innerFrame(shown)) > view.widthPx);

  return (
    <section aria-label={`${side} of ${clip.name}`} className="flex min-w-0 flex-1 flex-col">
      <header className={`flex h-7 items-center gap-2 px-3 ${active ? "bg-sheet" : ""}`}>
        <span aria-hidden className={side === "head" ? "text-head" : "text-tail"}>
          {side === "head" ? "◖" : "◗"}
        </span>
        <button type="button" className={`font-bold ${active ? "underline decoration-2 underline-offset-4" : ""}`} aria-pressed={active} onClick={() => selectClip(clip.id, side, "keep")}>
          {side === "head" ? "Head" : "Tail"}
        </button>
        <span className="truncate text-soft">
          of <bdi>{clip.name}</bdi>
          {edges.gone && <span className="text-warn"> — not found with these settings</span>}
        </span>
        <span className="num ml-auto whitespace-nowrap text-soft">
          {fadeLeaves && (
            <button type="button" className="mr-3 underline" onClick={showWholeFade}>
              show whole fade
            </button>
          )}
          {`${scaleText(levelZoom)} · `}
          {widthMs >= 10_000 ? `${(widthMs / 1000).toFixed(1)} s` : `${widthMs.toFixed(widthMs < 10 ? 2 : 0)} ms`}
        </span>
      </header>
      <div ref={box} className="relative min-h-[120px] flex-1 bg-sheet">
        <canvas
          ref={canvas}
          aria-hidden
          className="block h-full w-full touch-none"
          style={{ cursor: cursorShape }}
          onPointerDown={(event) => {
            event.currentTarget.setPointerCapture(event.pointerId);
            if (!active) selectClip(clip.id, side, "keep");
            act({ kind: "down", ...at(event) });
          }}
          onPointerMove={(event) => {
            const place = at(event);
            const target = under(scene, view, place.x, place.y);
            setCursorShape(target === "bend" ? "ns-resize" : target ? "ew-resize" : "default");
            act({ kind: "move", ...place });
          }}
          onPointerUp={() => act({ kind: "up" })}
          onPointerCancel={() => act({ kind: "cancel" })}
        />
        <EdgeSlider side={side} clip={clip} x={toPx(view, shown.edgeFrame)} rateHz={rateHz} frame={edgeFrame} frames={frames} />
        {gesture.phase !== "idle" && gesture.phase !== "pan" && (
          <span className="num pointer-events-none absolute top-1 left-1/2 -translate-x-1/2 max-w-full truncate whitespace-nowrap rounded-(--radius) bg-ink px-2 py-0.5 text-on-ink">
            {gesture.phase === "edge" && `${formatTime(gesture.edgeFrame, rateHz, "clock", 4)}${stopText(reach, gesture.edgeFrame)}`}
            {gesture.phase === "fade" && (gesture.fadeFrames ? `fade ${((gesture.fadeFrames / rateHz) * 1000).toFixed(1)} ms` : "no fade")}
            {gesture.phase === "fade" && reach !== null && gesture.fadeFrames === reach.longest_fade_frames && ", as long as it can be"}
            {gesture.phase === "bend" && `bend ${gesture.bend.toFixed(2)}`}
          </span>
        )}
      </div>
      <LensFoot clip={clip} side={side} rateHz={rateHz} frame={shown.edgeFrame} fade={fade} joined={joined} onFade={setFade} soundFrame={soundFrame} />
    </section>
  );
}

/** What stops an edge that is dragged as far as it goes. */
function stopText(reach: Reach | null, frame: number): string {
  if (reach && frame === reach.lowest_frame) return `, stops: ${reach.lowest_reason}`;
  if (reach && frame === reach.highest_frame) return `, stops: ${reach.highest_reason}`;
  return "";
}

/** The edge as something that can be focused and moved by keys: it lies over the canvas, which is mute. */
function EdgeSlider(props: { side: Side; clip: Clip; x: number; rateHz: number; frame: number; frames: number }) {
  const { side, clip, x, rateHz, frame, frames } = props;
  const onKeyDown = (event: KeyboardEvent) => {
    const direction = { ArrowLeft: -1, ArrowDown: -1, ArrowRight: 1, ArrowUp: 1 }[event.key];
    if (!direction) return;
    event.preventDefault();
    event.stopPropagation();
    selectClip(clip.id, side, "keep");
    nudge(direction * Math.round((event.shiftKey ? 0.01 : 0.001) * rateHz));
  };
  if (!Number.isFinite(x)) return null;
  return (
    <div
      role="slider"
      tabIndex={0}
      aria-label={`${side} of ${clip.name}`}
      aria-valuenow={frame}
      aria-valuemin={0}
      aria-valuemax={frames}
      aria-valuetext={formatTime(frame, rateHz, "clock", 4)}
      className="pointer-events-none absolute top-0 h-full w-4 -translate-x-1/2"
      style={{ left: Math.max(0, x) }}
      onKeyDown={onKeyDown}
      onFocus={() => selectClip(clip.id, side, "keep")}
    />
  );
}
