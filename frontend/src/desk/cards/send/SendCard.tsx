import { useQuery, useQueryClient } from "@tanstack/react-query";
import { CircleAlert, Download, TriangleAlert } from "lucide-react";
import { useEffect, useMemo, useState } from "react";
import { useShallow } from "zustand/react/shallow";
import { api } from "../../../api/client";
import type { BriefRecord, Preview, SendRequest, Task } from "../../../api/types";
import { AboutFile } from "./AboutFile";
import { Trial, HeardAgain, type Heard } from "./Trial";
import { Button } from "../../../ui/Button";
import { Choices } from "../../../ui/Choices";
import { formatBytes } from "../../../ui/figures";
import { goTo, notify, showPlace, useOpen } from "../../state/desk";
import { isOpen } from "../../../api/tasks";
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
  return { kind, what: programme ? "one" : send.what, pattern: "", kbps: 192, channels: 0, rate_hz: 0, replace_this: "", replace_by: "", with_map, in_hand: false, tags: null, chapters: send.chapters, shortest_chapter_s: 10, limiter: null };
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
      <Go request={request} ready={preview !== null && !problem && !preview.doubts.some((doubt) => doubt.stops)} />
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

function Go({ request, ready }: { readonly request: SendRequest; readonly ready: boolean }) {
  const id = useOpen((desk) => desk.id);
  const revision = useOpen((desk) => desk.revision);
  const queries = useQueryClient();
  const tasks = useQuery({
    queryKey: ["tasks", id],
    queryFn: () => api.tasks(id),
    refetchInterval: (query) => ((query.state.data ?? []).some(isOpen) ? 250 : false),
  });
  const last = (tasks.data ?? []).find((task) => task.kind === "export");
  const running = last !== undefined && isOpen(last);
  const again = () => queries.invalidateQueries({ queryKey: ["tasks", id] });
  const go = async (ask: () => Promise<string>) => {
    try {
      await ask();
      await again();
    } catch (error) {
      notify(error instanceof Error ? error.message : String(error));
    }
  };
  return (
    <div className="space-y-2 px-4 pt-2 pb-4">
      {last && <Sent task={last} revision={revision} onChange={() => void again()} />}
      <Button tone="strong" className="w-full py-1.5" disabled={!ready || running} onClick={() => void go(() => api.send(id, revision, request))}>
        Send
      </Button>
      <Button tone="quiet" className="w-full" disabled={running} title="the job and its recordings in one zip; drop it on a start page to open it elsewhere" onClick={() => void go(() => api.save(id, revision))}>
        save the whole job as one file
      </Button>
    </div>
  );
}

async function deleteSent(taskId: string, files: number): Promise<void> {
  try {
    const { freed_bytes } = await api.removeDelivery(taskId);
    notify(`${files > 1 ? `${files} files` : "The file"} deleted; ${formatBytes(freed_bytes)} freed`);
  } catch (error) {
    notify(error instanceof Error ? error.message : String(error));
  }
}

function Sent({ task, revision, onChange }: { readonly task: Task; readonly revision: number; readonly onChange: () => void }) {
  const files = (task.result?.["files"] as string[] | undefined) ?? [];
  if (isOpen(task)) {
    return (
      <div aria-live="polite" className="space-y-1">
        <p className="truncate text-soft">{task.doing || "waiting"}</p>
        <div className="flex items-center gap-2">
          <progress aria-label="progress of sending" value={task.progress} className="h-2 flex-1 accent-(--wave)" />
          <Button tone="quiet" onClick={() => void api.cancelTask(task.id).then(onChange, onChange)}>
            stop
          </Button>
        </div>
      </div>
    );
  }
  if (task.state === "done") {
    const limitedDb = Number(task.result?.["limited_db"] ?? 0);
    const heard = task.result?.["heard"] as Heard | null | undefined;
    const over = Number(task.result?.["over"] ?? 0);
    return (
      <div className="space-y-1">
        {task.result?.["saved"] ? (
          <p>{task.title}.</p>
        ) : (
          <p>
            Sent: {task.title}. Peak <span className="num">{Number(task.result?.["peak_db"]).toFixed(1).replace("-", "−")} dB</span>
            {task.request["revision"] === revision ? "" : ", before the job was changed"}
            {over > 0 && <span className="text-fail">, {over} samples over full scale</span>}.
            {limitedDb < 0 && <> The limiter went down by <span className="num">{(-limitedDb).toFixed(1)} dB</span> at the most.</>}
            {heard && <HeardAgain heard={heard} />}
          </p>
        )}
        <p className="truncate text-xs text-soft" title={String(task.result?.["folder"])}>
          {String(task.result?.["folder"])}
        </p>
        <div className="flex items-center justify-between gap-2">
          <a href={api.sentFileUrl(task.id)} download className="inline-flex min-w-0 items-center gap-1.5 underline">
            <Download size={14} aria-hidden className="shrink-0" /> <span className="truncate">{files.length > 1 ? `download ${files.length} files (zip)` : `download ${files[0] ?? ""}`}</span>
          </a>
          <Button tone="quiet" title="the job stays as it is and can be sent again" onClick={() => void deleteSent(task.id, files.length).then(onChange)}>
            {files.length > 1 ? "delete files" : "delete file"}
          </Button>
        </div>
      </div>
    );
  }
  return (
    <div className="flex items-center justify-between gap-2">
      <p className={task.state === "failed" ? "text-fail" : "text-soft"}>
        {task.state === "interrupted" ? "Sending was interrupted." : String(task.error?.["message"] ?? task.state)}
      </p>
      <Button tone="quiet" onClick={() => void api.startAgain(task.id).then(onChange, onChange)}>
        try again
      </Button>
    </div>
  );
}
