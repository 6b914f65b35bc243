import { useQuery } from "@tanstack/react-query";
import { Check, TriangleAlert } from "lucide-react";
import { useEffect } from "react";
import { useShallow } from "zustand/react/shallow";
import { api } from "../../../api/client";
import type { Clip, Edit, LoopFigure } from "../../../api/types";
import { Button } from "../../../ui/Button";
import { Choices } from "../../../ui/Choices";
import { Num } from "../../../ui/Num";
import { hasSound, joinedEndOf, placed, sourceFrameAt, startOf, turnedHalves } from "../../model/placement";
import { useSetting } from "../../state/settings";
import { currentClip, desk, setJoinLens, useOpen } from "../../state/desk";
import { edit } from "../../state/edits";
import { play } from "../../state/listening";
import { type Loop, loopMark, loopMarks, loopOf, showSeam, useSeam } from "../../state/loops";
import { selectClip, selectedIds } from "../../state/selection";

interface LoopSettings {
  readonly kind: "sustain" | "whole";
  readonly crossfadeMs: number;
  readonly allMs: number;
}

const INITIAL: LoopSettings = { kind: "sustain", crossfadeMs: 30, allMs: 40 };

/** Loops that do not click: a sustain loop inside the selected clip, or the whole clip rotated. */
export function LoopCard() {
  const clip = useOpen(currentClip);
  const second = useOpen((state) => (clip ? state.job.clips[turnedHalves(state.job).get(clip.id) ?? ""] : undefined));
  if (!clip) return null;
  return second ? <TurnedLoop first={clip} second={second} /> : <LoopOf key={clip.id} clip={clip} />;
}

/** A loop that was rotated: how long it is, where its old ends meet, and what is heard of that. */
function TurnedLoop({ first, second }: { readonly first: Clip; readonly second: Clip }) {
  const job = useOpen((state) => state.job);
  const verdicts = useOpen((state) => state.verdicts);
  const join = Object.values(job.joins).find((one) => one.left_clip_id === first.id);
  const rate = job.rate_hz || 48_000;
  const seconds = (frames: number) => <span className="num">{(frames / rate).toFixed(3)} s</span>;
  const [start, end] = [startOf(job, first), joinedEndOf(job, first)];
  const verdict = verdicts.get(first.id)?.verdicts[0];
  const crossed = join?.length_frames ?? 0;
  return (
    <section className="space-y-2">
      <h2 className="text-base font-bold">Loop</h2>
      <p>
        Rotated: {seconds(end - start)}, looped as a whole. Its old ends meet {seconds(startOf(job, second) - start)} in,{" "}
        {crossed ? <>crossed over <span className="num">{((crossed * 1000) / rate).toFixed(0)} ms</span></> : "without a crossfade"}
        {verdict && <span className={verdict.state === "fine" ? "text-fine" : "text-warn"}>: {verdict.text}</span>}.
      </p>
      <p className="flex gap-2">
        <Button onClick={() => play([{ start, end }], true)}>Hear it</Button>
        <Button
          onClick={() => {
            selectClip(first.id, "tail");
            setJoinLens(true);
          }}
        >
          Show its seam
        </Button>
      </p>
      <p className="text-soft">To find other ends, undo the rotation first.</p>
    </section>
  );
}

function LoopOf({ clip }: { readonly clip: Clip }) {
  const job = useOpen((state) => state.job);
  const id = useOpen((state) => state.id);
  const revision = useOpen((state) => state.revision);
  const ids = useOpen(useShallow(selectedIds));
  const rate = job.sources[clip.source_id]?.rate_hz ?? 48_000;
  const mark = loopMark(job, clip);
  const loop = loopOf(job, clip);
  const [settings, setSettings] = useSetting("loops", INITIAL);
  const { kind, crossfadeMs } = settings;
  const near: [number, number] | null = kind === "whole" ? [clip.head_frame, clip.tail_frame] : loop ? [loop.start_frame, loop.end_frame] : null;
  const edges = `${clip.head_frame} ${clip.tail_frame} ${clip.source_id}`;
  const asked = useQuery({ queryKey: ["loops", id, clip.id, kind, edges, loop?.start_frame, loop?.end_frame], queryFn: () => api.loops(id, revision, clip.id, near), retry: false, staleTime: Infinity });
  const judged = useQuery({ queryKey: ["loop", id, clip.id, edges, loop], queryFn: () => api.judgeLoop(id, revision, clip.id, loop as Loop), enabled: loop !== null && kind === "sustain", retry: false, staleTime: Infinity });
  const shown = useSeam((seam) => (seam.clipId === clip.id ? seam.loop : null));
  useEffect(() => {
    showSeam(clip.id, loop);
    return () => showSeam(clip.id, null);
  }, [clip.id, mark]); // eslint-disable-line react-hooks/exhaustive-deps
  const sustained = (one: Loop): Edit => ({ kind: "set_loop", clip_id: clip.id, start_frame: one.start_frame, end_frame: one.end_frame, crossfade_frames: one.crossfade_frames });
  const turned = (one: Loop): Edit => {
    const cursor = sourceFrameAt(job, clip, desk().cursorFrame);
    const at = Math.round(one.start_frame < cursor && cursor < one.end_frame ? cursor : (one.start_frame + one.end_frame) / 2);
    return { kind: "rotate_loop", clip_id: clip.id, at_frame: at, crossfade_frames: Math.round((crossfadeMs * rate) / 1000), ends: [one.start_frame, one.end_frame] };
  };
  const take = (one: Loop) => {
    showSeam(clip.id, one);
    if (kind === "sustain") void edit(sustained(one));
  };
  const hear = (one: Loop) => play([{ start: placed(job, clip, one.start_frame), end: placed(job, clip, one.end_frame) }], true, kind === "whole" ? turned(one) : sustained(one));
  const problem = asked.error instanceof Error ? asked.error.message : null;
  return (
    <section className="space-y-2">
      <h2 className="text-base font-bold">Loop</h2>
      <Choices
        label="kind of loop"
        value={kind}
        onChange={(next) => setSettings({ ...settings, kind: next })}
        choices={[
          { value: "sustain", label: "sustain loop, attack untouched" },
          { value: "whole", label: "rotate the whole clip" },
        ]}
      />
      {loop && kind === "sustain" && (
        <p className="leading-7">
          Loop from <Num label="start of the loop" value={loop.start_frame} unit="f" lowest={0} highest={clip.tail_frame} step={1} onChange={(start_frame) => take({ ...loop, start_frame })} /> to{" "}
          <Num label="end of the loop" value={loop.end_frame} unit="f" lowest={1} highest={clip.tail_frame} step={1} onChange={(end_frame) => take({ ...loop, end_frame })} />, crossfade{" "}
          <Num label="crossfade of the loop" value={(loop.crossfade_frames / rate) * 1000} unit="ms" lowest={0} highest={5_000} step={1} decimals={1} onChange={(ms) => take({ ...loop, crossfade_frames: Math.round((ms * rate) / 1000) })} />
          . <Figures figure={judged.data} />{" "}
          {mark && (
            <button type="button" className="underline" onClick={() => void edit({ kind: "remove_marks", mark_ids: loopMarks(job, ids.includes(clip.id) ? ids : [clip.id]) })}>
              remove loop
            </button>
          )}
        </p>
      )}
      {kind === "whole" && (
        <p className="leading-7">
          Crossfade the old ends over <Num label="crossfade of the rotated loop" value={crossfadeMs} unit="ms" lowest={0} highest={5_000} step={1} onChange={(ms) => setSettings({ ...settings, crossfadeMs: ms })} />; the loop then starts at the cursor, or in the middle.
        </p>
      )}
      {problem && <p role="alert" className="text-warn">{problem}</p>}
      {asked.isPending && !problem && <p className="text-soft">searching for seams …</p>}
      {asked.data && (
        <ol aria-label="seams to choose from" className="max-h-44 overflow-auto rounded-(--radius) border border-rule bg-sheet">
          {asked.data.map((one, n) => (
            <li key={`${one.start_frame} ${one.end_frame}`} className={`flex items-center gap-1.5 border-b border-rule px-2 py-0.5 last:border-b-0 ${same(shown, one) ? "bg-shade" : ""}`}>
              <span className="num text-soft">{n + 1}</span>
              <button type="button" className="num flex-1 text-left whitespace-nowrap hover:underline" onClick={() => take(one)}>
                {((one.end_frame - one.start_frame) / rate).toFixed(3)} s {kind === "sustain" && <span className="text-xs text-soft">at {(one.start_frame / rate).toFixed(3)}</span>}
              </button>
              <Figures figure={one} />
              <button type="button" className="underline" onClick={() => hear(one)}>
                hear
              </button>
              {kind === "whole" && (
                <button type="button" className="underline" onClick={() => void edit(turned(one))}>
                  rotate
                </button>
              )}
            </li>
          ))}
        </ol>
      )}
      <All ids={ids.length > 1 ? ids : []} />
    </section>
  );
}

const same = (one: Loop | null, other: Loop): boolean => one?.start_frame === other.start_frame && one.end_frame === other.end_frame;

function Figures({ figure }: { readonly figure: LoopFigure | undefined }) {
  if (!figure) return null;
  const heard = figure.score >= 1;
  return (
    <span className={`num inline-flex items-center gap-0.5 text-xs ${heard ? "text-warn" : "text-fine"}`} title={`${heard ? "audible" : "inaudible"} seam: ${figure.click.toFixed(1)}× the local residual, similarity ${figure.alike}`}>
      {figure.text} {heard ? <TriangleAlert size={11} aria-label="audible" /> : <Check size={11} aria-label="inaudible" />}
    </span>
  );
}

/** Loops for all selected clips, or the whole kit, at once. */
function All({ ids }: { readonly ids: readonly string[] }) {
  const everything = useOpen(
    useShallow(({ job }) => {
      const turned = new Set([...turnedHalves(job)].flat());
      return Object.values(job.clips).flatMap((clip) => (hasSound(clip) && !turned.has(clip.id) ? [clip.id] : []));
    }),
  );
  const [settings, setSettings] = useSetting("loops", INITIAL);
  const ms = settings.allMs;
  const chosen = ids.length ? [...ids] : everything;
  return (
    <p className="leading-7">
      <Button onClick={() => void edit({ kind: "loop_all", clip_ids: chosen, crossfade_ms: ms })}>Loop {ids.length ? `the ${ids.length} selected` : `all ${everything.length}`}</Button> with crossfades of{" "}
      <Num label="crossfade of all loops" value={ms} unit="ms" lowest={0} highest={5_000} step={1} onChange={(next) => setSettings({ ...settings, allMs: next })} />.
    </p>
  );
}
