import { Choices } from "../../../ui/Choices";
import { type Desk, useOpen } from "../../state/desk";
import { setScope } from "../../state/settle";
import { targetOf } from "../../state/soundSearch";

/** What a search is about, by name: the one thing there is, or the selected one or everything. */
export function ScopeChoice({ one, all, named = false }: { readonly one: string; readonly all: string; readonly named?: boolean }) {
  const count = useOpen((desk) => desk.targets.length);
  const scope = useOpen((desk) => desk.scope);
  const only = useOpen((desk) => nameOf(desk, desk.targets[0]));
  const selected = useOpen((desk) => nameOf(desk, targetOf(desk) ?? undefined));
  const label = named ? (selected ?? `${one} that you select`) : one;
  if (count === 1 && only) {
    return (
      <p className="truncate text-soft" title={only}>
        in <bdi className="text-ink">{only}</bdi>
      </p>
    );
  }
  if (count < 2) return null;
  return (
    <Choices
      label="what to search"
      value={selected ? scope : "all"}
      choices={[
        { value: "this", label },
        { value: "all", label: all, figure: count },
      ]}
      onChange={setScope}
    />
  );
}

/** A search's target by its lane and its recording: "Narration, take 2". */
function nameOf({ job }: Desk, target: string | undefined): string | null {
  const base = target === undefined ? undefined : (job.findings[target] ?? job.clips[target]);
  if (!base) return null;
  return [job.lanes[base.lane_id]?.name, job.sources[base.source_id]?.name].filter(Boolean).join(", ");
}
