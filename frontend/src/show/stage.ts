/**
 * The stage of a performance: loads a show into the page's own store, runs it on the audio thread, keeps what was pressed, and says how
 * it stands. Once loaded it needs no server.
 */
import { create } from "zustand";
import { api, lightDesk as lights } from "../api/client";
import type { RunSettings, Show } from "../api/types";
import { USUAL_RUN } from "../api/usual";
import type { Captured, FromThread, Status, ToThread } from "./messages";
import { firstGo, type Logged } from "./performanceLog";
import type { LogEntry, Press, PressKind } from "./run";
import { type Elsewhere, holdLease, leaveLease, tellOthers, watchOthers } from "./lease";
import { BlockStore, keepPage, keepShow, type KeptShow, keptShow } from "./store";
import workletUrl from "./worklet.ts?worker&url";

const KEEP_EVERY_S = 1;
const BROUGHT_AT_ONCE = 4;
const READY_WITHIN_MS = 3_000;
/** The audio thread says how it stands twenty times a second: when it does not for so long, there is no sound. */
const SILENT_AFTER_MS = 900;

/** A performance as the page keeps it, so that a reload comes back at the right cue. */
interface Kept extends Captured {
  readonly plan: string;
  readonly began: number;
  readonly log: readonly Logged[];
  /** Whether it was left on purpose: then it is over, and its log is kept. */
  readonly over: boolean;
}

export interface Stage {
  readonly jobId: string;
  readonly name: string;
  readonly revision: number;
  readonly show: Show | null;
  readonly problem: string | null;
  /** Whether the server answered when the show was loaded. */
  readonly fromStore: boolean;
  /** How much of the show is in the page's own store, 0…1. */
  readonly loaded: number;
  readonly loadProblem: string | null;
  readonly unlocked: boolean;
  readonly status: Status | null;
  readonly log: readonly Logged[];
  readonly began: number | null;
  /** What the page kept of a performance that broke off. */
  readonly brokeOff: Kept | null;
  /** The log of the performance before, once it is over. */
  readonly before: Kept | null;
  /** From the key to the audio thread's answer that the first sample is there, and on to the device, in ms, as measured last. */
  readonly delayMs: number | null;
  readonly outputMs: number;
  readonly device: string;
  readonly lightDesk: { readonly address: string; readonly answers: boolean | null };
  /** The sound that keys are about; null: the newest. */
  readonly chosen: number | null;
  /** Since when there has been no sound, by the clock of the wall: the output went away, or the machine slept. */
  readonly silentSince: number | null;
  /** Where the performance runs, if another window has it, and how it stands there. */
  readonly elsewhere: Elsewhere | null;
  /** Whether the show was edited since the performance that broke off began. */
  readonly editedSince: boolean;
}

const EMPTY: Stage = { jobId: "", name: "", revision: 0, show: null, problem: null, fromStore: false, loaded: 0, loadProblem: null, unlocked: false, status: null, log: [], began: null, brokeOff: null, before: null, delayMs: null, outputMs: 0, device: "", lightDesk: { address: "", answers: null }, chosen: null, silentSince: null, elsewhere: null, editedSince: false };
export const useStage = create<Stage>(() => EMPTY);
const stage = (): Stage => useStage.getState();
const set = (part: Partial<Stage>): void => useStage.setState(part);

let context: AudioContext | null = null;
let node: AudioWorkletNode | null = null;
let blocks: BlockStore | null = null;
let presses: Press[] = [];
let asked = 0;
const askedAt = new Map<number, number>();
let wakeLock: WakeLockSentinel | null = null;
let keptAtFrame = 0;
/** What happened up to this frame was told before the page was loaded anew: no light changes twice. */
let toldUpTo = -1;
let heardAt = 0;
let watching: ReturnType<typeof setInterval> | undefined;
let tellThread: ((message: ToThread) => void) | null = null;

let openings = 0;

/**
 * Load a show: its plan from the server, else from the page's own store; then every block of it, in the background. Where a performance
 * broke off, it is the show as it was then.
 */
export async function openStage(jobId: string): Promise<void> {
  const mine = (openings += 1);
  set({ ...EMPTY, jobId });
  watchOthers(jobId, (elsewhere) => set({ elsewhere }));
  const kept = await keptShow(jobId).catch(() => null);
  const last = kept ? keptPerformance(jobId, kept.show) : null;
  if (kept && last && !last.over) {
    takeKept(kept, { brokeOff: last });
    void api.openJob(jobId).then(({ revision }) => mine === openings && set({ editedSince: revision !== kept.revision }), () => undefined);
  } else {
    try {
      await load(jobId);
      set({ before: last });
    } catch (error) {
      if (!kept) return set({ problem: error instanceof Error ? error.message : String(error) });
      takeKept(kept, { fromStore: true, before: last });
    }
  }
  const { show, revision } = stage();
  if (!show || mine !== openings) return;
  const loading = new BlockStore(jobId, revision, show.plan);
  blocks = loading;
  const told = (error: unknown) => set({ loadProblem: error instanceof Error ? error.message : String(error) });
  void keepPage([workletUrl]).catch(told);
  void loading.loadAll(0, (loaded) => set({ loaded })).catch(told);
}

const takeKept = (kept: KeptShow, part: Partial<Stage>): void => set({ name: kept.name, revision: kept.revision, show: kept.show, lightDesk: { address: kept.address, answers: null }, ...part });

async function load(jobId: string): Promise<void> {
  const opened = await api.openJob(jobId);
  const settings = { ...USUAL_RUN, ...(opened.settings["run"] as Partial<RunSettings> | undefined) };
  const show = await api.show(jobId, opened.revision, settings);
  const address = (opened.settings["light_desk"] as { address?: string } | undefined)?.address ?? "";
  set({ name: opened.job.name, revision: opened.revision, show, lightDesk: { address, answers: null } });
  await keepShow({ jobId, name: opened.job.name, revision: opened.revision, show, address });
}

/** Leave the stage: everything stops at once, and the performance is over. */
export function closeStage(): void {
  const { status } = stage();
  if (context && status) keep(status.frame, true);
  openings += 1;
  leaveLease();
  fallSilent();
  set(EMPTY);
}

/** Stop everything that sounds and loads, and forget what was pressed. */
function fallSilent(): void {
  clearInterval(watching);
  blocks?.stop();
  void context?.close();
  void wakeLock?.release();
  [context, node, blocks, wakeLock, tellThread] = [null, null, null, null, null];
  [presses, wanted] = [[], []];
}

/** Unlock sound before the doors open, keep the screen awake, and begin: anew, or where a performance broke off. */
export async function unlock(from: "the_start" | "broke_off"): Promise<void> {
  const { show, brokeOff, lightDesk } = stage();
  if (!show || context) return;
  if (!(await holdLease(stage().jobId, takenOver))) return set({ elsewhere: stage().elsewhere ?? { began: null, standing: "", sounding: 0 } });
  const back = from === "broke_off" ? (keptPerformance(stage().jobId, show) ?? brokeOff) : null;
  try {
    await turnSoundOn(show, back, true);
  } catch (error) {
    const half = context as AudioContext | null;
    void half?.close();
    context = null;
    return set({ problem: `Sound cannot be turned on: ${error instanceof Error ? error.message : String(error)}` });
  }
  await Promise.race([ready(), new Promise((resume) => setTimeout(resume, READY_WITHIN_MS))]);
  set({ unlocked: true });
  if (lightDesk.address) set({ lightDesk: { ...lightDesk, answers: await lights.answers(lightDesk.address) } });
  await stayAwake();
}

/** Another window took the performance over: this one is silent at once, and says where it runs. */
function takenOver(): void {
  fallSilent();
  void openStage(stage().jobId);
}

/** Take the performance over from the window that has it, and go on where it was. */
export async function takeOver(): Promise<void> {
  const { jobId, show } = stage();
  if (!show || !(await holdLease(jobId, takenOver, true))) return;
  const last = keptPerformance(jobId, show);
  set({ elsewhere: null, brokeOff: last && !last.over ? last : null });
  await unlock(last && !last.over ? "broke_off" : "the_start");
}

/** Watch that the audio thread goes on: a lost output stops it without a word. */
function watchSound(mine: AudioContext): void {
  heardAt = performance.now();
  clearInterval(watching);
  const look = () => {
    if (context !== mine) return;
    const silent = mine.state !== "running" || performance.now() - heardAt > SILENT_AFTER_MS;
    if (silent && stage().silentSince === null) set({ silentSince: Date.now() - Math.round(performance.now() - heardAt) });
    if (!silent && stage().silentSince !== null) {
      note("sound is back");
      set({ silentSince: null });
    }
  };
  mine.onstatechange = look;
  watching = setInterval(look, SILENT_AFTER_MS / 3);
}

/** Bring the sound back: the same output if it answers, else another begin from the same moment. */
export async function recoverSound(): Promise<void> {
  const { show, status, began, log } = stage();
  if (!show || !context) return;
  await Promise.race([context.resume().catch(() => undefined), later(SILENT_AFTER_MS)]);
  await later(SILENT_AFTER_MS);
  if (context.state === "running" && performance.now() - heardAt < SILENT_AFTER_MS) return;
  const old = context;
  const back: Kept = { plan: signature(show), presses, frame: status?.frame ?? 0, began: began ?? Date.now(), log, over: false };
  try {
    await turnSoundOn(show, back, false);
    void old.close().catch(() => undefined);
    set({ silentSince: null });
    note("sound is back");
  } catch (error) {
    context = old;
    set({ loadProblem: `Sound cannot be turned on: ${error instanceof Error ? error.message : String(error)}` });
  }
}

const later = (ms: number): Promise<void> => new Promise((resume) => setTimeout(resume, ms));

/** A line of the log that the audio thread knows nothing of. */
const note = (what: string): void => set({ log: [...stage().log, { frame: stage().status?.frame ?? 0, what, cue: null, event: null, wall: Date.now() }] });

async function turnSoundOn(show: Show, back: Kept | null, broke: boolean): Promise<void> {
  const mine = new AudioContext({ sampleRate: show.plan.rate_hz, latencyHint: "interactive" });
  context = mine;
  await mine.resume();
  await mine.audioWorklet.addModule(workletUrl);
  node = new AudioWorkletNode(mine, "show", { numberOfInputs: 0, outputChannelCount: [show.plan.channels] });
  node.connect(mine.destination);
  node.port.onmessage = ({ data }: MessageEvent<FromThread>) => hear(data);
  const { port } = node;
  tellThread = (message) => port.postMessage(message, message.type === "block" ? [message.samples.buffer] : []);
  presses = back ? [...back.presses, ...(broke ? [{ frame: back.frame, kind: "broke_off" as const }] : [])] : [];
  [keptAtFrame, toldUpTo] = [0, back?.frame ?? -1];
  walls = new Map(back?.log.map((entry) => [keyOfEntry(entry), entry.wall]));
  watchSound(mine);
  set({ brokeOff: null, began: back?.began ?? null, log: [], outputMs: 1000 * (mine.baseLatency + (mine.outputLatency || 0)) });
  tellThread({ type: "load", plan: show.plan, from: back ? { presses, frame: back.frame } : null });
}

/** Keep the screen awake; a browser lets go of it whenever the page was hidden. */
async function stayAwake(): Promise<void> {
  if (context && document.visibilityState === "visible") wakeLock = (await navigator.wakeLock?.request("screen").catch(() => null)) ?? null;
}
document.addEventListener("visibilitychange", () => void stayAwake());

/** A performance that broke off is over: the show, as it is now, stands at its first cue again. */
export function forget(): void {
  const { jobId, brokeOff } = stage();
  localStorage.setItem(keyOf(jobId), JSON.stringify({ ...brokeOff, over: true }));
  void openStage(jobId);
}

/** Do what the operator pressed, at the next moment of the audio thread; `since` is when the key went down. */
export function press(kind: PressKind, about: Partial<Pick<Press, "cue" | "start" | "end" | "passes">> = {}, since = performance.now()): void {
  if (!tellThread) return;
  if (stage().silentSince !== null) return note(`no sound: ${kind === "go" ? "GO" : kind} not taken`);
  askedAt.set((asked += 1), since);
  tellThread({ type: "press", kind, id: asked, at: Date.now(), ...about });
}

/** Choose which of what sounds the keys are about: a newer one, which stands above, or an older one. */
export function choose(direction: 1 | -1): void {
  const { status, chosen } = stage();
  const ids = status?.sounding.map(({ id }) => id) ?? [];
  const at = chosen === null ? ids.length - 1 : ids.indexOf(chosen);
  set({ chosen: ids[Math.min(Math.max(at + direction, 0), ids.length - 1)] ?? null });
}

/** The sound that keys are about: the chosen one, else the newest. */
export function aboutNow(state: Stage = stage()): Status["sounding"][number] | undefined {
  const sounding = state.status?.sounding ?? [];
  return sounding.find(({ id }) => id === state.chosen) ?? sounding.at(-1);
}

/** Send sound to another output, where the browser lets. */
export async function setDevice(device: string): Promise<void> {
  const sink = context as (AudioContext & { setSinkId?: (id: string) => Promise<void> }) | null;
  await sink?.setSinkId?.(device);
  set({ device });
}

function hear(message: FromThread): void {
  if (message.type === "want") return bring(message.keys);
  if (message.type === "pressed") return pressed(message);
  if (message.type === "stale") return note(`no sound: ${message.kind === "go" ? "GO" : message.kind} not taken`);
  heardAt = performance.now();
  const before = stage();
  const logged = message.log.map((entry): Logged => ({ ...entry, wall: walls.get(keyOfEntry(entry)) ?? Date.now() }));
  set({ status: message, ...(logged.length ? { log: [...before.log, ...logged] } : {}) });
  tellOthers({ began: before.began, standing: before.show?.plan.cues[message.standing ?? -1]?.name ?? "", sounding: message.sounding.length });
  for (const entry of message.log) if (entry.what === "event" && entry.frame > toldUpTo) void toLightDesk(entry);
  if (message.frame - keptAtFrame >= KEEP_EVERY_S * (before.show?.plan.rate_hz ?? 48_000)) keep(message.frame);
}

function pressed({ id, press: done }: Extract<FromThread, { type: "pressed" }>): void {
  const since = askedAt.get(id);
  askedAt.delete(id);
  presses.push(done);
  if (done.kind === "go") {
    if (since !== undefined) set({ delayMs: performance.now() - since });
    if (stage().began === null) set({ began: Date.now() });
  }
  keep(done.frame);
}

/** When what the page kept of a performance happened: the run says it again when it is loaded. */
let walls = new Map<string, number>();
const keyOfEntry = ({ frame, what, cue, event }: LogEntry): string => `${frame} ${what} ${cue} ${event}`;

let wanted: readonly string[] = [];
let whenReady: (() => void) | null = null;

/** Done when the audio thread has all that it asked for: the first GO is heard at once. */
const ready = (): Promise<void> => new Promise((resume) => (whenReady = resume));
const flying = new Set<string>();

/** Bring the blocks that the audio thread asked for last, the most urgent first, a few at once. */
function bring(keys: readonly string[]): void {
  wanted = keys;
  if (keys.length === 0) whenReady?.();
  for (const key of wanted) {
    if (flying.size >= BROUGHT_AT_ONCE) return;
    if (!flying.has(key)) void bringOne(key);
  }
}

async function bringOne(key: string): Promise<void> {
  flying.add(key);
  const store = blocks;
  const [body, block] = key.split(" ").map(Number) as [number, number];
  const samples = await store?.get(body, block).catch(() => null);
  flying.delete(key);
  if (blocks !== store) return;
  if (samples) {
    tellThread?.({ type: "block", key, samples });
    wanted = wanted.filter((one) => one !== key);
  }
  if (samples) bring(wanted);
}

async function toLightDesk(entry: LogEntry): Promise<void> {
  const { lightDesk, show, name } = stage();
  const cue = show?.plan.cues[entry.cue ?? -1];
  const event = cue?.events[entry.event ?? -1];
  if (!show || !cue || !event || !lightDesk.address) return;
  const taken = await lights.send(lightDesk.address, { show: name, cue: `${cue.number} ${cue.name}`, event: event.name, does: event.does, at_s: (entry.frame - firstGo(stage().log)) / show.plan.rate_hz });
  if (taken !== lightDesk.answers) set({ lightDesk: { ...lightDesk, answers: taken } });
}

const keyOf = (jobId: string): string => `wemble.performance.${jobId}`;

/** Keep what was pressed and how far it came, so that nothing is lost if the page goes away. */
function keep(frame: number, over = false): void {
  const { jobId, show, began, log } = stage();
  if (!show || presses.length === 0 || stage().elsewhere) return;
  keptAtFrame = frame;
  const kept: Kept = { plan: signature(show), presses, frame, began: began ?? Date.now(), log, over };
  localStorage.setItem(keyOf(jobId), JSON.stringify(kept));
}

function keptPerformance(jobId: string, show: Show): Kept | null {
  try {
    const kept = JSON.parse(localStorage.getItem(keyOf(jobId)) ?? "null") as Kept | null;
    return kept && kept.plan === signature(show) && kept.presses.length > 0 ? kept : null;
  } catch {
    return null;
  }
}

/** What a performance depends on: the same cues, bodies and lengths. */
function signature({ plan }: Show): string {
  return [plan.rate_hz, plan.stop_frames, plan.fade_frames, plan.once_frames, ...plan.bodies.map(({ key }) => key), ...plan.cues.map(({ id, start, wait, loop, length }) => `${id}${start}${wait},${length},${loop ? `${loop.start}-${loop.end}x${loop.passes}` : ""}`)].join(" ");
}
