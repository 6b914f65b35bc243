import { useVirtualizer } from "@tanstack/react-virtual";
import { Ban, CircleAlert, StickyNote, TrendingDown, TriangleAlert, Volume2 } from "lucide-react";
import { memo, useEffect, useMemo, useRef, useState } from "react";
import type { Cue, CueKind, ShowFault } from "../../api/types";
import { audition } from "../../imports/audition";
import { pickedFiles } from "../../imports/gatherFiles";
import { formatLength } from "../../time/format";
import { Button } from "../../ui/Button";
import { inRunningOrder, lengthOf } from "../model/cues";
import { useOpen } from "../state/desk";
import { addCue, chooseCue, hearCue, makeCues, moveCues, moveCuesTo, removeCues, useChosen, useCue, useShow } from "../state/show";
import { takingOf } from "../state/selection";
import { CueNumber } from "./CueNumber";
import { CueSentence } from "./CueSentence";

const ROW_PX = 34;
const NONE: readonly ShowFault[] = [];
const ICONS: Readonly<Record<CueKind, typeof Ban>> = { sound: Volume2, fade: TrendingDown, stop: Ban, note: StickyNote };

/** The running order: one sentence a row, with its numbers in it; moved by dragging a row or by key. */
export function RunningOrder({ onStrip }: { readonly onStrip: () => void }) {
  const job = useOpen((desk) => desk.job);
  const order = inRunningOrder(job);
  const hand = useCue();
  const ids = useChosen((state) => state.ids);
  const faults = useShow()?.faults;
  const byCue = useMemo(() => faultsByCue(faults ?? []), [faults]);
  const [dropAt, setDropAt] = useState<number | null>(null);
  const scroller = useRef<HTMLDivElement>(null);
  const list = useVirtualizer({ count: order.length, getScrollElement: () => scroller.current, estimateSize: () => ROW_PX, overscan: 5 });
  useEffect(() => {
    const at = order.findIndex((cue) => cue.id === hand?.id);
    if (at >= 0) list.scrollToIndex(at, { align: "auto" });
  }, [hand?.id]); // eslint-disable-line react-hooks/exhaustive-deps
  const left = Object.keys(job.clips).length - order.filter((cue) => cue.clip_id !== null).length;
  const drop = () => {
    if (dropAt !== null && hand) moveCuesTo(ids.includes(hand.id) ? ids : [hand.id], order[dropAt]?.id ?? null);
    setDropAt(null);
  };
  return (
    <div className="flex h-full flex-col bg-sheet">
      <header className="flex h-8 shrink-0 items-center gap-1.5 border-b border-rule px-2">
        <span className="mr-1 font-semibold">{order.length} cues</span>
        {(["fade", "stop", "note"] as const).map((what) => (
          <Button key={what} className="py-0!" onClick={() => addCue(what)}>add a {what}</Button>
        ))}
        <AddSounds />
        {left > 0 && <Button className="py-0!" title="sounds that no cue plays" onClick={makeCues}>make cues of {left} {left === 1 ? "sound" : "sounds"}</Button>}
        <span className="ml-auto text-xs text-soft">length, s</span>
        <Button className="py-0!" title="the sounds on their lanes, with ruler and marks" onClick={onStrip}>strip</Button>
      </header>
      <div
        ref={scroller}
        role="grid"
        aria-label="running order"
        aria-rowcount={order.length}
        aria-multiselectable
        tabIndex={0}
        className="min-h-0 flex-1 overflow-auto -outline-offset-2! [contain:strict]"
        aria-activedescendant={hand ? `cue-${hand.id}` : undefined}
        onKeyDown={(event) => {
          if (event.target !== event.currentTarget) return;
          const move = { ArrowDown: 1, ArrowUp: -1, PageDown: 12, PageUp: -12, Home: -Infinity, End: Infinity }[event.key];
          if (move !== undefined && event.altKey) moveCues(move > 0 ? 1 : -1);
          else if (move !== undefined) {
            const at = order.findIndex((cue) => cue.id === hand?.id);
            const next = order[Math.min(Math.max(at + move, 0), order.length - 1)];
            if (next) chooseCue(next.id, event.shiftKey ? "through" : "only");
          } else if (event.key === "Delete" || event.key === "Backspace") removeCues();
          else return;
          event.preventDefault();
        }}
        onPointerUp={drop}
      >
        {order.length === 0 && <p role="presentation" className="p-4 text-soft">No cues yet. Every sound that is imported becomes one; {left > 0 ? "make cues of those that are there." : "drop recordings here."}</p>}
        <div role="rowgroup" className="relative" style={{ height: list.getTotalSize() }}>
          {list.getVirtualItems().map((item) => {
            const cue = order[item.index];
            if (!cue) return null;
            return (
              <div
                key={cue.id}
                role="presentation"
                className="absolute left-0 w-full"
                style={{ top: item.start, height: ROW_PX }}
                onPointerEnter={(event) => dropAt !== null && event.buttons === 1 && setDropAt(item.index)}
              >
                {dropAt === item.index && <span aria-hidden className="absolute inset-x-0 top-0 h-0.5 bg-join" />}
                <Row cue={cue} faults={byCue.get(cue.id) ?? NONE} chosen={ids.includes(cue.id) || cue.id === hand?.id} first={cue.id === hand?.id} onGrip={setDropAt} />
              </div>
            );
          })}
        </div>
      </div>
    </div>
  );
}

/** Sounds from files: heard first, then taken in as cues. */
function faultsByCue(faults: readonly ShowFault[]): ReadonlyMap<string, readonly ShowFault[]> {
  const found = new Map<string, ShowFault[]>();
  for (const fault of faults) found.set(fault.cue_id, [...(found.get(fault.cue_id) ?? []), fault]);
  return found;
}

function AddSounds() {
  const id = useOpen((desk) => desk.id);
  const input = useRef<HTMLInputElement>(null);
  const take = (list: FileList | null) => {
    const { files } = pickedFiles(list);
    if (files.length) audition(id, files);
    if (input.current) input.current.value = "";
  };
  return (
    <>
      <Button className="py-0!" onClick={() => input.current?.click()}>add sounds …</Button>
      <input ref={input} type="file" multiple hidden aria-label="files to add" onChange={(event) => take(event.target.files)} />
    </>
  );
}

interface RowProps {
  readonly cue: Cue;
  readonly faults: readonly ShowFault[];
  readonly chosen: boolean;
  readonly first: boolean;
  readonly onGrip: (place: number) => void;
}

/** Drawn anew only when something of it changed: scrolling through hundreds draws those that come. */
const Row = memo(function Row({ cue, faults, chosen, first, onGrip }: RowProps) {
  const job = useOpen((desk) => desk.job);
  const Icon = ICONS[cue.kind];
  const chained = cue.start !== "go" && cue.position > 0;
  return (
    <div
      id={`cue-${cue.id}`}
      role="row"
      aria-rowindex={cue.position + 1}
      aria-selected={chosen}
      className={`group flex h-full items-center gap-1.5 border-b border-rule pr-2 ${chosen ? `border-l-3 border-l-ink ${first ? "bg-paper" : "bg-shade"}` : "border-l-3 border-l-transparent hover:bg-paper"}`}
      onClick={(event) => {
        if (!(event.target instanceof Element && event.target.closest("select, input, [role=spinbutton], button"))) chooseCue(cue.id, takingOf(event));
      }}
      onDoubleClick={() => hearCue(cue)}
    >
      <span
        aria-hidden
        title="drag to move; with keys alt ↑ ↓"
        className="w-3.5 cursor-grab touch-none text-center leading-none tracking-tighter text-pale group-hover:text-ink"
        onPointerDown={() => {
          if (!chosen) chooseCue(cue.id);
          onGrip(cue.position);
        }}
      >
        ⋮⋮
      </span>
      <span role="gridcell"><CueNumber cue={cue} /></span>
      <span role="gridcell" className="flex min-w-0 items-center gap-1.5">
        <Icon size={13} aria-label={cue.kind} className={`shrink-0 ${chained ? "ml-3 text-soft" : ""}`} />
        <CueSentence cue={cue} inHand={first} />
      </span>
      <span role="gridcell" className="ml-auto flex shrink-0 items-center gap-2 pl-1">
        {faults.length > 0 && <Fault faults={faults} />}
        <span className="num w-14 text-right text-soft">{cue.kind === "note" ? "" : formatLength(lengthOf(job, cue), job.rate_hz || 48_000)}</span>
      </span>
    </div>
  );
});

function Fault({ faults }: { readonly faults: readonly ShowFault[] }) {
  const stops = faults.some((fault) => fault.stops);
  const words = faults.map((fault) => fault.text).join("; ");
  const Icon = stops ? CircleAlert : TriangleAlert;
  return <Icon size={14} aria-label={words} className={stops ? "text-fail" : "text-warn"}><title>{words}</title></Icon>;
}
