/** Bringing files in: uploads one after the other, each with its own progress and its own reason if it fails. */
import { create } from "zustand";
import { api } from "../api/client";

export interface Arrival {
  readonly key: number;
  readonly name: string;
  readonly state: "waiting" | "uploading" | "importing" | "done" | "failed";
  readonly progress: number;
  readonly doing: string;
  readonly notes: readonly string[];
  readonly taskId: string | null;
}

interface Arrivals {
  readonly jobId: string | null;
  readonly list: readonly Arrival[];
}

export const useArrivals = create<Arrivals>(() => ({ jobId: null, list: [] }));
let next = 1;

const update = (key: number, part: Partial<Arrival>): void =>
  useArrivals.setState(({ list }) => ({ list: list.map((arrival) => (arrival.key === key ? { ...arrival, ...part } : arrival)) }));

export const clearArrivals = (): void => useArrivals.setState({ list: [] });

/** Upload and import every file; one that fails says why, and the rest go on. */
export async function bringIn(jobId: string, files: readonly File[], onOne: () => void): Promise<void> {
  const arrivals = files.map((file) => ({
    key: next++, name: file.name, state: "waiting" as const, progress: 0, doing: "", notes: [], taskId: null,
  }));
  useArrivals.setState(({ jobId: before, list }) => ({ jobId, list: before === jobId ? [...list, ...arrivals] : arrivals }));
  for (const [index, file] of files.entries()) {
    const key = arrivals[index]?.key ?? 0;
    try {
      update(key, { state: "uploading" });
      const taskId = await api.upload(jobId, file, (progress) => update(key, { progress: 0.5 * progress }));
      update(key, { state: "importing", taskId });
      await watched(jobId, key, taskId);
      onOne();
    } catch (error) {
      update(key, { state: "failed", doing: error instanceof Error ? error.message : String(error) });
    }
  }
}

async function watched(jobId: string, key: number, taskId: string): Promise<void> {
  for (;;) {
    const task = (await api.tasks(jobId)).find((row) => row.id === taskId);
    if (task?.state === "done") {
      const notes = Array.isArray(task.result?.["notes"]) ? (task.result["notes"] as string[]) : [];
      update(key, { state: "done", progress: 1, notes });
      return;
    }
    if (task && task.state !== "waiting" && task.state !== "running") {
      throw new Error(String(task.error?.["message"] ?? "it was interrupted; bring it in again"));
    }
    update(key, { progress: 0.5 + 0.5 * (task?.progress ?? 0), doing: task?.doing ?? "" });
    await new Promise((resume) => setTimeout(resume, 150));
  }
}

const SOUND = /\.(wav|wave|rf64|aiff?|aifc|flac|ogg|oga|opus|mp3|m4a|mp4|aac|wemble\.zip)$/i;

/** The files of a drop, folders opened. From a folder only sound is taken; a file dropped by itself always is. */
export async function droppedFiles(data: DataTransfer): Promise<File[]> {
  const entries = [...data.items].map((item) => item.webkitGetAsEntry()).filter((entry) => entry !== null);
  if (entries.length === 0) return [...data.files];
  const found = await Promise.all(entries.map((entry) => filesOf(entry, entry.isDirectory)));
  return found.flat();
}

async function filesOf(entry: FileSystemEntry, fromFolder: boolean): Promise<File[]> {
  if (entry.isFile) {
    const file = await new Promise<File>((resolve, reject) => (entry as FileSystemFileEntry).file(resolve, reject));
    return !fromFolder || SOUND.test(file.name) ? [file] : [];
  }
  const reader = (entry as FileSystemDirectoryEntry).createReader();
  const inside: FileSystemEntry[] = [];
  for (;;) {
    const some = await new Promise<FileSystemEntry[]>((resolve, reject) => reader.readEntries(resolve, reject));
    if (some.length === 0) break;
    inside.push(...some);
  }
  const files = await Promise.all(inside.sort((a, b) => a.name.localeCompare(b.name)).map((child) => filesOf(child, true)));
  return files.flat();
}

/** Files that a picker gave; of a picked folder only sound. */
export const pickedFiles = (list: FileList | null): File[] =>
  [...(list ?? [])].filter((file) => !file.webkitRelativePath || SOUND.test(file.name));
