import type { Clip } from "../../api/types";
import { TriangleAlert } from "lucide-react";
import { useCallback, useEffect, useMemo, useRef, useState } from "react";
import { useShallow } from "zustand/react/shallow";
import { inks } from "../../ui/theme";
import { useCanvas } from "../../ui/useCanvas";
import { drawWall } from "./wallDraw";
import { stepped, visibleCells, wallGrid } from "./wallGeometry";
import { type Cell, cells, type WallOrder } from "../model/cells";
import { useOpen } from "../state/desk";
import { fetchHeads, setOnly, setOrder, useHits } from "../state/hitSearch";
import { selectClips } from "../state/selection";

const NO_CLIP: ReadonlySet<string> = new Set();

/** All hits as small multiples, each aligned on its onset: what is out of line jumps to the eye. */
export function HeadWall({ onStrip }: { readonly onStrip: () => void }) {
  const job = useOpen((desk) => desk.job);
  const clipId = useOpen((desk) => desk.clipId);
  const selected = useOpen((desk) => desk.selected);
  const known = useHits(useShallow(({ draft, drafted, deciding, heads }) => ({ draft, drafted, deciding, heads })));
  const order = useHits((hits) => hits.order);
  const only = useHits((hits) => hits.only);
  const list = useMemo(() => cells(job, known, order, only), [job, known, order, only]);
  useEffect(() => void fetchHeads(), [job]);
  const [scrollPx, setScroll] = useState(0);
  const scroller = useRef<HTMLDivElement>(null);
  const [size, setSize] = useState({ widthPx: 0, heightPx: 0 });
  const grid = useMemo(() => wallGrid(size.widthPx || 1, list.length), [size.widthPx, list.length]);
  const [first, last] = visibleCells(grid, scrollPx, size.heightPx, list.length);
  const colours = inks();
  const ofCell = useCallback((cell: Cell) => cell.clips.flatMap((clip) => known.heads.get(clip.id)?.picture ?? []), [known]);
  const paint = useCallback(
    (ink: CanvasRenderingContext2D) => {
      const isSelected = (cell: Cell) => cell.clips.some((clip) => (selected.size ? selected : NO_CLIP).has(clip.id));
      drawWall(ink, { grid, cells: list, first, last, scrollPx, heads: ofCell, isSelected, colours });
    },
    [grid, list, first, last, scrollPx, ofCell, selected, colours],
  );
  const [canvas, surface] = useCanvas(paint);
  useEffect(() => setSize(surface), [surface]);
  const at = list.findIndex((cell) => cell.clips.some((clip) => clip.id === clipId));
  const take = (cell: Cell | undefined) => cell && selectClips(cell.clips.map((clip) => clip.id));
  useEffect(() => {
    const box = scroller.current;
    if (!box || at < 0) return;
    const top = Math.floor(at / grid.columns) * grid.rowHeightPx;
    if (top < box.scrollTop) box.scrollTop = top;
    else if (top + grid.rowHeightPx > box.scrollTop + box.clientHeight) box.scrollTop = top + grid.rowHeightPx - box.clientHeight;
  }, [at, grid]);

  return (
    <div className="flex h-full flex-col">
      <header className="flex h-7 items-center gap-3 border-b border-rule px-3 text-soft">
        <b className="text-ink">Heads</b>
        <label className="flex items-center gap-1">
          by
          <select aria-label="order of the wall" className="rounded-(--radius) border border-rule bg-sheet px-1 text-ink" value={order} onChange={(event) => setOrder(event.target.value as WallOrder)}>
            <option value="doubt">doubtful first</option>
            <option value="name">name and strength</option>
            <option value="air">air in front</option>
          </select>
        </label>
        <input aria-label="show only" placeholder="show only: bell hard" className="w-36 rounded-(--radius) border border-rule bg-sheet px-1.5 text-ink" value={only} onChange={(event) => setOnly(event.target.value)} onKeyDown={(event) => event.key === "Escape" && setOnly("")} />
        <span className="num">{list.length} {list.length === 1 ? "hit" : "hits"}</span>
        <button type="button" className="ml-auto underline" onClick={onStrip}>
          strip
        </button>
      </header>
      <div className="relative min-h-0 flex-1">
        <canvas ref={canvas} aria-hidden className="absolute inset-0 block h-full w-full" />
        <div
          ref={scroller}
          role="listbox"
          tabIndex={0}
          aria-label="heads of the hits"
          aria-activedescendant={at >= 0 ? `cell-${list[at]?.key ?? ""}` : undefined}
          className="absolute inset-0 overflow-auto -outline-offset-2!"
          onScroll={(event) => setScroll(event.currentTarget.scrollTop)}
          onKeyDown={(event) => {
            const next = stepped(grid, Math.max(at, 0), event.key, list.length);
            if (next === at || !/^(Arrow|Page|Home|End)/.test(event.key)) return;
            event.preventDefault();
            event.stopPropagation();
            take(list[next]);
          }}
        >
          {list.length === 0 && <p className="px-3 py-4 text-soft">{only ? "No hit matches these words." : "No hits yet. Drop a folder of samples anywhere on this page."}</p>}
          <div className="relative" style={{ height: grid.rows * grid.rowHeightPx }}>
            {list.slice(first, last).map((cell, n) => (
              <CellLabel key={cell.key} cell={cell} selected={first + n === at} index={first + n} width={grid.cellWidthPx} height={grid.rowHeightPx} columns={grid.columns} onTake={() => take(cell)} />
            ))}
          </div>
        </div>
      </div>
    </div>
  );
}

interface LabelProps {
  readonly cell: Cell;
  readonly selected: boolean;
  readonly index: number;
  readonly width: number;
  readonly height: number;
  readonly columns: number;
  readonly onTake: () => void;
}

/** Why a hit should be looked at: what is least sure of it. */
const reasonOf = (clip: Clip | undefined): string => ((clip?.end_confidence ?? 1) < (clip?.confidence ?? 1) ? (clip?.end_reason ?? "") : (clip?.reason ?? ""));

/** The name and the confidence of a cell, over its picture. */
function CellLabel({ cell, selected, index, width, height, columns, onTake }: LabelProps) {
  const doubtful = useHits((hits) => cell.confidence < hits.limits.doubtfulUnder);
  const clip = cell.clips[0];
  return (
    <div
      id={`cell-${cell.key}`}
      role="option"
      aria-selected={selected}
      title={`${cell.name}: ${reasonOf(clip) || (doubtful ? "doubtful" : "clear start and end")}, confidence ${cell.confidence.toFixed(2)}${cell.clips.length > 1 ? `, ${cell.clips.length} microphones` : ""}`}
      className="absolute flex items-start gap-1 px-1 text-xs leading-[17px]"
      style={{ left: (index % columns) * width, top: Math.floor(index / columns) * height, width: width - 1, height: height - 1 }}
      onClick={onTake}
    >
      {doubtful && <TriangleAlert size={11} aria-label="to look at" className="mt-[3px] shrink-0 text-warn" />}
      <bdi className={`min-w-0 flex-1 truncate ${doubtful ? "text-warn" : ""}`}>{cell.name}</bdi>
      {doubtful && <span className="num text-soft">{cell.confidence.toFixed(2)}</span>}
    </div>
  );
}
