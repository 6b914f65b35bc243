import { useCallback, useEffect, useMemo, useRef, useState, type KeyboardEvent, type PointerEvent } from "react";
import type { Clip } from "../../api/types";
import { formatPlace } from "../../time/format";
import { inks } from "../../ui/theme";
import { useCanvas } from "../../ui/useCanvas";
import { gainAt } from "../../wave/curve";
import { clamped, toPx, type Limits, type Viewport } from "../../wave/geometry";
import { drawJoin } from "./joinDraw";
import { endOfJoin, JOIN_IDLE, reduceJoin, startOfJoin, underJoin, withEnd, type JoinGesture, type JoinInput, type JoinScene } from "./joinGesture";
import { leadOf, shapeOfLaw } from "../model/gains";
import { endOf, placed, startOf } from "../model/placement";
import { cross } from "../state/clipEdits";
import { setJoinLens, useOpen } from "../state/desk";
import { usePlayhead } from "../state/usePlayhead";
import { usePairView } from "./usePairView";

const WIDTH_S = 0.5;

/** The cut between two clips: both sides with their handles, and the crossfade over them. */
export function JoinLens({ leftId, rightId }: { readonly leftId: string; readonly rightId: string }) {
  const left = useOpen((desk) => desk.job.clips[leftId]);
  const right = useOpen((desk) => desk.job.clips[rightId]);
  if (!left || !right) return null;
  return <Join key={`${leftId} ${rightId}`} left={left} right={right} />;
}

function Join({ left, right }: { readonly left: Clip; readonly right: Clip }) {
  const job = useOpen((desk) => desk.job);
  const timeStyle = useOpen((desk) => desk.timeStyle);
  const levelZoom = useOpen((desk) => desk.levelZoom ?? desk.autoLevelZoom);
  const cursorFrame = usePlayhead();
  const rateHz = job.rate_hz || 48_000;
  const join = Object.values(job.joins).find((one) => one.left_clip_id === left.id && one.right_clip_id === right.id);
  const cutFrame = endOf(job, left);
  const handles = { after: placed(job, left, job.sources[left.source_id]?.frames ?? 0) - cutFrame, before: startOf(job, right) - placed(job, right, 0) };
  const scene: JoinScene = useMemo(
    () => ({ cutFrame, lengthFrames: join?.length_frames ?? 0, leadFrames: join ? leadOf(join) : 0, most: { before: handles.before, after: handles.after } }),
    [cutFrame, join, handles.before, handles.after],
  );
  const [gesture, setGesture] = useState<JoinGesture>(JOIN_IDLE);
  const live = useRef<JoinGesture>(JOIN_IDLE);
  const shown: JoinScene = useMemo(
    () => (gesture.phase === "start" || gesture.phase === "end" ? { ...scene, lengthFrames: gesture.lengthFrames, leadFrames: gesture.leadFrames } : scene),
    [scene, gesture],
  );
  const limits: Limits = useMemo(() => ({ lowestFrame: cutFrame - 120 * rateHz, highestFrame: cutFrame + 120 * rateHz, smallestFramesPerPx: 1 / 24 }), [cutFrame, rateHz]);
  const first = { middle: cutFrame, frames: Math.max(WIDTH_S * rateHz, 1.5 * scene.lengthFrames) };
  const { view, setView, sides, fit, box } = usePairView(left, right, limits, first, levelZoom);
  const colours = inks();
  const paint = useCallback(
    (ink: CanvasRenderingContext2D, { heightPx }: { heightPx: number }) => {
      if (view.framesPerPx === 0) return;
      const shape = shapeOfLaw(join?.law ?? "matched");
      drawJoin(ink, { ...shown, ...sides, view, heightPx, rateHz, levelZoom, cursorFrame, colours, label: (frame, decimals) => formatPlace(job, frame, timeStyle, decimals), gainAt: (u) => gainAt({ shape, bend: join?.bend ?? 0 }, u) });
    },
    [shown, sides, view, rateHz, levelZoom, cursorFrame, join, job, timeStyle, colours],
  );
  const [canvas, surface] = useCanvas(paint);
  useEffect(() => fit(surface.widthPx), [fit, surface.widthPx]);
  const commit = ({ lengthFrames, leadFrames }: { lengthFrames: number; leadFrames: number }) =>
    cross([[left.id, right.id]], { lengthFrames, leadFrames, law: join?.law ?? "matched", bend: join?.bend ?? 0 });
  const act = (input: JoinInput) => {
    const [next, effect] = reduceJoin(live.current, input, scene, view);
    live.current = next;
    setGesture(next);
    if (effect?.kind === "pan") setView((now) => clamped({ ...now, startFrame: effect.startFrame }, limits));
    if (effect?.kind === "cross") commit(effect);
  };
  useEffect(() => {
    const cancel = (event: globalThis.KeyboardEvent) => {
      if (event.key === "Escape" && live.current.phase !== "idle") act({ kind: "cancel" });
    };
    window.addEventListener("keydown", cancel);
    return () => window.removeEventListener("keydown", cancel);
  });
  const [pointer, setPointer] = useState("default");
  const xOf = (event: PointerEvent<HTMLElement>) => event.clientX - event.currentTarget.getBoundingClientRect().left;
  const seconds = (frames: number) => `${(frames / rateHz).toFixed(3)} s`;

  return (
    <section aria-label={`join of ${left.name} and ${right.name}`} className="flex min-h-0 min-w-0 flex-1 flex-col">
      <header className="flex h-7 items-center gap-2 bg-sheet px-3">
        <span aria-hidden className="text-join">◗◖</span>
        <b>Join</b>
        <span className="truncate text-soft">
          <bdi>{left.name}</bdi> into <bdi>{right.name}</bdi>
        </span>
        <span className="num ml-auto whitespace-nowrap text-soft">
          {gesture.phase === "start" && shown.leadFrames === handles.before && <b className="mr-3 text-warn">“{right.name}” has no more before the cut</b>}
          {gesture.phase === "end" && shown.lengthFrames - shown.leadFrames === handles.after && <b className="mr-3 text-warn">“{left.name}” has no more after the cut</b>}
          {shown.lengthFrames ? `${((shown.lengthFrames / rateHz) * 1000).toFixed(1)} ms, ${((shown.leadFrames / rateHz) * 1000).toFixed(1)} before the cut` : "a plain cut"}
        </span>
        <button type="button" className="underline" onClick={() => setJoinLens(false)}>
          head and tail
        </button>
      </header>
      <div ref={box} className="relative min-h-[120px] flex-1 bg-sheet">
        <canvas
          ref={canvas}
          aria-hidden
          className="block h-full w-full touch-none"
          style={{ cursor: pointer }}
          onPointerDown={(event) => {
            event.currentTarget.setPointerCapture(event.pointerId);
            act({ kind: "down", x: xOf(event) });
          }}
          onPointerMove={(event) => {
            setPointer(underJoin(scene, view, xOf(event)) ? "ew-resize" : "default");
            act({ kind: "move", x: xOf(event) });
          }}
          onPointerUp={() => act({ kind: "up" })}
          onPointerCancel={() => act({ kind: "cancel" })}
        />
        {(["start", "end"] as const).map((which) => (
          <EndSlider key={which} which={which} scene={scene} view={view} rateHz={rateHz} onMove={commit} />
        ))}
      </div>
      <footer className="flex h-8 items-center gap-4 px-3 text-soft">
        <span>
          “<bdi>{left.name}</bdi>” goes on for <span className="num">{seconds(handles.after)}</span> after the cut
        </span>
        <span>
          “<bdi>{right.name}</bdi>” has <span className="num">{seconds(handles.before)}</span> before it
        </span>
      </footer>
    </section>
  );
}

/** Where the crossfade starts or ends, as something that can be focused and moved by keys. */
function EndSlider(props: { which: "start" | "end"; scene: JoinScene; view: Viewport; rateHz: number; onMove: (to: { lengthFrames: number; leadFrames: number }) => void }) {
  const { which, scene, view, rateHz, onMove } = props;
  const frame = which === "start" ? startOfJoin(scene) : endOfJoin(scene);
  const x = toPx(view, frame);
  if (!Number.isFinite(x)) return null;
  return (
    <div
      role="slider"
      tabIndex={0}
      aria-label={`${which} of the crossfade`}
      aria-valuenow={frame}
      aria-valuetext={`${(((frame - scene.cutFrame) / rateHz) * 1000).toFixed(1)} ms from the cut`}
      className="pointer-events-none absolute top-0 h-full w-4 -translate-x-1/2"
      style={{ left: Math.min(Math.max(0, x), view.widthPx) }}
      onKeyDown={(event: KeyboardEvent) => {
        const direction = { ArrowLeft: -1, ArrowDown: -1, ArrowRight: 1, ArrowUp: 1 }[event.key];
        if (!direction) return;
        event.preventDefault();
        event.stopPropagation();
        onMove(withEnd(scene, which, frame + direction * Math.round((event.shiftKey ? 0.01 : 0.001) * rateHz)));
      }}
    />
  );
}
