import { api } from "../../../api/client";
import type { ReleaseRequest } from "../../../api/types";
import { CardTabs } from "../../../ui/CardTabs";
import { Num } from "../../../ui/Num";
import { DiscFaults } from "../DiscFaults";
import { PictureChoice } from "../PictureChoice";
import { useOpen } from "../../state/desk";
import { useRelease, useReleaseSettings } from "../../state/release";
import { useSetting } from "../../state/settings";
import { SendCard } from "./SendCard";
import { Sending } from "./Sending";

/** Until one is chosen: the release where there are tracks. */
const INITIAL = { tab: "" };

/** Step 4 of a release: the disc and its tracks, or single files as for anything else. */
export function ReleaseSend() {
  const [settings, keep] = useSetting("release_send", INITIAL);
  const tracks = useOpen((desk) => Object.values(desk.job.marks).some((mark) => mark.kind === "track"));
  return <CardTabs label="what to send" value={settings.tab || (tracks ? "release" : "files")} onChange={(tab) => keep({ tab })} tabs={[["release", "the release", <Release key="release" />], ["files", "single files", <SendCard key="files" />]]} />;
}

const FILES: readonly (readonly [ReleaseRequest["files"], string])[] = [
  ["none", "none"],
  ["wav_16", "WAV 16-bit"],
  ["wav_24", "WAV 24-bit"],
  ["flac_16", "FLAC 16-bit"],
  ["flac_24", "FLAC 24-bit"],
  ["mp3", "MP3, constant bit rate"],
  ["ogg", "Ogg Vorbis"],
  ["m4a", "M4A (AAC)"],
];

function Release() {
  const [request, change] = useReleaseSettings();
  const { preview, problem } = useRelease(request);
  const input = "min-w-0 rounded-(--radius) border border-rule bg-sheet px-1.5 py-0.5";
  const text = (name: "title" | "performer" | "catalog" | "year" | "genre", label: string, number = false) => (
    <>
      <label htmlFor={`release-${name}`} className="text-soft">{label}</label>
      <input id={`release-${name}`} className={`${input} ${number ? "num" : ""}`} value={request[name]} onChange={(event) => change({ [name]: event.target.value })} />
    </>
  );
  return (
    <div className="flex h-full flex-col">
      <div className="min-h-0 flex-1 space-y-3 overflow-auto p-4">
        <div className="grid grid-cols-[auto_minmax(0,1fr)] items-center gap-x-3 gap-y-1.5">
          {text("title", "title")}
          {text("performer", "by")}
          {text("catalog", "EAN", true)}
          {request.files !== "none" && (
            <>
              {text("year", "year")}
              {text("genre", "kind")}
              <span className="text-soft">cover</span>
              <PictureChoice name={request.cover} of="the cover" onChange={(cover) => change({ cover })} />
            </>
          )}
        </div>
        <div className="space-y-1.5">
          <label className="flex items-baseline gap-2">
            <input type="checkbox" className="accent-(--ink)" checked={request.image} onChange={(event) => change({ image: event.target.checked })} /> image, 44.1 kHz 16-bit, with a cue sheet
          </label>
          {request.image && (
            <label className="flex items-baseline gap-2 pl-6">
              <input type="checkbox" className="accent-(--ink)" checked={request.first_pause === "in_image"} onChange={(event) => change({ first_pause: event.target.checked ? "in_image" : "left_out" })} /> with the pause before track 1
            </label>
          )}
          <label className="flex items-baseline gap-2">
            <input type="checkbox" className="accent-(--ink)" checked={request.lists} onChange={(event) => change({ lists: event.target.checked })} /> track list: text, CSV, a page to print
          </label>
          <label className="flex items-center gap-2">
            a file for each track
            <select className={`flex-1 ${input}`} value={request.files} onChange={(event) => change({ files: event.target.value as ReleaseRequest["files"] })}>
              {FILES.map(([kind, name]) => (
                <option key={kind} value={kind}>{name}</option>
              ))}
            </select>
          </label>
          {request.files !== "none" && (
            <p className="flex flex-wrap items-center gap-2">
              <label className="flex items-center gap-2">
                gaps
                <select className={input} value={request.gaps} onChange={(event) => change({ gaps: event.target.value as ReleaseRequest["gaps"] })}>
                  <option value="before">end the file before them</option>
                  <option value="left_out">are left out</option>
                </select>
              </label>
              {(request.files === "mp3" || request.files === "m4a") && <Num label="bit rate of the tracks" value={request.kbps} unit="kb/s" lowest={128} highest={320} step={32} onChange={(kbps) => change({ kbps })} />}
            </p>
          )}
        </div>
        <p className="text-soft">
          The disc holds <Num label="capacity of the disc" value={request.capacity_s / 60} unit="min" lowest={1} highest={600} step={0.5} decimals={2} onChange={(minutes) => change({ capacity_s: minutes * 60 })} />; true peaks up to{" "}
          <Num label="ceiling of true peaks" value={request.ceiling_db} unit="dB" lowest={-20} highest={3} step={0.1} decimals={1} onChange={(ceiling_db) => change({ ceiling_db })} />.
        </p>
        {problem && <p role="alert" className="text-fail">{problem}</p>}
        {preview && preview.names.length > 0 && (
          <ol aria-label="names" tabIndex={0} className="max-h-36 overflow-auto rounded-(--radius) border border-rule bg-sheet">
            {preview.names.map((name) => (
              <li key={name} className="truncate border-b border-rule px-2 py-0.5 last:border-b-0"><bdi>{name}</bdi></li>
            ))}
          </ol>
        )}
      </div>
      {preview && <p aria-live="polite" className="border-t border-rule px-4 pt-2 text-base leading-5 font-semibold">{preview.words}</p>}
      {preview && <div className="max-h-24 shrink-0 overflow-auto px-4 py-1.5"><DiscFaults faults={preview.faults} /></div>}
      <Sending ready={preview !== undefined && !problem && !preview.faults.some((fault) => fault.stops)} start={(id, revision) => api.sendRelease(id, revision, request)} />
    </div>
  );
}
