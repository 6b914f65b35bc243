/** Listening: from here, a selection, a loop, a clip, an edge, a join. What is heard comes from the server's renderer. */
import { api } from "../../api/client";
import type { Edit, Side } from "../../api/types";
import type { Span } from "../../play/player";
import { endOf, startOf } from "../model/placement";
import { currentClip, desk, player, setSide } from "./desk";

function audioSource(tried: Edit | null, handOver: readonly [string, string] | null = null) {
  const { id, job } = desk();
  return {
    rateHz: job.rate_hz,
    fetch: (start: number, frames: number) => {
      const { hearing, revision, revisionBefore } = desk();
      if (hearing === "before_edit") return api.audio(id, revisionBefore ?? revision, start, frames, "result");
      return api.audio(id, revision, start, frames, hearing, tried, handOver);
    },
  };
}

/** Play spans of the job; `tried` is an edit that is heard before it is done. */
export function play(spans: readonly Span[], loops = false, tried: Edit | null = null): void {
  void player.play(audioSource(tried), spans, loops);
}

/** Play two items as they follow each other on air at their points. */
export function playHandOver(span: Span, first: string, second: string): void {
  void player.play(audioSource(null, [first, second]), [span]);
}

/** Play the selection if there is one, else from the cursor to the end. */
export function playFromHere(): void {
  const state = desk();
  const end = Math.max(...Object.values(state.job.clips).map((clip) => endOf(state.job, clip)), 0);
  if (state.selection) play([state.selection], state.loops);
  else if (state.loops && currentClip(state)) hearClip(true);
  else play([{ start: state.cursorFrame < end ? state.cursorFrame : 0, end }]);
}

export function hearClip(loops: boolean): void {
  const state = desk();
  const clip = currentClip(state);
  if (clip) play([{ start: startOf(state.job, clip), end: endOf(state.job, clip) }], loops);
}

/** Play a moment around one edge of the current clip. */
export function hearEdge(side: Side): void {
  const state = desk();
  const clip = currentClip(state);
  if (!clip) return;
  const around = Math.round(state.aroundS * state.job.rate_hz);
  setSide(side);
  const at = side === "head" ? startOf(state.job, clip) : endOf(state.job, clip);
  play([side === "head" ? { start: Math.max(at - Math.round(around / 4), 0), end: at + around } : { start: Math.max(at - around, 0), end: at + Math.round(around / 4) }]);
}

/** Play a moment around the cut between the current clip and its neighbour. */
export function hearJoin(): void {
  const { job, side, aroundS } = desk();
  const clip = currentClip(desk());
  if (!clip) return;
  const cut = side === "head" ? startOf(job, clip) : endOf(job, clip);
  const around = Math.round(aroundS * job.rate_hz);
  play([{ start: Math.max(cut - around, 0), end: cut + around }]);
}

export const togglePlay = (): void => (player.playing ? player.stop() : playFromHere());
