import { ArrowDown, ArrowUp, Play } from "lucide-react";
import { useState } from "react";
import type { TrackRow } from "../../../api/types";
import { formatTime } from "../../../time/format";
import { Button } from "../../../ui/Button";
import { Num } from "../../../ui/Num";
import { Progress } from "../../../ui/Progress";
import { keyOf } from "../../commands/commands";
import { snapMarks } from "../../state/clipEdits";
import { notify, useOpen } from "../../state/desk";
import { edit } from "../../state/edits";
import { hearBoundaries, hearBoundary, hearTracks, stopHearingTracks, trackAtCursor, useHearingTracks, useRelease, useReleaseSettings } from "../../state/release";
import { useSetting } from "../../state/settings";
import { DiscFaults } from "../DiscFaults";

const INITIAL = { gapS: 2, overlapS: 5, moveS: 1 };
const clock = (seconds: number, decimals = 1): string => formatTime(Math.round(seconds * 1000), 1000, "clock", decimals);

/** The tracks of a release: made of the pieces, in order, each with its gap; heard across their boundaries. */
export function Tracks() {
  const [settings, keep] = useSetting("tracks", INITIAL);
  const [send] = useReleaseSettings();
  const { preview, problem, again } = useRelease(send);
  const rate = useOpen((desk) => desk.job.rate_hz) || 48_000;
  const nothing = useOpen((desk) => Object.keys(desk.job.clips).length === 0);
  const [openId, setOpenId] = useState<string | null>(null);
  if (nothing) return <p className="p-4 text-soft">Import the mixes first.</p>;
  const rows = preview?.tracks ?? [];
  const frames = (seconds: number) => Math.round(seconds * rate);
  const move = (from: number, to: number) => {
    if (to < 0 || to >= rows.length) return;
    const ids = rows.map((row) => row.mark_id);
    const [moved] = ids.splice(from, 1);
    if (moved !== undefined) ids.splice(to, 0, moved);
    void edit({ kind: "order_tracks", mark_ids: ids });
  };
  return (
    <div className="h-full space-y-3 overflow-auto p-4">
      <p className="leading-7">
        <Button onClick={() => void edit({ kind: "make_tracks", gap_frames: frames(settings.gapS) })}>{rows.length ? "make them again" : "make a track of every piece"}</Button>{" "}
        <Num label="gap between tracks" value={settings.gapS} unit="s" lowest={0} highest={60} step={0.1} decimals={1} onChange={(gapS) => keep({ ...settings, gapS })} /> apart, or{" "}
        <Button onClick={() => void edit({ kind: "make_tracks", gap_frames: null })}>as they stand</Button>
      </p>
      <p className="flex gap-2">
        <Button title={`in the middle of a track both share the boundary (${keyOf("track begins at cursor")})`} onClick={() => trackAtCursor("begins")}>begin at cursor</Button>
        <Button title={keyOf("track ends at cursor")} onClick={() => trackAtCursor("ends")}>end at cursor</Button>
      </p>
      {problem && <p role="alert" className="text-fail">{problem}</p>}
      {rows.length > 0 && (
        <ol aria-label="tracks" className="border-t border-rule">
          {rows.map((row, n) => (
            <Row key={row.mark_id} row={row} n={n} open={openId === row.mark_id} onOpen={() => setOpenId(openId === row.mark_id ? null : row.mark_id)} onMove={move} last={n === rows.length - 1}>
              <div className="space-y-1.5 pb-2 pl-7">
                <Told row={row} />
                {n > 0 && !row.shared && (
                  <p>
                    <Num label={`gap before track ${row.number}`} value={row.gap_s} unit="s" lowest={0} highest={60} step={0.1} decimals={2} onChange={(gap) => void edit({ kind: "set_gaps", mark_ids: [row.mark_id], gap_frames: frames(gap) })} /> before it
                  </p>
                )}
                {n > 0 && (
                  <p>
                    <Button onClick={() => void edit({ kind: "run_on", mark_id: row.mark_id, overlap_frames: frames(settings.overlapS) })}>lay over the last by</Button>{" "}
                    <Num label="overlap of two tracks" value={settings.overlapS} unit="s" lowest={0} highest={60} step={0.5} decimals={1} onChange={(overlapS) => keep({ ...settings, overlapS })} />
                  </p>
                )}
                <p>
                  <Button onClick={() => void edit({ kind: "move_track", mark_id: row.mark_id, by_frames: frames(settings.moveS) })}>move it and all behind by</Button>{" "}
                  <Num label="move what follows by" value={settings.moveS} unit="s" lowest={-600} highest={600} step={0.1} decimals={2} onChange={(moveS) => keep({ ...settings, moveS })} />
                </p>
              </div>
            </Row>
          ))}
        </ol>
      )}
      {preview && rows.length > 0 && (
        <>
          <Total total={preview.total_s} capacity={send.capacity_s} lufs={preview.integrated_lufs} peak={preview.true_peak_db} />
          <Hearing known={preview.integrated_lufs !== null || rows.some((row) => row.heard !== null)} again={again} />
          <p className="flex flex-wrap gap-2">
            <Button title={`next ${keyOf("hear the next boundary")}, previous ${keyOf("hear the previous boundary")}`} onClick={hearBoundaries}>
              <Play size={13} aria-hidden /> all boundaries
            </Button>
            <Button onClick={() => void edit({ kind: "put_on_disc_frames" }).then(() => notify("Every boundary lies on a disc frame."))}>put on disc frames</Button>
            <Button title="start, end and track marks go to the nearest head or tail" onClick={snapMarks}>snap marks to clips</Button>
          </p>
          <DiscFaults faults={preview.faults} />
        </>
      )}
    </div>
  );
}

interface RowProps {
  readonly row: TrackRow;
  readonly n: number;
  readonly last: boolean;
  readonly open: boolean;
  readonly onOpen: () => void;
  readonly onMove: (from: number, to: number) => void;
  readonly children: React.ReactNode;
}

const tool = "grid size-6 shrink-0 place-items-center rounded-(--radius) hover:bg-shade disabled:opacity-40";

/** A track: dragged, or moved by its arrows; opened for what is said of it and what is done to it. */
function Row({ row, n, last, open, onOpen, onMove, children }: RowProps) {
  return (
    <li
      className="border-b border-rule py-1"
      draggable
      onDragStart={(event) => event.dataTransfer.setData("text/x-track", String(n))}
      onDragOver={(event) => event.dataTransfer.types.includes("text/x-track") && event.preventDefault()}
      onDrop={(event) => {
        event.preventDefault();
        event.stopPropagation();
        const from = Number(event.dataTransfer.getData("text/x-track"));
        if (Number.isInteger(from)) onMove(from, n);
      }}
    >
      {row.shared && <p className="pl-7 text-xs text-soft">runs on, one boundary</p>}
      {!row.shared && n > 0 && <p className="num pl-7 text-xs text-soft">{row.gap_s.toFixed(2)} s</p>}
      <div className="flex items-center gap-1">
        <span className="num w-5 shrink-0 text-right text-soft">{row.number}</span>
        <button type="button" aria-expanded={open} className="min-w-0 flex-1 truncate text-left font-semibold hover:underline" onClick={onOpen}>
          <bdi>{row.title}</bdi>
        </button>
        <span className="num text-soft">{clock(row.length_s)}</span>
        <button type="button" className={tool} aria-label={`hear the boundary before ${row.title}`} title="the end of the last, the gap, its beginning" onClick={() => hearBoundary(n)}><Play size={13} aria-hidden /></button>
        <button type="button" className={tool} aria-label={`move ${row.title} up`} disabled={n === 0} onClick={() => onMove(n, n - 1)}><ArrowUp size={13} aria-hidden /></button>
        <button type="button" className={tool} aria-label={`move ${row.title} down`} disabled={last} onClick={() => onMove(n, n + 1)}><ArrowDown size={13} aria-hidden /></button>
      </div>
      {row.heard && (
        <p className="num pl-7 text-xs text-soft">
          {row.heard.integrated_lufs === null ? "too soft to measure" : `${figure(row.heard.integrated_lufs)} LUFS`}, {figure(row.heard.true_peak_db)} dBTP
        </p>
      )}
      {open && children}
    </li>
  );
}

const figure = (value: number): string => value.toFixed(1).replace("-", "−");

/** What a track list says of a track. */
function Told({ row }: { readonly row: TrackRow }) {
  const field = "min-w-0 rounded-(--radius) border border-rule bg-sheet px-1.5 py-0.5";
  const say = (part: { title?: string; performer?: string; isrc?: string }) => void edit({ kind: "describe_track", mark_id: row.mark_id, title: part.title ?? null, performer: part.performer ?? null, isrc: part.isrc ?? null });
  const row_ = (label: string, value: string, put: (text: string) => void, number = false) => (
    <label className="contents">
      <span className="text-soft">{label}</span>
      <input
        key={value}
        aria-label={`${label} of track ${row.number}`}
        className={`${field} ${number ? "num" : ""}`}
        defaultValue={value}
        onBlur={(event) => event.target.value.trim() !== value && put(event.target.value)}
        onKeyDown={(event) => event.key === "Enter" && event.currentTarget.blur()}
      />
    </label>
  );
  return (
    <div className="grid grid-cols-[auto_minmax(0,1fr)] items-center gap-x-3 gap-y-1">
      {row_("title", row.title, (title) => say({ title }))}
      {row_("by", row.performer, (performer) => say({ performer }))}
      {row_("ISRC", row.isrc, (isrc) => say({ isrc }), true)}
    </div>
  );
}

function Total({ total, capacity, lufs, peak }: { readonly total: number; readonly capacity: number; readonly lufs: number | null; readonly peak: number | null }) {
  return (
    <p>
      <b className="num">{clock(total, 3)}</b> in all,{" "}
      <span className={total > capacity ? "text-fail" : "text-soft"}>
        <span className="num">{clock(Math.abs(capacity - total))}</span> {total > capacity ? "over" : "left of"} <span className="num">{clock(capacity)}</span>
      </span>
      {lufs !== null && peak !== null && <span className="num text-soft"> · {figure(lufs)} LUFS, true peak {figure(peak)} dB</span>}
    </p>
  );
}

function Hearing({ known, again }: { readonly known: boolean; readonly again: () => void }) {
  const work = useHearingTracks();
  if (work.taskId) return <Progress name="listening to the tracks" part={work.part} onStop={() => void stopHearingTracks()} />;
  if (known) return null;
  return (
    <Button className="w-full" onClick={() => void hearTracks(again)}>
      measure loudness, peaks, ends
    </Button>
  );
}
