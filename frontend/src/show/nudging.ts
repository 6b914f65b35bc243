/** A running loop changed by hand: heard from the next pass on, and kept in the job where the server answers. */
import { api } from "../api/client";
import type { RunAct } from "./runKeys";
import { aboutNow, press, useStage } from "./stage";

const STEP_S = 0.01;

export function nudgeLoop(act: RunAct): void {
  const { show } = useStage.getState();
  const one = aboutNow();
  if (!show || !one?.loop || one.passes === null) return;
  const step = Math.round(STEP_S * show.plan.rate_hz);
  const by = { end_earlier: [0, -step, 0], end_later: [0, step, 0], start_earlier: [-step, 0, 0], start_later: [step, 0, 0], more_passes: [0, 0, 1], fewer_passes: [0, 0, -1] }[act as "end_later"];
  const [start, end, passes] = by as [number, number, number];
  const counted = one.passes === 0 ? 0 : Math.max(one.passes + passes, 1);
  const changed = { start: one.loop.start + start, end: one.loop.end + end, passes: counted };
  press("set_loop", { cue: one.cue, ...changed });
  const cue = show.plan.cues[one.cue];
  if (cue) void keepInJob(cue.id, changed);
}

/** What was changed while it ran is the job's from now on; without a server it stays with this performance. */
async function keepInJob(cueId: string, { start, end, passes }: { readonly start: number; readonly end: number; readonly passes: number }): Promise<void> {
  const { jobId } = useStage.getState();
  try {
    const { revision } = await api.openJob(jobId);
    await api.edit(jobId, revision, { kind: "loop_of_cue", cue_id: cueId, start_frame: start, end_frame: end, passes, crossfade_frames: null });
  } catch {
    // The performance goes on with it; the log tells what was changed.
  }
}
