/** How grave a clip's verdicts are: what is to be looked at, and what comes first. */
import type { ClipVerdicts, Verdict } from "../../api/types";

export const isDoubtful = (row: ClipVerdicts | undefined): boolean => (row?.verdicts ?? []).some((verdict) => verdict.state !== "fine");

/** How many clips ask to be looked at: the one figure of list, cards and start page. */
export const countToLookAt = (verdicts: ReadonlyMap<string, ClipVerdicts>): number => [...verdicts.values()].filter(isDoubtful).length;

/** The gravest of what is not fine with some clips; none if all is. */
export function worstOf(ids: readonly string[], verdicts: ReadonlyMap<string, ClipVerdicts>): Verdict | undefined {
  const wrong = ids.flatMap((id) => verdicts.get(id)?.verdicts ?? []).filter((verdict) => verdict.state !== "fine");
  return wrong.find((verdict) => verdict.state === "fail") ?? wrong[0];
}

const GRAVITY = { fine: 0, look: 1, fail: 2 } as const;
export const gravest = (verdicts: readonly Verdict[]): number => Math.max(0, ...verdicts.map((verdict) => GRAVITY[verdict.state]));

/** How grave the worst of a clip is, for sorting: the gravest at the top. */
export const gravity = (row: ClipVerdicts | undefined): number => gravest(row?.verdicts ?? []);
