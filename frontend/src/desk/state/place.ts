/** Where a page stands in a job, kept for as long as its tab: a reload returns to the step, the clip, the cursor and the zoom. */
import type { Viewport } from "../../wave/geometry";
import { useDesk, type Desk } from "./desk";

const KEPT = ["step", "clipId", "side", "cursorFrame", "selection", "timeStyle", "spectral", "levelZoom", "joinLens", "aroundS", "hold", "snaps"] as const;
type Kept = Pick<Desk, (typeof KEPT)[number]> & { readonly selectedIds: readonly string[] };

const keyOf = (id: string, what: string): string => `wemble.${what}.${id}`;

/** Follow the desk from now on, and return how to stop. */
export function keepPlace(id: string): () => void {
  let later: ReturnType<typeof setTimeout> | undefined;
  return useDesk.subscribe((state, before) => {
    if (state.id !== id || (before.id !== null && KEPT.every((name) => (state as Desk)[name] === (before as Desk)[name]))) return;
    clearTimeout(later);
    later = setTimeout(() => write(keyOf(id, "place"), kept(state as Desk)), 200);
  });
}

function kept(state: Desk): Kept {
  const place = Object.fromEntries(KEPT.map((name) => [name, state[name]])) as unknown as Omit<Kept, "selectedIds">;
  return { ...place, selectedIds: [...state.selected] };
}

/** What this tab kept of a job, as far as the job still has it. */
export function keptPlace(id: string, clipIds: ReadonlySet<string>): Partial<Desk> {
  const place = read<Kept>(keyOf(id, "place"));
  if (!place) return {};
  const { selectedIds, ...rest } = place;
  const selected = selectedIds.filter((one) => clipIds.has(one));
  const clipId = place.clipId !== null && clipIds.has(place.clipId) ? place.clipId : null;
  return clipId === null ? { ...rest, clipId: null, selected: new Set() } : { ...rest, clipId, selected: new Set([...selected, clipId]) };
}

export const keepStripView = (id: string, view: Viewport): void => write(keyOf(id, "view"), view);
export const keptStripView = (id: string): Viewport | null => read<Viewport>(keyOf(id, "view"));

function write(key: string, value: unknown): void {
  try {
    sessionStorage.setItem(key, JSON.stringify(value));
  } catch {
    // A full or forbidden storage costs the place, and nothing else.
  }
}

function read<T>(key: string): T | null {
  try {
    return JSON.parse(sessionStorage.getItem(key) ?? "null") as T | null;
  } catch {
    return null;
  }
}
