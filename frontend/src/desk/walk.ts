/** The walk: from edge to edge, the doubtful first or in time order, each heard, then accepted or sent back. */
import type { ClipVerdicts, Side, Verdict } from "../api/types";

export type WalkOrder = "doubtful" | "time";

export interface WalkEdge {
  readonly clipId: string;
  readonly side: Side;
  readonly said: "accepted" | "sent_back" | null;
}

const GRAVITY = { fine: 0, look: 1, fail: 2 } as const;
const worst = (verdicts: readonly Verdict[]): number => Math.max(0, ...verdicts.map((verdict) => GRAVITY[verdict.state]));

/** Every edge that was made, in the order of the walk. Rows come in time order. */
export function edgesToWalk(rows: Iterable<ClipVerdicts>, order: WalkOrder): WalkEdge[] {
  const edges = [...rows].flatMap((row) =>
    (["head", "tail"] as const).flatMap((side) => {
      const verdicts = row.verdicts.filter((verdict) => verdict.side === side);
      const said = (side === "head" ? row.head_said : row.tail_said) ?? null;
      return verdicts.length ? [{ edge: { clipId: row.clip_id, side, said }, gravity: worst(verdicts) }] : [];
    }),
  );
  if (order === "doubtful") edges.sort((a, b) => b.gravity - a.gravity);
  return edges.map(({ edge }) => edge);
}

/** The next edge nobody has spoken of, after the one in hand and then from the beginning; null when all is said. */
export function nextUnsaid(edges: readonly WalkEdge[], clipId: string | null, side: Side): WalkEdge | null {
  const at = edges.findIndex((edge) => edge.clipId === clipId && edge.side === side);
  return [...edges.slice(at + 1), ...edges.slice(0, Math.max(at, 0))].find((edge) => edge.said === null) ?? null;
}
