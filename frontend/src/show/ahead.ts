/** Which blocks of which bodies a run needs soon: those of what sounds, of what waits, and of what GO may fire next. */
import type { ShowPlan } from "../api/types";
import type { ShowRun, Sounding } from "./run";

const AHEAD_BLOCKS = 12;
const HEAD_BLOCKS = 4;
const NEXT_GOS = 4;

export const blockKey = (body: number, block: number): string => `${body} ${block}`;

/** The keys of the blocks to hold, the most urgent first. */
export function blocksAhead(run: ShowRun): Set<string> {
  const { plan } = run;
  const keys = new Set<string>();
  const take = (body: number, from: number, blocks: number) => {
    const { lead, frames } = plan.bodies[body] ?? { lead: 0, frames: 0 };
    const first = Math.max(Math.floor((from + lead) / plan.block_frames), 0);
    const last = Math.min(first + blocks, Math.ceil((lead + frames) / plan.block_frames));
    for (let block = first; block < last; block += 1) keys.add(blockKey(body, block));
  };
  for (const blocks of [3, AHEAD_BLOCKS]) for (const one of run.sounding) ofSounding(run, one, (body, from) => take(body, from, blocks));
  for (const cue of [...run.waiting.map(([, , cue]) => cue), ...nextCues(plan, run.standing), ...lastCues(plan, run.standing), ...run.sounding.flatMap(({ then }) => (then ? [then[0]] : []))]) {
    for (const { body } of plan.cues[cue]?.voices ?? []) {
      take(body, 0, HEAD_BLOCKS);
    }
  }
  return keys;
}

/** Where the voices of a sound read now and next: on, into the next pass, or behind the loop. */
function ofSounding(run: ShowRun, one: Sounding, take: (body: number, frame: number) => void): void {
  for (const { body, delay } of one.planned.voices) {
    const at = Math.max(run.now - one.start - delay, 0);
    const piece = one.pieces.find((candidate) => at < candidate.at + candidate.length) ?? one.newest;
    take(body, piece.frame + Math.max(at - piece.at, 0));
    if (one.loop && !one.last) {
      take(body, one.loop.start - one.crossed);
      take(body, one.loop.end - one.crossed);
    }
  }
}

/** The cues that GO would fire after going back one or two. */
function lastCues(plan: ShowPlan, standing: number | null): number[] {
  const before = plan.cues.flatMap((cue, n) => (n < (standing ?? plan.cues.length) && (cue.start === "go" || n === 0) ? [n] : []));
  return before.slice(-2);
}

/** The cues that the next GOs would fire, with what follows each by itself. */
export function nextCues(plan: ShowPlan, standing: number | null): number[] {
  const from = standing ?? plan.cues.length;
  const cues: number[] = [];
  let gos = 0;
  for (let cue = from; cue < plan.cues.length; cue += 1) {
    if (cue === from || plan.cues[cue]?.start === "go") gos += 1;
    if (gos > NEXT_GOS) break;
    cues.push(cue);
  }
  return cues.slice(0, 24);
}
