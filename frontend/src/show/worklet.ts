/** The audio thread of a show: runs it sample by sample, whatever the page or the server is busy with. */
import { blockKey, blocksAhead } from "./ahead";
import type { FromThread, Status, ToThread } from "./messages";
import { Mixer } from "./mix";
import { type Press, ShowRun } from "./run";
import { soundingNow } from "./status";

declare const sampleRate: number;
declare function registerProcessor(name: string, processor: new () => AudioWorkletProcessor): void;
declare class AudioWorkletProcessor {
  readonly port: MessagePort;
}

const QUANTUM = 128;
const STATUS_EVERY_S = 0.05;
/** What was pressed longer ago waited while there was no sound: it fires nothing when the sound comes back. */
const STALE_AFTER_MS = 1_000;
/** What makes it quieter is never too late. */
const ALWAYS: readonly string[] = ["stop_all", "pause"];

class ShowProcessor extends AudioWorkletProcessor {
  private run: ShowRun | null = null;
  private mixer: Mixer | null = null;
  private readonly blocks = new Map<string, Float32Array>();
  private pressed: Extract<ToThread, { type: "press" }>[] = [];
  private wanted = "";
  private told = 0;
  private logged = 0;
  private peak = 0;

  constructor() {
    super();
    this.port.onmessage = ({ data }: MessageEvent<ToThread>) => this.hear(data);
  }

  private hear(message: ToThread): void {
    if (message.type === "block") this.blocks.set(message.key, message.samples);
    else if (message.type === "press") this.pressed.push(message);
    else {
      const run = new ShowRun(message.plan);
      for (const press of message.from?.presses ?? []) {
        run.goTo(press.frame);
        run.press(press);
      }
      run.goTo(message.from?.frame ?? 0);
      this.blocks.clear();
      this.run = run;
      this.mixer = new Mixer(message.plan, (body, block) => this.blocks.get(blockKey(body, block)) ?? null, QUANTUM);
      this.logged = 0;
      this.tell(run);
    }
  }

  process(_: Float32Array[][], outputs: Float32Array[][]): boolean {
    const [output] = outputs;
    const { run, mixer } = this;
    const frames = output?.[0]?.length ?? 0;
    if (!run || !mixer || !output || frames === 0) return true;
    for (const { id, kind, at, cue, start, end, passes } of this.pressed) {
      if (Date.now() - at > STALE_AFTER_MS && !ALWAYS.includes(kind)) {
        this.port.postMessage({ type: "stale", id, kind } satisfies FromThread);
        continue;
      }
      const press: Press = { frame: run.frame, kind, cue: cue ?? null, start: start ?? 0, end: end ?? 0, passes: passes ?? 0 };
      run.press(press);
      this.port.postMessage({ type: "pressed", id, press } satisfies FromThread);
    }
    const hurried = this.pressed.length > 0;
    this.pressed = [];
    mixer.advance(run, frames);
    for (const [channel, sum] of mixer.sums.entries()) {
      output[channel]?.set(sum.subarray(0, frames));
      for (let i = 0; i < frames; i += 1) this.peak = Math.max(this.peak, Math.abs(sum[i] as number));
    }
    if (hurried || run.frame - this.told >= STATUS_EVERY_S * sampleRate) this.tell(run);
    return true;
  }

  /** Tell how the run stands, ask for the blocks that it needs soon, and forget the others. */
  private tell(run: ShowRun): void {
    const ahead = blocksAhead(run);
    for (const key of this.blocks.keys()) if (!ahead.has(key)) this.blocks.delete(key);
    const keys = [...ahead].filter((key) => !this.blocks.has(key));
    if (keys.join() !== this.wanted) {
      this.wanted = keys.join();
      this.port.postMessage({ type: "want", keys } satisfies FromThread);
    }
    const status: Status = {
      type: "status",
      frame: run.frame,
      now: run.now,
      standing: run.standing,
      sounding: run.sounding.map((one) => soundingNow(one, run.now)),
      waiting: run.waiting.map(([due, , cue]) => ({ cue, left: due - run.now })),
      paused: run.paused,
      peak: this.peak,
      missing: this.mixer?.missing ?? 0,
      log: run.log.slice(this.logged),
    };
    this.logged = run.log.length;
    this.told = run.frame;
    this.peak = 0;
    this.port.postMessage(status);
  }
}

registerProcessor("show", ShowProcessor);
