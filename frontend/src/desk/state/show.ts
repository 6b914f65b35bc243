/** A show on the desk: which cues are chosen, what is done to them, what will go wrong. */
import { keepPreviousData, useQuery } from "@tanstack/react-query";
import { create } from "zustand";
import { api } from "../../api/client";
import type { Cue, CueKind, CueVoice, RunSettings, Show } from "../../api/types";
import { USUAL_RUN } from "../../api/usual";
import { cueOfClip, inRunningOrder, movedBy } from "../model/cues";
import { endOf, startOf } from "../model/placement";
import { desk, type Desk, fail, hereFrame, notify, set, useOpen } from "./desk";
import { edit } from "./edits";
import { play } from "./listening";
import { selectClip, type Taking } from "./selection";
import { reload } from "./session";
import { useSetting } from "./settings";
import { follow, stop, workStore } from "./work";

interface Chosen {
  /** The chosen cues, the one in hand last. */
  readonly ids: readonly string[];
}

export const useChosen = create<Chosen>(() => ({ ids: [] }));
export const useShifting = workStore();

export const useRunSettings = (): [RunSettings, (part: Partial<RunSettings>) => void] => {
  const [settings, keep] = useSetting("run", USUAL_RUN);
  return [settings, (part) => keep({ ...settings, ...part })];
};

/** The cue in hand: the one chosen last, else that of the clip in the lenses. */
export function cueInHand(state: Desk, chosen: readonly string[]): Cue | undefined {
  const last = chosen.findLast((id) => state.job.cues[id]);
  const cue = last === undefined ? undefined : state.job.cues[last];
  const ofClip = cueOfClip(state.job, state.clipId);
  return cue && (cue.kind !== "sound" || cue.clip_id === state.clipId || !ofClip) ? cue : ofClip;
}

export function useCue(): Cue | undefined {
  const chosen = useChosen((state) => state.ids);
  return useOpen((state) => cueInHand(state, chosen));
}

export const chosenIds = (): string[] => {
  const { job } = desk();
  const ids = useChosen.getState().ids.filter((id) => job.cues[id]);
  const hand = cueInHand(desk(), ids)?.id;
  return hand !== undefined && !ids.includes(hand) ? [hand] : ids;
};

/** Choose a cue; a sound comes into the lenses. */
export function chooseCue(id: string, how: Taking = "only"): void {
  const order = inRunningOrder(desk().job).map((cue) => cue.id);
  const before = useChosen.getState().ids;
  const from = order.indexOf(before[0] ?? id);
  const to = order.indexOf(id);
  const through = order.slice(Math.min(from, to), Math.max(from, to) + 1);
  const ids = how === "add" ? [...before.filter((one) => one !== id), ...(before.includes(id) ? [] : [id])] : how === "through" && from >= 0 ? [...(from <= to ? through : through.reverse())] : [id];
  useChosen.setState({ ids });
  const clipId = desk().job.cues[id]?.clip_id;
  if (clipId) selectClip(clipId);
}

/** What will go wrong, and the plan, at the newest revision. */
export function useShow(): Show | undefined {
  const id = useOpen((state) => state.id);
  const revision = useOpen((state) => state.revision);
  const [settings] = useRunSettings();
  return useQuery({ queryKey: ["show", id, revision, settings], queryFn: ({ signal }) => api.show(id, revision, settings, signal), retry: false, placeholderData: keepPreviousData }).data;
}

export function addCue(what: CueKind): void {
  const after = chosenIds().at(-1) ?? null;
  const hand = cueInHand(desk(), chosenIds());
  const target_id = what === "fade" && hand?.kind === "sound" ? hand.id : "";
  const name = target_id && hand ? `${hand.name} out` : "";
  const known = new Set(Object.keys(desk().job.cues));
  void edit({ kind: "add_cue", what, after_id: after, name, clip_id: null, target_id }).then(() => {
    const made = Object.keys(desk().job.cues).find((id) => !known.has(id));
    if (made !== undefined) useChosen.setState({ ids: [made] });
  });
}

/** Make cues of the clips that are none yet. */
export const makeCues = (): void => void edit({ kind: "cues_of_clips", clip_ids: Object.values(desk().job.clips).sort((a, b) => startOf(desk().job, a) - startOf(desk().job, b)).map(({ id }) => id) });

/** Move the chosen cues one place up or down. */
export function moveCues(direction: 1 | -1): void {
  const ids = new Set(chosenIds());
  const before = movedBy(inRunningOrder(desk().job), ids, direction);
  if (before !== undefined) moveCuesTo([...ids], before);
}
export const moveCuesTo = (ids: readonly string[], before_id: string | null): void => void edit({ kind: "move_cues", cue_ids: [...ids], before_id });

/** Removing takes a deliberate act: it is asked first, and can be undone. */
export function removeCues(): void {
  const ids = chosenIds();
  const names = ids.flatMap((id) => desk().job.cues[id]?.name ?? []);
  if (names.length === 0) return notify("No cue is chosen.");
  const what = names.length === 1 ? `“${names[0] ?? ""}”` : `${names.length} cues`;
  const remove = async () => {
    set({ notice: null });
    await edit({ kind: "remove_cues", cue_ids: ids });
    useChosen.setState({ ids: [] });
  };
  set({ notice: { tone: "wrong", text: `Take ${what} out of the running order?`, offers: [{ name: "keep", run: () => set({ notice: null }) }, { name: "remove", run: remove }] } });
}

/** Split the cue in hand at the pause under the cursor; where events lie on the boundary, it is asked which part they go to. */
export async function splitAtPause(): Promise<void> {
  const state = desk();
  const cue = cueInHand(state, chosenIds());
  if (!cue?.clip_id) return notify("Choose the sound to split, and put the cursor into a pause of it.");
  try {
    const { first_end, second_start } = await api.pauseAt(state.id, state.revision, cue.id, hereFrame());
    await edit({ kind: "split_cue", cue_id: cue.id, first_end, second_start, boundary: "ask" });
  } catch (error) {
    fail(error);
  }
}

export const fadeUp = (cue: Cue, seconds: number): void => void edit({ kind: "fade_up", cue_id: cue.id, length_frames: Math.round(seconds * desk().job.rate_hz) });

export const setVoices = (cue: Cue, voices: readonly CueVoice[]): void => void edit({ kind: "set_voices", cue_id: cue.id, voices: [...voices] });

/** An event at the cursor, in the cue that is there. */
export function addEvent(): void {
  const state = desk();
  const cue = cueInHand(state, chosenIds());
  const clip = cue?.clip_id ? state.job.clips[cue.clip_id] : undefined;
  if (!cue || !clip) return notify("Choose a sound first: an event belongs to a moment of it.");
  const at = Math.min(Math.max(hereFrame(), startOf(state.job, clip)), endOf(state.job, clip));
  void edit({ kind: "event_at", cue_id: cue.id, job_frame: at, name: "", does: "" });
}

/** The section that is looped: the selection, in time since the cue's start. */
export function loopSelection(): void {
  const { job, selection } = desk();
  const cue = cueInHand(desk(), chosenIds());
  const clip = cue?.clip_id ? job.clips[cue.clip_id] : undefined;
  if (!cue || !clip) return notify("Choose a sound first.");
  if (!selection) return notify("Select the section to loop in the strip first.");
  const from = startOf(job, clip);
  void edit({ kind: "loop_of_cue", cue_id: cue.id, start_frame: selection.start - from, end_frame: selection.end - from, passes: cue.passes === 1 ? 0 : cue.passes, crossfade_frames: null });
}

/** Hear a cue as the lenses' clip plays: from its start. */
export function hearCue(cue: Cue): void {
  const { job } = desk();
  const clip = cue.clip_id ? job.clips[cue.clip_id] : undefined;
  if (clip) play([{ start: startOf(job, clip), end: endOf(job, clip) }]);
}

export async function shiftPitch(cue: Cue, voice: number, semitones: number): Promise<void> {
  if (semitones === 0) return setVoices(cue, cue.voices.map((one, n) => (n === voice ? { ...one, semitones: 0, shifted_source_id: null } : one)));
  const done = await follow(useShifting, (id, revision) => api.shiftPitch(id, revision, cue.id, voice, semitones));
  if (done === null) return;
  await reload();
  notify("The pitch is shifted.");
}
export const stopShifting = (): Promise<void> => stop(useShifting);
