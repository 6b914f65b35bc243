/** The samples of a run, as `wemble/core/show/mix.py` mixes them, to the bit: doubles, added in the same order. */
import type { PlannedCue, ShowPlan } from "../api/types";
import type { Piece, ShowRun, Sounding } from "./run";

/** A block of a body, a channel after the other; null while it is not here. */
export type BlockOf = (body: number, block: number) => Float32Array | null;

export class Mixer {
  private readonly voice: Float64Array;
  private readonly fader: Float64Array;
  private readonly line: Float64Array;
  readonly sums: Float64Array[];
  /** How many frames of voices were not here when they were due. */
  missing = 0;

  constructor(
    private readonly plan: ShowPlan,
    private readonly blockOf: BlockOf,
    private readonly mostFrames: number,
  ) {
    this.voice = new Float64Array(mostFrames * plan.channels);
    this.fader = new Float64Array(mostFrames);
    this.line = new Float64Array(mostFrames);
    this.sums = Array.from({ length: plan.channels }, () => new Float64Array(mostFrames));
  }

  /** Go on by so many frames; their samples stand in `sums`. */
  advance(run: ShowRun, frames: number): void {
    for (const sum of this.sums) sum.fill(0, 0, frames);
    const first = run.frame;
    for (const stretch of run.stretches(first + frames)) {
      if (stretch.now !== null) this.mix(run, stretch.start - first, stretch.start, stretch.now, stretch.end - stretch.start);
    }
  }

  private mix(run: ShowRun, offset: number, start: number, now: number, frames: number): void {
    for (const one of run.sounding) {
      for (let i = 0; i < frames; i += 1) this.fader[i] = one.ramp.at(now + i);
      for (const voice of one.planned.voices) {
        const at = now - one.start - voice.delay;
        if (!this.read(one, voice.body, at, frames)) continue;
        const gains = one.planned.line.length > 0 ? this.lined(one.planned, at, frames) : this.fader;
        for (let channel = 0; channel < this.plan.channels; channel += 1) {
          const sum = this.sums[channel] as Float64Array;
          const gain = voice.gains[channel] as number;
          const from = channel * this.mostFrames;
          for (let i = 0; i < frames; i += 1) sum[offset + i] = (sum[offset + i] as number) + (this.voice[from + i] as number) * (gain * (gains[i] as number));
        }
      }
    }
    const { master } = run;
    if (master.before === 1 && master.after === 1) return;
    for (let i = 0; i < frames; i += 1) {
      const gain = master.at(start + i);
      for (const sum of this.sums) sum[offset + i] = (sum[offset + i] as number) * gain;
    }
  }

  /** The fader with the level line of a looped cue, from a place of what is played on. */
  private lined({ line, line_step }: PlannedCue, at: number, frames: number): Float64Array {
    for (let k = 0; k < frames; k += 1) {
      const x = Math.max(at + k, 0) / line_step;
      const i = Math.min(Math.floor(x), line.length - 2);
      const low = line[i] as number;
      this.line[k] = (this.fader[k] as number) * (low + ((line[i + 1] as number) - low) * Math.min(x - i, 1));
    }
    return this.line;
  }

  /** Put what a voice reads from a place of what is played on into `voice`; false if that is nothing. */
  private read(one: Sounding, body: number, at: number, frames: number): boolean {
    let any = false;
    for (const piece of one.pieces) {
      const low = Math.max(at, piece.at);
      const high = Math.min(at + frames, piece.at + piece.length);
      if (low >= high) continue;
      if (!any) this.voice.fill(0);
      any = true;
      const lead = this.plan.bodies[body]?.lead ?? 0;
      this.copy(body, lead + piece.frame + low - piece.at, high - low, low - at);
      if (piece.into !== null && one.crossed > 0) this.cross(one, body, piece, low, high, at, lead);
    }
    return any;
  }

  private cross(one: Sounding, body: number, piece: Piece, low: number, high: number, at: number, lead: number): void {
    const loop = one.planned.loop;
    if (!loop || piece.into === null) return;
    const first = piece.at + piece.length - one.crossed;
    for (let place = Math.max(low, first); place < Math.min(high, first + one.crossed); place += 1) {
      const k = place - first;
      const goes = loop.goes[k] as number;
      const comes = loop.comes[k] as number;
      for (let channel = 0; channel < this.plan.channels; channel += 1) {
        const i = channel * this.mostFrames + place - at;
        this.voice[i] = (this.voice[i] as number) * goes + this.sample(body, channel, lead + piece.into - one.crossed + k) * comes;
      }
    }
  }

  private sample(body: number, channel: number, frame: number): number {
    const size = this.plan.block_frames;
    const block = this.blockOf(body, Math.floor(frame / size));
    if (!block) return 0;
    return block[channel * (block.length / this.plan.channels) + (frame % size)] ?? 0;
  }

  /** Copy frames of a body to a place of `voice`, from as many blocks as they lie in. */
  private copy(body: number, frame: number, frames: number, to: number): void {
    const size = this.plan.block_frames;
    for (let done = 0; done < frames; ) {
      const within = (frame + done) % size;
      const count = Math.min(frames - done, size - within);
      const block = this.blockOf(body, Math.floor((frame + done) / size));
      if (block) {
        const length = block.length / this.plan.channels;
        for (let channel = 0; channel < this.plan.channels; channel += 1) {
          const from = channel * length + within;
          this.voice.set(block.subarray(from, from + Math.min(count, length - within)), channel * this.mostFrames + to + done);
        }
      } else this.missing += count;
      done += count;
    }
  }
}
