/**
 * Plays what the server renders, block by block. It schedules, and changes nothing: no fades, no gain, a context at
 * the job's rate. Every block starts at t0 + frames played / rate, never at a sum of durations, so blocks abut exactly.
 */

export interface Span {
  readonly start: number;
  readonly end: number;
}

export interface Block {
  readonly channels: number;
  /** Planar: one channel after the other. */
  readonly samples: Float32Array;
}

export interface PlayerSource {
  readonly rateHz: number;
  /** Renders a block at the newest revision: what was edited meanwhile is heard from here on. */
  fetch(start: number, frames: number): Promise<Block>;
}

const FIRST_BLOCK_S = 0.25;
const BLOCK_S = 1;
const AHEAD_S = 3;
const LEAD_S = 0.06;
const METER_S = 0.05;

interface Run {
  readonly source: PlayerSource;
  readonly spans: readonly Span[];
  readonly loops: boolean;
  readonly nodes: Set<AudioBufferSourceNode>;
  readonly peaks: number[];
  t0: number;
  scheduledFrames: number;
}

export class Player {
  private context: AudioContext | null = null;
  private run: Run | null = null;

  constructor(private readonly onChange: (playing: boolean, message?: string) => void) {}

  get playing(): boolean {
    return this.run !== null;
  }

  /** Play spans one after the other, again and again if `loops`. */
  async play(source: PlayerSource, spans: readonly Span[], loops = false): Promise<void> {
    this.stop();
    const wanted = spans.filter((span) => span.end > span.start);
    if (wanted.length === 0) return;
    const run: Run = { source, spans: wanted, loops, nodes: new Set(), peaks: [], t0: 0, scheduledFrames: 0 };
    this.run = run;
    this.onChange(true);
    try {
      const context = await this.contextAt(source.rateHz);
      await this.pump(run, context);
    } catch (error) {
      if (this.run === run) this.stop(error instanceof Error ? error.message : String(error));
    }
  }

  stop(message?: string): void {
    const run = this.run;
    if (!run) return;
    this.run = null;
    for (const node of run.nodes) node.stop();
    this.onChange(false, message);
  }

  /** The frame that sounds now, or null. */
  position(): number | null {
    const run = this.run;
    if (!run || !this.context || run.t0 === 0) return null;
    return frameAt(run.spans, Math.max(this.context.currentTime - run.t0, 0) * run.source.rateHz, run.loops);
  }

  /** The loudest sample of the moment that sounds now, 0…. */
  level(): number {
    const run = this.run;
    if (!run || !this.context || run.t0 === 0) return 0;
    return run.peaks[Math.floor((this.context.currentTime - run.t0) / METER_S)] ?? 0;
  }

  private async contextAt(rateHz: number): Promise<AudioContext> {
    if (this.context && this.context.sampleRate !== rateHz) {
      await this.context.close();
      this.context = null;
    }
    this.context ??= new AudioContext({ sampleRate: rateHz, latencyHint: "interactive" });
    await this.context.resume();
    return this.context;
  }

  private async pump(run: Run, context: AudioContext): Promise<void> {
    const rate = run.source.rateHz;
    for (const piece of pieces(run.spans, run.loops, rate)) {
      const block = await run.source.fetch(piece.start, piece.end - piece.start);
      if (this.run !== run) return;
      if (run.t0 === 0) run.t0 = context.currentTime + LEAD_S;
      this.schedule(run, context, block, piece.end - piece.start);
      const endsAt = () => run.t0 + run.scheduledFrames / rate;
      while (endsAt() - context.currentTime > AHEAD_S) {
        await pause(100);
        if (this.run !== run) return;
      }
    }
    while (this.run === run && context.currentTime < run.t0 + run.scheduledFrames / rate) await pause(20);
    if (this.run === run) this.stop();
  }

  private schedule(run: Run, context: AudioContext, block: Block, frames: number): void {
    const rate = run.source.rateHz;
    const buffer = context.createBuffer(block.channels, frames, rate);
    for (let channel = 0; channel < block.channels; channel += 1) {
      buffer.copyToChannel(new Float32Array(block.samples.subarray(channel * frames, (channel + 1) * frames)), channel);
    }
    const late = context.currentTime - (run.t0 + run.scheduledFrames / rate);
    if (late > 0) run.t0 += late + LEAD_S;
    const node = context.createBufferSource();
    node.buffer = buffer;
    node.connect(context.destination);
    node.onended = () => run.nodes.delete(node);
    run.nodes.add(node);
    node.start(run.t0 + run.scheduledFrames / rate);
    meter(run.peaks, block.samples, frames, run.scheduledFrames, rate);
    run.scheduledFrames += frames;
  }
}

const pause = (ms: number) => new Promise((resume) => setTimeout(resume, ms));

/** The blocks of a run: a short first one, so that sound is there at once, then whole seconds. */
export function* pieces(spans: readonly Span[], loops: boolean, rateHz: number): Generator<Span> {
  let first = true;
  do {
    for (const span of spans) {
      let at = span.start;
      while (at < span.end) {
        const end = Math.min(at + Math.round((first ? FIRST_BLOCK_S : BLOCK_S) * rateHz), span.end);
        yield { start: at, end };
        at = end;
        first = false;
      }
    }
  } while (loops);
}

/** The frame that sounds after so many frames of a run. */
export function frameAt(spans: readonly Span[], played: number, loops: boolean): number {
  const total = spans.reduce((sum, span) => sum + span.end - span.start, 0);
  let left = loops ? played % total : Math.min(played, total);
  for (const span of spans) {
    if (left < span.end - span.start) return span.start + left;
    left -= span.end - span.start;
  }
  return spans.at(-1)?.end ?? 0;
}

function meter(peaks: number[], samples: Float32Array, frames: number, startFrame: number, rateHz: number): void {
  const channels = samples.length / frames;
  for (let frame = 0; frame < frames; frame += 1) {
    let value = 0;
    for (let channel = 0; channel < channels; channel += 1) value = Math.max(value, Math.abs(samples[channel * frames + frame] ?? 0));
    const slot = Math.floor((startFrame + frame) / rateHz / METER_S);
    if (value > (peaks[slot] ?? 0)) peaks[slot] = value;
    else peaks[slot] ??= 0;
  }
}
