import { useShallow } from "zustand/react/shallow";
import { Button } from "../../../ui/Button";
import { Num } from "../../../ui/Num";
import { hasSound } from "../../model/placement";
import { useOpen } from "../../state/desk";
import { edit } from "../../state/edits";
import { useSetting } from "../../state/settings";
import { useHits } from "../../state/hitSearch";
import { selectedIds } from "../../state/selection";

const INITIAL = { everything: true, ceiling: -1 };

/** Shaping a kit: softened ends, and hot hits turned down. */
export function KitShape() {
  const ids = useOpen(useShallow(selectedIds));
  const all = useOpen(useShallow((desk) => Object.values(desk.job.clips).filter(hasSound).map((clip) => clip.id)));
  const clips = useOpen(useShallow((desk) => ids.flatMap((id) => desk.job.clips[id] ?? [])));
  const rate = useOpen((desk) => desk.job.sources[clips[0]?.source_id ?? ""]?.rate_hz ?? 48_000);
  const grades = useHits((hits) => hits.limits.softeningsMs);
  const [settings, setSettings] = useSetting("kit_shape", INITIAL);
  const { everything, ceiling } = settings;
  const chosen = everything ? all : ids;
  const fade = clips[0]?.fade_out;
  const softened = fade ? (fade.length_frames / rate) * 1000 : 0;
  return (
    <section className="space-y-3 border-b border-rule pb-3">
      <div role="group" aria-label="how softly ends close" className="space-y-1">
        <p>Soften the ends, ms</p>
        <div className="flex gap-1.5">
          {grades.map((grade) => (
            <Button key={grade} className="num flex-1 px-1!" aria-label={`soften the ends over ${grade} ms`} aria-pressed={Math.abs(softened - grade) < 0.1} tone={Math.abs(softened - grade) < 0.1 ? "strong" : "plain"} onClick={() => void edit({ kind: "soften", clip_ids: chosen, milliseconds: grade })}>
              {grade}
            </Button>
          ))}
          <Button className="flex-1 px-1!" aria-pressed={softened === 0} onClick={() => void edit({ kind: "soften", clip_ids: chosen, milliseconds: 0 })}>
            off
          </Button>
        </div>
      </div>
      <p className="leading-7">
        Turn down peaks over <Num label="ceiling" value={ceiling} unit="dB" lowest={-60} highest={0} step={0.5} decimals={1} onChange={(db) => setSettings({ ...settings, ceiling: db })} />; nothing is turned up.{" "}
        <Button onClick={() => void edit({ kind: "turn_down", clip_ids: chosen, ceiling_db: ceiling })}>Turn down</Button>
      </p>
      <p>
        <Button title="a constant that some converters add to a recording; the file that came in stays as it is" onClick={() => void edit({ kind: "take_out_offset", clip_ids: chosen })}>
          Take out the offset
        </Button>
      </p>
      <label className="flex items-center gap-2 text-soft">
        <input type="checkbox" className="accent-(--ink)" checked={everything} onChange={(event) => setSettings({ ...settings, everything: event.target.checked })} />
        <span>for all {all.length} clips, not just the selected ones</span>
      </label>
    </section>
  );
}
