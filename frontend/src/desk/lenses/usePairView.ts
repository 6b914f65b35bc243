/** Two clips seen in one lens, one above the other, over the same stretch of the job: what part is shown, and its columns. */
import { useCallback, useMemo, useRef, useState, type RefObject } from "react";
import type { Clip } from "../../api/types";
import { useWheel } from "../../ui/useCanvas";
import { clamped, scrolled, zoomedAt, type Limits, type Viewport } from "../../wave/geometry";
import type { Columns } from "../../wave/tiles";
import { sourceFrameAt } from "../model/placement";
import { setLevelZoom, useOpen } from "../state/desk";
import { tilesOf } from "../state/pictures";

export interface PairView {
  readonly view: Viewport;
  readonly setView: (change: (now: Viewport) => Viewport) => void;
  readonly sides: { readonly left: Columns | null; readonly right: Columns | null };
  /** Take the width of the canvas; the first one decides how much is shown. */
  readonly fit: (widthPx: number) => void;
  /** Goes on the box that the wheel zooms and scrolls. */
  readonly box: RefObject<HTMLDivElement | null>;
}

/** The view of a pair, first `frames` wide around `middle`; the wheel zooms, with shift it scrolls, with ctrl it looks into the level. */
export function usePairView(left: Clip, right: Clip, limits: Limits, shown: { readonly middle: number; readonly frames: number }, levelZoom: number): PairView {
  const job = useOpen((desk) => desk.job);
  const arrivals = useOpen((desk) => desk.arrivals);
  const { middle, frames } = shown;
  const [view, setView] = useState<Viewport>({ startFrame: 0, framesPerPx: 0, widthPx: 0 });
  const columns = useCallback(
    (clip: Clip) => {
      const tiles = tilesOf(clip.source_id);
      if (!tiles || view.framesPerPx === 0) return null;
      const start = sourceFrameAt(job, clip, view.startFrame);
      return tiles.columns(start, sourceFrameAt(job, clip, view.startFrame + view.framesPerPx) - start, view.widthPx);
    },
    [job, view, arrivals], // eslint-disable-line react-hooks/exhaustive-deps
  );
  const sides = useMemo(() => ({ left: columns(left), right: columns(right) }), [columns, left, right]);
  const fit = useCallback(
    (widthPx: number) => {
      if (widthPx === 0) return;
      setView((now) => {
        const sized = { ...now, widthPx };
        if (now.framesPerPx > 0) return clamped(sized, limits);
        return clamped({ ...sized, framesPerPx: frames / widthPx, startFrame: middle - frames / 2 }, limits);
      });
    },
    [limits, middle, frames],
  );
  const box = useRef<HTMLDivElement>(null);
  useWheel(box, (event) => {
    if (event.ctrlKey || event.metaKey) return setLevelZoom(levelZoom * (event.deltaY < 0 ? 2 : 0.5));
    const x = event.offsetX;
    setView((now) => (event.shiftKey ? scrolled(now, event.deltaY || event.deltaX, limits) : zoomedAt(now, x, Math.exp(event.deltaY * 0.002), limits)));
  });
  return { view, setView, sides, fit, box };
}
