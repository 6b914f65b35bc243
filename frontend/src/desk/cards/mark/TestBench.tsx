import { useEffect, useMemo, useRef, useState } from "react";
import { useShallow } from "zustand/react/shallow";
import { api } from "../../../api/client";
import type { Job } from "../../../api/types";
import { Bench, secondsAStep } from "../../../play/bench";
import { tempoOf } from "../../../time/grid";
import { Button } from "../../../ui/Button";
import { Num } from "../../../ui/Num";
import { type Cell, cells } from "../../model/cells";
import { joinedEndOf, placed, startOf } from "../../model/placement";
import { desk, notify, useOpen } from "../../state/desk";
import { useSetting } from "../../state/settings";
import { useHits } from "../../state/hitSearch";
import { selectClips } from "../../state/selection";

/** Rows of the computer's keys, the softest at the bottom, as strengths lie on a keyboard. */
const KEY_ROWS = ["zxcvbnm", "asdfghjkl", "qwertyuiop", "1234567890"] as const;
const STEPS = 16;
const LONGEST_S = 20;

/** A thing that is struck, with its hits from soft to hard. */
interface Thing {
  readonly key: string;
  readonly name: string;
  readonly hits: readonly Cell[];
}

function things(job: Job, list: readonly Cell[]): Thing[] {
  const byName = new Map<string, Cell[]>();
  for (const cell of list) {
    const strike = cell.clips[0]?.strike;
    const key = strike ? `${strike.name}\n${strike.note ?? ""}` : cell.name;
    byName.set(key, [...(byName.get(key) ?? []), cell]);
  }
  const rate = job.rate_hz || 48_000;
  return [...byName].map(([key, hits]) => ({ name: key.split("\n")[0] ?? "", key, hits: hits.filter((hit) => spanOf(job, hit, false)[1] < LONGEST_S * rate) })).filter((thing) => thing.hits.length > 0);
}

/** Where a hit lies on the time line, all of its microphones: as it is cut, or from where its file began. */
function spanOf(job: Job, hit: Cell, old: boolean): [number, number] {
  const starts = hit.clips.map((clip) => {
    const finding = clip.finding_id === null ? undefined : job.findings[clip.finding_id];
    return old && finding ? placed(job, clip, finding.head_frame) : startOf(job, clip);
  });
  const start = Math.max(Math.min(...starts), 0);
  return [start, Math.max(...hit.clips.map((clip) => joinedEndOf(job, clip))) - start];
}

interface BenchSettings {
  readonly everyS: number;
  /** A tempo of its own; none: the job's. */
  readonly bpm: number | null;
  /** The steps that are on: a hit and a number. */
  readonly pattern: readonly string[];
}

const INITIAL: BenchSettings = { everyS: 0.5, bpm: null, pattern: [] };

/** Play samples from keys, on a beat, and in a pattern against a click: lateness is heard in rhythm. */
export function TestBench() {
  const job = useOpen((state) => state.job);
  const revision = useOpen((state) => state.revision);
  const clipId = useOpen((state) => state.clipId);
  const known = useHits(useShallow(({ draft, drafted, deciding, heads }) => ({ draft, drafted, deciding, heads })));
  const bench = useRef(new Bench());
  const lateFromMs = useHits((hits) => hits.limits.lateFromMs);
  const [settings, setSettings] = useSetting("test_bench", INITIAL);
  const { everyS, bpm: ownBpm } = settings;
  const [old, setOld] = useState(false);
  const bpm = ownBpm ?? (job.grid ? Math.round(tempoOf(job.grid) * 100) / 100 : 120);
  const [running, setRunning] = useState<"no" | "beat" | "pattern">("no");
  const pattern = useMemo(() => new Set(settings.pattern), [settings.pattern]);
  const all = useMemo(() => things(job, cells(job, known, "name")), [job, known]);
  const current = all.flatMap((thing) => thing.hits).find((hit) => hit.clips.some((clip) => clip.id === clipId));
  const live = useRef({ pattern, current, old });
  useEffect(() => {
    live.current = { pattern, current, old };
  });
  useEffect(() => {
    const ours = bench.current;
    return () => ours.stop();
  }, []);

  const keyFor = (hit: Cell, asOld: boolean) => `${revision} ${hit.key} ${asOld ? "old" : "new"}`;
  const load = async (hit: Cell, asOld: boolean): Promise<string> => {
    const key = keyFor(hit, asOld);
    if (!bench.current.has(key)) {
      const [start, frames] = spanOf(job, hit, asOld);
      const { channels, samples } = await api.audio(desk().id, revision, start, Math.min(frames, 1 << 20), asOld ? "original" : "result");
      const length = samples.length / channels;
      bench.current.put(key, { rateHz: job.rate_hz, channels: Array.from({ length: channels }, (_, c) => samples.subarray(c * length, (c + 1) * length)) });
    }
    return key;
  };
  const strike = (hit: Cell) => {
    void load(hit, old).then((key) => bench.current.hit(key, hit.key), (error: unknown) => notify(error instanceof Error ? error.message : String(error)));
    selectClips(hit.clips.map((clip) => clip.id));
  };
  const stop = () => {
    bench.current.stop();
    setRunning("no");
  };
  const start = async (how: "beat" | "pattern") => {
    const wanted = how === "beat" ? (current ? [current] : []) : all.slice(0, 8).flatMap((thing) => thing.hits.at(-1) ?? []);
    for (const hit of wanted) await Promise.all([load(hit, false), load(hit, true)]);
    setRunning(how);
    const stepS = how === "beat" ? everyS : secondsAStep(bpm, 4);
    bench.current.run(job.rate_hz, stepS, (step, when) => {
      if (how === "beat") {
        const hit = live.current.current;
        if (hit) bench.current.hit(keyFor(hit, live.current.old), hit.key, 1, when);
        return;
      }
      if (step % 4 === 0) bench.current.click(when, step % STEPS === 0);
      for (const hit of wanted) if (live.current.pattern.has(`${hit.key} ${step % STEPS}`)) bench.current.hit(keyFor(hit, live.current.old), hit.key, 1, when);
    });
  };
  const midi = useMidi((key, strength) => {
    const thing = all.find((one) => one.hits[0]?.clips[0]?.strike?.note === key);
    const hit = thing?.hits[Math.min(Math.floor((strength / 128) * thing.hits.length), thing.hits.length - 1)];
    if (hit) strike(hit);
  });
  const late = current ? current.onsetMs - (old ? 0 : current.headMs) : null;

  return (
    <section className="space-y-2" aria-label="test bench">
      <h2 className="text-base font-bold">Test bench</h2>
      {all.length === 0 ? (
        <p className="text-soft">No samples yet.</p>
      ) : (
        <>
          <div
            role="application"
            tabIndex={0}
            aria-label="play samples by the computer's keys: a column for each thing, a row for each strength"
            className="grid max-h-36 gap-1 overflow-auto rounded-(--radius) border border-rule bg-sheet p-1.5"
            style={{ gridTemplateColumns: "minmax(0,1fr) auto" }}
            onKeyDown={(event) => {
              if (event.ctrlKey || event.metaKey || event.altKey || event.key === "Tab" || event.key === "Escape") return;
              const row = KEY_ROWS.findIndex((keys) => keys.includes(event.key));
              const hit = row < 0 ? undefined : all[KEY_ROWS[row]?.indexOf(event.key) ?? -1]?.hits[row];
              if (!hit || event.repeat) return;
              event.preventDefault();
              event.stopPropagation();
              strike(hit);
            }}
          >
            {all.map((thing, column) => (
              <Pads key={thing.key} thing={thing} column={column} current={current} onStrike={strike} />
            ))}
          </div>
          <p className="text-xs text-soft">Click here and play; rows of keys are strengths. {midi}</p>
          <label className="flex items-center gap-2">
            <input type="checkbox" className="accent-(--ink)" checked={old} onChange={(event) => setOld(event.target.checked)} /> <span className="whitespace-nowrap">original start</span>
            {late !== null && (
              <span className={`ml-auto ${late >= lateFromMs ? "text-warn" : "text-soft"}`} aria-live="polite">
                onset at <span className="num">{late.toFixed(1)} ms</span>
              </span>
            )}
          </label>
          <p className="leading-7">
            <Button aria-pressed={running === "beat"} disabled={!current} onClick={() => (running === "beat" ? stop() : void start("beat"))}>
              {running === "beat" ? "Stop" : "Retrigger"}
            </Button>{" "}
            every <Num label="retrigger every" value={everyS} unit="s" lowest={0.05} highest={10} step={0.05} decimals={2} onChange={(seconds) => setSettings({ ...settings, everyS: seconds })} />
          </p>
          <p className="leading-7">
            <Button aria-pressed={running === "pattern"} onClick={() => (running === "pattern" ? stop() : void start("pattern"))}>
              {running === "pattern" ? "Stop" : "Play the pattern"}
            </Button>{" "}
            at <Num label="tempo of the test bench" value={bpm} unit="bpm" lowest={20} highest={300} step={1} decimals={Number.isInteger(bpm) ? 0 : 2} onChange={(tempo) => setSettings({ ...settings, bpm: tempo })} /> against a click
          </p>
          <Pattern all={all} pattern={pattern} onChange={(next) => setSettings({ ...settings, pattern: [...next] })} />
        </>
      )}
    </section>
  );
}

function Pads({ thing, column, current, onStrike }: { readonly thing: Thing; readonly column: number; readonly current: Cell | undefined; readonly onStrike: (hit: Cell) => void }) {
  return (
    <>
      <bdi className="truncate">{thing.name}</bdi>
      <span className="flex gap-1">
        {thing.hits.slice(0, KEY_ROWS.length).map((hit, row) => (
          <button
            key={hit.key}
            type="button"
            tabIndex={-1}
            title={`${hit.name}: key ${KEY_ROWS[row]?.[column] ?? "none"}`}
            className={`num w-6 rounded-(--radius) border text-xs ${hit === current ? "border-ink bg-ink text-on-ink" : "border-rule hover:border-ink"}`}
            onClick={() => onStrike(hit)}
          >
            {KEY_ROWS[row]?.[column] ?? "·"}
          </button>
        ))}
      </span>
    </>
  );
}

/** Sixteen steps for the first things, each struck as hard as it has. */
function Pattern({ all, pattern, onChange }: { readonly all: readonly Thing[]; readonly pattern: ReadonlySet<string>; readonly onChange: (pattern: ReadonlySet<string>) => void }) {
  const toggle = (key: string) => {
    const next = new Set(pattern);
    if (!next.delete(key)) next.add(key);
    onChange(next);
  };
  return (
    <table className="w-full border-collapse" aria-label="pattern of sixteen steps">
      <tbody>
        {all.slice(0, 8).map((thing) => (
          <tr key={thing.key}>
            <th scope="row" className="max-w-16 truncate pr-1 text-left text-xs font-normal">{thing.name}</th>
            {Array.from({ length: STEPS }, (_, step) => {
              const key = `${thing.hits.at(-1)?.key ?? ""} ${step}`;
              const on = pattern.has(key);
              return (
                <td key={step} className={step % 4 === 0 ? "pl-0.5" : ""}>
                  <button type="button" role="switch" aria-checked={on} aria-label={`${thing.name}, step ${step + 1}`} className={`block h-3.5 w-full min-w-2 rounded-[2px] border ${on ? "border-ink bg-ink" : "border-rule bg-sheet hover:border-ink"}`} onClick={() => toggle(key)} />
                </td>
              );
            })}
          </tr>
        ))}
      </tbody>
    </table>
  );
}

/** Notes from a MIDI keyboard, where the browser has it and the user allows it. */
function useMidi(onNote: (key: number, strength: number) => void) {
  const [state, setState] = useState<"off" | "on">("off");
  const handler = useRef(onNote);
  useEffect(() => {
    handler.current = onNote;
  });
  if (!("requestMIDIAccess" in navigator)) return null;
  const connect = () =>
    navigator.requestMIDIAccess().then(
      (access) => {
        for (const input of access.inputs.values()) {
          input.onmidimessage = ({ data }) => {
            const [status = 0, key = 0, strength = 0] = data ?? [];
            if ((status & 0xf0) === 0x90 && strength > 0) handler.current(key, strength);
          };
        }
        setState("on");
      },
      () => notify("The browser does not allow MIDI here. The computer keyboard still plays."),
    );
  return state === "on" ? (
    <span>MIDI plays too.</span>
  ) : (
    <button type="button" className="underline" onClick={() => void connect()}>
      use MIDI
    </button>
  );
}
