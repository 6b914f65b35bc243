/** A conversation as a whole: its plan and the loudness of its voices, as they are at the newest revision; and its mix. */
import { useQuery } from "@tanstack/react-query";
import { create } from "zustand";
import { api } from "../../api/client";
import { untilDone } from "../../api/tasks";
import type { Mixed, MixSettings, TalkPlan, Voice } from "../../api/types";
import { desk, fail, set, useDesk, useOpen } from "./desk";
import { reload } from "./session";

interface Work {
  /** The task under way, and how far it is. */
  readonly taskId: string | null;
  readonly part: number;
}

const IDLE: Work = { taskId: null, part: 0 };
export const useMeasuring = create<Work>(() => IDLE);
export const useMixing = create<Work & { readonly mixed: Mixed | null }>(() => ({ ...IDLE, mixed: null }));

/** What closing gaps to a longest would come to, and where the talk begins and ends. */
export function useTalkPlan(longestS: number, part: number): TalkPlan | undefined {
  const { id, revision, rate } = useTalk();
  const frames = Math.round(longestS * rate);
  return useQuery({ queryKey: ["talk", id, revision, frames, part], queryFn: () => api.talk(id, revision, frames, part), placeholderData: (before) => before }).data;
}

const useTalk = () => ({ id: useOpen((state) => state.id), revision: useOpen((state) => state.revision), rate: useOpen((state) => state.job.rate_hz) });

/** How loud what is said on each lane is; recordings that have not been measured are. */
export function useVoices(): readonly Voice[] | undefined {
  const { id, revision } = useTalk();
  return useQuery({ queryKey: ["voices", id, revision], queryFn: () => voicesMeasured(id, revision), retry: false, placeholderData: (before) => before }).data;
}

async function voicesMeasured(id: string, revision: number): Promise<Voice[]> {
  const known = await api.voices(id, revision);
  if (known) return known;
  const taskId = await api.measureLoudness(id, revision);
  useMeasuring.setState({ taskId, part: 0 });
  try {
    await untilDone(id, taskId, (part) => useMeasuring.setState({ part }));
  } finally {
    useMeasuring.setState(IDLE);
  }
  return (await api.voices(id, revision)) ?? [];
}

export const useAligning = create<Work>(() => IDLE);

/** Line the lanes up by what they hear of each other; what was measured is told. */
export async function alignLanes(): Promise<void> {
  const { id, revision } = desk();
  if (useAligning.getState().taskId !== null) return;
  try {
    const taskId = await api.alignLanes(id, revision);
    useAligning.setState({ taskId, part: 0 });
    const task = await untilDone(id, taskId, (part) => useAligning.setState({ part }));
    if (task === null || useDesk.getState().id !== id) return;
    await reload();
    set({ notice: { tone: "told", text: `${(task.result?.["notes"] as string[]).join("; ")}.` } });
  } catch (error) {
    fail(error);
  } finally {
    useAligning.setState(IDLE);
  }
}

/** How loud voices are along time, by lane, for whoever draws it: while somebody looks at that. */
export const useVoiceCurves = create<{ readonly curves: ReadonlyMap<string, readonly (readonly [number, number])[]> }>(() => ({ curves: new Map() }));

export function showVoices(voices: readonly Voice[]): void {
  useVoiceCurves.setState({ curves: new Map(voices.map((voice) => [voice.lane_id, voice.curve.map(([frame, lufs]) => [Number(frame), Number(lufs)] as const)])) });
}

/** Mix down what sounds; the mix comes as an edit of its own. */
export async function mixDown(settings: MixSettings): Promise<void> {
  const { id, revision } = desk();
  if (useMixing.getState().taskId !== null) return;
  try {
    const taskId = await api.mix(id, revision, settings);
    useMixing.setState({ taskId, part: 0, mixed: null });
    const task = await untilDone(id, taskId, (part) => useMixing.setState({ part }));
    if (task === null || useDesk.getState().id !== id) return;
    useMixing.setState({ mixed: task.result as unknown as Mixed });
    await reload();
    set({ notice: { tone: "told", text: `“${settings.name}” lies on a lane of its own; what it was mixed of is muted.` } });
  } catch (error) {
    fail(error);
  } finally {
    useMixing.setState(IDLE);
  }
}

export async function stopMixing(): Promise<void> {
  const { taskId } = useMixing.getState();
  if (taskId) await api.cancelTask(taskId).catch(fail);
}
