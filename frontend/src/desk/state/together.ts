/** Whether the lanes belong together: then a selection is on all of them, and a split cuts all of them at the cursor. */
import { desk, type Desk, useOpen } from "./desk";
import { keepSetting } from "./settings";

interface Lanes {
  readonly together: boolean;
}

/** As it was set in this job; else as its brief has it: recordings of one conversation are cut together. */
export const areTogether = (state: Desk): boolean => (state.settings["lanes"] as Lanes | undefined)?.together ?? state.brief.lane_a_file;
export const useTogether = (): boolean => useOpen(areTogether);
export const toggleTogether = (): void => keepSetting("lanes", { together: !areTogether(desk()) } satisfies Lanes);
