import type { ReactNode } from "react";
import { useQuery } from "@tanstack/react-query";
import { useShallow } from "zustand/react/shallow";
import { api } from "../../../api/client";
import type { Clip, Join, Law, Shape } from "../../../api/types";
import { Button } from "../../../ui/Button";
import { Num } from "../../../ui/Num";
import { PointsEditor } from "../../../ui/PointsEditor";
import { SHAPE_NAMES } from "../../../wave/curve";
import type { Point } from "../../../wave/points";
import { keyOf } from "../../commands/commands";
import { leadOf } from "../../model/gains";
import { type CrossfadePlace, leadAt } from "../../model/offers";
import { clipsInOrder, endOf, startOf } from "../../model/placement";
import { cross, fadeOver, USUAL_CROSSFADE, type UsualCrossfade, removeChosen, selectedPairs, setFadeOfChosen, setGainOfChosen, splitAtCursor } from "../../state/clipEdits";
import { currentClip, type Hold, setHold, useOpen } from "../../state/desk";
import { edit } from "../../state/edits";
import { selectedIds } from "../../state/selection";
import { useSetting } from "../../state/settings";
import { applyRecipe, setRecipe } from "../../state/soundSearch";

/** Step 2: automatic fades, and the selected clips. */
export function ShapeCard({ children }: { readonly children?: ReactNode }) {
  const recipe = useOpen((desk) => desk.recipe);
  const drafted = useOpen((desk) => desk.drafted);
  const busy = useOpen((desk) => desk.busy);
  const searched = useOpen((desk) => Object.keys(desk.job.findings).length > 0);
  const any = useOpen((desk) => Object.keys(desk.job.clips).length > 0);
  if (!any) return <p className="p-4 text-soft">Import a recording first.</p>;
  if (!recipe) {
    return (
      <div className="h-full space-y-3 overflow-auto p-4">
        <h2 className="text-base font-bold">Shape the edges</h2>
        {children}
        <SelectedClips />
        <FadeCounts />
      </div>
    );
  }
  return (
    <div className="flex h-full flex-col">
      <div className="min-h-0 flex-1 space-y-3 overflow-auto p-4">
        <h2 className="text-base font-bold">Shape the edges</h2>
        <SelectedClips />
        <p className="border-t border-rule pt-2 text-base leading-8">
          Automatic fades: <Num label="automatic fade" value={recipe.fade_ms} unit="ms" lowest={0} highest={60_000} step={1} onChange={(ms) => setRecipe({ fade_ms: ms })} />,{" "}
          <select
            aria-label="shape of automatic fades"
            className="rounded-(--radius) border border-rule bg-sheet px-1 text-sm"
            value={recipe.fade_shape}
            onChange={(event) => setRecipe({ fade_shape: event.target.value as Shape })}
          >
            {SHAPE_NAMES.map(([shape, name]) => (
              <option key={shape} value={shape}>{name}</option>
            ))}
          </select>
          ; longer where the edge would click, shorter near the sound.
        </p>
        <AutomaticFades />
        <FadeCounts />
      </div>
      <div className="border-t border-rule p-4">
        <Button tone="strong" className="w-full py-1.5" disabled={!drafted || !searched || busy !== null} title={searched ? undefined : "nothing has been found yet: apply the settings in Find first"} onClick={() => void applyRecipe()}>
          {busy ? "shaping …" : drafted ? "Apply" : "Applied"}
        </Button>
      </div>
    </div>
  );
}

function AutomaticFades() {
  const on = useOpen((desk) => desk.job.auto_fades);
  return (
    <label className="flex items-center gap-2">
      <input type="checkbox" className="accent-(--ink)" checked={on} onChange={(event) => void edit({ kind: "set_automatic_fades", on: event.target.checked })} />
      <span>
        automatic fades <span className="text-soft">(your own always stay)</span>
      </span>
    </label>
  );
}

function FadeCounts() {
  const job = useOpen((desk) => desk.job);
  const fades = Object.values(job.clips).flatMap((clip) => [clip.fade_in, clip.fade_out]);
  const own = fades.filter((fade) => fade?.origin === "own").length;
  const auto = fades.filter((fade) => fade?.origin === "auto").length;
  const joins = Object.keys(job.joins).length;
  return (
    <p className="border-t border-rule pt-3">
      <span className="num">{auto}</span> automatic fades, <span className="num">{own}</span> your own, <span className="num">{joins}</span> {joins === 1 ? "crossfade" : "crossfades"}.
    </p>
  );
}

/** The selected clips: gain, fades, what a moved edge does with its fade, the crossfade where clips meet. */
function SelectedClips() {
  const clip = useOpen(currentClip);
  const ids = useOpen(useShallow(selectedIds));
  const hold = useOpen((desk) => desk.hold);
  const span = useOpen((desk) => desk.selection !== null);
  if (!clip) return null;
  return (
    <section className="space-y-2">
      <h3 className="font-bold">{span ? "The selected time" : ids.length > 1 ? `${ids.length} clips selected` : <bdi>{clip.name}</bdi>}</h3>
      <p className="leading-7">
        Gain{" "}
        <Num label="gain of the selected clips" value={clip.gain_db} unit="dB" lowest={-120} highest={40} step={0.5} decimals={1} onChange={setGainOfChosen} />. When an edge moves, its fade keeps{" "}
        <select aria-label="what a fade keeps" className="rounded-(--radius) border border-rule bg-sheet px-1" value={hold} onChange={(event) => setHold(event.target.value as Hold)}>
          <option value="length">its length</option>
          <option value="inner">its inner end</option>
        </select>
        .
      </p>
      <div className="flex flex-wrap gap-1.5">
        <Button title={keyOf("fade in to cursor")} onClick={() => fadeOver("from_start")}>
          fade in to cursor
        </Button>
        <Button title={keyOf("fade out from cursor")} onClick={() => fadeOver("to_end")}>
          fade out from cursor
        </Button>
        <Button title={keyOf("fade over the selection")} onClick={() => fadeOver("selection")}>
          fade selection
        </Button>
        <Button title={keyOf("split at cursor")} onClick={splitAtCursor}>
          {span ? "split at both ends" : "split at cursor"}
        </Button>
      </div>
      <JoinSettings />
      <Overlaps clip={clip} />
      <Drawn clip={clip} />
      <Recording ids={ids} sourceId={clip.source_id} />
      <p className="text-soft">In a lens, drag an edge, the ring at the inner end of its fade, or the square that bends its curve.</p>
      <div className="flex flex-wrap gap-1.5">
        <Button title={keyOf("remove")} onClick={() => removeChosen("no")}>{span ? "Clear this time" : ids.length > 1 ? "Remove these clips" : "Remove this clip"}</Button>
        <Button title={keyOf("remove and close up the lane")} onClick={() => removeChosen("lane")}>
          close up the lane
        </Button>
        <Button onClick={() => removeChosen("all")}>close up all lanes</Button>
      </div>
    </section>
  );
}

/** Clips laid over this one on purpose: for how long, and the peak of the sum. */
function Overlaps({ clip }: { readonly clip: Clip }) {
  const job = useOpen((desk) => desk.job);
  const id = useOpen((desk) => desk.id);
  const revision = useOpen((desk) => desk.revision);
  const [start, end] = [startOf(job, clip), endOf(job, clip)];
  const any = clipsInOrder(job).some((other) => other.id !== clip.id && other.lane_id === clip.lane_id && startOf(job, other) < end && start < endOf(job, other));
  const asked = useQuery({ queryKey: ["overlaps", id, revision, clip.id], queryFn: () => api.overlaps(id, revision, clip.id), enabled: any });
  if (!any) return null;
  return (
    <ul aria-label="overlaps">
      {(asked.data ?? []).map((overlap) => (
        <li key={overlap.clip_id} className={overlap.peak_db > 0 ? "text-fail" : "text-soft"}>
          Overlaps <bdi>{job.clips[overlap.clip_id]?.name}</bdi> for <span className="num">{((overlap.end_frame - overlap.start_frame) / (job.rate_hz || 48_000)).toFixed(3)} s</span>; their sum peaks at{" "}
          <span className="num">{overlap.peak_db.toFixed(1).replace("-", "−")} dB</span>.
        </li>
      ))}
    </ul>
  );
}

/** The fade at the selected edge as it is drawn, and the level line of the clip. */
function Drawn({ clip }: { readonly clip: Clip }) {
  const side = useOpen((desk) => desk.side);
  const rate = useOpen((desk) => desk.job.sources[clip.source_id]?.rate_hz ?? 48_000);
  const fade = side === "head" ? clip.fade_in : clip.fade_out;
  const db = (value: number) => `${value.toFixed(1).replace("-", "−")} dB`;
  return (
    <>
      {fade && fade.points.length > 0 && (
        <div>
          <p className="text-soft">Fade at the {side}, from its outer end: click to add a point.</p>
          <PointsEditor
            label={`fade at the ${side}`}
            points={fade.points as Point[]}
            ends={[[0, 0], [1, 1]]}
            x={[0, 1]}
            y={[0, 1]}
            say={([part, gain]) => `${db(20 * Math.log10(Math.max(gain, 1e-6)))} after ${((part * fade.length_frames) / rate).toFixed(3)} s`}
            onChange={(points) => setFadeOfChosen(side, { ...fade, points: points.map(([part, gain]) => [part, gain]) })}
          />
        </div>
      )}
      <details open={clip.line.length > 0}>
        <summary className="cursor-pointer">level line of the clip{clip.line.length > 0 && `, ${clip.line.length} points`}</summary>
        <PointsEditor
          label="level line"
          points={clip.line as Point[]}
          x={[clip.head_frame, clip.tail_frame]}
          y={[-24, 12]}
          say={([frame, level]) => `${db(level)} at ${((frame - clip.head_frame) / rate).toFixed(3)} s`}
          onChange={(line) => void edit({ kind: "set_line", clip_id: clip.id, line: line.map(([frame, level]) => [Math.round(frame), Math.round(level * 10) / 10]) })}
        />
      </details>
    </>
  );
}

/** The recording under the selected clips; another can be put there, and their points stay. */
function Recording({ ids, sourceId }: { readonly ids: string[]; readonly sourceId: string }) {
  const sources = useOpen(useShallow((desk) => Object.values(desk.job.sources)));
  if (sources.length < 2) return null;
  return (
    <label className="flex items-center gap-2">
      recording
      <select className="min-w-0 flex-1 rounded-(--radius) border border-rule bg-sheet px-1 py-0.5" value={sourceId} onChange={(event) => void edit({ kind: "put_under", clip_ids: ids, source_id: event.target.value })}>
        {sources.map((source) => (
          <option key={source.id} value={source.id}>{source.name}</option>
        ))}
      </select>
    </label>
  );
}

const LAWS: readonly (readonly [Law, string])[] = [["matched", "matched"], ["equal_gain", "equal gain"], ["equal_power", "equal power"]];

/** The crossfade of the cut at the selected edge, or of every cut between the selected clips. */
const placeOf = (join: Join): CrossfadePlace => {
  const lead = leadOf(join);
  return lead === 0 ? "after" : lead === join.length_frames ? "before" : "around";
};

function JoinSettings() {
  const state = useOpen((desk) => desk);
  const pairs = selectedPairs(state);
  const [left, right] = pairs[0] ?? [];
  const join = Object.values(state.job.joins).find((one) => one.left_clip_id === left && one.right_clip_id === right);
  const rate = state.job.rate_hz || 48_000;
  const [usual, setUsual] = useSetting<UsualCrossfade>("crossfade", USUAL_CROSSFADE);
  if (pairs.length === 0) return null;
  const now = join ? { place: placeOf(join), law: join.law, bend: join.bend } : usual;
  const lengthFrames = join?.length_frames ?? 0;
  /** Change the crossfade that is there; before there is one, what the next will be. */
  const change = (next: Partial<UsualCrossfade> & { readonly lengthFrames?: number }) => {
    const { lengthFrames: length = lengthFrames, ...kind } = next;
    const wanted = { ...now, ...kind };
    setUsual(wanted);
    if (join || length > 0) cross(pairs, { lengthFrames: length, law: wanted.law, leadFrames: leadAt(wanted.place, length), bend: wanted.bend });
  };
  const select = "rounded-(--radius) border border-rule bg-sheet px-1";
  return (
    <p className="leading-7" aria-label="crossfade">
      {pairs.length > 1 ? (
        `Crossfade ${pairs.length} cuts over`
      ) : (
        <>
          Crossfade from <bdi className="font-semibold">{state.job.clips[left ?? ""]?.name}</bdi> into <bdi className="font-semibold">{state.job.clips[right ?? ""]?.name}</bdi> over
        </>
      )}{" "}
      <Num label="length of the crossfade" value={(lengthFrames / rate) * 1000} unit="ms" lowest={0} highest={60_000} step={1} decimals={1} onChange={(ms) => change({ lengthFrames: Math.round((ms * rate) / 1000) })} />,{" "}
      <select aria-label="place of the crossfade" className={select} value={now.place} onChange={(event) => change({ place: event.target.value as CrossfadePlace })}>
        <option value="before">before</option>
        <option value="around">centred on</option>
        <option value="after">after</option>
      </select>{" "}
      the cut,{" "}
      <select aria-label="law of the crossfade" className={select} value={now.law} onChange={(event) => change({ law: event.target.value as Law })}>
        {LAWS.map(([law, name]) => (
          <option key={law} value={law}>{name}</option>
        ))}
      </select>
      , bend <Num label="bend of the crossfade" value={now.bend} unit="" lowest={-1} highest={1} step={0.05} decimals={2} onChange={(bend) => change({ bend })} />.
    </p>
  );
}
