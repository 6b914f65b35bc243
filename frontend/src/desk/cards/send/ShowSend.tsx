import { CircleAlert, CircleCheck, FileText, Play, TriangleAlert } from "lucide-react";
import { useState } from "react";
import { Link } from "wouter";
import { api } from "../../../api/client";
import type { Rehearsal, ShowFault } from "../../../api/types";
import { CardTabs } from "../../../ui/CardTabs";
import { Num } from "../../../ui/Num";
import { useOpen } from "../../state/desk";
import { useSetting } from "../../state/settings";
import { chooseCue, useRunSettings, useShow } from "../../state/show";
import { SendCard } from "./SendCard";
import { Sending } from "./Sending";

const INITIAL = { tab: "show" };

/** Step 4 of a show: what will go wrong, the performance, a rehearsal without anybody, the running order on paper. */
export function ShowSend() {
  const [settings, keep] = useSetting("show_send", INITIAL);
  return <CardTabs label="what to send" value={settings.tab} onChange={(tab) => keep({ tab })} tabs={[["show", "the show", <BeforeTheShow key="show" />], ["files", "single files", <SendCard key="files" />]]} />;
}

function BeforeTheShow() {
  const id = useOpen((desk) => desk.id);
  const revision = useOpen((desk) => desk.revision);
  const any = useOpen((desk) => Object.keys(desk.job.cues).length > 0);
  const show = useShow();
  const [run] = useRunSettings();
  const [typed, setTyped] = useState({ go: "", letGo: "" });
  const [go, letGo] = [momentsOf(typed.go), momentsOf(typed.letGo)];
  const wrong = !go || !letGo;
  const rehearsal: Rehearsal = { go_s: go ?? [], let_go_s: letGo ?? [], stop_s: null, length_s: 0 };
  if (!any) return <p className="p-4 text-soft">There are no cues yet: import sounds, each becomes one.</p>;
  const url = (ending: string) => `/api/jobs/${id}/revisions/${revision}/running-order.${ending}`;
  return (
    <div className="flex h-full flex-col">
      <div className="min-h-0 flex-1 space-y-3 overflow-auto p-4">
        <Link href={`/jobs/${id}/run`} className="flex items-center justify-center gap-2 rounded-(--radius) border border-ink bg-ink py-1.5 font-semibold text-on-ink hover:opacity-90">
          <Play size={14} aria-hidden fill="currentColor" /> Run the show
        </Link>
        <RunWords />
        <section aria-label="before the show" className="space-y-1.5 border-t border-rule pt-3">
          <h2 className="text-base font-bold">Before the show</h2>
          {show && <Faults faults={show.faults} />}
        </section>
        <section aria-label="rehearse" className="space-y-1.5 border-t border-rule pt-3">
          <h2 className="text-base font-bold">Rehearse without anybody</h2>
          <p className="text-soft">One WAV with a mark at each cue; what is over full scale joins the list above.</p>
          <Moments label="GO at these seconds" placeholder="one every 10 s" value={typed.go} onChange={(text) => setTyped({ ...typed, go: text })} />
          {typed.go && <Moments label="let go at" placeholder="never" value={typed.letGo} onChange={(text) => setTyped({ ...typed, letGo: text })} />}
          {wrong && <p role="alert" className="text-fail">Moments are seconds, such as 0 12.5 40.</p>}
        </section>
        <p className="flex gap-4 border-t border-rule pt-3">
          <a className="inline-flex items-center gap-1 underline" href={url("html")} target="_blank" rel="noreferrer"><FileText size={13} aria-hidden /> running order to print</a>
          <a className="underline" href={url("csv")} download>as CSV</a>
        </p>
      </div>
      <Sending ready={!wrong} words="Rehearse" start={(jobId, at) => api.rehearse(jobId, at, rehearsal, run)} />
    </div>
  );
}

/** Moments as they are typed, in seconds; null for what is none. */
function momentsOf(text: string): number[] | null {
  const moments = text.split(/[\s;]+|,(?!\d)/).filter(Boolean).map((one) => Number(one.replace(",", ".")));
  return moments.every((one) => Number.isFinite(one) && one >= 0) ? moments : null;
}

function Moments({ label, placeholder, value, onChange }: { readonly label: string; readonly placeholder: string; readonly value: string; readonly onChange: (text: string) => void }) {
  return (
    <label className="block">
      {label}
      <input className="num mt-1 w-full rounded-(--radius) border border-rule bg-sheet px-1.5 py-0.5" placeholder={placeholder} value={value} onChange={(event) => onChange(event.target.value)} />
    </label>
  );
}

function RunWords() {
  const [run, keep] = useRunSettings();
  return (
    <p className="leading-7">
      “Stop everything” fades over <Num label="stop everything over" value={run.stop_s} unit="s" lowest={0} highest={60} step={0.1} decimals={1} onChange={(stop_s) => keep({ stop_s })} />, “fade this one” over{" "}
      <Num label="fade this one over" value={run.fade_s} unit="s" lowest={0} highest={600} step={0.1} decimals={1} onChange={(fade_s) => keep({ fade_s })} />; GO counts once within{" "}
      <Num label="GO counts once within" value={run.once_s} unit="s" lowest={0} highest={10} step={0.1} decimals={1} onChange={(once_s) => keep({ once_s })} />.
    </p>
  );
}

/** What will go wrong, each a click from its place. */
function Faults({ faults }: { readonly faults: readonly ShowFault[] }) {
  const cues = useOpen((desk) => desk.job.cues);
  if (faults.length === 0) return <p className="flex items-center gap-1.5 text-fine"><CircleCheck size={14} aria-hidden /> nothing will go wrong that can be known</p>;
  return (
    <ul aria-label="show checks" tabIndex={0} className="space-y-1">
      {faults.map((fault) => (
        <li key={`${fault.cue_id} ${fault.text}`} className={`flex gap-1.5 ${fault.stops ? "text-fail" : "text-warn"}`}>
          {fault.stops ? <CircleAlert size={14} aria-label="cannot run" className="mt-0.5 shrink-0" /> : <TriangleAlert size={14} aria-label="to know" className="mt-0.5 shrink-0" />}
          <button type="button" className="text-left underline" onClick={() => chooseCue(fault.cue_id)}>
            <span className="num">{cues[fault.cue_id]?.number}</span> {cues[fault.cue_id]?.name}: {fault.text}
          </button>
        </li>
      ))}
    </ul>
  );
}
