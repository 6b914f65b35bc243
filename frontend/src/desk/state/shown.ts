/** What list and wall show, and the order in which it stands there: next, previous and "through" go by what is seen. */
import { create } from "zustand";
import type { Job } from "../../api/types";
import type { WallOrder } from "../model/cells";
import { clipsInOrder, hasSound } from "../model/placement";

interface Shown {
  /** Only what has these words. */
  readonly words: string;
  readonly what: "doubtful" | "all";
  readonly order: WallOrder;
  /** The cells of the wall as they stand, and the clips that were to look at: kept until an order is asked for again. */
  readonly wall: readonly string[];
  readonly doubtful: readonly string[];
}

const NOTHING_HELD = { wall: [], doubtful: [] };
export const useShown = create<Shown>(() => ({ words: "", what: "all", order: "doubt", ...NOTHING_HELD }));

export const showOnly = (words: string): void => useShown.setState({ words });
export const show = (what: "doubtful" | "all"): void => useShown.setState({ what, doubtful: [] });
export const sortWall = (order: WallOrder): void => useShown.setState({ order, wall: [] });
/** Another job has other clips. */
export const showAfresh = (): void => useShown.setState({ words: "", what: "all", ...NOTHING_HELD });

/** Keep the order in which things stand now. */
export function hold(what: "wall" | "doubtful", keys: readonly string[]): void {
  const held = useShown.getState()[what];
  if (held.length !== keys.length || held.some((key, n) => key !== keys[n])) useShown.setState({ [what]: keys });
}

type Groups = readonly (readonly string[])[];
const seen: { wall: Groups | null; list: Groups | null } = { wall: null, list: null };

/** A view says what it shows from top to bottom, the clips of a hit together; nothing when it goes. */
export const nowSeen = (view: "wall" | "list", groups: Groups | null): void => void (seen[view] = groups);

/** What is seen, in its order: the wall where it stands, else the list, else every clip that speaks. */
export function seenGroups(job: Job): string[][] {
  const groups = seen.wall ?? seen.list ?? clipsInOrder(job).filter(hasSound).map(({ id }) => [id]);
  return groups.map((group) => group.filter((id) => job.clips[id])).filter((group) => group.length > 0);
}
