/** A conversation as a whole: its plan and the loudness of its voices, as they are at the newest revision; and its mix. */
import { useQuery } from "@tanstack/react-query";
import { create } from "zustand";
import { api } from "../../api/client";
import type { Mixed, MixSettings, TalkPlan, Voice } from "../../api/types";
import { notify, useOpen } from "./desk";
import { reload } from "./session";
import { follow, stop, workStore } from "./work";

export const useMeasuring = workStore();
export const useAligning = workStore();
export const useMixing = workStore();
/** What the last mixdown came to, and in which job. */
export const useMixed = create<{ readonly jobId: string; readonly mixed: Mixed | null }>(() => ({ jobId: "", mixed: null }));

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
  await follow(useMeasuring, api.measureLoudness);
  return (await api.voices(id, revision)) ?? [];
}

/** Line the lanes up by what they hear of each other; what was measured is told. */
export async function alignLanes(): Promise<void> {
  const task = await follow(useAligning, api.alignLanes);
  if (task === null) return;
  await reload();
  notify(`${(task.result?.["notes"] as string[]).join("; ")}.`);
}

/** How loud voices are along time, by lane, for whoever draws it: while somebody looks at that. */
export const useVoiceCurves = create<{ readonly curves: ReadonlyMap<string, readonly (readonly [number, number])[]> }>(() => ({ curves: new Map() }));

export function showVoices(voices: readonly Voice[]): void {
  useVoiceCurves.setState({ curves: new Map(voices.map((voice) => [voice.lane_id, voice.curve.map(([frame, lufs]) => [Number(frame), Number(lufs)] as const)])) });
}

/** Mix down what sounds; the mix comes as an edit of its own. */
export async function mixDown(settings: MixSettings): Promise<void> {
  useMixed.setState({ mixed: null });
  const task = await follow(useMixing, (id, revision) => api.mix(id, revision, settings));
  if (task === null) return;
  useMixed.setState({ jobId: task.job_id, mixed: task.result as unknown as Mixed });
  await reload();
  notify(`“${settings.name}” lies on a lane of its own; what it was mixed of is muted.`);
}

export const stopMixing = (): Promise<void> => stop(useMixing);
export const stopAligning = (): Promise<void> => stop(useAligning);
