import { TriangleAlert } from "lucide-react";
import { useCallback, useEffect, useMemo, useRef, useState } from "react";
import { useShallow } from "zustand/react/shallow";
import { inks } from "../../ui/theme";
import { useCanvas } from "../../ui/useCanvas";
import { drawWall } from "./wallDraw";
import { stepped, visibleCells, wallGrid } from "./wallGeometry";
import { type Cell, cells, type WallOrder } from "../model/cells";
import { hasWords, inHeldOrder, textOf, wordsOf } from "../model/shown";
import { useOpen } from "../state/desk";
import { fetchHeads, useHits } from "../state/hitSearch";
import { hearClip } from "../state/listening";
import { selectClips, type Taking, takingOf } from "../state/selection";
import { hold, nowSeen, showOnly, sortWall, useShown } from "../state/shown";

/** All hits as small multiples, each aligned on its onset: what is out of line jumps to the eye. */
export function HeadWall({ onStrip }: { readonly onStrip: () => void }) {
  const job = useOpen((desk) => desk.job);
  const clipId = useOpen((desk) => desk.clipId);
  const selected = useOpen((desk) => desk.selected);
  const hits = useHits(useShallow(({ draft, drafted, deciding, heads }) => ({ draft, drafted, deciding, heads })));
  const verdicts = useOpen((desk) => desk.verdicts);
  const known = useMemo(() => ({ ...hits, verdicts }), [hits, verdicts]);
  const order = useShown((shown) => shown.order);
  const sorted = useMemo(() => cells(job, known, order), [job, known, order]);
  const { all, list, moved } = useShownCells(sorted, known.draft !== null);
  useEffect(() => void fetchHeads(), [job]);
  const [scrollPx, setScroll] = useState(0);
  const scroller = useRef<HTMLDivElement>(null);
  const [size, setSize] = useState({ widthPx: 0, heightPx: 0 });
  const grid = useMemo(() => wallGrid(size.widthPx || 1, list.length), [size.widthPx, list.length]);
  const [first, last] = visibleCells(grid, scrollPx, size.heightPx, list.length);
  const colours = inks();
  const ofCell = useCallback((cell: Cell) => cell.clips.flatMap((clip) => known.heads.get(clip.id)?.picture ?? []), [known]);
  const isSelected = useCallback((cell: Cell) => cell.clips.some((clip) => selected.has(clip.id)), [selected]);
  const at = list.findIndex((cell) => cell.clips.some((clip) => clip.id === clipId));
  const paint = useCallback(
    (ink: CanvasRenderingContext2D) => drawWall(ink, { grid, cells: list, first, last, scrollPx, heads: ofCell, isSelected, current: at, colours }),
    [grid, list, first, last, scrollPx, ofCell, isSelected, at, colours],
  );
  const [canvas, surface] = useCanvas(paint);
  useEffect(() => setSize(surface), [surface]);
  const take = (cell: Cell | undefined, how: Taking) => cell && selectClips(cell.clips.map((clip) => clip.id), undefined, how);
  useEffect(() => {
    const box = scroller.current;
    if (!box || at < 0) return;
    const top = Math.floor(at / grid.columns) * grid.rowHeightPx;
    if (top < box.scrollTop) box.scrollTop = top;
    else if (top + grid.rowHeightPx > box.scrollTop + box.clientHeight) box.scrollTop = top + grid.rowHeightPx - box.clientHeight;
  }, [at, grid]);
  const taken = list.filter(isSelected).length;

  return (
    <div className="flex h-full flex-col">
      <header className="flex h-7 items-center gap-3 border-b border-rule px-3 text-soft">
        <b className="text-ink">Heads</b>
        <label className="flex items-center gap-1">
          by
          <select aria-label="order of the wall" className="rounded-(--radius) border border-rule bg-sheet px-1 text-ink" value={order} onChange={(event) => sortWall(event.target.value as WallOrder)}>
            <option value="doubt">doubtful first</option>
            <option value="name">name and strength</option>
            <option value="air">air in front</option>
          </select>
        </label>
        {moved && (
          <button type="button" className="underline" onClick={() => sortWall(order)}>
            sort again
          </button>
        )}
        <span className="num whitespace-nowrap">
          {list.length === all ? all : `${list.length} of ${all}`} {all === 1 ? "hit" : "hits"}
          {taken > 1 && `, ${taken} selected`}
        </span>
        {list.length < all && (
          <button type="button" className="underline" onClick={() => showOnly("")}>
            show all
          </button>
        )}
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
          aria-multiselectable
          aria-activedescendant={at >= 0 ? `cell-${list[at]?.key ?? ""}` : undefined}
          className="absolute inset-0 overflow-auto -outline-offset-2!"
          onScroll={(event) => setScroll(event.currentTarget.scrollTop)}
          onKeyDown={(event) => {
            if (event.key === "Enter") hearClip(false);
            else if (/^(Arrow|Page|Home|End)/.test(event.key) && !event.altKey && !event.ctrlKey) take(list[stepped(grid, Math.max(at, 0), event.key, list.length)], takingOf(event));
            else return;
            event.preventDefault();
            event.stopPropagation();
          }}
        >
          {list.length === 0 && <p className="px-3 py-4 text-soft">{all > 0 ? "No hit has these words." : "No hits yet. Drop a folder of samples anywhere on this page."}</p>}
          <div className="relative" style={{ height: grid.rows * grid.rowHeightPx }}>
            {list.slice(first, last).map((cell, n) => (
              <CellLabel key={cell.key} cell={cell} selected={isSelected(cell)} index={first + n} width={grid.cellWidthPx} height={grid.rowHeightPx} columns={grid.columns} onTake={(how) => take(cell, how)} />
            ))}
          </div>
        </div>
      </div>
    </div>
  );
}

/** The cells that have the words asked for, where they stood when an order was asked for last; whether that order is another by now. */
function useShownCells(sorted: readonly Cell[], known: boolean): { readonly all: number; readonly list: readonly Cell[]; readonly moved: boolean } {
  const held = useShown((shown) => shown.wall);
  const words = useShown((shown) => shown.words);
  const verdicts = useOpen((desk) => desk.verdicts);
  const still = useMemo(() => (known ? inHeldOrder(sorted, ({ key }) => key, held) : sorted), [sorted, held, known]);
  const list = useMemo(() => {
    const typed = wordsOf(words);
    return typed.length ? still.filter((cell) => hasWords(`${textOf(cell.clips, verdicts)} ${cell.confidence < 1 ? cell.reason : ""}`, typed)) : still;
  }, [still, words, verdicts]);
  useEffect(() => void (known && hold("wall", still.map(({ key }) => key))), [still, known]);
  useEffect(() => {
    nowSeen("wall", list.map((cell) => cell.clips.map(({ id }) => id)));
    return () => nowSeen("wall", null);
  }, [list]);
  return { all: sorted.length, list, moved: still.some((cell, n) => cell !== sorted[n]) };
}

interface LabelProps {
  readonly cell: Cell;
  readonly selected: boolean;
  readonly index: number;
  readonly width: number;
  readonly height: number;
  readonly columns: number;
  readonly onTake: (how: Taking) => void;
}

/** The name and the confidence of a cell, over its picture. */
function CellLabel({ cell, selected, index, width, height, columns, onTake }: LabelProps) {
  const unsure = useHits((hits) => cell.confidence < hits.limits.doubtfulUnder);
  const doubtful = unsure || cell.wrong !== undefined;
  const reason = unsure && cell.wrong?.state !== "fail" ? cell.reason : cell.wrong?.text;
  return (
    <div
      id={`cell-${cell.key}`}
      role="option"
      aria-selected={selected}
      title={`${cell.name}: ${doubtful ? reason : "clear start and end"}, confidence ${cell.confidence.toFixed(2)}${cell.clips.length > 1 ? `, ${cell.clips.length} microphones` : ""}`}
      className="absolute flex items-start gap-1 px-1 text-xs leading-[17px]"
      style={{ left: (index % columns) * width, top: Math.floor(index / columns) * height, width: width - 1, height: height - 1 }}
      onClick={(event) => onTake(takingOf(event))}
    >
      {doubtful && <TriangleAlert size={11} aria-label="to look at" className="mt-[3px] shrink-0 text-warn" />}
      <bdi className={`min-w-0 flex-1 truncate ${doubtful ? "text-warn" : ""}`}>{cell.name}</bdi>
      {unsure && <span className="num text-soft">{cell.confidence.toFixed(2)}</span>}
      {doubtful && <span className="absolute inset-x-0.5 bottom-0.5 truncate bg-sheet/85 px-0.5 leading-4 text-warn">{reason}</span>}
    </div>
  );
}
