/** Several files that came in together: on one lane, or a lane each. Asked once, and remembered by brief. */
import type { Job } from "../../api/types";
import { endOf, lanesInOrder, startOf } from "../model/placement";
import { desk, set, useDesk } from "./desk";
import { edit, undoOrRedo } from "./edits";
import { selectedIds } from "./selection";
import { reload } from "./session";

type Choice = "one" | "each";
const MOST_LANES = 16;
const keyOf = (brief: string): string => `wemble.lanes.${brief}`;

/** Import by way of `bring`, and then lay what came in as was chosen. */
export async function importOnLanes(id: string, count: number, bring: () => Promise<void>): Promise<void> {
  const before = new Set(Object.keys(desk().job.clips));
  await bring();
  if (count < 2 || count > MOST_LANES || useDesk.getState().id !== id || desk().brief.search !== "sound" || desk().brief.lane_a_file || desk().brief.cue_a_file) return;
  await reload();
  const { job, brief } = desk();
  const came = Object.values(job.clips).filter((clip) => !before.has(clip.id)).sort((a, b) => startOf(job, a) - startOf(job, b)).map((clip) => clip.id);
  if (came.length < 2) return;
  const known = localStorage.getItem(keyOf(brief.name)) as Choice | null;
  const choose = (choice: Choice) => async () => {
    localStorage.setItem(keyOf(brief.name), choice);
    if (choice === "each") await layOnLanes(came);
    else set({ notice: null });
  };
  if (known === "each" || (known === null && ofOneLength(job, came))) {
    await layOnLanes(came);
    const back = async () => {
      localStorage.setItem(keyOf(brief.name), "one");
      await undoOrRedo("undo");
    };
    set({ notice: { tone: "told", text: `${came.length} recordings came in, a lane each${known ? " as last time" : ", as they are of one length"}.`, offers: [{ name: "on one lane", run: back }] } });
  } else if (known === null) {
    const text = `${came.length} recordings came in, one after the other on “${lanesInOrder(job)[0]?.name ?? ""}”.`;
    set({ notice: { tone: "told", text, offers: [{ name: "keep them on one lane", run: choose("one") }, { name: "a lane each", run: choose("each") }] } });
  }
}

/** What is exported together starts together: it is as long to the frame, or nearly so. */
function ofOneLength(job: Job, clipIds: readonly string[]): boolean {
  const lengths = clipIds.flatMap((id) => (job.clips[id] ? endOf(job, job.clips[id]) - startOf(job, job.clips[id]) : []));
  return Math.max(...lengths) - Math.min(...lengths) <= job.rate_hz / 1000;
}

const layOnLanes = (clipIds: readonly string[]): Promise<void> => edit({ kind: "lane_each", clip_ids: [...clipIds] });

/** A lane for each of the selected clips, starting together. */
export const laneEach = (): void => void layOnLanes(selectedIds(desk()));
