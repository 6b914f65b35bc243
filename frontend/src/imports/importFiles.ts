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
/** Stops what is under way, one for each lot of files. */
const lots = new Set<AbortController>();

const update = (key: number, part: Partial<FileImport>): void =>
  useImports.setState(({ list }) => ({ list: list.map((one) => (one.key === key ? { ...one, ...part } : one)) }));

export const clearImports = (): void => useImports.setState({ list: [] });

const isOpen = ({ state }: FileImport): boolean => state !== "done" && state !== "failed";
const STOPPED = "stopped; it is not in this job";

/** Stop everything that has not come in yet; what is in stays. */
export function stopImports(): void {
  for (const lot of lots) lot.abort();
  for (const { key, taskId } of useImports.getState().list.filter(isOpen)) {
    if (taskId) void api.cancelTask(taskId).catch(() => undefined); // it may be done by now
    else update(key, { state: "failed", doing: STOPPED });
  }
}

/** How many files are under way at once: enough to keep the server busy, few enough to see them come in. */
const AT_ONCE = 6;

/** Upload and import every file, several at once but in their order; one that fails says why, and the rest go on. */
export async function importFiles(jobId: string, files: readonly File[], onOne: () => void = () => undefined, uploads: ReadonlyMap<File, string> = new Map()): Promise<void> {
  const imports = files.map((file) => ({
    key: next++, name: file.name, state: "waiting" as const, progress: 0, doing: "", notes: [], taskId: null,
  }));
  useImports.setState(({ jobId: before, list }) => ({ jobId, list: before === jobId ? [...list, ...imports] : imports }));
  const open = new Set<Promise<void>>();
  const lot = new AbortController();
  lots.add(lot);
  let before: Promise<unknown> = Promise.resolve();
  for (const [index, file] of files.entries()) {
    if (open.size >= AT_ONCE) await Promise.race(open);
    if (lot.signal.aborted) break;
    const key = imports[index]?.key ?? 0;
    const turn = before;
    let taken: () => void = () => undefined;
    before = new Promise<void>((resolve) => (taken = resolve));
    const coming: Promise<void> = importOne(jobId, key, file, turn, taken, lot.signal, uploads.get(file))
      .then(onOne, (error: unknown) => update(key, { state: "failed", doing: lot.signal.aborted ? STOPPED : error instanceof Error ? error.message : String(error) }))
      .finally(() => {
        taken();
        open.delete(coming);
      });
    open.add(coming);
  }
  await Promise.all(open);
  lots.delete(lot);
}

/** Upload one file, import it when those before it are on their way, and see it done. */
async function importOne(jobId: string, key: number, file: File, turn: Promise<unknown>, taken: () => void, stop: AbortSignal, uploaded?: string): Promise<void> {
  update(key, { state: "uploading" });
  const uploadId = uploaded ?? await api.upload(jobId, file, (progress) => update(key, { progress: 0.5 * progress }), stop);
  await turn;
  stop.throwIfAborted();
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

const LEFT = "the page was left before it came in; import it again";
const leftKey = (jobId: string): string => `wemble.left.${jobId}`;

/** Ask before the page is left while files come in, and keep the names of those that will not: the server has only the others. */
addEventListener("beforeunload", (event) => {
  if (useImports.getState().list.some((file) => isOpen(file) && file.taskId === null)) event.preventDefault();
});
addEventListener("pagehide", () => {
  const { jobId, list } = useImports.getState();
  const names = list.filter((file) => isOpen(file) && file.taskId === null).map(({ name }) => name);
  if (jobId && names.length) localStorage.setItem(leftKey(jobId), JSON.stringify(names));
});

/** Name what had not come into a job when its page was left, once. */
export function nameWhatWasLeft(jobId: string): void {
  const names = JSON.parse(localStorage.getItem(leftKey(jobId)) ?? "[]") as string[];
  localStorage.removeItem(leftKey(jobId));
  if (names.length === 0) return;
  const left = names.map((name) => ({ key: next++, name, state: "failed" as const, progress: 0, doing: LEFT, notes: [], taskId: null }));
  useImports.setState(({ jobId: before, list }) => ({ jobId, list: before === jobId ? [...list, ...left] : left }));
}
