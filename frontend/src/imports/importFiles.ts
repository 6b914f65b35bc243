/** Importing files: several at once, each with its own progress and its own reason if it fails. */
import { create } from "zustand";
import { api } from "../api/client";
import type { Task } from "../api/types";

export interface FileImport {
  readonly key: number;
  readonly name: string;
  readonly state: "waiting" | "uploading" | "importing" | "done" | "failed";
  readonly progress: number;
  readonly doing: string;
  readonly notes: readonly string[];
  readonly taskId: string | null;
}

interface ImportList {
  readonly jobId: string | null;
  readonly list: readonly FileImport[];
}

export const useImports = create<ImportList>(() => ({ jobId: null, list: [] }));
let next = 1;

const update = (key: number, part: Partial<FileImport>): void =>
  useImports.setState(({ list }) => ({ list: list.map((one) => (one.key === key ? { ...one, ...part } : one)) }));

export const clearImports = (): void => useImports.setState({ list: [] });

/** How many files are under way at once: enough to keep the server busy, few enough to see them come in. */
const AT_ONCE = 6;

/** Upload and import every file, several at once but in their order; one that fails says why, and the rest go on. */
export async function importFiles(jobId: string, files: readonly File[], onOne: () => void = () => undefined): Promise<void> {
  const imports = files.map((file) => ({
    key: next++, name: file.name, state: "waiting" as const, progress: 0, doing: "", notes: [], taskId: null,
  }));
  useImports.setState(({ jobId: before, list }) => ({ jobId, list: before === jobId ? [...list, ...imports] : imports }));
  const open = new Set<Promise<void>>();
  let before: Promise<unknown> = Promise.resolve();
  for (const [index, file] of files.entries()) {
    if (open.size >= AT_ONCE) await Promise.race(open);
    const key = imports[index]?.key ?? 0;
    const turn = before;
    let taken: () => void = () => undefined;
    before = new Promise<void>((resolve) => (taken = resolve));
    const coming: Promise<void> = importOne(jobId, key, file, turn, taken)
      .then(onOne, (error: unknown) => update(key, { state: "failed", doing: error instanceof Error ? error.message : String(error) }))
      .finally(() => {
        taken();
        open.delete(coming);
      });
    open.add(coming);
  }
  await Promise.all(open);
}

/** Upload one file, import it when those before it are on their way, and see it done. */
async function importOne(jobId: string, key: number, file: File, turn: Promise<unknown>, taken: () => void): Promise<void> {
  update(key, { state: "uploading" });
  const uploadId = await api.upload(jobId, file, (progress) => update(key, { progress: 0.5 * progress }));
  await turn;
  const taskId = await api.finishUpload(uploadId);
  taken();
  update(key, { state: "importing", taskId });
  await watched(jobId, key, taskId);
}

const ASK_EVERY_MS = 150;
let asked = { jobId: "", at: 0, tasks: Promise.resolve<readonly Task[]>([]) };

/** The tasks of a job as they are now: all that wait for theirs share one question. */
function tasksNow(jobId: string): Promise<readonly Task[]> {
  const now = performance.now();
  if (asked.jobId !== jobId || now - asked.at >= ASK_EVERY_MS) asked = { jobId, at: now, tasks: api.tasks(jobId) };
  return asked.tasks;
}

async function watched(jobId: string, key: number, taskId: string): Promise<void> {
  for (;;) {
    const task = (await tasksNow(jobId)).find((row) => row.id === taskId);
    if (task?.state === "done") {
      const notes = Array.isArray(task.result?.["notes"]) ? (task.result["notes"] as string[]) : [];
      update(key, { state: "done", progress: 1, notes });
      return;
    }
    if (task && task.state !== "waiting" && task.state !== "running") {
      throw new Error(String(task.error?.["message"] ?? "it was interrupted; import it again"));
    }
    update(key, { progress: 0.5 + 0.5 * (task?.progress ?? 0), doing: task?.doing ?? "" });
    await new Promise((resume) => setTimeout(resume, ASK_EVERY_MS));
  }
}

const AUDIO = /\.(wav|wave|rf64|aiff?|aifc|flac|ogg|oga|opus|mp3|m4a|mp4|aac|wemble\.zip)$/i;

/** Files to import, by name with numbers as numbers, and what a job of them is called: the folder's name, or the one file's. */
export interface Gathered {
  readonly name: string;
  readonly files: File[];
}

const byName = (a: string, b: string): number => a.localeCompare(b, undefined, { numeric: true });
const stem = (name: string): string => name.replace(/(\.wemble)?\.[^.]+$/, "");

/** The files of a drop, folders opened. From a folder only audio is taken; a file dropped by itself always is. */
export async function droppedFiles(data: DataTransfer): Promise<Gathered> {
  const entries = [...data.items].map((item) => item.webkitGetAsEntry()).filter((entry) => entry !== null);
  if (entries.length === 0) return gathered([...data.files].sort((a, b) => byName(a.name, b.name)));
  const found = await Promise.all(entries.sort((a, b) => byName(a.name, b.name)).map((entry) => filesOf(entry, entry.isDirectory)));
  const [only] = entries;
  return gathered(found.flat(), entries.length === 1 && only?.isDirectory ? only.name : undefined);
}

async function filesOf(entry: FileSystemEntry, fromFolder: boolean): Promise<File[]> {
  if (entry.isFile) {
    const file = await new Promise<File>((resolve, reject) => (entry as FileSystemFileEntry).file(resolve, reject));
    return !fromFolder || AUDIO.test(file.name) ? [file] : [];
  }
  const reader = (entry as FileSystemDirectoryEntry).createReader();
  const inside: FileSystemEntry[] = [];
  for (;;) {
    const some = await new Promise<FileSystemEntry[]>((resolve, reject) => reader.readEntries(resolve, reject));
    if (some.length === 0) break;
    inside.push(...some);
  }
  const files = await Promise.all(inside.sort((a, b) => byName(a.name, b.name)).map((child) => filesOf(child, true)));
  return files.flat();
}

/** Files that a picker gave; of a picked folder only audio. */
export function pickedFiles(list: FileList | null): Gathered {
  const files = [...(list ?? [])].filter((file) => !file.webkitRelativePath || AUDIO.test(file.name));
  const path = (file: File): string => file.webkitRelativePath || file.name;
  return gathered(files.sort((a, b) => byName(path(a), path(b))), files[0]?.webkitRelativePath.split("/")[0]);
}

function gathered(files: File[], folder?: string): Gathered {
  const [first] = files;
  return { name: folder || (first && files.length === 1 ? stem(first.name) : "New job"), files };
}
