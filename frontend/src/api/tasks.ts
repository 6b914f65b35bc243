/** What the interface asks of long work. */
import { api } from "./client";
import type { Task } from "./types";

/** Whether a task is still to be done, or under way. */
export const isOpen = (task: Pick<Task, "state">): boolean => task.state === "waiting" || task.state === "running";

const ASKED_EVERY_MS = 300;

/** Wait until a task is over, told how far it is. Throws what it failed with; `null` if it was stopped. */
export async function untilDone(jobId: string, taskId: string, onProgress: (part: number) => void): Promise<Task | null> {
  for (;;) {
    const task = await api.task(jobId, taskId);
    if (!task || task.state === "cancelled" || task.state === "interrupted") return null;
    if (task.state === "failed") throw new Error(String(task.error?.message ?? "this did not work; try again"));
    if (task.state === "done") return task;
    onProgress(task.progress);
    await new Promise((resume) => setTimeout(resume, ASKED_EVERY_MS));
  }
}
