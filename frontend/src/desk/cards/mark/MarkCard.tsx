import { X } from "lucide-react";
import type { ReactNode } from "react";
import type { Mark } from "../../../api/types";
import { formatPlace, HOW_TO_TYPE_TIME } from "../../../time/format";
import { beatsAt, tempoOf } from "../../../time/grid";
import { Button } from "../../../ui/Button";
import { EditableName } from "../../../ui/EditableName";
import { Num } from "../../../ui/Num";
import { TypedText } from "../../../ui/TypedText";
import { keyOf } from "../../commands/commands";
import { endOf, markFrame, startOf } from "../../model/placement";
import { cutAtMarks, dropMark, programmeFrom, setSyncHere, snapMarks } from "../../state/clipEdits";
import { useSetting } from "../../state/settings";
import { currentClip, notify, setSelection, showPlace, typedPlace, useOpen } from "../../state/desk";
import { edit } from "../../state/edits";
import { play } from "../../state/listening";
import { PictureChoice } from "../PictureChoice";

/** Step 3: where the programme starts and ends, sections, and musical time. */
export function MarkCard({ children }: { readonly children?: ReactNode }) {
  return (
    <div className="h-full space-y-4 overflow-auto p-4">
      {children}
      <Programme />
      <Sections />
      <MusicalTime />
    </div>
  );
}

function Programme() {
  const job = useOpen((desk) => desk.job);
  const start = Object.values(job.marks).find((mark) => mark.kind === "start");
  const end = Object.values(job.marks).find((mark) => mark.kind === "end");
  const length = start && end ? (markFrame(job, end) - markFrame(job, start)) / (job.rate_hz || 48_000) : null;
  return (
    <section className="space-y-2">
      <h2 className="text-base font-bold">Programme</h2>
      <Place name="starts at" mark={start} onTyped={(start_frame) => void edit({ kind: "set_programme", start_frame, end_frame: null })} />
      <Place name="ends at" mark={end} onTyped={(end_frame) => void edit({ kind: "set_programme", start_frame: null, end_frame })} />
      <p aria-live="polite" className="text-soft">
        {length === null ? "Not marked: one file is everything from the first clip to the last." : <>One file is <span className="num">{length.toFixed(3)} s</span> long. Playback loops never change it.</>}
      </p>
      <div className="flex flex-wrap gap-1.5">
        <Button title={keyOf("programme starts at cursor")} onClick={() => programmeFrom("start_here")}>start at cursor</Button>
        <Button title={keyOf("programme ends at cursor")} onClick={() => programmeFrom("end_here")}>end at cursor</Button>
        <Button onClick={() => void edit({ kind: "programme_from_sound" })}>from the sound</Button>
        <Button onClick={() => programmeFrom("selection")}>from the selection</Button>
        <Button title={keyOf("programme from the selected clips")} onClick={() => programmeFrom("clip")}>from selected clips</Button>
        {(start ?? end) && <Button title="each to the nearest head or tail, those of tracks too" onClick={snapMarks}>snap to clips</Button>}
        {(start ?? end) && <Button onClick={() => void edit({ kind: "remove_marks", mark_ids: [start, end].flatMap((mark) => mark?.id ?? []) })}>clear</Button>}
      </div>
    </section>
  );
}

/** A place that can be read, typed and gone to. */
function Place({ name, mark, onTyped }: { readonly name: string; readonly mark: Mark | undefined; readonly onTyped: (frame: number) => void }) {
  const job = useOpen((desk) => desk.job);
  const style = useOpen((desk) => desk.timeStyle);
  const frame = mark ? markFrame(job, mark) : null;
  const take = (text: string) => {
    const to = typedPlace(job, text, frame ?? 0, style);
    if (to !== null && to !== frame) onTyped(Math.max(to, 0));
  };
  return (
    <label className="flex items-center gap-2">
      <span className="w-16">{name}</span>
      <TypedText
        label={`programme ${name}`}
        className="w-32 rounded-(--radius) border border-rule bg-sheet px-2 py-0.5 font-bold"
        placeholder="not marked"
        value={frame === null ? "" : formatPlace(job, frame, style)}
        onTake={take}
      />
      {frame !== null && (
        <Button tone="quiet" aria-label={`go to where the programme ${name}`} onClick={() => showPlace(frame)}>
          go
        </Button>
      )}
    </label>
  );
}

function Sections() {
  const job = useOpen((desk) => desk.job);
  const currentId = useOpen((desk) => desk.clipId);
  const marks = Object.values(job.marks)
    .filter((mark) => mark.kind === "section" || (mark.kind === "loop" && (mark.clip_id === null || mark.clip_id === currentId))) // a kit has hundreds of loops
    .sort((a, b) => markFrame(job, a) - markFrame(job, b));
  const cuts = useOpen((desk) => desk.selected.size > 0) && marks.some((mark) => mark.kind === "section");
  return (
    <section className="space-y-2 border-t border-rule pt-3">
      <div className="flex items-center justify-between">
        <h2 className="text-base font-bold">Marks</h2>
        <span className="flex gap-1.5">
          <Button title={`split the selected clips at their marks; each piece takes its mark's name (${keyOf("split at the marks")})`} disabled={!cuts} onClick={cutAtMarks}>
            split at marks
          </Button>
          <Button title={keyOf("add a mark")} onClick={dropMark}>
            add at cursor
          </Button>
        </span>
      </div>
      {marks.length === 0 && <p className="text-soft">None yet. Add them while you listen; they stay on the sound under them.</p>}
      <ol className="divide-y divide-rule" aria-label="marks">
        {marks.map((mark) => (
          <Row key={mark.id} mark={mark} />
        ))}
      </ol>
    </section>
  );
}

function Row({ mark }: { readonly mark: Mark }) {
  const job = useOpen((desk) => desk.job);
  const style = useOpen((desk) => desk.timeStyle);
  const rate = job.rate_hz || 48_000;
  const chapters = useOpen((desk) => desk.brief.send.chapters);
  const frame = markFrame(job, mark);
  const field = "rounded-(--radius) border border-transparent bg-transparent px-1 hover:border-rule focus:border-join focus:bg-sheet";
  return (
    <li className="flex flex-wrap items-center gap-1 py-0.5" title={mark.clip_id ? `stays on its sound in “${job.clips[mark.clip_id]?.name ?? ""}”` : "stays at its time"}>
      <EditableName name={mark.name} of="mark" className="min-w-0 flex-1 px-1" onRename={(name) => void edit({ kind: "rename_mark", mark_id: mark.id, name })} />
      <TypedText
        label={`place of the mark ${mark.name}`}
        className={`w-24 text-right ${field}`}
        value={formatPlace(job, frame, style)}
        onTake={(text) => {
          const to = typedPlace(job, text, frame, style);
          if (to !== null && to !== frame) void edit({ kind: "move_mark", mark_id: mark.id, frame: Math.max(to, 0) });
        }}
      />
      <Button
        tone="quiet"
        aria-label={`hear from the mark ${mark.name}`}
        onClick={() => {
          showPlace(frame);
          play([{ start: frame, end: mark.end_frame === null ? frame + 4 * rate : markFrame(job, { ...mark, frame: mark.end_frame }) }], mark.kind === "loop");
        }}
      >
        hear
      </Button>
      <button type="button" aria-label={`remove the mark ${mark.name}`} className="p-1 hover:bg-shade" onClick={() => void edit({ kind: "remove_marks", mark_ids: [mark.id] })}>
        <X size={13} aria-hidden />
      </button>
      {chapters && mark.kind === "section" && (
        <input
          key={mark.link}
          type="url"
          aria-label={`link of the chapter ${mark.name}`}
          placeholder="link, https://…"
          className={`min-w-0 basis-full text-xs text-soft ${field}`}
          defaultValue={mark.link}
          onBlur={(event) => event.target.value.trim() !== mark.link && void edit({ kind: "set_link", mark_id: mark.id, link: event.target.value })}
          onKeyDown={(event) => event.key === "Enter" && event.currentTarget.blur()}
        />
      )}
      {chapters && mark.kind === "section" && (
        <span className="px-1 text-xs text-soft">
          <PictureChoice name={mark.picture} of={`the chapter ${mark.name}`} onChange={(picture) => void edit({ kind: "set_picture", mark_id: mark.id, picture })} />
        </span>
      )}
    </li>
  );
}

/** The selected time, typed and measured: seconds, and bars where there is a tempo. No clip is touched. */
function SelectedTime() {
  const job = useOpen((desk) => desk.job);
  const style = useOpen((desk) => desk.timeStyle);
  const selection = useOpen((desk) => desk.selection);
  const cursor = useOpen((desk) => desk.cursorFrame);
  const rate = job.rate_hz || 48_000;
  const { start, end } = selection ?? { start: cursor, end: cursor };
  const shown = job.grid ? "bars" : style;
  const select = (from: number, to: number) => {
    if (to > from) setSelection({ start: Math.max(from, 0), end: to, laneId: selection?.laneId ?? null });
    else if (selection) notify("A selection ends after it starts.");
    else showPlace(from); // where it will start
  };
  const place = (label: string, frame: number, go: (frame: number) => void) => (
    <TypedText
      label={label}
      title={HOW_TO_TYPE_TIME}
      className="w-20 rounded-(--radius) border border-rule bg-sheet px-1 text-right focus:border-join"
      value={formatPlace(job, frame, shown)}
      onTake={(text) => {
        const to = typedPlace(job, text, frame, shown);
        if (to !== null) go(to);
      }}
    />
  );
  return (
    <div>
      <p className="flex items-center justify-between">
        Selected {place("selected from", start, (frame) => select(frame, selection ? end : frame))} to {place("selected to", end, (frame) => select(start, frame))}
      </p>
      {selection && (
        <p className="num text-right text-soft">
          {((end - start) / rate).toFixed(3)} s{job.grid && `, ${((beatsAt(job.grid, end, rate) - beatsAt(job.grid, start, rate)) / job.grid.beats_a_bar).toFixed(3)} bars`}
        </p>
      )}
    </div>
  );
}

const INITIAL_TEMPO = { bars: 4, target: { bar: 1, beat: 1 } };

function MusicalTime() {
  const job = useOpen((desk) => desk.job);
  const selection = useOpen((desk) => desk.selection);
  const clip = useOpen(currentClip);
  const [settings, setSettings] = useSetting("tempo", INITIAL_TEMPO);
  const { bars, target } = settings;
  const setTarget = (next: { bar: number; beat: number }) => setSettings({ ...settings, target: next });
  const { grid } = job;
  const span = selection ?? (clip ? { start: startOf(job, clip), end: endOf(job, clip) } : null);
  const tempo = grid ? Math.round(tempoOf(grid) * 100) / 100 : 120;
  const set = (bpm: number, beats: number) =>
    void edit({ kind: "set_grid", grid: { bpm_numerator: Math.round(bpm * 100), bpm_denominator: 100, beats_a_bar: beats, first_frame: grid?.first_frame ?? 0 } });
  return (
    <section className="space-y-2 border-t border-rule pt-3">
      <h2 className="text-base font-bold">Tempo and bars</h2>
      {grid ? (
        <p className="leading-7">
          <Num label="tempo" value={tempo} unit="BPM" lowest={10} highest={1000} step={1} decimals={2} onChange={(bpm) => set(bpm, grid.beats_a_bar)} />, <Num label="beats a bar" value={grid.beats_a_bar} unit="beats" lowest={1} highest={64} step={1} onChange={(beats) => set(tempo, beats)} /> a bar.{" "}
          <Button tone="quiet" onClick={() => void edit({ kind: "set_grid", grid: null })}>remove</Button>
        </p>
      ) : (
        <p>
          No tempo yet. <Button onClick={() => set(120, 4)}>120 BPM, 4 beats a bar</Button>
        </p>
      )}
      <SelectedTime />
      <p className="leading-7">
        {selection ? "The selection" : "The selected clip"} is <Num label="bars in the span" value={bars} unit="bars" lowest={1} highest={999} step={1} onChange={(count) => setSettings({ ...settings, bars: count })} />{" "}
        <Button
          disabled={!span}
          title={span ? undefined : "select some bars on the strip, or a clip"}
          onClick={() => span && void edit({ kind: "measure_grid", start_frame: span.start, end_frame: span.end, bars, beats_a_bar: grid?.beats_a_bar ?? 4 })}
        >
          set the tempo from it
        </Button>
      </p>
      {clip && grid && (
        <div className="space-y-1.5">
          <p className="leading-7">
            Sync point of <bdi className="font-semibold">{clip.name}</bdi>: {clip.sync_frame === null ? "none" : "set"}. <Button onClick={setSyncHere}>set at cursor</Button>
          </p>
          {clip.sync_frame !== null && (
            <p className="leading-7">
              Line it up with <Num label="bar" value={target.bar} unit="" lowest={1} highest={9999} step={1} onChange={(bar) => setTarget({ ...target, bar })} /> beat{" "}
              <Num label="beat" value={target.beat} unit="" lowest={1} highest={grid.beats_a_bar} step={1} onChange={(beat) => setTarget({ ...target, beat })} /> by moving{" "}
              <Button onClick={() => void edit({ kind: "line_up", clip_id: clip.id, ...target, move: "clip" })}>the clip</Button>{" "}
              <Button onClick={() => void edit({ kind: "line_up", clip_id: clip.id, ...target, move: "audio" })}>the audio inside</Button>
            </p>
          )}
        </div>
      )}
    </section>
  );
}
