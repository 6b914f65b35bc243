/**
 * The run of a show, as `wemble/core/show/run.py` has it: the same machine, so that a performance needs no server. It holds no
 * rule of its own; what each word means stands there. Whatever is computed here is computed in the same order, in double
 * precision: logs and samples of the two are equal, which `run.test.ts` and the browser's tests hold.
 */
import type { PlannedCue, PlannedLoop, ShowPlan } from "../api/types";
import { Ramp } from "../wave/ramp";

export type PressKind = "go" | "let_go" | "fade_this" | "stop_all" | "pause" | "go_on" | "back" | "skip" | "stand_at" | "set_loop" | "broke_off";

export interface Press {
  readonly frame: number;
  readonly kind: PressKind;
  readonly cue?: number | null;
  readonly start?: number;
  readonly end?: number;
  readonly passes?: number;
}

export interface LogEntry {
  readonly frame: number;
  readonly what: string;
  readonly cue: number | null;
  readonly event: number | null;
}

const FAR = 2 ** 52;
const PLAIN = "s 0";

const isAtEnd = ({ start }: PlannedCue): boolean => start === "after_end" || start === "after_echo";

/** A run of a body: from place `at` of what is played on, frames of the body from `frame`; its end crossed with what lies before `into`. */
export interface Piece {
  readonly at: number;
  readonly frame: number;
  readonly length: number;
  readonly into: number | null;
}

/** A sound that was fired, at a frame of the run. */
export class Sounding {
  passNumber = 1;
  letGo = false;
  last: boolean;
  stopAt: number | null = null;
  then: readonly [number, number] | null = null;
  readonly fired = new Set<number>();
  /** Whether what comes after its end waits for its copies and echoes too. */
  withEcho = false;
  readonly longestDelay: number;
  readonly ownDelay: number;

  constructor(
    readonly id: number,
    readonly cue: number,
    readonly planned: PlannedCue,
    readonly start: number,
    public ramp: Ramp,
    public pieces: Piece[],
    public loop: PlannedLoop | null,
  ) {
    this.last = loop === null;
    this.ownDelay = planned.voices[0]?.delay ?? 0;
    this.longestDelay = Math.max(0, ...planned.voices.map(({ delay }) => delay));
  }

  get crossed(): number {
    return this.planned.loop?.goes.length ?? 0;
  }

  get newest(): Piece {
    return this.pieces.at(-1) as Piece;
  }

  get decidesAt(): number | null {
    return this.last ? null : this.start + this.newest.at + this.newest.length - this.crossed;
  }

  get endsAt(): number | null {
    const played = this.last ? this.start + this.newest.at + this.newest.length + this.longestDelay : FAR;
    const ends = Math.min(played, this.stopAt ?? FAR);
    return ends === FAR ? null : ends;
  }

  /** The frame of the run from which what comes after its end counts; null while that is open. */
  get followsAt(): number | null {
    const own = this.last ? this.start + this.newest.at + this.newest.length + (this.withEcho ? this.longestDelay : this.ownDelay) : FAR;
    const ends = Math.min(own, this.stopAt ?? FAR);
    return ends === FAR ? null : ends;
  }

  nextEvent(): readonly [number, number] | null {
    let found: readonly [number, number] | null = null;
    for (const [number, event] of this.planned.events.entries()) {
      if (this.fired.has(number)) continue;
      for (const piece of this.pieces) {
        const whole = piece.length + (this.last && piece === this.newest ? 1 : 0);
        if (piece.frame > event.frame || event.frame >= piece.frame + whole) continue;
        const at = this.start + piece.at + event.frame - piece.frame;
        if (!found || at < found[0]) found = [at, number];
        break;
      }
    }
    return found;
  }

  /** Append the next pass, or what lies behind the loop. */
  decide(): void {
    const loop = this.loop as PlannedLoop;
    const readUpTo = (this.decidesAt as number) - this.start - this.longestDelay;
    this.pieces = [...this.pieces.slice(0, -1).filter((one) => one.at + one.length > readUpTo), this.newest];
    const piece = this.newest;
    const end = piece.at + piece.length;
    if (this.letGo || (loop.passes > 0 && this.passNumber >= loop.passes)) {
      this.last = true;
      this.pieces.push({ at: end, frame: piece.frame + piece.length, length: this.planned.frames - (piece.frame + piece.length), into: null });
      return;
    }
    this.pieces[this.pieces.length - 1] = { ...piece, into: loop.start };
    this.pieces.push({ at: end, frame: loop.start, length: loop.end - loop.start, into: null });
    this.passNumber += 1;
  }

  /** How many frames are left, passes to come counted; null while that depends on letting go. */
  timeLeft(now: number): number | null {
    const ends = Math.min(this.playsUntil() ?? FAR, this.stopAt ?? FAR);
    return ends === FAR ? null : Math.max(ends - now, 0);
  }

  /** The frame of the run at which its last voice will have ended, if nobody stops it. */
  private playsUntil(): number | null {
    const piece = this.newest;
    let [end, out] = [piece.at + piece.length, piece.frame + piece.length];
    if (this.loop && !this.last && !this.letGo) {
      if (this.loop.passes === 0) return null;
      const more = Math.max(this.loop.passes - this.passNumber, 0);
      if (more) [end, out] = [end + more * (this.loop.end - this.loop.start), this.loop.end];
    }
    return this.start + end + (this.last ? 0 : this.planned.frames - out) + this.longestDelay;
  }
}

/** Frames of the output in which nothing changes; `now` is the run's own first frame, null while it stands still. */
export interface Stretch {
  readonly start: number;
  readonly end: number;
  readonly now: number | null;
}

/** A show that runs: its clock, what stands next, what sounds, what waits, and the log. */
export class ShowRun {
  frame = 0;
  lost = 0;
  standing: number | null;
  sounding: Sounding[] = [];
  waiting: (readonly [number, number, number])[] = [];
  log: LogEntry[] = [];
  paused = false;
  frozen = false;
  master: Ramp;
  readonly loops = new Map<number, PlannedLoop>();
  private fired = 0;
  private lastGo: number | null = null;

  constructor(readonly plan: ShowPlan) {
    this.standing = this.goFrom(0);
    this.master = new Ramp(1, 1, 0, 0, this.table(PLAIN));
  }

  get now(): number {
    return this.frame - this.lost;
  }

  press(press: Press): void {
    switch (press.kind) {
      case "go":
        return this.go();
      case "let_go": {
        const found = this.newest(press.cue, (one) => !one.last && !one.letGo);
        if (found) found.letGo = true;
        return this.note(found ? "let go" : "nothing to let go", found ? found.cue : (press.cue ?? null));
      }
      case "fade_this": {
        const found = this.newest(press.cue, (one) => one.stopAt === null);
        if (found) this.fade(found, 0, this.plan.fade_frames, PLAIN, true);
        return this.note(found ? "fade this one" : "nothing to fade", found ? found.cue : (press.cue ?? null));
      }
      case "stop_all":
        this.waiting = [];
        for (const one of this.sounding) {
          one.then = null;
          this.fade(one, 0, this.plan.stop_frames, PLAIN, true);
        }
        return this.note("stop everything");
      case "pause":
        if (this.paused) return;
        this.paused = true;
        this.turnMaster(0);
        return this.note("pause");
      case "go_on":
        return this.goOn();
      case "broke_off":
        this.paused = this.frozen = true;
        this.master = new Ramp(0, 0, this.frame, 0, this.table(PLAIN));
        return this.note("broke off");
      case "set_loop":
        return this.setLoop(press);
      default:
        return this.stand(press);
    }
  }

  /** Go on to a frame of the output, and yield each stretch before what changes behind it is done. */
  *stretches(end: number): Generator<Stretch> {
    for (;;) {
      this.doWhatIsDue();
      if (this.frame >= end) return;
      const stop = Math.min(end, this.nextChange());
      yield { start: this.frame, end: stop, now: this.frozen ? null : this.now };
      if (this.frozen) this.lost += stop - this.frame;
      this.frame = stop;
      if (this.paused && !this.frozen && this.frame >= this.master.start + this.master.length) this.frozen = true;
    }
  }

  /** Go on to a frame of the output without a sample. */
  goTo(frame: number): void {
    const stretches = this.stretches(frame);
    while (!stretches.next().done);
  }

  private nextChange(): number {
    if (this.frozen) return FAR;
    let next = FAR;
    const due = (at: number | null | undefined) => {
      if (at !== null && at !== undefined) next = Math.min(next, Math.max(at, this.now + 1) + this.lost);
    };
    for (const one of this.sounding) {
      due(one.decidesAt);
      due(one.endsAt);
      if (one.then) due(one.followsAt);
      due(one.nextEvent()?.[0]);
    }
    due(this.waiting[0]?.[0]);
    return this.paused ? Math.min(next, this.master.start + this.master.length) : next;
  }

  private doWhatIsDue(): void {
    if (this.frozen) return;
    for (let again = true; again; ) {
      again = false;
      for (const one of this.sounding) {
        while (one.decidesAt !== null && one.decidesAt <= this.now) one.decide();
        for (let event = one.nextEvent(); event && event[0] <= this.now; event = one.nextEvent()) {
          one.fired.add(event[1]);
          this.note("event", one.cue, event[1]);
        }
      }
      for (const one of [...this.sounding]) {
        const follows = one.followsAt;
        if (one.then && follows !== null && follows <= this.now) {
          this.wait(one.then[0], follows + one.then[1]);
          one.then = null;
        }
        const ends = one.endsAt;
        if (ends === null || ends > this.now) continue;
        this.sounding = this.sounding.filter((other) => other !== one);
        this.note("ended", one.cue);
      }
      for (let first = this.waiting[0]; first && first[0] <= this.now; first = this.waiting[0]) {
        this.waiting.shift();
        this.fire(first[2]);
        again = true;
      }
    }
  }

  private go(): void {
    if (this.lastGo !== null && this.frame - this.lastGo < this.plan.once_frames) return this.note("GO counted once");
    this.lastGo = this.frame;
    if (this.paused) this.goOn();
    const cue = this.standing;
    if (cue === null) return this.note("nothing stands next");
    this.standing = this.goFrom(cue + 1);
    this.note("GO", cue);
    this.fire(cue);
  }

  private goOn(): void {
    if (!this.paused) return;
    this.paused = this.frozen = false;
    this.turnMaster(1);
    this.note("go on");
  }

  private turnMaster(to: number): void {
    this.master = new Ramp(this.master.now(this.frame), to, this.frame, this.plan.pause_frames, this.table(PLAIN));
  }

  private fire(cue: number): void {
    const planned = this.plan.cues[cue] as PlannedCue;
    let then = this.follower(cue);
    let ends = 0;
    this.note(planned.problem ? "cannot run" : "fired", cue);
    if (!planned.problem && planned.kind === "sound") then = this.sound(cue, planned, then);
    else if (!planned.problem && planned.kind !== "note") {
      this.fadeCue(cue, planned);
      ends = planned.length;
    }
    if (then === null) return;
    const follower = this.plan.cues[then] as PlannedCue;
    this.wait(then, this.now + follower.wait + (isAtEnd(follower) ? ends : 0));
  }

  /** Let a cue sound; what follows from its start is given back, what follows from its end is kept. */
  private sound(cue: number, planned: PlannedCue, then: number | null): number | null {
    const gain = planned.silent ? 0 : 1;
    const loop = this.loops.get(cue) ?? planned.loop;
    const first: Piece = { at: 0, frame: 0, length: loop ? loop.end : planned.frames, into: null };
    const one = new Sounding((this.fired += 1), cue, planned, this.now, new Ramp(gain, gain, this.now, 0, this.table(PLAIN)), [first], loop);
    this.sounding.push(one);
    const follower = then === null ? undefined : this.plan.cues[then];
    if (then === null || !follower || !isAtEnd(follower)) return then;
    one.withEcho = follower.start === "after_echo";
    one.then = [then, follower.wait];
    return null;
  }

  private fadeCue(cue: number, planned: PlannedCue): void {
    const targets = this.sounding.filter((one) => planned.everything || one.cue === planned.target);
    for (const one of targets) this.fade(one, planned.gain, planned.length, planned.curve, planned.stops);
    if (targets.length === 0) this.note("nothing to fade", cue);
  }

  private fade(one: Sounding, gain: number, length: number, curve: string, stops: boolean): void {
    if (one.stopAt !== null && !(stops && this.now + length < one.stopAt)) return;
    one.ramp = new Ramp(one.ramp.now(this.now), gain, this.now, length, this.table(curve));
    if (stops) one.stopAt = this.now + length;
  }

  private stand(press: Press): void {
    const cues = this.plan.cues;
    if (press.kind === "stand_at") {
      if (press.cue !== null && press.cue !== undefined && press.cue >= 0 && press.cue < cues.length) this.standing = press.cue;
    } else if (press.kind === "skip") {
      this.standing = this.standing === null ? null : this.goFrom(this.standing + 1);
    } else {
      const before = this.standing ?? cues.length;
      const earlier = cues.findLastIndex((cue, n) => n < before && cue.start === "go");
      if (earlier >= 0) this.standing = earlier;
    }
    this.note("stands", this.standing);
  }

  /** Change a loop from its next pass on, as far as its body reaches. */
  private setLoop(press: Press): void {
    const planned = this.plan.cues[press.cue ?? -1];
    if (!planned?.loop) return;
    const crossed = planned.loop.goes.length;
    const lead = Math.min(...planned.voices.map(({ body }) => this.plan.bodies[body]?.lead ?? 0));
    const shortest = Math.max(2 * crossed, this.plan.shortest_loop);
    const start = Math.min(Math.max(press.start ?? 0, crossed - lead, 0), planned.frames - shortest);
    const end = Math.min(Math.max(press.end ?? 0, start + shortest), planned.frames);
    const loop: PlannedLoop = { ...planned.loop, start, end, passes: press.passes ?? 0 };
    this.loops.set(press.cue as number, loop);
    for (const one of this.sounding) if (one.cue === press.cue) one.loop = loop;
    this.note("loop changed", press.cue ?? null);
  }

  private follower(cue: number): number | null {
    const after = this.plan.cues[cue + 1];
    return after && after.start !== "go" ? cue + 1 : null;
  }

  private wait(cue: number, due: number): void {
    this.waiting.push([due, (this.fired += 1), cue]);
    this.waiting.sort((a, b) => a[0] - b[0] || a[1] - b[1]);
  }

  private newest(cue: number | null | undefined, holds: (one: Sounding) => boolean): Sounding | undefined {
    return this.sounding.findLast((one) => (cue === null || cue === undefined || one.cue === cue) && holds(one));
  }

  private goFrom(place: number): number | null {
    const found = this.plan.cues.findIndex((cue, n) => n >= place && (cue.start === "go" || n === 0));
    return found < 0 ? null : found;
  }

  private table(curve: string): readonly number[] {
    return this.plan.curves[curve] ?? [];
  }

  private note(what: string, cue: number | null = null, event: number | null = null): void {
    this.log.push({ frame: this.frame, what, cue, event });
  }
}
