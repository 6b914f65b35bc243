import { useState } from "react";
import type { Cue, Mark, Shape } from "../../../api/types";
import { Button } from "../../../ui/Button";
import { EditableName } from "../../../ui/EditableName";
import { Num } from "../../../ui/Num";
import { SHAPE_NAMES } from "../../../wave/curve";
import { keyOf } from "../../commands/commands";
import { loopOfCue } from "../../model/cues";
import { placed, startOf } from "../../model/placement";
import { useOpen } from "../../state/desk";
import { edit } from "../../state/edits";
import { fadeUp, loopSelection, removeCues, splitAtPause, useCue, useShow } from "../../state/show";
import { CueVoices } from "./CueVoices";

type Settings = Extract<Parameters<typeof edit>[0], { kind: "set_cue" }>["settings"];
const setCue = (cue: Cue, settings: Settings): void => void edit({ kind: "set_cue", cue_ids: [cue.id], settings });

/** The cue in hand: its words, its loop, its fade, the same sound again. */
export function CueCard() {
  const cue = useCue();
  const any = useOpen((desk) => Object.keys(desk.job.cues).length > 0);
  if (!cue) return <p className="p-4 text-soft">{any ? "Choose a cue of the running order." : "Import sounds first: each becomes a cue."}</p>;
  return (
    <div key={cue.id} className="h-full space-y-3 overflow-auto p-4">
      <h2 className="flex items-baseline gap-2 text-base font-bold">
        <span className="num text-soft">{cue.number}</span>
        <EditableName name={cue.name} of="cue" className="min-w-0 flex-1" onRename={(name) => setCue(cue, { name })} />
      </h2>
      <CannotRun cue={cue} />
      <Words cue={cue} />
      {cue.kind === "sound" && <SoundPart cue={cue} />}
      {(cue.kind === "fade" || cue.kind === "stop") && <FadePart cue={cue} />}
      <p className="border-t border-rule pt-3">
        <Button tone="quiet" className="px-0!" onClick={removeCues}>remove it from the running order …</Button>
      </p>
    </div>
  );
}

/** The note for the operator, the page of the script, the group. */
function Words({ cue }: { readonly cue: Cue }) {
  const field = "min-w-0 rounded-(--radius) border border-rule bg-sheet px-1.5 py-0.5";
  const take = (key: "note" | "page" | "group") => (event: { currentTarget: HTMLInputElement }) => {
    if (event.currentTarget.value !== cue[key]) setCue(cue, { [key]: event.currentTarget.value });
  };
  const line = (key: "note" | "page" | "group", label: string) => (
    <>
      <label htmlFor={`cue-${key}`} className="text-soft">{label}</label>
      <input
        id={`cue-${key}`}
        key={`${cue.id} ${cue[key]}`}
        className={field}
        defaultValue={cue[key]}
        onBlur={take(key)}
        onKeyDown={(event) => event.key === "Enter" && event.currentTarget.blur()}
      />
    </>
  );
  return (
    <div className="grid grid-cols-[auto_minmax(0,1fr)] items-center gap-x-3 gap-y-1.5">
      {line("note", "note")}
      {line("page", "page")}
      {line("group", "group")}
    </div>
  );
}

/** Why a cue cannot run, and what helps: another recording under it keeps its points. */
function CannotRun({ cue }: { readonly cue: Cue }) {
  const sources = useOpen((desk) => desk.job.sources);
  const sourceId = useOpen((desk) => desk.job.clips[cue.clip_id ?? ""]?.source_id);
  const problem = useShow()?.plan.cues.find((one) => one.id === cue.id)?.problem;
  if (!problem) return null;
  return (
    <section aria-label="cannot run" className="space-y-1.5 border-l-3 border-fail pl-2">
      <p className="text-fail">Cannot run: {problem}.</p>
      {cue.clip_id !== null && (
        <select
          aria-label="another recording under the cue"
          className="w-full rounded-(--radius) border border-rule bg-sheet px-1 py-0.5"
          value={sourceId}
          onChange={(event) => void edit({ kind: "put_under", clip_ids: [cue.clip_id ?? ""], source_id: event.target.value })}
        >
          {Object.values(sources).filter((source) => source.derived_from === null).map((source) => (
            <option key={source.id} value={source.id}>{source.name}</option>
          ))}
        </select>
      )}
    </section>
  );
}

function SoundPart({ cue }: { readonly cue: Cue }) {
  const [upS, setUp] = useState(4);
  const faded = useOpen((desk) => Object.values(desk.job.cues).some((one) => one.kind === "fade" && one.target_id === cue.id && (one.level_db ?? -1) > -60));
  return (
    <>
      <p className="border-t border-rule pt-3 leading-7">
        <Button title={`the first part keeps its ring-out, the second starts on its sound (${keyOf("split the cue at the pause")})`} onClick={() => void splitAtPause()}>split at the pause</Button> under the cursor.
      </p>
      <p className="leading-7">
        {cue.silent ? (
          <>
            It starts silent{faded ? ", and is faded up" : ": nothing fades it up yet"}. <Button onClick={() => setCue(cue, { silent: false })}>start it heard</Button>
          </>
        ) : (
          <>
            <Button onClick={() => fadeUp(cue, upS)}>fade it up from silence</Button> in the same GO, over <Num label="fade up over" value={upS} unit="s" lowest={0.1} highest={600} step={0.1} decimals={1} onChange={setUp} />
          </>
        )}
      </p>
      <LoopPart cue={cue} />
      <CueVoices cue={cue} />
    </>
  );
}

/** The section that is looped, in time since the cue's start. */
function LoopPart({ cue }: { readonly cue: Cue }) {
  const job = useOpen((desk) => desk.job);
  const loop = loopOfCue(job, cue);
  return (
    <section aria-label="loop of the cue" className="space-y-1.5 border-t border-rule pt-3 leading-7">
      <h3 className="font-bold">Loop</h3>
      {loop ? <LoopWords cue={cue} loop={loop} /> : <p className="text-soft">It plays once through.</p>}
      <p className="flex flex-wrap gap-1.5">
        <Button title="drag over the strip to select" onClick={loopSelection}>{loop ? "loop the selection instead" : "loop the selection"}</Button>
        {loop && <Button tone="quiet" onClick={() => void edit({ kind: "remove_marks", mark_ids: [loop.id] })}>play once through</Button>}
      </p>
    </section>
  );
}

function LoopWords({ cue, loop }: { readonly cue: Cue; readonly loop: Mark }) {
  const job = useOpen((desk) => desk.job);
  const clip = job.clips[cue.clip_id ?? ""];
  const rate = job.rate_hz || 48_000;
  if (!clip || loop.end_frame === null) return null;
  const from = startOf(job, clip);
  const [start, end] = [placed(job, clip, loop.frame) - from, placed(job, clip, loop.end_frame) - from];
  const crossed = placed(job, clip, loop.end_frame) - placed(job, clip, loop.end_frame - loop.crossfade_frames);
  const put = (start_frame: number, end_frame: number, passes: number, crossfadeMs: number) =>
    void edit({ kind: "loop_of_cue", cue_id: cue.id, start_frame: Math.round(start_frame), end_frame: Math.round(end_frame), passes, crossfade_frames: Math.round((crossfadeMs / 1000) * (job.sources[clip.source_id]?.rate_hz ?? rate)) });
  const ms = (crossed * 1000) / rate;
  return (
    <p>
      From <Num label="loop starts at" value={start / rate} unit="s" lowest={0} highest={86_400} step={0.01} decimals={3} onChange={(s) => put(s * rate, end, cue.passes, ms)} /> to{" "}
      <Num label="loop ends at" value={end / rate} unit="s" lowest={0} highest={86_400} step={0.01} decimals={3} onChange={(s) => put(start, s * rate, cue.passes, ms)} />,{" "}
      {cue.passes === 0 ? (
        <>
          <b>until let go</b> <Button tone="quiet" className="px-0!" onClick={() => put(start, end, 2, ms)}>(count the passes)</Button>
        </>
      ) : (
        <>
          <Num label="passes" value={cue.passes} unit="times" lowest={1} highest={10_000} step={1} onChange={(passes) => put(start, end, passes, ms)} /> <Button tone="quiet" className="px-0!" onClick={() => put(start, end, 0, ms)}>(until let go)</Button>
        </>
      )}
      ; crossed over <Num label="crossfade of the loop" value={ms} unit="ms" lowest={0} highest={2_000} step={1} onChange={(next) => put(start, end, cue.passes, next)} />. Its seam is judged in step 3.
    </p>
  );
}

function FadePart({ cue }: { readonly cue: Cue }) {
  return (
    <section aria-label="fade of the cue" className="space-y-1.5 border-t border-rule pt-3 leading-7">
      {cue.kind === "fade" && (
        <p className="flex flex-wrap gap-1.5">
          <Button aria-pressed={cue.level_db === null} tone={cue.level_db === null ? "strong" : "plain"} onClick={() => setCue(cue, { to_nothing: true })}>to nothing</Button>
          <Button aria-pressed={cue.level_db !== null} tone={cue.level_db === null ? "plain" : "strong"} onClick={() => setCue(cue, { level_db: cue.level_db ?? 0 })}>to a level</Button>
        </p>
      )}
      {cue.kind === "fade" && (
        <label className="flex items-center gap-2">
          <input type="checkbox" className="accent-(--ink)" checked={cue.stops} onChange={(event) => setCue(cue, { stops: event.target.checked })} /> stop it when done
        </label>
      )}
      <p>
        <select aria-label="curve of the fade" className="rounded-(--radius) border border-rule bg-sheet px-1" value={cue.shape} onChange={(event) => setCue(cue, { shape: event.target.value as Shape })}>
          {SHAPE_NAMES.map(([shape, name]) => (
            <option key={shape} value={shape}>{name}</option>
          ))}
        </select>
        , bent by <Num label="bend of the fade" value={cue.bend} unit="" lowest={-1} highest={1} step={0.05} decimals={2} onChange={(bend) => setCue(cue, { bend })} />. The lens shows it over the sound that it acts on.
      </p>
      {cue.kind === "fade" && cue.level_db === null && !cue.stops && <p className="text-warn">What it fades goes on sounding, unheard.</p>}
    </section>
  );
}
