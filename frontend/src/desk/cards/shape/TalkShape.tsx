import { useEffect, useState } from "react";
import type { LimiterSettings, Mixed, TalkPlan, Voice } from "../../../api/types";
import { formatPlace, formatTime, HOW_TO_TYPE_TIME } from "../../../time/format";
import { Button } from "../../../ui/Button";
import { CardTabs } from "../../../ui/CardTabs";
import { Curve } from "../../../ui/Curve";
import { Num } from "../../../ui/Num";
import { TypedText } from "../../../ui/TypedText";
import { Progress } from "../../../ui/Progress";
import { bringIntoView, desk, showPlace, typedPlace, useOpen } from "../../state/desk";
import { edit } from "../../state/edits";
import { useSetting } from "../../state/settings";
import { alignLanes, mixDown, showVoices, stopAligning, stopMixing, useAligning, useMeasuring, useMixed, useMixing, useTalkPlan, useVoices } from "../../state/talk";
import { Pieces } from "./Pieces";
import { ShapeCard } from "./ShapeCard";

/** Step 2 of a conversation: the whole of it, or its edges one by one. */
export function TalkShape() {
  const any = useOpen((desk) => Object.keys(desk.job.clips).length > 0);
  const [tab, setTab] = useState("talk");
  if (!any) return <p className="p-4 text-soft">Import a recording of each speaker first.</p>;
  return <CardTabs label="what to shape" value={tab} onChange={setTab} tabs={[["talk", "the talk", <Talk key="talk" />], ["edges", "its edges", <ShapeCard key="edges" />]]} />;
}

const INITIAL = { leadS: 1, longestS: 1, keptPercent: 0 };

function Talk() {
  const [settings, setSettings] = useSetting("talk", INITIAL);
  const plan = useTalkPlan(settings.longestS, settings.keptPercent / 100);
  const searched = useOpen((desk) => Object.keys(desk.job.findings).length > 0);
  return (
    <div className="h-full space-y-4 overflow-auto p-4">
      <LineUp />
      <Voices />
      {plan && !searched && <p className="border-t border-rule pt-3 text-soft">Find what is said first: then its ends, its gaps and its loudness alone show here.</p>}
      {plan && searched && <Ends plan={plan} leadS={settings.leadS} onLead={(leadS) => setSettings({ ...settings, leadS })} />}
      {plan && (searched || plan.longest_gap_frames > 0) && <Gaps plan={plan} settings={settings} onChange={(part) => setSettings({ ...settings, ...part })} />}
      <Pieces />
      <Mixdown />
    </div>
  );
}

/** Before anything is cut: recordings that did not start together are lined up by what they hear of each other. */
function LineUp() {
  const lanes = useOpen((desk) => Object.values(desk.job.lanes).filter((lane) => !lane.role).length);
  const cut = useOpen((desk) => Object.keys(desk.job.findings).length > 0);
  const aligning = useAligning();
  if (lanes < 2 || cut) return null;
  if (aligning.taskId) return <Progress name="listening to what the lanes hear of each other" part={aligning.part} onStop={() => void stopAligning()} />;
  return (
    <section aria-label="lanes">
      <p className="leading-8">
        Recordings that did not start together: <Button onClick={() => void alignLanes()}>Line up the lanes</Button>
      </p>
    </section>
  );
}

const lufs = (level: number | null | undefined): string => (level === null || level === undefined ? "too soft" : `${level.toFixed(1).replace("-", "−")} LUFS`);

const VOICES = { lufs: -19, along: false };

/** How loud each voice is, whole and along time, and the act that evens them out. */
function Voices() {
  const voices = useVoices();
  const measuring = useMeasuring();
  const [target, setTarget] = useSetting("voices", VOICES);
  useEffect(() => {
    showVoices(voices ?? []);
    return () => showVoices([]);
  }, [voices]);
  if (measuring.taskId) return <Progress name="measuring loudness" part={measuring.part} />;
  if (!voices) return <p className="text-soft">measuring loudness …</p>;
  if (voices.length === 0) return null;
  return (
    <section aria-label="voices" className="space-y-2">
      <h2 className="text-base font-bold">Voices</h2>
      {voices.map((voice) => (
        <VoiceRow key={voice.lane_id} voice={voice} />
      ))}
      <p className="leading-8">
        <Button onClick={() => void edit({ kind: "even_voices", target_lufs: null, along: target.along })} title="every lane gets the gain that brings it to the loudest">Even out</Button>, or{" "}
        <Button onClick={() => void edit({ kind: "even_voices", target_lufs: target.lufs, along: target.along })}>bring to</Button>{" "}
        <Num label="loudness of every voice" value={target.lufs} unit="LUFS" lowest={-50} highest={-5} step={0.5} decimals={1} onChange={(value) => setTarget({ ...target, lufs: value })} />
      </p>
      <label className="flex items-center gap-2 text-soft">
        <input type="checkbox" className="accent-(--ink)" checked={target.along} onChange={(event) => setTarget({ ...target, along: event.target.checked })} /> along time too, by a slow level line
      </label>
    </section>
  );
}

function VoiceRow({ voice }: { readonly voice: Voice }) {
  const lane = useOpen((desk) => desk.job.lanes[voice.lane_id]);
  const levels = voice.curve.map(([, level]) => Number(level));
  return (
    <div>
      <p className="flex justify-between gap-2">
        <span className="truncate">{lane?.name}</span>
        <span className="num whitespace-nowrap">
          {lufs(voice.speech_lufs)} <span className="text-soft">range {voice.range_lu.toFixed(1)}</span>
        </span>
      </p>
      {levels.length > 1 && <Curve values={levels} lowest={-45} highest={-10} label={`loudness of ${lane?.name ?? "the lane"} along time`} onPick={(at) => showPlace(Number(voice.curve[at]?.[0] ?? 0))} />}
    </div>
  );
}

/** Where the talk begins and ends, as proposed or typed, and the lead in front of it. */
function Ends({ plan, leadS, onLead }: { readonly plan: TalkPlan; readonly leadS: number; readonly onLead: (seconds: number) => void }) {
  const rate = useOpen((desk) => desk.job.rate_hz);
  const [own, setOwn] = useState<{ readonly start?: number; readonly end?: number }>({});
  const { ends } = plan;
  useEffect(() => setOwn({}), [ends?.start_frame, ends?.end_frame]); // cut to them, or found again
  if (!ends) return null;
  const [start, end] = [own.start ?? ends.start_frame, own.end ?? ends.end_frame];
  const cut = () => void edit({ kind: "keep_talk", start_frame: start, end_frame: end, lead_frames: Math.round(leadS * rate) });
  const aside = [ends.before && own.start === undefined ? `${ends.before} before, such as a count-in` : "", ends.behind && own.end === undefined ? `${ends.behind} behind, such as chatter` : ""].filter(Boolean).join("; ");
  return (
    <section aria-label="ends of the talk" className="space-y-1 border-t border-rule pt-3">
      <h2 className="text-base font-bold">Ends</h2>
      <p className="grid grid-cols-[4.5em_1fr] items-baseline gap-y-1">
        <span>starts at</span> <EndField label="start of the talk" frame={start} onChange={(frame) => setOwn({ ...own, start: frame })} />
        <span>ends at</span> <EndField label="end of the talk" frame={end} onChange={(frame) => setOwn({ ...own, end: frame })} />
      </p>
      {aside && <p className="text-soft">{aside}</p>}
      <p className="leading-7">
        Leave <Num label="lead" value={leadS} unit="s" lowest={0} highest={60} step={0.1} decimals={3} onChange={onLead} /> in front.
      </p>
      {own.start === undefined && ends.start_doubt && <EndDoubt what="a count-in" frame={ends.maybe_start_frame} verb="starts" doubt={ends.start_doubt} onTake={(frame) => setOwn({ ...own, start: frame })} />}
      {own.end === undefined && ends.end_doubt && <EndDoubt what="chatter" frame={ends.maybe_end_frame} verb="ends" doubt={ends.end_doubt} onTake={(frame) => setOwn({ ...own, end: frame })} />}
      <Button onClick={cut}>Cut to the talk</Button>
    </section>
  );
}

/** What may be no part of the talk, and is kept until somebody says so. */
function EndDoubt({ what, frame, verb, doubt, onTake }: { readonly what: string; readonly frame: number; readonly verb: string; readonly doubt: string; readonly onTake: (frame: number) => void }) {
  const rate = useOpen((desk) => desk.job.rate_hz);
  const at = formatTime(frame, rate, "clock", 1);
  return (
    <p className="text-warn">
      It may be that there is {what}, and that the talk {verb} at <span className="num">{at}</span>: {doubt}.{" "}
      <Button tone="quiet" onClick={() => showPlace(frame)}>show {at}</Button> <Button tone="quiet" onClick={() => onTake(frame)}>use {at}</Button>
    </p>
  );
}

/** A place that is typed, or taken from the cursor. */
function EndField({ label, frame, onChange }: { readonly label: string; readonly frame: number; readonly onChange: (frame: number) => void }) {
  const job = useOpen((desk) => desk.job);
  const style = useOpen((desk) => desk.timeStyle);
  return (
    <span className="whitespace-nowrap">
      <TypedText
        label={label}
        title={`${label}: ${HOW_TO_TYPE_TIME}`}
        className="w-24 border-b-2 border-ink bg-transparent font-bold focus:border-join focus:outline-none"
        value={formatPlace(job, frame, style)}
        onFocus={() => bringIntoView(frame)}
        onTake={(text) => onChange(typedPlace(job, text, frame, style) ?? frame)}
      />{" "}
      <Button tone="quiet" aria-label={`${label} at the cursor`} onClick={() => onChange(desk().cursorFrame)}>
        cursor
      </Button>
    </span>
  );
}

/** Gaps in which nobody speaks, closed on all lanes. */
function Gaps({ plan, settings, onChange }: { readonly plan: TalkPlan; readonly settings: typeof INITIAL; readonly onChange: (part: Partial<typeof INITIAL>) => void }) {
  const rate = useOpen((desk) => desk.job.rate_hz);
  const close = () => void edit({ kind: "close_gaps", longest_frames: Math.round(settings.longestS * rate), part: settings.keptPercent / 100 });
  return (
    <section aria-label="gaps in the talk" className="space-y-1 border-t border-rule pt-3">
      <h2 className="text-base font-bold">Gaps</h2>
      <p className="leading-7">
        Close gaps in which nobody speaks to <Num label="longest gap" value={settings.longestS} unit="s" lowest={0.1} highest={60} step={0.05} decimals={2} onChange={(longestS) => onChange({ longestS })} />; longer ones keep <Num label="kept of longer gaps" value={settings.keptPercent} unit="%" lowest={0} highest={90} step={5} onChange={(keptPercent) => onChange({ keptPercent })} /> of the rest.
      </p>
      <p aria-live="polite" className="text-soft">
        {plan.gaps === 0 ? (
          <>No gap is longer; the longest is <span className="num">{(plan.longest_gap_frames / rate).toFixed(2)} s</span>.</>
        ) : (
          <><span className="num">{plan.gaps}</span> {plan.gaps === 1 ? "gap" : "gaps"}, <span className="num">{formatTime(plan.taken_out_frames, rate, "clock", 1)}</span> taken out: <span className="num">{formatTime(plan.total_frames, rate, "clock", 3)}</span> in all.</>
        )}
      </p>
      <Button disabled={plan.gaps === 0} onClick={close}>Close gaps</Button>
    </section>
  );
}

const MIX = { name: "Mix", channels: 1, limits: true, ceilingDb: -4, truePeak: false, lookAheadMs: 5, releaseMs: 100 };

/** One lane of all that sounds, limited if that is asked for. */
function Mixdown() {
  const [mix, setMix] = useSetting("mix", MIX);
  const mixing = useMixing();
  const id = useOpen((desk) => desk.id);
  const mixed = useMixed((last) => (last.jobId === id ? last.mixed : null));
  const channels = useOpen((desk) => desk.job.channels);
  const change = (part: Partial<typeof MIX>) => setMix({ ...mix, ...part });
  const limiter: LimiterSettings = { ceiling_db: mix.ceilingDb, true_peak: mix.truePeak, look_ahead_ms: mix.lookAheadMs, release_ms: mix.releaseMs };
  return (
    <section aria-label="mix" className="space-y-2 border-t border-rule pt-3">
      <h2 className="text-base font-bold">Mix</h2>
      <label className="flex items-center gap-2">
        <input type="checkbox" className="accent-(--ink)" checked={mix.limits} onChange={(event) => change({ limits: event.target.checked })} />
        <span>limit, so that nothing is over <Num label="ceiling of the limiter" value={mix.ceilingDb} unit="dB" lowest={-40} highest={0} step={0.5} decimals={1} onChange={(ceilingDb) => change({ ceilingDb })} /></span>
      </label>
      {mix.limits && (
        <p className="pl-6 leading-7 text-soft">
          down <Num label="look-ahead" value={mix.lookAheadMs} unit="ms" lowest={0.5} highest={50} step={0.5} decimals={1} onChange={(lookAheadMs) => change({ lookAheadMs })} /> before a peak, back by 6 dB in <Num label="release" value={mix.releaseMs} unit="ms" lowest={5} highest={5000} step={5} onChange={(releaseMs) => change({ releaseMs })} />
          <label className="ml-2 inline-flex items-center gap-1.5">
            <input type="checkbox" className="accent-(--ink)" checked={mix.truePeak} onChange={(event) => change({ truePeak: event.target.checked })} /> between samples too
          </label>
        </p>
      )}
      {channels > 1 && (
        <label className="flex items-center gap-2">
          <input type="checkbox" className="accent-(--ink)" checked={mix.channels === 1} onChange={(event) => change({ channels: event.target.checked ? 1 : 0 })} /> to mono: the mean of all channels
        </label>
      )}
      {mixing.taskId ? (
        <Progress name="mixing down" part={mixing.part} onStop={() => void stopMixing()} />
      ) : (
        <Button tone="strong" className="w-full py-1.5" onClick={() => void mixDown({ name: mix.name, channels: mix.channels, limiter: mix.limits ? limiter : null })}>Mix down to a new lane</Button>
      )}
      {mixed && <MixFigures mixed={mixed} />}
    </section>
  );
}

function MixFigures({ mixed }: { readonly mixed: Mixed }) {
  const rate = useOpen((desk) => desk.job.rate_hz);
  const db = (level: number) => `${level.toFixed(1).replace("-", "−")} dB`;
  return (
    <div role="status">
      <p>
        <span className="num">{lufs(mixed.integrated_lufs)}</span>, true peak <span className="num">{db(mixed.true_peak_db)}</span>.{" "}
        {mixed.limited_s > 0 ? (
          <>The limiter worked for <span className="num">{mixed.limited_s.toFixed(1)} s</span>, by <span className="num">{db(-mixed.limited_db)}</span> at the most.</>
        ) : mixed.steps_db.length > 0 ? "Nothing was over the ceiling: nothing was changed." : null}
      </p>
      {mixed.limited_s > 0 && <Curve values={mixed.steps_db} lowest={Math.min(mixed.limited_db, -3)} highest={0} label="what the limiter took off along time" onPick={(at) => showPlace((at * rate) / 10)} />}
    </div>
  );
}
