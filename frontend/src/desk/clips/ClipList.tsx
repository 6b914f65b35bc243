import { useVirtualizer } from "@tanstack/react-virtual";
import { CircleAlert, TriangleAlert } from "lucide-react";
import { useEffect, useMemo, useRef, useState } from "react";
import type { Clip, ClipVerdicts } from "../../api/types";
import { formatLength } from "../../time/format";
import { NameField } from "../../ui/EditableName";
import { clipsInOrder, endOf, hasSound, joinedEndOf, startOf, turnedHalves } from "../model/placement";
import { hasWords, inHeldOrder, textOf, wordsOf } from "../model/shown";
import { gravity, isDoubtful } from "../model/verdicts";
import { bringIntoView, desk, useOpen } from "../state/desk";
import { edit } from "../state/edits";
import { selectClip, takingOf } from "../state/selection";
import { hold, nowSeen, show, showOnly, useShown } from "../state/shown";

const ROW_PX = 28;

/** One row a clip, with a mark for each edge. */
export function ClipList() {
  const job = useOpen((desk) => desk.job);
  const clipId = useOpen((desk) => desk.clipId);
  const selected = useOpen((desk) => desk.selected);
  const verdicts = useOpen((desk) => desk.verdicts);
  const { words, what, doubtful: held } = useShown();
  const [renaming, setRenaming] = useState<string | null>(null);
  const clips = useMemo(() => {
    const seconds = new Set(turnedHalves(job).values()); // a turned loop is one clip for the eye
    return clipsInOrder(job).filter((clip) => hasSound(clip) && !seconds.has(clip.id));
  }, [job]);
  const toLookAt = useMemo(() => clips.filter((clip) => isDoubtful(verdicts.get(clip.id))), [clips, verdicts]);
  // What was to look at stays where it stands when it has been put right, so that hand and eye keep their place.
  const doubtful = useMemo(() => {
    const asked = new Set([...held, ...toLookAt.map(({ id }) => id)]);
    const gravest = clips.filter(({ id }) => asked.has(id)).sort((a, b) => gravity(verdicts.get(b.id)) - gravity(verdicts.get(a.id)));
    return inHeldOrder(gravest, ({ id }) => id, held);
  }, [clips, toLookAt, held, verdicts]);
  useEffect(() => void (what === "doubtful" && hold("doubtful", doubtful.map(({ id }) => id))), [what, doubtful]);
  const rows = useMemo(() => {
    const typed = wordsOf(words);
    return (what === "all" ? clips : doubtful).filter((clip) => hasWords(textOf([clip], verdicts), typed));
  }, [what, clips, doubtful, words, verdicts]);
  useEffect(() => {
    nowSeen("list", rows.map(({ id }) => [id]));
    return () => nowSeen("list", null);
  }, [rows]);
  const scroller = useRef<HTMLDivElement>(null);
  const list = useVirtualizer({ count: rows.length, getScrollElement: () => scroller.current, estimateSize: () => ROW_PX, overscan: 12 });
  useEffect(() => {
    const at = rows.findIndex((clip) => clip.id === clipId);
    if (at >= 0) list.scrollToIndex(at, { align: "auto" });
  }, [clipId]); // eslint-disable-line react-hooks/exhaustive-deps

  const tab = (name: "doubtful" | "all", text: string) => (
    <button
      type="button"
      aria-pressed={what === name}
      className={`border-b-2 py-1 ${what === name ? "border-ink font-semibold" : "border-transparent text-soft hover:text-ink"}`}
      onClick={() => show(name)}
    >
      {text}
    </button>
  );
  return (
    <nav aria-label="clips" className="flex min-h-0 flex-1 flex-col">
      <header className="flex h-9 items-end gap-3 border-b border-rule px-3">
        {tab("doubtful", `to look at ${toLookAt.length}`)}
        {tab("all", `all ${clips.length}`)}
        <span className="ml-auto py-1 text-xs text-soft">length, s</span>
      </header>
      <input
        type="search"
        aria-label="show only"
        placeholder="show only …"
        title="names, strengths, microphones, reasons and verdicts"
        className="h-7 shrink-0 border-b border-rule bg-sheet px-3 -outline-offset-2!"
        value={words}
        onChange={(event) => showOnly(event.target.value)}
        onKeyDown={(event) => event.key === "Escape" && showOnly("")}
      />
      <span className="sr-only" aria-live="polite">
        {toLookAt.length} of {clips.length} clips to look at
      </span>
      <div
        ref={scroller}
        className="min-h-0 flex-1 overflow-auto -outline-offset-2!"
        role="listbox"
        tabIndex={0}
        aria-multiselectable
        aria-label={what === "all" ? "all clips" : "clips to look at"}
        aria-activedescendant={clipId ? `row-${clipId}` : undefined}
        onKeyDown={(event) => {
          if (event.key === "F2" && clipId) {
            event.preventDefault();
            setRenaming(clipId);
          }
          const move = { ArrowDown: 1, ArrowUp: -1, PageDown: 15, PageUp: -15, Home: -Infinity, End: Infinity }[event.key];
          if (!move) return;
          event.preventDefault();
          const at = rows.findIndex((clip) => clip.id === clipId);
          const next = rows[Math.min(Math.max(at + move, 0), rows.length - 1)];
          if (next) selectClip(next.id, undefined, event.shiftKey ? "through" : "only");
        }}
      >
        {rows.length === 0 && <p className="px-3 py-4 text-soft">{words.trim() ? "No clip has these words." : clips.length ? "Nothing to look at: every edge is clean." : "No clips yet."}</p>}
        <div className="relative" style={{ height: list.getTotalSize() }}>
          {list.getVirtualItems().map((item) => {
            const clip = rows[item.index];
            return clip ? (
              <div key={clip.id} className="absolute left-0 w-full" style={{ top: item.start, height: ROW_PX }}>
                <Row clip={clip} row={verdicts.get(clip.id)} selected={selected.has(clip.id)} first={clip.id === clipId} renaming={renaming === clip.id} onRename={setRenaming} />
              </div>
            ) : null;
          })}
        </div>
      </div>
    </nav>
  );
}

interface RowProps {
  readonly clip: Clip;
  readonly row: ClipVerdicts | undefined;
  readonly selected: boolean;
  readonly first: boolean;
  readonly renaming: boolean;
  readonly onRename: (id: string | null) => void;
}

function Row({ clip, row, selected, first, renaming, onRename }: RowProps) {
  const rate = useOpen((desk) => desk.job.rate_hz || 48_000);
  const frames = useOpen((desk) => (turnedHalves(desk.job).has(clip.id) ? joinedEndOf(desk.job, clip) : endOf(desk.job, clip)) - startOf(desk.job, clip));
  return (
    <div
      id={`row-${clip.id}`}
      role="option"
      aria-selected={selected}
      className={`flex h-full items-center gap-1.5 border-b border-rule px-2 ${selected ? `border-l-3 border-l-ink pl-1.5 ${first ? "bg-sheet font-semibold" : "bg-shade"}` : "hover:bg-sheet"}`}
      onClick={(event) => {
        const warns = sideOfWarning(event.target);
        selectClip(clip.id, warns, takingOf(event));
        if (warns) bringIntoView(warns === "head" ? startOf(desk().job, clip) : endOf(desk().job, clip));
      }}
      onDoubleClick={() => onRename(clip.id)}
      title={`${clip.name} (double-click to rename)`}
    >
      <Mark row={row} side="head" />
      {renaming ? (
        <NameField
          name={clip.name}
          label="name of the clip"
          className="flex-1"
          onDone={(name) => {
            onRename(null);
            if (name !== null && name !== clip.name) void edit({ kind: "rename_clip", clip_id: clip.id, name });
          }}
        />
      ) : (
        <bdi className="min-w-0 flex-1 truncate">{clip.name}</bdi>
      )}
      <span className="num text-soft">{formatLength(frames, rate)}</span>
      <Mark row={row} side="tail" />
    </div>
  );
}

/** The edge whose warning was clicked, to be brought into view; none if the click was beside it. */
const sideOfWarning = (target: EventTarget): "head" | "tail" | undefined => {
  const side = target instanceof Element ? target.closest<HTMLElement>("[data-warns]")?.dataset["warns"] : undefined;
  return side === "head" || side === "tail" ? side : undefined;
};

/** ◖ ◗ while an edge is clean; a warning in its place, with its words, when it is not. */
function Mark({ row, side }: { readonly row: ClipVerdicts | undefined; readonly side: "head" | "tail" }) {
  const worst = row?.verdicts.find((verdict) => verdict.side === side && verdict.state !== "fine");
  if (!worst) {
    return (
      <span aria-hidden className={`w-3.5 text-center ${side === "head" ? "text-head" : "text-tail"}`}>
        {side === "head" ? "◖" : "◗"}
      </span>
    );
  }
  const Icon = worst.state === "fail" ? CircleAlert : TriangleAlert;
  return (
    <span data-warns={side} className={`w-3.5 ${worst.state === "fail" ? "text-fail" : "text-warn"}`} title={worst.text}>
      <Icon size={13} aria-label={`${side}: ${worst.text}`} />
    </span>
  );
}
