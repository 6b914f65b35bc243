/** The search for sound and silence: its settings, its draft while they are dragged, and Apply. */
import { api } from "../../api/client";
import type { Recipe, Treatment } from "../../api/types";
import { isSoundRecipe } from "../model/recipes";
import { currentClip, desk, type Desk, fail, set, useDesk } from "./desk";
import { attempt } from "./edits";
import { listenToLanes } from "./lanesHeard";
import { selectReplacement } from "./selection";
import { settlers } from "./settle";
import { follow, stop, workStore } from "./work";

let request: AbortController | null = null;
/** The job in which settings were typed that are not applied yet. */
let typedIn: string | null = null;

export const targetOf = (state: Desk): string | null => {
  const clip = currentClip(state);
  return clip ? (clip.finding_id ?? clip.id) : null;
};

/** What is searched; none stands for all. An edit may have replaced some of those that were named before it. */
export function searchTargets(state: Desk): string[] {
  const target = targetOf(state);
  return state.scope === "this" && target ? [target] : state.targets.filter((one) => one in state.job.findings || one in state.job.clips);
}

export const useSearching = workStore();
export const stopSearching = (): Promise<void> => stop(useSearching);

/** Search what is long in the background, and say whether that went through: Apply then looks it up. */
async function searchedAhead(target_ids: string[], recipe: Recipe, treatment: Treatment): Promise<boolean> {
  try {
    const taskId = await api.search(desk().id, { revision: desk().revision, target_ids, recipe, treatment });
    return taskId === null || (await follow(useSearching, () => Promise.resolve(taskId))) !== null;
  } catch (error) {
    fail(error);
    return false;
  }
}

export async function applyRecipe(): Promise<void> {
  const { recipe, treatment, id } = desk();
  if (!recipe) return;
  const [before, target_ids] = [currentClip(desk()), searchTargets(desk())];
  const isOpen = () => useDesk.getState().id === id; // it takes a while, and the page may be left meanwhile
  set({ busy: "finding" });
  const searched = await searchedAhead(target_ids, recipe, treatment);
  const apply = async () => {
    const answer = await api.apply(id, { base_revision: desk().revision, target_ids, recipe, treatment });
    typedIn = null; // also where it changed nothing
    return answer;
  };
  if (searched && isOpen()) await attempt(apply, applyRecipe);
  if (!isOpen()) return;
  set({ busy: null });
  if (!searched) return;
  selectReplacement(before);
  await settleSoundSearch();
}

/** Take over the settings that were applied last, or ask for a proposal, and draft them. */
async function settleSoundSearch(): Promise<void> {
  const { id, revision, job } = desk();
  if (Object.keys(job.clips).length === 0) {
    set({ targets: [], recipe: null, drafts: null, drafted: false });
    return;
  }
  try {
    const proposal = await api.proposal(id, revision, desk().scope === "this" ? searchTargets(desk()) : []);
    set({ targets: proposal.target_ids });
    const applied = (target: string) => {
      const finding = desk().job.findings[target];
      return finding && isSoundRecipe(finding.recipe) ? { recipe: finding.recipe, treatment: finding.treatment } : undefined;
    };
    const found = searchTargets(desk()).map(applied).find(Boolean);
    // What was typed and not applied yet stays, whatever is searched now: Apply does what is on the card.
    if (typedIn === id && desk().recipe) set({ drafted: true });
    else {
      typedIn = null;
      set({ recipe: proposal.recipe, ...found, drafted: searchTargets(desk()).some((target) => !applied(target)) });
    }
    await refreshDraft();
  } catch (error) {
    fail(error);
  }
}

settlers.set("sound", settleSoundSearch);

export function setRecipe(part: Partial<Recipe>): void {
  const { recipe, id } = desk();
  if (!recipe) return;
  typedIn = id;
  set({ recipe: { ...recipe, ...part }, drafted: true });
  void refreshDraft();
}

export function setTreatment(treatment: Treatment): void {
  typedIn = desk().id;
  set({ treatment, drafted: true });
  void refreshDraft();
}

const REST_MS = 250;

/** Ask for a draft: near enough while numbers are dragged, and once they rest just what Apply does. The newest request wins. */
async function refreshDraft(): Promise<void> {
  const state = desk();
  if (!state.recipe) return;
  request?.abort();
  const mine = new AbortController();
  request = mine;
  const close_up_s = state.treatment.kind === "close_up" ? state.treatment.amount : 0.6;
  const body = { revision: state.revision, target_ids: searchTargets(state), recipe: state.recipe, close_up_s };
  const ask = async (exact: boolean) => {
    try {
      const drafts = await api.draft(state.id, { ...body, exact }, mine.signal);
      if (request === mine) set({ drafts });
      if (request === mine && drafts === null && (await listenToLanes())) await refreshDraft();
    } catch (error) {
      if (!mine.signal.aborted) fail(error);
    }
  };
  await ask(false);
  if (state.treatment.kind !== "close_up") return; // only there the card promises a length
  setTimeout(() => request === mine && useDesk.getState().id === state.id && void ask(true), REST_MS);
}
