/** Files heard before they are taken in: uploaded and looked at by the server, played from where they are. */
import { create } from "zustand";
import { api } from "../api/client";
import { untilDone } from "../api/tasks";

export interface Examined {
  readonly length_s: number;
  readonly rate_hz: number;
  readonly channels: number;
  readonly peak_db: number;
  readonly flattened: string;
}

export interface Auditioned {
  readonly file: File;
  readonly uploadId: string | null;
  readonly examined: Examined | null;
  readonly problem: string | null;
  readonly taken: boolean;
}

interface Audition {
  readonly jobId: string;
  readonly files: readonly Auditioned[];
}

export const useAudition = create<Audition>(() => ({ jobId: "", files: [] }));
let lot: AbortController | null = null;

const update = (file: File, part: Partial<Auditioned>): void => useAudition.setState(({ files }) => ({ files: files.map((one) => (one.file === file ? { ...one, ...part } : one)) }));

/** Open files to be heard; what the server says of each joins it as it comes. */
export function audition(jobId: string, files: readonly File[]): void {
  closeAudition();
  const mine = new AbortController();
  lot = mine;
  useAudition.setState({ jobId, files: files.map((file) => ({ file, uploadId: null, examined: null, problem: null, taken: true })) });
  void files.reduce((before, file) => before.then(() => (mine.signal.aborted ? undefined : examine(jobId, file, mine.signal))), Promise.resolve());
}

async function examine(jobId: string, file: File, stop: AbortSignal): Promise<void> {
  try {
    const uploadId = await api.upload(jobId, file, () => undefined, stop);
    update(file, { uploadId });
    const task = await untilDone(jobId, await api.examineUpload(uploadId), () => undefined);
    if (task?.result) update(file, { examined: task.result as unknown as Examined });
  } catch (error) {
    if (!stop.aborted) update(file, { problem: error instanceof Error ? error.message : String(error), taken: false });
  }
}

export const setTaken = (file: File, taken: boolean): void => update(file, { taken });

/** Close the list; what was not taken is not in the job. */
export function closeAudition(): void {
  lot?.abort();
  lot = null;
  useAudition.setState({ jobId: "", files: [] });
}
