/** A gain on its way, as `wemble/core/show/run.py` has it: heard in the run, drawn in the lens of a fade. */

const CURVE_STEPS = 1024;

/** A curve at frame `k` of `length`, read from its table in straight lines. */
function along(table: readonly number[], k: number, length: number): number {
  const x = ((k + 0.5) * CURVE_STEPS) / length;
  const i = Math.floor(x);
  const from = table[i] as number;
  return from + ((table[i + 1] as number) - from) * (x - i);
}

/** A gain on its way from one value to another over some frames. */
export class Ramp {
  constructor(
    readonly before: number,
    readonly after: number,
    readonly start: number,
    readonly length: number,
    readonly table: readonly number[],
  ) {}

  at(frame: number): number {
    const k = frame - this.start;
    if (k >= this.length) return this.after;
    if (this.after >= this.before) return this.before + (this.after - this.before) * along(this.table, k, this.length);
    return this.after + (this.before - this.after) * along(this.table, this.length - 1 - k, this.length);
  }

  /** The gain of the frame before this one, from which another ramp goes on. */
  now(frame: number): number {
    return frame > this.start ? this.at(frame - 1) : this.before;
  }
}
