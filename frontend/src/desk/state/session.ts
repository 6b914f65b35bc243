/** Opening a job on the desk, closing it, and fetching its newest state. */
import { api } from "../../api/client";
import type { BriefRecord, Job } from "../../api/types";
import { clipsInOrder, hasSound } from "../model/placement";
import { isSoundRecipe } from "../model/recipes";
import { abortChecks, refreshVerdicts } from "./checks";
import { currentClip, desk, type Desk, type FindBy, player, set, useDesk } from "./desk";
import { firstPicture, onArrival } from "./pictures";
import { keepPlace, keptPlace } from "./place";
import { selectClip } from "./selection";
import { settleSearch } from "./settle";
import { showAfresh } from "./shown";

onArrival(() => {
  const state = useDesk.getState();
  if (state.id !== null) set({ arrivals: (state as Desk).arrivals + 1 });
});

let unfollow = (): void => undefined;

export async function openDesk(id: string): Promise<void> {
  const opened = await api.openJob(id);
  useDesk.setState({
    id,
    revision: opened.revision,
    job: opened.job,
    brief: opened.brief,
    settings: opened.settings,
    undoLabel: opened.undo_label,
    redoLabel: opened.redo_label,
    saving: 0,
    step: "find",
    clipId: null,
    selected: new Set(),
    side: "head",
    hold: "length",
    snaps: false,
    aroundS: 1,
    walking: false,
    joinLens: false,
    spectral: false,
    hearing: "result",
    revisionBefore: null,
    selection: null,
    clipboard: null,
    cursorFrame: 0,
    shownPlace: null,
    playing: false,
    loops: false,
    findBy: searchedBy(opened.job, opened.brief),
    scope: "all",
    targets: [],
    recipe: null,
    treatment: { kind: "cut", amount: 0 },
    drafts: null,
    drafted: false,
    verdicts: new Map(),
    verdictsAt: -1,
    notice: null,
    busy: null,
    timeStyle: "clock",
    levelZoom: null,
    autoLevelZoom: opened.brief.level_zoom,
    arrivals: 0,
    ...keptPlace(id, new Set(Object.keys(opened.job.clips))),
  } satisfies Desk);
  showAfresh();
  unfollow = keepPlace(id);
  void api.markOpened(id).catch(() => undefined); // the order of the start page is not worth a message
  const first = clipsInOrder(opened.job).find(hasSound);
  if (first && !currentClip(desk())) selectClip(first.id);
  await firstPicture(opened.job);
  if (useDesk.getState().id === id) await Promise.all([settleSearch(), refreshVerdicts()]);
}

/** What the step Find looked for last; before anything was found, what the brief looks for. */
function searchedBy(job: Job, brief: BriefRecord): FindBy {
  const last = Object.values(job.findings).at(-1);
  if (!last) return brief.search;
  return isSoundRecipe(last.recipe) ? "sound" : "hits";
}

export function closeDesk(): void {
  player.stop();
  unfollow();
  abortChecks();
  useDesk.setState({ id: null }, true);
}

/** Fetch the newest state: after a conflict, or when a recording has come in. */
export async function reload(): Promise<void> {
  const { id } = desk();
  const opened = await api.openJob(id);
  if (useDesk.getState().id !== id) return; // it was left while the answer was on its way
  set({ revision: opened.revision, job: opened.job, undoLabel: opened.undo_label, redoLabel: opened.redo_label });
  const first = clipsInOrder(opened.job).find(hasSound);
  if (!currentClip(desk()) && first) selectClip(first.id);
  await Promise.all([settleSearch(), refreshVerdicts()]);
}

const RELOAD_EVERY_MS = 700;
/** So much longer than a reload takes is waited until the next: what comes in needs the server more. */
const RELOAD_RESTS = 4;
let reloadWanted = false;
let reloading = false;

/** Fetch the newest state, but not for each of hundreds of recordings that come in one after the other. */
export function reloadSoon(): void {
  reloadWanted = true;
  if (reloading) return;
  reloading = true;
  void (async () => {
    while (reloadWanted && useDesk.getState().id !== null) {
      reloadWanted = false;
      const began = performance.now();
      await reload().catch(() => undefined); // the next recording that comes in asks again
      const rest = Math.max(RELOAD_EVERY_MS, RELOAD_RESTS * (performance.now() - began));
      await new Promise((resume) => setTimeout(resume, rest));
    }
    reloading = false;
  })();
}

