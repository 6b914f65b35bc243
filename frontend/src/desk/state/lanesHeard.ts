/** What the lanes hear of each other: measured once, before what is said on each can be told apart. */
import { create } from "zustand";
import { api } from "../../api/client";
import { untilDone } from "../../api/tasks";
import { desk, fail, useDesk } from "./desk";

interface Listening {
  /** The task that listens, while one does. */
  readonly taskId: string | null;
  readonly part: number;
}

export const useListening = create<Listening>(() => ({ taskId: null, part: 0 }));

/** Listen to the lanes, and say whether that went through; whoever asks while it is under way is told no. */
export async function listenToLanes(): Promise<boolean> {
  const { id, revision } = desk();
  if (useListening.getState().taskId !== null) return false;
  try {
    const taskId = await api.listen(id, revision);
    useListening.setState({ taskId, part: 0 });
    const done = await untilDone(id, taskId, (part) => useListening.setState({ part }));
    return done !== null && useDesk.getState().id === id;
  } catch (error) {
    fail(error);
    return false;
  } finally {
    useListening.setState({ taskId: null, part: 0 });
  }
}

export async function stopListening(): Promise<void> {
  const { taskId } = useListening.getState();
  if (taskId) await api.cancelTask(taskId).catch(fail);
}
