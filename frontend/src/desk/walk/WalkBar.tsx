import { Check, Undo2 } from "lucide-react";
import { useEffect, useMemo, useState } from "react";
import { Button } from "../../ui/Button";
import { edgesToWalk, nextUndecided, type WalkEdge, type WalkOf, type WalkOrder, WALKS } from "./order";
import { keyOf, onCommand } from "../commands/commands";
import { desk, setJoinLens, setWalking, useOpen } from "../state/desk";
import { edit } from "../state/edits";
import { hearEdge, hearJoin } from "../state/listening";
import { selectClip } from "../state/selection";

const newWalk = (): string => `${Date.now().toString(36)} ${Math.random().toString(36).slice(2, 10)}`;

/** The walk: how many edges are left, accept or send back the one in the lens, and on to the next, which is played. */
export function WalkBar() {
  const verdicts = useOpen((desk) => desk.verdicts);
  const clipId = useOpen((desk) => desk.clipId);
  const side = useOpen((desk) => desk.side);
  const [order, setOrder] = useState<WalkOrder>("doubtful");
  const [walk, setWalk] = useState<{ readonly of: WalkOf; readonly clips: ReadonlySet<string>; readonly id: string }>({ of: "all", clips: new Set(), id: newWalk() });
  const edges = useMemo(() => edgesToWalk(verdicts.values(), order, walk.of, walk.clips), [verdicts, order, walk]);
  const left = edges.filter((edge) => edge.decision === null).length;
  const back = edges.filter((edge) => edge.decision === "sent_back").length;
  const here = edges.find((edge) => edge.clipId === clipId && edge.side === side);

  const goTo = (edge: WalkEdge | null) => {
    if (!edge) return;
    selectClip(edge.clipId, edge.side);
    const crossed = edge.side === "tail" && Object.values(desk().job.joins).some((join) => join.left_clip_id === edge.clipId);
    setJoinLens(crossed);
    if (crossed) hearJoin();
    else hearEdge(edge.side);
  };
  const say = (decision: "accepted" | "sent_back" | null) => {
    if (clipId === null) return;
    void edit({ kind: "review_edge", clip_id: clipId, side, decision, walk: walk.id });
    if (decision !== null) goTo(nextUndecided(edges, clipId, side));
  };
  /** A walk of something else begins anew: what is accepted in it is one step of undo. */
  const walkOf = (of: WalkOf) => {
    const { job, selected } = desk();
    const laneId = job.clips[clipId ?? ""]?.lane_id;
    const onLane = Object.values(job.clips).flatMap((clip) => (clip.lane_id === laneId ? [clip.id] : []));
    const clips = of === "lane" ? new Set(onLane) : new Set(selected);
    setWalk({ of, clips, id: newWalk() });
    goTo(nextUndecided(edgesToWalk(verdicts.values(), order, of, clips), null, "head"));
  };
  useEffect(() => {
    const off = [onCommand("accept edge", () => say("accepted")), onCommand("send edge back", () => say("sent_back"))];
    return () => off.forEach((remove) => remove());
  });
  useEffect(() => {
    const first = edgesToWalk(desk().verdicts.values(), "doubtful");
    if (first.some((edge) => edge.decision === null)) goTo(nextUndecided(first, null, "head"));
  }, []);

  return (
    <section aria-label="walk" className="flex h-9 items-center gap-2 border-b border-rule bg-shade px-3">
      <b>Walk</b>
      <span aria-live="polite" className="whitespace-nowrap">
        <span className="num">{left}</span> of <span className="num">{edges.length}</span> edges left
        {back > 0 && (
          <span className="text-warn">
            , <span className="num">{back}</span> sent back
          </span>
        )}
      </span>
      <select aria-label="what is walked" className="w-32 rounded-(--radius) border border-rule bg-sheet px-1" value={walk.of} onChange={(event) => walkOf(event.target.value as WalkOf)}>
        {WALKS.map(([of, name]) => (
          <option key={of} value={of}>{name}</option>
        ))}
      </select>
      <select aria-label="order of the walk" className="rounded-(--radius) border border-rule bg-sheet px-1" value={order} onChange={(event) => setOrder(event.target.value as WalkOrder)}>
        <option value="doubtful">doubtful first</option>
        <option value="time">in time order</option>
      </select>
      <span className="ml-auto text-soft">{here?.decision === "accepted" ? "accepted" : here?.decision === "sent_back" ? "sent back" : ""}</span>
      {here?.decision != null && (
        <Button tone="quiet" onClick={() => say(null)}>
          undo decision
        </Button>
      )}
      <Button tone="strong" disabled={!here} onClick={() => say("accepted")}>
        <Check size={14} aria-hidden /> accept <kbd className="num">{keyOf("accept edge")}</kbd>
      </Button>
      <Button disabled={!here} onClick={() => say("sent_back")}>
        <Undo2 size={14} aria-hidden /> send back <kbd className="num">{keyOf("send edge back")}</kbd>
      </Button>
      <Button tone="quiet" onClick={() => setWalking(false)}>
        end walk
      </Button>
    </section>
  );
}
