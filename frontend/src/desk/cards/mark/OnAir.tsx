import { Play, X } from "lucide-react";
import { useState } from "react";
import type { AirPoint, Clip } from "../../../api/types";
import { formatPlace } from "../../../time/format";
import { Button } from "../../../ui/Button";
import { Num } from "../../../ui/Num";
import { TypedText } from "../../../ui/TypedText";
import { keyOf } from "../../commands/commands";
import { clipsInOrder, endOf, markFrame, startOf } from "../../model/placement";
import { currentClip, typedPlace, useOpen } from "../../state/desk";
import { edit } from "../../state/edits";
import { endFrameOf, followerOf, hearHandOver, playFromPoint, POINTS, pointsOf, setAirPoint, useHandOver } from "../../state/onAir";
import { useSetting } from "../../state/settings";
import { usePlayhead } from "../../state/usePlayhead";

const INITIAL = { underDb: 20 };

/** What a playout needs of a song: its points, in its own time, and how the next item follows. */
export function OnAir() {
  const clip = useOpen(currentClip);
  const [settings, keep] = useSetting("on_air", INITIAL);
  if (!clip) return null;
  return (
    <section aria-label="on air" className="space-y-2 border-t border-rule pt-3">
      <h2 className="text-base font-bold">On air</h2>
      <p className="leading-7">
        <Button title="begin, next and end, from the sound; what a hand set stays" onClick={() => void edit({ kind: "propose_on_air", clip_ids: [clip.id], under_db: settings.underDb })}>propose</Button>; the next starts where the tail is{" "}
        <Num label="tail under the loudness" value={settings.underDb} unit="dB" lowest={3} highest={60} step={1} onChange={(underDb) => keep({ underDb })} /> down.
      </p>
      <ul aria-label="on-air points">
        {POINTS.map(([point, name]) => (
          <Point key={point} clip={clip} point={point} name={name} />
        ))}
      </ul>
      <TalkOver clip={clip} />
      <HandOver clip={clip} />
    </section>
  );
}

/** A point: played from with the round button on the left, set with the word on the right. */
function Point({ clip, point, name }: { readonly clip: Clip; readonly point: AirPoint; readonly name: string }) {
  const job = useOpen((desk) => desk.job);
  const style = useOpen((desk) => desk.timeStyle);
  const mark = pointsOf(job, clip.id).get(point);
  const start = startOf(job, clip);
  const own = { ...job, grid: null };
  const place = (label: string, frame: number, put: (frame: number) => void) => (
    <TypedText
      label={label}
      className="w-20 rounded-(--radius) border border-rule bg-sheet px-1 text-right focus:border-join"
      value={formatPlace(own, frame - start, style)}
      onTake={(text) => {
        const to = typedPlace(own, text, frame - start, style);
        if (to !== null) put(start + to);
      }}
    />
  );
  return (
    <li className="flex items-center gap-1.5 py-0.5">
      <button type="button" aria-label={`play from “${name}”`} title={`play from here (${keyOf(`play from “${name}”`)})`} disabled={!mark} className="grid size-6 shrink-0 place-items-center rounded-full border border-rule hover:border-ink disabled:opacity-40" onClick={() => playFromPoint(point)}>
        <Play size={11} fill="currentColor" aria-hidden />
      </button>
      <span className="min-w-0 flex-1 leading-4">
        {name}
        {mark && !mark.by_hand && <span className="block text-xs text-soft">proposed</span>}
      </span>
      {mark && place(`place of “${name}”`, markFrame(job, mark), (frame) => setAirPoint(point, frame))}
      {mark && point === "hook" && place("end of the hook", endFrameOf(job, mark), (end) => setAirPoint(point, markFrame(job, mark), end))}
      <Button aria-label={`set “${name}” at the cursor`} title="at the cursor, or where it plays" onClick={() => setAirPoint(point)}>set</Button>
      {mark && <Button tone="quiet" aria-label={`remove “${name}”`} onClick={() => void edit({ kind: "remove_air_point", clip_id: clip.id, point })}><X size={13} aria-hidden /></Button>}
    </li>
  );
}

/** While it plays: how long until the singing begins. */
function TalkOver({ clip }: { readonly clip: Clip }) {
  const job = useOpen((desk) => desk.job);
  const playing = useOpen((desk) => desk.playing);
  const frame = usePlayhead();
  const singing = pointsOf(job, clip.id).get("singing");
  if (!playing || !singing || frame < startOf(job, clip) || frame >= endOf(job, clip)) return null;
  const left = (markFrame(job, singing) - frame) / job.rate_hz;
  return <p aria-live="off" className="text-xl font-bold"><span className="num">{Math.max(left, 0).toFixed(1)} s</span> {left > 0 ? "until singing" : "singing"}</p>;
}

/** Two items as they follow each other on air, with the overlap and the loudest sample of their sum. */
function HandOver({ clip }: { readonly clip: Clip }) {
  const job = useOpen((desk) => desk.job);
  const [chosen, setChosen] = useState("");
  const others = clipsInOrder(job).filter((one) => one.id !== clip.id);
  const second = others.find((one) => one.id === chosen) ?? followerOf(job, clip);
  const { heard, problem } = useHandOver(clip.id, second?.id);
  if (!second) return null;
  return (
    <div className="space-y-1.5 border-t border-rule pt-2">
      <p className="flex items-center gap-1.5">
        Hand over to
        <select aria-label="the item that follows" className="min-w-0 flex-1 rounded-(--radius) border border-rule bg-sheet px-1" value={second.id} onChange={(event) => setChosen(event.target.value)}>
          {others.map((one) => (
            <option key={one.id} value={one.id}>{one.name}</option>
          ))}
        </select>
      </p>
      {problem && <p className="text-fail">{problem}</p>}
      {heard && (
        <>
          <p>
            <bdi>{second.name}</bdi> starts at <span className="num">{formatPlace(job, heard.starts_frame - startOf(job, clip), "clock")}</span> of <bdi>{clip.name}</bdi>,{" "}
            {heard.overlap_frames > 0 ? <><span className="num">{(heard.overlap_frames / job.rate_hz).toFixed(3)} s</span> before its end</> : "when it ends"}. Their sum peaks at{" "}
            <span className={`num ${heard.peak_db > 0 ? "text-fail" : ""}`}>{heard.peak_db.toFixed(1).replace("-", "−")} dB</span>.
          </p>
          <Button onClick={() => hearHandOver(heard, clip.id, second.id)}><Play size={13} aria-hidden /> hear the hand-over</Button>
        </>
      )}
    </div>
  );
}
