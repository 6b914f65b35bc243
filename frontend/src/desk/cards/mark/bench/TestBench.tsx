import { useQuery } from "@tanstack/react-query";
import { useEffect, useMemo, useRef, useState } from "react";
import { useShallow } from "zustand/react/shallow";
import { api } from "../../../../api/client";
import type { ClipVerdicts, Job } from "../../../../api/types";
import { Bench, CHOKE_MS, secondsAStep } from "../../../../play/bench";
import { tempoOf } from "../../../../time/grid";
import { Button } from "../../../../ui/Button";
import { Num } from "../../../../ui/Num";
import { type Cell, cells } from "../../../model/cells";
import { BANK, keysOf, type Pad, padAt, padUnder, padWith, Turns } from "../../../model/pads";
import { joinedEndOf, placed, startOf } from "../../../model/placement";
import { desk, notify, useOpen } from "../../../state/desk";
import { useHits } from "../../../state/hitSearch";
import { selectClips } from "../../../state/selection";
import { useSetting } from "../../../state/settings";
import { Pads } from "./Pads";
import { isOn, Pattern, STEPS } from "./Pattern";
import { useMidi } from "./useMidi";

const NO_VERDICTS: ReadonlyMap<string, ClipVerdicts> = new Map();

const FIRST_ROWS = 6;
const MOST_FRAMES = 1 << 20;

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
  /** Whose rows the pattern has, by a hit of each pad; none: the hardest of the first few keys. */
  readonly rows: readonly string[] | null;
  /** Whether a strike chokes what still sounds on its key. */
  readonly chokes: boolean;
}

const INITIAL: BenchSettings = { everyS: 0.5, bpm: null, pattern: [], rows: null, chokes: false };

/** Play samples from the keys of their map, on a beat, and in a pattern against a click: lateness is heard in rhythm. */
export function TestBench() {
  const id = useOpen((state) => state.id);
  const job = useOpen((state) => state.job);
  const revision = useOpen((state) => state.revision);
  const clipId = useOpen((state) => state.clipId);
  const hits = useHits(useShallow(({ draft, drafted, deciding, heads }) => ({ draft, drafted, deciding, heads })));
  const known = useMemo(() => ({ ...hits, verdicts: NO_VERDICTS }), [hits]);
  const bench = useRef(new Bench());
  const turns = useRef(new Turns());
  const lateFromMs = useHits((hits) => hits.limits.lateFromMs);
  const [settings, setSettings] = useSetting("test_bench", INITIAL);
  const { everyS, bpm: ownBpm, chokes } = settings;
  const change = (part: Partial<BenchSettings>) => setSettings({ ...settings, ...part });
  const [old, setOld] = useState(false);
  const [bank, setBank] = useState(0);
  const bpm = ownBpm ?? (job.grid ? Math.round(tempoOf(job.grid) * 100) / 100 : 120);
  const [running, setRunning] = useState<"no" | "beat" | "pattern">("no");
  const on = useMemo(() => new Set(settings.pattern), [settings.pattern]);
  const { data: places } = useQuery({ queryKey: ["map", id, revision], queryFn: () => api.map(id, revision), placeholderData: (before) => before });
  const list = useMemo(() => cells(job, known, "name"), [job, known]);
  const keys = useMemo(() => keysOf(places ?? [], list), [places, list]);
  const rows = useMemo(
    () => (settings.rows ? settings.rows.flatMap((one) => padWith(keys, one) ?? []) : keys.slice(0, FIRST_ROWS).flatMap(({ pads }) => pads.at(-1) ?? [])),
    [settings.rows, keys],
  );
  const current = list.find((hit) => hit.clips.some((clip) => clip.id === clipId));
  const currentPad = current && padWith(keys, current.key);
  const live = useRef({ on, rows, current, old, chokes });
  useEffect(() => {
    live.current = { on, rows, current, old, chokes };
  });
  useEffect(() => {
    const ours = bench.current;
    return () => ours.stop();
  }, []);

  const sampleOf = (hit: Cell, asOld: boolean) => `${revision} ${hit.key} ${asOld ? "old" : "new"}`;
  const load = async (hit: Cell, asOld: boolean): Promise<string> => {
    const sample = sampleOf(hit, asOld);
    if (!bench.current.has(sample)) {
      const [start, frames] = spanOf(job, hit, asOld);
      const { channels, samples } = await api.audio(desk().id, revision, start, Math.min(frames, MOST_FRAMES), asOld ? "original" : "result");
      const length = samples.length / channels;
      bench.current.put(sample, { rateHz: job.rate_hz, channels: Array.from({ length: channels }, (_, c) => samples.subarray(c * length, (c + 1) * length)) });
    }
    return sample;
  };
  const strike = (pad: Pad) => {
    const hit = turns.current.take(pad);
    if (!hit) return;
    void load(hit, old).then((sample) => bench.current.hit(sample, pad.id, chokes), (error: unknown) => notify(error instanceof Error ? error.message : String(error)));
    selectClips(hit.clips.map((clip) => clip.id));
  };
  const stop = () => {
    bench.current.stop();
    setRunning("no");
  };
  const start = async (how: "beat" | "pattern") => {
    const wanted = how === "beat" ? (current ? [current] : []) : rows.flatMap((pad) => pad.takes);
    for (const hit of wanted) await Promise.all([load(hit, false), load(hit, true)]);
    setRunning(how);
    turns.current.fromTheFirst();
    const stepS = how === "beat" ? everyS : secondsAStep(bpm, 4);
    const sound = (hit: Cell, voice: string, when: number) => bench.current.hit(sampleOf(hit, live.current.old), voice, live.current.chokes, when);
    bench.current.run(job.rate_hz, stepS, (step, when) => {
      if (how === "beat") {
        const hit = live.current.current;
        if (hit) sound(hit, padWith(keys, hit.key)?.id ?? hit.key, when);
        return;
      }
      if (step % 4 === 0) bench.current.click(when, step % STEPS === 0);
      for (const pad of live.current.rows) {
        const hit = isOn(live.current.on, pad, step % STEPS) ? turns.current.take(pad) : undefined;
        if (hit) sound(hit, pad.id, when);
      }
    });
  };
  const midi = useMidi((note, strength) => {
    const pad = padAt(keys, note, strength);
    if (pad) strike(pad);
  });
  const toggle = (key: string) => {
    const next = new Set(on);
    if (!next.delete(key)) next.add(key);
    change({ pattern: [...next] });
  };
  const setRows = (next: readonly Pad[]) => {
    change({ rows: next.map(({ id: one }) => one) });
    if (running === "pattern") for (const hit of next.flatMap((pad) => pad.takes)) void Promise.all([load(hit, false), load(hit, true)]).catch(() => undefined); // heard from the next step on that finds it
  };
  const banks = Math.ceil(keys.length / BANK);
  const late = current ? current.onsetMs - (old ? 0 : current.headMs) : null;

  return (
    <section className="space-y-2" aria-label="test bench">
      <h2 className="text-base font-bold">Test bench</h2>
      {keys.length === 0 ? (
        <p className="text-soft">{list.length ? "reading the map …" : "No samples yet."}</p>
      ) : (
        <>
          <div
            role="application"
            tabIndex={0}
            aria-label="play samples by the computer's keys: a column for each key of the map, a row for each strength"
            className="max-h-36 space-y-1 overflow-auto rounded-(--radius) border border-rule bg-sheet p-1.5"
            onKeyDown={(event) => {
              if (event.ctrlKey || event.metaKey || event.altKey || event.repeat) return;
              const turned = { PageDown: 1, PageUp: -1 }[event.key];
              const pad = padUnder(keys, bank, event.code, event.shiftKey);
              if (turned !== undefined) setBank(Math.min(Math.max(bank + turned, 0), banks - 1));
              else if (pad) strike(pad);
              else return;
              event.preventDefault();
              event.stopPropagation();
            }}
          >
            <Pads keys={keys} bank={bank} current={currentPad} onStrike={strike} />
          </div>
          <p className="text-xs text-soft">
            Click here and play; rows of keys are strengths, the keys are those of the map.{banks > 1 && ` Page up and down: the next ${BANK}.`} {midi}
          </p>
          <label className="flex items-center gap-2">
            <input type="checkbox" className="accent-(--ink)" checked={old} onChange={(event) => setOld(event.target.checked)} /> <span className="whitespace-nowrap">original start</span>
            {late !== null && (
              <span className={`ml-auto ${late >= lateFromMs ? "text-warn" : "text-soft"}`} aria-live="polite">
                onset at <span className="num">{late.toFixed(1)} ms</span>
              </span>
            )}
          </label>
          <label className="flex items-center gap-2" title="as one-shots do in the map, hits ring on over each other; or a new one ends the one before">
            <input type="checkbox" className="accent-(--ink)" checked={chokes} onChange={(event) => change({ chokes: event.target.checked })} />
            <span>
              a strike chokes its key, faded over <span className="num">{CHOKE_MS} ms</span>
            </span>
          </label>
          <p className="leading-7">
            <Button aria-pressed={running === "beat"} disabled={!current} onClick={() => (running === "beat" ? stop() : void start("beat"))}>
              {running === "beat" ? "Stop" : "Retrigger"}
            </Button>{" "}
            every <Num label="retrigger every" value={everyS} unit="s" lowest={0.05} highest={10} step={0.05} decimals={2} onChange={(seconds) => change({ everyS: seconds })} />
          </p>
          <p className="leading-7">
            <Button aria-pressed={running === "pattern"} title="against a click on every beat" disabled={rows.length === 0} onClick={() => (running === "pattern" ? stop() : void start("pattern"))}>
              {running === "pattern" ? "Stop" : "Play the pattern"}
            </Button>{" "}
            at <Num label="tempo of the test bench" value={bpm} unit="bpm" lowest={20} highest={300} step={1} decimals={Number.isInteger(bpm) ? 0 : 2} onChange={(tempo) => change({ bpm: tempo })} />
          </p>
          <Pattern rows={rows} on={on} current={currentPad} onToggle={toggle} onRows={setRows} />
        </>
      )}
    </section>
  );
}
