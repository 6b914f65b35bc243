/** The walk: from edge to edge, the doubtful first or in time order, each heard, then accepted or sent back. */
import type { ClipVerdicts, Side } from "../../api/types";
import { gravest } from "../model/verdicts";

export type WalkOrder = "doubtful" | "time";

/** Which edges a walk is about. */
export type WalkOf = "all" | "doubtful" | "undecided" | "selected" | "lane";
export const WALKS: readonly (readonly [WalkOf, string])[] = [["all", "all edges"], ["doubtful", "the doubtful"], ["undecided", "those not walked yet"], ["selected", "the selected clips"], ["lane", "this lane"]];

export interface WalkEdge {
  readonly clipId: string;
  readonly side: Side;
  readonly decision: "accepted" | "sent_back" | null;
}

/** Every edge that a walk is about, in its order. Rows come in time order; `chosen` are the clips of the selection or of the lane. */
export function edgesToWalk(rows: Iterable<ClipVerdicts>, order: WalkOrder, of: WalkOf = "all", chosen: ReadonlySet<string> = new Set()): WalkEdge[] {
  const about = (row: ClipVerdicts) => (of !== "selected" && of !== "lane") || chosen.has(row.clip_id);
  const edges = [...rows].filter(about).flatMap((row) =>
    (["head", "tail"] as const).flatMap((side) => {
      const verdicts = row.verdicts.filter((verdict) => verdict.side === side);
      const decision = (side === "head" ? row.head_decision : row.tail_decision) ?? null;
      const left = (of === "doubtful" && verdicts.every(({ state }) => state === "fine")) || (of === "undecided" && decision !== null);
      return verdicts.length && !left ? [{ edge: { clipId: row.clip_id, side, decision }, gravity: gravest(verdicts) }] : [];
    }),
  );
  if (order === "doubtful") edges.sort((a, b) => b.gravity - a.gravity);
  return edges.map(({ edge }) => edge);
}

/** The next edge without a decision, after the current one and then from the beginning; null when all are decided. */
export function nextUndecided(edges: readonly WalkEdge[], clipId: string | null, side: Side): WalkEdge | null {
  const at = edges.findIndex((edge) => edge.clipId === clipId && edge.side === side);
  return [...edges.slice(at + 1), ...edges.slice(0, Math.max(at, 0))].find((edge) => edge.decision === null) ?? null;
}
