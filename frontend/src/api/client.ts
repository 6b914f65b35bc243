/** The one place that talks to the server. */
import type {
  Brief, Draft, EditAnswer, Edit, Freed, HandOverHeard, HitDraftAnswer, HitRecipe, LoopFigure, MixSettings, NamesRead, OpenedJob, Overlap, PieceCard, Placed, Preview, Problem, Reach, Recipe, Rehearsal, ReleasePreview, ReleaseRequest, RunSettings, SendRequest, Show, Side, SourceInfo, StartPage, TalkPlan, Task, Treatment, UploadState, ClipVerdicts, Voice,
} from "./types";

export class ServerProblem extends Error {
  constructor(
    readonly status: number,
    readonly problem: Problem,
  ) {
    super(problem.message);
  }

  get isStale(): boolean {
    return this.status === 409;
  }
}

async function send(method: string, path: string, body?: unknown, signal?: AbortSignal): Promise<Response> {
  const init: RequestInit = { method };
  if (signal) init.signal = signal;
  if (body !== undefined) {
    init.body = JSON.stringify(body);
    init.headers = { "Content-Type": "application/json" };
  }
  return checked(await reached(path, init));
}

/** A server that is away is a problem like any other: nothing that was answered is lost. */
async function reached(path: string, init: RequestInit): Promise<Response> {
  try {
    return await fetch(`/api${path}`, init);
  } catch (error) {
    if (error instanceof DOMException && error.name === "AbortError") throw error;
    const message = "Wemble does not answer; start it again, and go on: everything up to the last edit is kept";
    throw new ServerProblem(0, { code: "away", message, details: {} });
  }
}

async function checked(answer: Response): Promise<Response> {
  if (answer.ok) return answer;
  const fallback: Problem = { code: "http", message: `the server answered ${answer.status}`, details: {} };
  throw new ServerProblem(answer.status, await answer.json().catch(() => fallback));
}

async function json<T>(method: string, path: string, body?: unknown, signal?: AbortSignal): Promise<T> {
  return (await send(method, path, body, signal)).json() as Promise<T>;
}

export const api = {
  show: (id: string, revision: number, settings: RunSettings, signal?: AbortSignal) => json<{ show: Show }>("POST", `/jobs/${id}/show/plan`, { revision, settings }, signal).then((answer) => answer.show),
  rehearse: (id: string, revision: number, rehearsal: Rehearsal, settings: RunSettings) => json<{ task_id: string }>("POST", `/jobs/${id}/show/rehearse`, { revision, rehearsal, settings }).then((answer) => answer.task_id),
  shiftPitch: (id: string, revision: number, cue_id: string, voice: number, semitones: number) =>
    json<{ task_id: string }>("POST", `/jobs/${id}/show/shift`, { revision, cue_id, voice, semitones }).then((answer) => answer.task_id),
  pauseAt: (id: string, revision: number, cue_id: string, job_frame: number) =>
    json<{ pause: { first_end: number; second_start: number } }>("POST", `/jobs/${id}/show/pause`, { revision, cue_id, job_frame }).then((answer) => answer.pause),
  async bodyBlock(id: string, revision: number, key: string, block: number): Promise<Float32Array> {
    return new Float32Array(await (await send("GET", `/jobs/${id}/revisions/${revision}/bodies/${key}/${block}`)).arrayBuffer());
  },
  jobs: () => json<StartPage>("GET", "/jobs"),
  renameJob: (id: string, name: string) => json("POST", `/jobs/${id}/rename`, { name }),
  nextJob: (id: string) => json<{ id: string }>("POST", `/jobs/${id}/next`),
  duplicateJob: (id: string) => json<{ id: string }>("POST", `/jobs/${id}/duplicate`),
  removeJob: (id: string) => json("DELETE", `/jobs/${id}`),
  restoreJob: (id: string) => json("POST", `/jobs/${id}/restore`),
  emptyBin: () => json<{ freed: Freed }>("DELETE", "/bin").then((answer) => answer.freed),
  removeDelivery: (taskId: string) => json("DELETE", `/tasks/${taskId}`),
  restoreDelivery: (taskId: string) => json("POST", `/tasks/${taskId}/restore`),
  markOpened: (id: string) => json("POST", `/jobs/${id}/opened`),
  makeJob: (name: string, brief: Brief) => json<{ id: string }>("POST", "/jobs", { name, brief }).then((answer) => answer.id),
  openJob: (id: string) => json<OpenedJob>("GET", `/jobs/${id}`),
  edit: (id: string, base_revision: number, edit: Edit) => json<EditAnswer>("POST", `/jobs/${id}/edits`, { base_revision, edit }),
  reach: (id: string, body: { revision: number; clip_ids: string[]; side: Side; hold: "length" | "inner" }) => json<{ reach: Reach }>("POST", `/jobs/${id}/edges/reach`, body).then((answer) => answer.reach),
  step: (id: string, base_revision: number, direction: "undo" | "redo") =>
    json<EditAnswer>("POST", `/jobs/${id}/${direction}`, { base_revision }),
  proposal: (id: string, revision: number, target_ids: string[]) =>
    json<{ recipe: Recipe; target_ids: string[] }>("POST", `/jobs/${id}/find/proposal`, { revision, target_ids }),
  alignLanes: (id: string, revision: number) => json<{ task_id: string }>("POST", `/jobs/${id}/lanes/align`, { revision }).then((answer) => answer.task_id),
  measureLoudness: (id: string, revision: number) => json<{ task_id: string }>("POST", `/jobs/${id}/lanes/measure`, { revision }).then((answer) => answer.task_id),
  voices: (id: string, revision: number) => json<{ voices: Voice[] | null }>("POST", `/jobs/${id}/lanes/voices`, { revision }).then((answer) => answer.voices),
  talk: (id: string, revision: number, longest_frames: number, part: number) => json<{ plan: TalkPlan }>("POST", `/jobs/${id}/lanes/talk`, { revision, longest_frames, part }).then((answer) => answer.plan),
  mix: (id: string, revision: number, settings: MixSettings) => json<{ task_id: string }>("POST", `/jobs/${id}/lanes/mix`, { revision, settings }).then((answer) => answer.task_id),
  listen: (id: string, revision: number) => json<{ task_id: string }>("POST", `/jobs/${id}/lanes/listen`, { revision }).then((answer) => answer.task_id),
  draft: (id: string, body: { revision: number; target_ids: string[]; recipe: Recipe; close_up_s: number; exact: boolean }, signal: AbortSignal) =>
    json<{ drafts: Draft[] | null }>("POST", `/jobs/${id}/find/draft`, body, signal).then((answer) => answer.drafts),
  search: (id: string, body: { revision: number; target_ids: string[]; recipe: Recipe; treatment: Treatment }) =>
    json<{ task_id: string | null }>("POST", `/jobs/${id}/find/search`, body).then((answer) => answer.task_id),
  apply: (id: string, body: { base_revision: number; target_ids: string[]; recipe: Recipe; treatment: Treatment }) =>
    json<EditAnswer>("POST", `/jobs/${id}/find/apply`, body),
  names: (id: string, revision: number, pattern: string | null) =>
    json<{ names: NamesRead }>("POST", `/jobs/${id}/names/preview`, { revision, pattern }).then((answer) => answer.names),
  draftHits: (id: string, revision: number, target_ids: string[], recipe: HitRecipe | null, signal: AbortSignal) =>
    json<HitDraftAnswer>("POST", `/jobs/${id}/hits/draft`, { revision, target_ids, recipe }, signal),
  applyHits: (id: string, base_revision: number, target_ids: string[], recipe: HitRecipe) =>
    json<EditAnswer>("POST", `/jobs/${id}/hits/apply`, { base_revision, target_ids, recipe }),
  loops: (id: string, revision: number, clip_id: string, near: [number, number] | null) =>
    json<{ loops: LoopFigure[] }>("POST", `/jobs/${id}/loops/candidates`, { revision, clip_id, near }).then((answer) => answer.loops),
  judgeLoop: (id: string, revision: number, clip_id: string, loop: Pick<LoopFigure, "start_frame" | "end_frame" | "crossfade_frames">) =>
    json<{ loops: LoopFigure[] }>("POST", `/jobs/${id}/loops/judge`, { revision, clip_id, ...loop }).then((answer) => answer.loops[0]),
  verdicts: (id: string, revision: number, signal: AbortSignal) =>
    json<{ revision: number; clips: ClipVerdicts[] }>("GET", `/jobs/${id}/revisions/${revision}/verdicts`, undefined, signal),
  overlaps: (id: string, revision: number, clipId: string) => json<{ overlaps: Overlap[] }>("GET", `/jobs/${id}/revisions/${revision}/clips/${clipId}/overlaps`).then((answer) => answer.overlaps),
  source: (id: string) => json<SourceInfo>("GET", `/sources/${id}`),
  keepSetting: (id: string, name: string, value: object) => json("PUT", `/jobs/${id}/settings/${name}`, { value }),
  recipes: () => json<{ recipes: Record<string, Recipe | HitRecipe> }>("GET", "/recipes").then((answer) => answer.recipes),
  saveRecipe: (name: string, recipe: Recipe | HitRecipe) => json("POST", "/recipes", { name, recipe }),
  deleteRecipe: (name: string) => json("POST", "/recipes/delete", { name }),
  task: (jobId: string, taskId: string) => json<{ tasks: Task[] }>("GET", `/jobs/${jobId}/tasks`).then((answer) => answer.tasks.find((task) => task.id === taskId)),
  tasks: (id: string) => json<{ tasks: Task[] }>("GET", `/jobs/${id}/tasks`).then((answer) => answer.tasks),
  cancelTask: (id: string) => json("POST", `/tasks/${id}/cancel`),
  startAgain: (id: string) => json("POST", `/tasks/${id}/again`),
  preview: (id: string, revision: number, request: SendRequest, signal: AbortSignal) =>
    json<{ preview: Preview }>("POST", `/jobs/${id}/send/preview`, { revision, request }, signal).then((answer) => answer.preview),
  map: (id: string, revision: number) => json<{ places: Placed[] }>("GET", `/jobs/${id}/revisions/${revision}/map`).then((answer) => answer.places),
  tryOut: (id: string, revision: number, request: SendRequest) =>
    json<{ task_id: string }>("POST", `/jobs/${id}/send/trial`, { revision, request }).then((answer) => answer.task_id),
  send: (id: string, revision: number, request: SendRequest) =>
    json<{ task_id: string }>("POST", `/jobs/${id}/send`, { revision, request }).then((answer) => answer.task_id),
  release: (id: string, revision: number, request: ReleaseRequest, signal: AbortSignal) =>
    json<{ preview: ReleasePreview }>("POST", `/jobs/${id}/release/preview`, { revision, request }, signal).then((answer) => answer.preview),
  hearTracks: (id: string, base_revision: number) => json<{ task_id: string }>("POST", `/jobs/${id}/release/hear`, { base_revision }).then((answer) => answer.task_id),
  sendRelease: (id: string, revision: number, request: ReleaseRequest) => json<{ task_id: string }>("POST", `/jobs/${id}/release`, { revision, request }).then((answer) => answer.task_id),
  handOver: (id: string, body: { revision: number; first_clip_id: string; second_clip_id: string; around_s: number }) =>
    json<{ heard: HandOverHeard }>("POST", `/jobs/${id}/hand-over`, body).then((answer) => answer.heard),
  pieces: () => json<{ pieces: PieceCard[] }>("GET", "/pieces").then((answer) => answer.pieces),
  keepPiece: (id: string, revision: number, clip_id: string, name: string) => json("POST", `/jobs/${id}/pieces`, { revision, clip_id, name }),
  forgetPiece: (name: string) => json("POST", "/pieces/forget", { name }),
  keepPicture: async (file: Blob) => ((await (await checked(await reached("/pictures", { method: "POST", body: file }))).json()) as { name: string }).name,
  pictureUrl: (name: string) => `/api/pictures/${name}`,
  save: (id: string, base_revision: number) => json<{ task_id: string }>("POST", `/jobs/${id}/save`, { base_revision }).then((answer) => answer.task_id),
  sentFileUrl: (taskId: string, name = "") => `/api/tasks/${taskId}/file?name=${encodeURIComponent(name)}`,

  async picture(jobId: string, revision: number, columns: number): Promise<Uint8Array> {
    return new Uint8Array(await (await send("GET", `/jobs/${jobId}/revisions/${revision}/picture?columns=${columns}`)).arrayBuffer());
  },

  async tile(sourceId: string, framesPerBin: number, index: number): Promise<ArrayBuffer> {
    return (await send("GET", `/sources/${sourceId}/tiles/${framesPerBin}/${index}`)).arrayBuffer();
  },

  async spectralTile(sourceId: string, framesPerColumn: number, index: number): Promise<ArrayBuffer> {
    return (await send("GET", `/sources/${sourceId}/spectra/${framesPerColumn}/${index}`)).arrayBuffer();
  },

  /** The first milliseconds of every clip from a source frame on: lowest and highest of each, in 127ths of its largest. */
  async heads(jobId: string, revision: number, columns: number): Promise<Map<string, { startFrame: number; picture: Int8Array }>> {
    const data = await (await send("GET", `/jobs/${jobId}/revisions/${revision}/heads?columns=${columns}`)).arrayBuffer();
    const bytes = new Uint8Array(data);
    const line = bytes.indexOf(10);
    const begins = JSON.parse(new TextDecoder().decode(bytes.subarray(0, line))) as [string, number][];
    return new Map(begins.map(([id, startFrame], n) => [id, { startFrame, picture: new Int8Array(data, line + 1 + n * columns * 2, columns * 2) }]));
  },

  /** Rendered sound, as it is or, before it is done, as it would be after an edit. */
  async audio(jobId: string, revision: number, start: number, frames: number, heard: string, tried: Edit | null = null, handOver: readonly [string, string] | null = null): Promise<{ channels: number; samples: Float32Array }> {
    const answer = await send("GET", `/jobs/${jobId}/revisions/${revision}/audio?start=${start}&frames=${frames}&heard=${heard}${tried ? `&edit=${encodeURIComponent(JSON.stringify(tried))}` : ""}${handOver ? `&hand_over=${handOver.join(",")}` : ""}`);
    return { channels: Number(answer.headers.get("X-Wemble-Channels")), samples: new Float32Array(await answer.arrayBuffer()) };
  },

  /** Upload a file in parts, and return the upload; a part that fails is asked for again from where the server stands. */
  async upload(jobId: string, file: File, onProgress: (part: number) => void, stop: AbortSignal): Promise<string> {
    const upload = await json<UploadState>("POST", `/jobs/${jobId}/uploads`, { name: file.name, size_bytes: file.size });
    let offset = 0;
    let failures = 0;
    while (offset < file.size) {
      try {
        offset = await sendPart(upload.id, file.slice(offset, offset + upload.part_bytes), offset, stop);
        failures = 0;
      } catch (error) {
        failures += 1;
        if (stop.aborted || failures > 5 || (error instanceof ServerProblem && error.status >= 400)) throw error;
        await new Promise((resume) => setTimeout(resume, 500 * failures));
        offset = (await json<UploadState>("GET", `/uploads/${upload.id}/state`)).received_bytes;
      }
      onProgress(offset / file.size);
    }
    return upload.id;
  },

  examineUpload: (uploadId: string) => json<{ task_id: string }>("POST", `/uploads/${uploadId}/examine`).then((answer) => answer.task_id),
  /** Import a file that was uploaded, and return the task. */
  finishUpload: (uploadId: string) => json<{ task_id: string }>("POST", `/uploads/${uploadId}/finish`).then((answer) => answer.task_id),
};

async function sendPart(uploadId: string, part: Blob, offset: number, signal: AbortSignal): Promise<number> {
  const answer = await reached(`/uploads/${uploadId}`, { method: "PATCH", body: part, signal, headers: { "Upload-Offset": String(offset) } });
  return Number((await checked(answer)).headers.get("Upload-Offset"));
}

/** A light desk on this machine, by the open protocol of docs/formats.md: it is told what happens, and needs no Wemble server. */
export const lightDesk = {
  /** Send an event; false if nobody took it. */
  async send(address: string, event: LightEvent): Promise<boolean> {
    const init: RequestInit = { method: "POST", body: JSON.stringify(event), headers: { "Content-Type": "application/json" }, keepalive: true };
    return fetch(`http://${address}/events`, init).then(({ ok }) => ok, () => false);
  },
  /** Whether one answers there. */
  answers: (address: string): Promise<boolean> => fetch(`http://${address}/events`).then(({ ok }) => ok, () => false),
};

export interface LightEvent {
  readonly show: string;
  readonly cue: string;
  readonly event: string;
  readonly does: string;
  /** Seconds since the show began. */
  readonly at_s: number;
}
