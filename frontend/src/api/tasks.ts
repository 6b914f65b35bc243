/** What the interface asks of long work. */
import type { Task } from "./types";

/** Whether a task is still to be done, or under way. */
export const isOpen = (task: Pick<Task, "state">): boolean => task.state === "waiting" || task.state === "running";
