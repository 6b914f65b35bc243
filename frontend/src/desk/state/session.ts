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
import { editsDone } from "./queue";
import { useLost } from "../../ui/lost";
import { settleSearch } from "./settle";
import { showAfresh } from "./shown";

onArrival(() => {
  const state = useDesk.getState();
  if (state.id !== null) set({ arrivals: (state as Desk).arrivals + 1 });
});

let unfollow = (): void => undefined;
/** Done when a desk that was left has sent every edit that was still on its way. */
let left: Promise<void> = Promise.resolve();

export async function openDesk(id: string): Promise<void> {
  await left;
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
    unsaved: false,
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

/** Leave the desk. Edits that wait for their turn are made first, on the state that they were asked for: nothing is dropped. */
export function closeDesk(): void {
  player.stop();
  unfollow();
  abortChecks();
  const [waited, name] = [desk().saving > 0, desk().job.name];
  left = editsDone().then(() => {
    const { unsaved, notice } = desk();
    if (waited && unsaved) useLost.setState({ text: `The last edit of “${name}” was not saved: ${notice?.text ?? ""}` });
    useDesk.setState({ id: null }, true);
  });
}

/** Fetch the newest state: after a conflict, or when a recording has come in. */
export async function reload(): Promise<void> {
  if (await fetchNewest()) await Promise.all([settleSearch(), refreshVerdicts()]);
}

/** Fetch the newest state of the job, and nothing that follows from it; false if it was left meanwhile. */
async function fetchNewest(): Promise<boolean> {
  const { id } = desk();
  let asked: number;
  let opened: Awaited<ReturnType<typeof api.openJob>>;
  do {
    asked = desk().revision;
    opened = await api.openJob(id);
    if (useDesk.getState().id !== id) return false;
  } while (desk().revision !== asked); // an edit was answered meanwhile: what came may be older than that
  if (desk().saving > 0) reloadSoon(); // an edit is on its way, made on another state: once it is answered
  else set({ revision: opened.revision, job: opened.job, undoLabel: opened.undo_label, redoLabel: opened.redo_label });
  const first = clipsInOrder(desk().job).find(hasSound);
  if (!currentClip(desk()) && first) selectClip(first.id);
  return true;
}

const RELOAD_EVERY_MS = 700;
/** So much longer than a reload takes is waited until the next, up to two seconds: what comes in needs the server more. */
const RELOAD_RESTS = 4;
const OLDEST_MS = 2_000;
let reloadWanted = false;
let reloading = false;
let following: Promise<unknown> | null = null;

/** Let drafts and verdicts follow the job, one time after the other: they may take longer than the next recording needs. */
function follow(): void {
  following ??= Promise.all([settleSearch(), refreshVerdicts()]).finally(() => (following = null));
}

/** Fetch the newest state, but not for each of hundreds of recordings that come in one after the other. */
export function reloadSoon(): void {
  reloadWanted = true;
  if (reloading) return;
  reloading = true;
  void (async () => {
    while (reloadWanted && useDesk.getState().id !== null) {
      reloadWanted = false;
      const began = performance.now();
      await fetchNewest().then(
        (here) => here && follow(),
        () => (reloadWanted = true), // the server was busy, or away: it is asked again
      );
      const took = performance.now() - began;
      const rest = Math.max(Math.min(Math.max(RELOAD_EVERY_MS, RELOAD_RESTS * took), OLDEST_MS - took), RELOAD_EVERY_MS / 2);
      await new Promise((resume) => setTimeout(resume, rest));
    }
    reloading = false;
    const last = following ?? Promise.resolve();
    await last;
    if (useDesk.getState().id !== null) follow(); // what came in while they were worked out is in them now
  })();
}

