/** The test bench: samples played at once, on a beat, on a pattern; scheduled ahead on the audio clock. */

export interface Sound {
  readonly channels: readonly Float32Array[];
  readonly rateHz: number;
}

interface Voice {
  readonly source: AudioBufferSourceNode;
  readonly level: GainNode;
}

/** How long what sounds is faded out where a key chokes itself. */
export const CHOKE_MS = 5;
const AHEAD_S = 0.15;
const TICK_MS = 25;
const START_IN_S = 0.08;

/** The steps of a pattern that fall into `[from, until)` seconds after its start: step number and time. */
export function stepsBetween(stepS: number, fromS: number, untilS: number): { step: number; atS: number }[] {
  const found = [];
  for (let step = Math.max(Math.ceil(fromS / stepS - 1e-9), 0); step * stepS < untilS - 1e-12; step += 1) found.push({ step, atS: step * stepS });
  return found;
}

export const secondsAStep = (bpm: number, stepsABeat: number): number => 60 / bpm / stepsABeat;

export class Bench {
  #context: AudioContext | null = null;
  #buffers = new Map<string, AudioBuffer>();
  #sounding = new Map<string, Set<Voice>>();
  #timer: ReturnType<typeof setInterval> | null = null;
  #click: AudioBuffer | null = null;

  get running(): boolean {
    return this.#timer !== null;
  }

  #open(rateHz: number): AudioContext {
    if (this.#context?.sampleRate !== rateHz) {
      void this.#context?.close();
      this.#context = new AudioContext({ sampleRate: rateHz, latencyHint: "interactive" });
      this.#buffers.clear();
      this.#click = null;
    }
    void this.#context.resume();
    return this.#context;
  }

  put(key: string, sound: Sound): void {
    const context = this.#open(sound.rateHz);
    const frames = sound.channels[0]?.length ?? 0;
    if (frames === 0) return;
    const buffer = context.createBuffer(sound.channels.length, frames, sound.rateHz);
    sound.channels.forEach((channel, n) => buffer.copyToChannel(new Float32Array(channel), n));
    this.#buffers.set(key, buffer);
  }

  has(key: string): boolean {
    return this.#buffers.has(key);
  }

  /** Play a sample now or at a time of the audio clock, over what sounds on its key; or, choking, that is faded out first. */
  hit(sample: string, key: string, chokes: boolean, at?: number): void {
    const buffer = this.#buffers.get(sample);
    const context = this.#context;
    if (!buffer || !context) return;
    const when = at ?? context.currentTime;
    const sounding = this.#sounding.get(key) ?? new Set();
    this.#sounding.set(key, sounding);
    if (chokes) for (const voice of sounding) choke(voice, when);
    const source = context.createBufferSource();
    source.buffer = buffer;
    const level = context.createGain();
    source.connect(level).connect(context.destination);
    const voice = { source, level };
    sounding.add(voice);
    source.onended = () => sounding.delete(voice);
    source.start(when);
  }

  /** Play `onStep` every step from a moment on; it is told the step and its time on the audio clock. */
  run(rateHz: number, stepS: number, onStep: (step: number, when: number) => void): void {
    this.stop();
    const context = this.#open(rateHz);
    const start = context.currentTime + START_IN_S;
    let done = 0;
    const tick = () => {
      const until = context.currentTime - start + AHEAD_S;
      for (const { step, atS } of stepsBetween(stepS, done, until)) onStep(step, start + atS);
      done = Math.max(done, until);
    };
    this.#timer = setInterval(tick, TICK_MS);
    tick();
  }

  /** A short click on the beat, higher on the first of a bar. */
  click(when: number, first: boolean): void {
    const context = this.#context;
    if (!context) return;
    this.#click ??= clickSound(context);
    const source = context.createBufferSource();
    source.buffer = this.#click;
    source.playbackRate.value = first ? 1.5 : 1;
    source.connect(context.destination);
    source.start(when);
  }

  stop(): void {
    if (this.#timer !== null) clearInterval(this.#timer);
    this.#timer = null;
    for (const voices of this.#sounding.values()) for (const { source } of voices) source.stop();
    this.#sounding.clear();
  }
}

function choke({ source, level }: Voice, when: number): void {
  level.gain.setValueAtTime(1, when);
  level.gain.linearRampToValueAtTime(0, when + CHOKE_MS / 1000);
  source.stop(when + CHOKE_MS / 1000);
}

function clickSound(context: AudioContext): AudioBuffer {
  const frames = Math.round(0.02 * context.sampleRate);
  const buffer = context.createBuffer(1, frames, context.sampleRate);
  const samples = buffer.getChannelData(0);
  for (let n = 0; n < frames; n += 1) samples[n] = 0.35 * Math.sin((2 * Math.PI * 1000 * n) / context.sampleRate) * Math.exp((-8 * n) / frames);
  return buffer;
}
