import { CircleAlert, TriangleAlert } from "lucide-react";
import { useEffect, useMemo, useState } from "react";
import { useShallow } from "zustand/react/shallow";
import { api } from "../../../api/client";
import type { BriefRecord, Preview, SendRequest } from "../../../api/types";
import { AboutFile } from "./AboutFile";
import { Sending } from "./Sending";
import { Trial } from "./Trial";
import { Choices } from "../../../ui/Choices";
import { goTo, showPlace, useOpen } from "../../state/desk";
import { useSetting } from "../../state/settings";
import { selectClip } from "../../state/selection";

const KINDS: readonly (readonly [SendRequest["kind"], string])[] = [
  ["wav_24", "WAV 24-bit"],
  ["wav_16", "WAV 16-bit"],
  ["wav_float", "WAV 32-bit float"],
  ["flac_24", "FLAC 24-bit"],
  ["flac_16", "FLAC 16-bit"],
  ["aiff_24", "AIFF 24-bit"],
  ["aiff_16", "AIFF 16-bit"],
  ["mp3", "MP3, constant bit rate"],
  ["m4a", "M4A (AAC)"],
  ["ogg", "Ogg Vorbis"],
  ["opus", "Ogg Opus"],
];

/** Kinds of which the bit rate is chosen. */
const RATED: readonly SendRequest["kind"][] = ["mp3", "m4a", "opus"];
const RATES_HZ = [22_050, 32_000, 44_100, 48_000, 88_200, 96_000, 192_000];

/** What is asked for and kept with the job: which clips are in hand is asked anew each time. */
type Asked = Omit<SendRequest, "clip_ids"> & { readonly in_hand: boolean };

/** What a job is sent as unless something else was chosen: the programme if one is marked, else its brief's own defaults. */
function firstAsked({ send }: BriefRecord, programme: boolean): Asked {
  const { kind, with_map } = send;
  return { kind, what: programme ? "one" : send.what, pattern: "", kbps: 192, channels: 0, rate_hz: 0, replace_this: "", replace_by: "", with_map, in_hand: false, tags: null, chapters: send.chapters, shortest_chapter_s: 10, limiter: null, loudness_lufs: null };
}

/** The request to the server; one file of everything has no clips by themselves. */
function useRequest(asked: Asked): SendRequest {
  const selected = useOpen((desk) => desk.selected);
  const clips = byClip(asked.what) ? selected : null;
  return useMemo(() => {
    const { in_hand, ...request } = asked;
    const single = request.what === "one" ? {} : { tags: null, chapters: false };
    return { ...request, ...single, clip_ids: in_hand && clips ? [...clips] : [] };
  }, [asked, clips]);
}

const byClip = (what: SendRequest["what"]): boolean => what === "one_shots" || what === "each_clip";

/** Step 4: what will be sent, in words, with the checks before it and every name. */
export function SendCard() {
  const brief = useOpen((desk) => desk.brief);
  const channels = useOpen((desk) => desk.job.channels);
  const rateHz = useOpen((desk) => desk.job.rate_hz);
  const inHand = useOpen((desk) => desk.selected.size);
  const kinds = useOpen(useShallow((desk) => Object.values(desk.job.marks).map((mark) => mark.kind)));
  const programme = kinds.includes("start") && kinds.includes("end");
  const [asked, ask] = useSetting<Asked>("send", useMemo(() => firstAsked(brief, programme), [brief, programme]));
  const shots = asked.what === "one_shots";
  const sections = kinds.filter((kind) => kind === "section").length;
  const request = useRequest(asked);
  const [tried, setTried] = useState(0);
  const { preview, problem } = usePreview(request, tried);
  const change = (part: Partial<Asked>) => ask({ ...asked, ...part });
  const chooseKind = (kind: SendRequest["kind"]) => change({ kind, ...(kind === "opus" && asked.kbps > 256 ? { kbps: 256 } : {}) });
  const select = "rounded-(--radius) border border-rule bg-sheet px-1.5 py-1";
  return (
    <div className="flex h-full flex-col">
      <div className="min-h-0 flex-1 space-y-3 overflow-auto p-4">
        <h2 className="text-base font-bold">Send</h2>
        <Choices
          label="how many files"
          value={asked.what}
          onChange={(what) => change({ what, pattern: "", ...(what === "one_shots" ? {} : { with_map: "none", ...(asked.kind === "as_source" ? { kind: "wav_24" } : {}) }) })}
          choices={[
            { value: "one_shots", label: "one-shots" },
            { value: "each_clip", label: "one file per clip" },
            { value: "one", label: programme ? "one file of the programme" : "one file of everything" },
            ...(sections ? [{ value: "each_section" as const, label: "one file per section", figure: sections }] : []),
          ]}
        />
        <div className="grid grid-cols-[auto_minmax(0,1fr)] items-center gap-x-3 gap-y-1.5">
          {byClip(asked.what) && (
            <>
              <label htmlFor="which">which</label>
              <select id="which" className={select} value={asked.in_hand ? "selected" : "all"} onChange={(event) => change({ in_hand: event.target.value === "selected" })}>
                <option value="all">all of them</option>
                <option value="selected">selected: {inHand === 1 ? "1 clip" : `${inHand} clips`}</option>
              </select>
            </>
          )}
          <label htmlFor="kind">format</label>
          <select id="kind" className={select} value={asked.kind} onChange={(event) => chooseKind(event.target.value as SendRequest["kind"])}>
            {shots && <option value="as_source">same as the source</option>}
            {KINDS.map(([kind, name]) => (
              <option key={kind} value={kind}>{name}</option>
            ))}
          </select>
          {RATED.includes(asked.kind) && (
            <>
              <label htmlFor="kbps">bit rate</label>
              <select id="kbps" className={select} value={asked.kbps} onChange={(event) => change({ kbps: Number(event.target.value) })}>
                {[128, 160, 192, 224, 256, 320].filter((kbps) => asked.kind !== "opus" || kbps <= 256).map((kbps) => (
                  <option key={kbps} value={kbps}>{kbps} kb/s</option>
                ))}
              </select>
            </>
          )}
          <label htmlFor="rate">rate</label>
          <span className="flex min-w-0 gap-1.5">
            <select id="rate" className={`w-0 min-w-0 flex-1 ${select}`} value={asked.rate_hz} onChange={(event) => change({ rate_hz: Number(event.target.value) })}>
              <option value={0}>{shots ? "own rate" : `${rateHz / 1000} kHz`}</option>
              {RATES_HZ.filter((rate) => shots || rate !== rateHz).map((rate) => (
                <option key={rate} value={rate}>{rate / 1000} kHz</option>
              ))}
            </select>
            <select aria-label="channels" className={`w-0 min-w-0 flex-1 ${select}`} value={asked.channels} onChange={(event) => change({ channels: Number(event.target.value) })}>
              <option value={0}>{shots ? "as they are" : ({ 1: "mono", 2: "stereo" }[channels] ?? `${channels} channels`)}</option>
              {(shots || channels > 1) && <option value={1}>mono</option>}
              {(shots || channels === 1) && <option value={2}>stereo</option>}
            </select>
          </span>
          <label htmlFor="pattern">names</label>
          <input id="pattern" className={`num min-w-0 ${select}`} value={asked.pattern || (preview?.pattern ?? "")} title="empty: as proposed" onChange={(event) => change({ pattern: event.target.value })} spellCheck={false} />
          <label htmlFor="replace">replace</label>
          <span className="flex items-center gap-1.5">
            <input id="replace" aria-label="replace this in names" className={`num w-0 min-w-0 flex-1 ${select}`} value={asked.replace_this} onChange={(event) => change({ replace_this: event.target.value })} spellCheck={false} />
            with
            <input aria-label="replace it with" className={`num w-0 min-w-0 flex-1 ${select}`} value={asked.replace_by} onChange={(event) => change({ replace_by: event.target.value })} spellCheck={false} />
          </span>
          {shots && (
            <>
              <label htmlFor="map">map</label>
              <select id="map" className={select} value={asked.with_map} onChange={(event) => change({ with_map: event.target.value as SendRequest["with_map"] })}>
                <option value="none">none</option>
                <option value="cut">SFZ, samples cut</option>
                <option value="offset">SFZ, whole samples with offsets</option>
              </select>
            </>
          )}
        </div>
        <p className="text-xs text-soft">
          Fields: <span className="num">{shots ? "{name} {note} {key} {strength} {mic} {take} {clip} {number:2} {rate}" : "{clip} {number:2} {job} {source} {lane} {rate}"}</span>, and / for folders
        </p>
        {asked.what === "one" && <AboutFile asked={asked} onChange={change} />}
        {problem && (
          <p role="alert" className="text-fail">
            {problem}
          </p>
        )}
        {preview && <Names preview={preview} />}
        {preview && asked.what === "one" && preview.names.length > 0 && <Trial request={request} tried={preview.tried} onTried={() => setTried(tried + 1)} />}
      </div>
      {preview && (
        <p aria-live="polite" className="border-t border-rule px-4 pt-2 text-base leading-5 font-semibold">
          {preview.words}
        </p>
      )}
      {preview && preview.doubts.length > 0 && <Doubts doubts={preview.doubts} />}
      <Sending ready={preview !== null && !problem && !preview.doubts.some((doubt) => doubt.stops)} start={(id, revision) => api.send(id, revision, request)} />
    </div>
  );
}

/** What would be sent, asked again when the job, the request or what was `tried` changes. */
function usePreview(request: SendRequest, tried: number): { preview: Preview | null; problem: string | null } {
  const [answer, setAnswer] = useState<{ preview: Preview | null; problem: string | null }>({ preview: null, problem: null });
  const id = useOpen((desk) => desk.id);
  const revision = useOpen((desk) => desk.revision);
  useEffect(() => {
    const stop = new AbortController();
    const later = setTimeout(() => {
      api.preview(id, revision, request, stop.signal).then(
        (preview) => setAnswer({ preview, problem: null }),
        (error: unknown) => !stop.signal.aborted && setAnswer({ preview: null, problem: error instanceof Error ? error.message : String(error) }),
      );
    }, 120);
    return () => {
      clearTimeout(later);
      stop.abort();
    };
  }, [id, revision, request, tried]);
  return answer;
}

/** The name of every file to be. */
function Names({ preview }: { readonly preview: Preview }) {
  return (
    <ol aria-label="names" tabIndex={0} className="max-h-40 overflow-auto rounded-(--radius) border border-rule bg-sheet">
      {preview.names.map((name, n) => (
        <li key={n} className={`flex justify-between gap-2 border-b border-rule px-2 py-0.5 last:border-b-0 ${name.collides ? "text-fail" : ""}`}>
          <bdi className="truncate">{name.name}</bdi>
          <span className="num text-soft">{(preview.seconds[n] ?? 0).toFixed(2)} s</span>
        </li>
      ))}
    </ol>
  );
}

/** What to know before sending, over what was sent last: each a click from its place. */
function Doubts({ doubts }: { readonly doubts: Preview["doubts"] }) {
  const show = ({ clip_id, side, job_frame }: Preview["doubts"][number]) => {
    if (clip_id) selectClip(clip_id, side ?? undefined);
    if (job_frame !== null) showPlace(job_frame);
    goTo(side ? "shape" : "mark");
  };
  return (
    <ul aria-label="checks before sending" tabIndex={0} className="max-h-24 space-y-1 overflow-auto px-4 py-1.5">
      {doubts.map((doubt) => (
        <li key={doubt.text} className={`flex gap-1.5 ${doubt.stops ? "text-fail" : "text-warn"}`}>
          {doubt.stops ? <CircleAlert size={14} aria-label="stops" className="mt-0.5 shrink-0" /> : <TriangleAlert size={14} aria-label="to know" className="mt-0.5 shrink-0" />}
          {doubt.clip_id || doubt.job_frame !== null ? (
            <button type="button" className="text-left underline" onClick={() => show(doubt)}>
              {doubt.text}
            </button>
          ) : (
            <span>{doubt.text}</span>
          )}
        </li>
      ))}
    </ul>
  );
}
