/** Long work that a card starts and waits for: how far it is, stopped, one of a kind at a time. */
import { create, type StoreApi, type UseBoundStore } from "zustand";
import { api } from "../../api/client";
import { untilDone } from "../../api/tasks";
import type { Task } from "../../api/types";
import { desk, fail, useDesk } from "./desk";

export interface Work {
  /** The task, while one is under way. */
  readonly taskId: string | null;
  readonly part: number;
}
export type WorkStore = UseBoundStore<StoreApi<Work>>;

const IDLE: Work = { taskId: null, part: 0 };
export const workStore = (): WorkStore => create<Work>(() => IDLE);

/** Start work and wait for it; `null` if it is under way already, was stopped, failed (which is told), or another job is open now. */
export async function follow(store: WorkStore, start: (id: string, revision: number) => Promise<string>): Promise<Task | null> {
  const { id, revision } = desk();
  if (store.getState().taskId !== null) return null;
  try {
    const taskId = await start(id, revision);
    store.setState({ taskId, part: 0 });
    const task = await untilDone(id, taskId, (part) => store.setState({ part }));
    return useDesk.getState().id === id ? task : null;
  } catch (error) {
    fail(error);
    return null;
  } finally {
    store.setState(IDLE);
  }
}

export async function stop(store: WorkStore): Promise<void> {
  const { taskId } = store.getState();
  if (taskId) await api.cancelTask(taskId).catch(fail);
}
