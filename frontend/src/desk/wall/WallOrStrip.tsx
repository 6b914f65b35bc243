import { useState, type ReactNode } from "react";
import { Button } from "../../ui/Button";
import { useOpen } from "../state/desk";
import { useHits } from "../state/hitSearch";
import { HeadWall } from "./HeadWall";

/** The head wall, until the strip is asked for; the strip while a take is still to be cut, or sound is searched for. */
export function WallOrStrip({ strip }: { readonly strip: ReactNode }) {
  const hits = useOpen((desk) => desk.findBy === "hits");
  const uncut = useOpen((desk) => Object.values(desk.job.clips).every((clip) => clip.finding_id === null && clip.head_frame === 0 && clip.tail_frame === desk.job.sources[clip.source_id]?.frames));
  const single = useOpen((desk) => Object.keys(desk.job.clips).length === 1);
  const takes = useHits((state) => state.recipe?.many ?? false);
  const [asksForStrip, setAsksForStrip] = useState(false);
  if (!hits || (uncut && (takes || single))) return strip;
  if (!asksForStrip) return <HeadWall onStrip={() => setAsksForStrip(true)} />;
  return (
    <div className="relative h-full">
      {strip}
      <Button className="absolute top-8 right-2 z-10 text-xs" onClick={() => setAsksForStrip(false)}>
        heads
      </Button>
    </div>
  );
}
