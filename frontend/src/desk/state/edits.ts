/** Edits: one after the other, each made on the revision that the one before it answered. */
import { api, ServerProblem } from "../../api/client";
import type { Edit, EditAnswer } from "../../api/types";
import { applied } from "../model/changes";
import { refreshVerdicts } from "./checks";
import { crossfadesThatFit } from "../model/offers";
import { desk, type Notice, type Offer, set } from "./desk";
import { inTurn } from "./queue";
import { selectReplacement } from "./selection";
import { reload } from "./session";
import { settleSearch } from "./settle";

/**
 * Make an edit; if somebody else was faster, say so and offer to do it on the newest state. An edit that builds on what
 * is there (a nudge) is a function: it is asked when its turn comes, after the edits before it have been answered.
 */
export async function edit(change: Edit | (() => Edit | null)): Promise<void> {
  const ask = () => {
    const now = typeof change === "function" ? change() : change;
    return now ? api.edit(desk().id, desk().revision, now) : null;
  };
  await attempt(ask, () => edit(change), (error) => (typeof change === "function" ? [] : offersOf(change, error)));
}

/** What a refused edit could be instead, of what the refusal says would fit. */
function offersOf(change: Edit, error: unknown): readonly Offer[] {
  if (change.kind === "split_cue" && error instanceof ServerProblem && error.problem.code === "which_side") {
    return (["first", "second"] as const).map((boundary) => ({ name: `to the ${boundary} part`, run: () => edit({ ...change, boundary }) }));
  }
  if (change.kind !== "set_joins" || !(error instanceof ServerProblem) || error.problem.code !== "too_little_handle") return [];
  return crossfadesThatFit(error.problem.details, desk().job.rate_hz, change.length_frames).map(({ name, lengthFrames, leadFrames }) => ({
    name,
    run: () => edit({ ...change, length_frames: lengthFrames, lead_frames: leadFrames }),
  }));
}

export async function undoOrRedo(direction: "undo" | "redo"): Promise<void> {
  await attempt(() => api.step(desk().id, desk().revision, direction), () => undoOrRedo(direction));
  await settleSearch();
}

/** One edit after the other: each is made on the revision that the one before it answered. */
export function attempt(ask: () => Promise<EditAnswer> | null, again: () => Promise<void>, offersFor: (error: unknown) => readonly Offer[] = () => []): Promise<void> {
  set({ saving: desk().saving + 1 });
  return inTurn(async () => {
    try {
      const answer = await ask();
      if (answer) take(answer);
    } catch (error) {
      set({ notice: wrong(error, again, offersFor), unsaved: !wasAnswered(error) });
    } finally {
      set({ saving: desk().saving - 1 });
    }
  });
}

/** Whether the server said what is wrong with an edit; else nobody knows of it there. */
const wasAnswered = (error: unknown): boolean => error instanceof ServerProblem && error.status > 0 && error.status < 500;

function wrong(error: unknown, again: () => Promise<void>, offersFor: (error: unknown) => readonly Offer[]): Notice {
  const text = error instanceof Error ? error.message : String(error);
  if (!(error instanceof ServerProblem) || !error.isStale) return { tone: "wrong", text, offers: offersFor(error) };
  const showNewest = async () => {
    await reload();
    set({ notice: null });
  };
  const onNewest = async () => {
    await showNewest();
    await again();
  };
  return { tone: "wrong", text, offers: [{ name: "show the newest", run: showNewest }, { name: "do it on the newest", run: onNewest }] };
}

function take(answer: EditAnswer): void {
  const before = desk();
  const was = before.clipId === null ? undefined : before.job.clips[before.clipId];
  const job = applied(before.job, answer.changes);
  set({
    unsaved: false,
    job,
    revision: answer.revision,
    revisionBefore: answer.revision === before.revision ? before.revisionBefore : before.revision,
    undoLabel: answer.undo_label,
    redoLabel: answer.redo_label,
    notice: answer.notes.length ? { tone: "told", text: sentence(answer.notes) } : null,
  });
  if (was) selectReplacement(was);
  void refreshVerdicts();
}

const sentence = (notes: readonly string[]): string => {
  const text = notes.join("; ");
  return text.charAt(0).toUpperCase() + text.slice(1) + ".";
};
