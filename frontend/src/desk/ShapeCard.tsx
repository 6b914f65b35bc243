import type { Shape } from "../api/types";
import { Button } from "../ui/Button";
import { Num } from "../ui/Num";
import { applyRecipe, clipInHand, edit, setRecipe, useOpen } from "./state";

/** Step 2: the fades that edges get by themselves, and the clip in hand. */
export function ShapeCard() {
  const recipe = useOpen((desk) => desk.recipe);
  const drafted = useOpen((desk) => desk.drafted);
  const busy = useOpen((desk) => desk.busy);
  if (!recipe) return <p className="p-4 text-soft">Bring a recording in first.</p>;
  return (
    <div className="flex h-full flex-col">
      <div className="min-h-0 flex-1 space-y-3 overflow-auto p-4">
        <h2 className="text-base font-bold">Shape the edges</h2>
        <p className="text-base leading-8">
          New edges fade by themselves over <Num label="automatic fade" value={recipe.fade_ms} unit="ms" lowest={0} highest={60_000} step={1} onChange={(ms) => setRecipe({ fade_ms: ms })} /> along{" "}
          <select
            aria-label="shape of automatic fades"
            className="rounded-(--radius) border border-rule bg-sheet px-1 text-sm"
            value={recipe.fade_shape}
            onChange={(event) => setRecipe({ fade_shape: event.target.value as Shape })}
          >
            <option value="s">an S</option>
            <option value="equal_power">equal power</option>
            <option value="linear">a line</option>
            <option value="logarithmic">a logarithm</option>
          </select>
          , longer where that still clicks, shorter where the sound is near.
        </p>
        <p className="text-soft">With 0 ms there are none. A fade of your own is never replaced.</p>
        <FadeCounts />
        <InHand />
      </div>
      <div className="border-t border-rule p-4">
        <Button tone="strong" className="w-full py-1.5" disabled={!drafted || busy !== null} onClick={() => void applyRecipe()}>
          {busy ? "shaping …" : drafted ? "Apply" : "Applied"}
        </Button>
      </div>
    </div>
  );
}

function FadeCounts() {
  const job = useOpen((desk) => desk.job);
  const fades = Object.values(job.clips).flatMap((clip) => [clip.fade_in, clip.fade_out]);
  const own = fades.filter((fade) => fade?.made === "own").length;
  const auto = fades.filter((fade) => fade?.made === "auto").length;
  const joins = Object.keys(job.joins).length;
  return (
    <p className="border-t border-rule pt-3">
      <span className="num">{auto}</span> automatic fades, <span className="num">{own}</span> of your own, <span className="num">{joins}</span> joins.
    </p>
  );
}

function InHand() {
  const clip = useOpen(clipInHand);
  if (!clip) return null;
  return (
    <section className="space-y-2 border-t border-rule pt-3">
      <h3 className="font-bold">
        <bdi>{clip.name}</bdi>
      </h3>
      <p>
        Gain{" "}
        <Num label="gain of the clip" value={clip.gain_db} unit="dB" lowest={-120} highest={40} step={0.5} decimals={1} onChange={(gain_db) => void edit({ kind: "set_gain", clip_id: clip.id, gain_db })} />
      </p>
      <p className="text-soft">In the lenses: drag an edge, or the ring at the inner end of its fade. Wheel zooms, Shift and wheel scrolls, Ctrl and wheel looks closer at the level.</p>
      <Button onClick={() => void edit({ kind: "remove_clips", clip_ids: [clip.id] })}>Remove this clip</Button>
    </section>
  );
}
