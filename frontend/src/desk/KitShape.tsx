import { useState } from "react";
import { useShallow } from "zustand/react/shallow";
import { Button } from "../ui/Button";
import { Num } from "../ui/Num";
import { soften, turnDown, useHits } from "./hits";
import { inHand, speaks, useOpen } from "./state";

/** What drums are shaped by: softened ends, and what is too hot brought down. */
export function KitShape() {
  const ids = useOpen(useShallow(inHand));
  const all = useOpen(useShallow((desk) => Object.values(desk.job.clips).filter(speaks).map((clip) => clip.id)));
  const clips = useOpen(useShallow((desk) => ids.flatMap((id) => desk.job.clips[id] ?? [])));
  const rate = useOpen((desk) => desk.job.sources[clips[0]?.source_id ?? ""]?.rate_hz ?? 48_000);
  const grades = useHits((hits) => hits.limits.softeningsMs);
  const [everything, setEverything] = useState(true);
  const [ceiling, setCeiling] = useState(-1);
  const chosen = everything ? all : ids;
  const fade = clips[0]?.fade_out;
  const softened = fade ? (fade.length_frames / rate) * 1000 : 0;
  return (
    <section className="space-y-3 border-b border-rule pb-3">
      <div role="group" aria-label="how softly ends close" className="space-y-1">
        <p>Soften the ends over, in ms</p>
        <div className="flex gap-1.5">
          {grades.map((grade) => (
            <Button key={grade} className="num flex-1 px-1!" aria-label={`soften the ends over ${grade} ms`} aria-pressed={Math.abs(softened - grade) < 0.1} tone={Math.abs(softened - grade) < 0.1 ? "strong" : "plain"} onClick={() => void soften(chosen, grade)}>
              {grade}
            </Button>
          ))}
          <Button className="flex-1 px-1!" aria-pressed={softened === 0} onClick={() => void soften(chosen, 0)}>
            no
          </Button>
        </div>
      </div>
      <p className="leading-7">
        Bring down what is over <Num label="ceiling" value={ceiling} unit="dB" lowest={-60} highest={0} step={0.5} decimals={1} onChange={setCeiling} />, nothing up.{" "}
        <Button onClick={() => void turnDown(chosen, ceiling)}>Turn down</Button>
      </p>
      <label className="flex items-center gap-2 text-soft">
        <input type="checkbox" className="accent-(--ink)" checked={everything} onChange={(event) => setEverything(event.target.checked)} />
        <span>both for all {all.length} clips, not only those in hand</span>
      </label>
    </section>
  );
}
