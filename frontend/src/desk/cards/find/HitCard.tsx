import { useQuery } from "@tanstack/react-query";
import { useState } from "react";
import { useShallow } from "zustand/react/shallow";
import { api } from "../../../api/client";
import type { HitDraft } from "../../../api/types";
import { Button } from "../../../ui/Button";
import { Choices } from "../../../ui/Choices";
import { Num } from "../../../ui/Num";
import { FindHead } from "./FindHead";
import { SaveRecipe } from "./Recipes";
import { countToLookAt } from "../../model/verdicts";
import { ScopeChoice } from "./ScopeChoice";
import { useOpen } from "../../state/desk";
import { applyHits, readNames, setHitRecipe, useHits } from "../../state/hitSearch";

/** Step 1, searching for hits: the settings as a sentence, what they find now, and what file names tell. */
export function HitCard() {
  const recipe = useHits((hits) => hits.recipe);
  const drafted = useHits((hits) => hits.drafted);
  const busy = useOpen((desk) => desk.busy);
  if (!recipe) {
    return (
      <div className="space-y-2 p-4">
        <h2 className="text-base font-bold">Find</h2>
        <p className="text-soft">No samples yet. Drop a folder of them anywhere on this page.</p>
      </div>
    );
  }
  return (
    <div className="flex h-full flex-col">
      <div className="min-h-0 flex-1 space-y-3 overflow-auto p-4">
        <FindHead recipe={recipe} onUse={setHitRecipe} />
        {recipe.many ? <TakeSentence /> : <HitSentence />}
        <Choices
          label="what a file holds"
          value={recipe.many ? "many" : "one"}
          choices={[
            { value: "one", label: "each file is one hit" },
            { value: "many", label: "files are takes with many hits" },
          ]}
          onChange={(value) => setHitRecipe({ many: value === "many" })}
        />
        {!recipe.many && <Microphones />}
        <ScopeChoice one="selected files" all="all files" />
        <HitCounts />
        <Names />
      </div>
      <div className="flex gap-2 border-t border-rule p-4">
        <SaveRecipe recipe={recipe} command={recipe.many ? "wemble find hits --recipe" : "wemble kit --recipe"} />
        <Button tone="strong" className="flex-1 py-1.5" disabled={!drafted || busy !== null} onClick={() => void applyHits()}>
          {busy ? "finding …" : drafted ? "Apply" : "Applied"}
        </Button>
      </div>
    </div>
  );
}

function HitSentence() {
  const recipe = useHits((hits) => hits.recipe);
  if (!recipe) return null;
  return (
    <p className="text-base leading-8">
      A sample speaks <Num label="start under the peak" value={recipe.start_under_peak_db} unit="dB" lowest={6} highest={90} step={1} onChange={(start_under_peak_db) => setHitRecipe({ start_under_peak_db })} /> under its peak, within the first{" "}
      <Num label="search limit" value={recipe.within_ms} unit="ms" lowest={1} highest={60_000} step={10} onChange={(within_ms) => setHitRecipe({ within_ms })} />. It ends{" "}
      <Num label="end over the floor" value={recipe.over_floor_db} unit="dB" lowest={0} highest={60} step={0.5} decimals={1} onChange={(over_floor_db) => setHitRecipe({ over_floor_db })} /> above the floor, plus{" "}
      <Num label="room after" value={recipe.keep_ms} unit="ms" lowest={0} highest={10_000} step={5} onChange={(keep_ms) => setHitRecipe({ keep_ms })} />. Start{" "}
      <Num label="start early" value={recipe.before_ms} unit="ms" lowest={0} highest={10_000} step={0.1} decimals={1} onChange={(before_ms) => setHitRecipe({ before_ms })} /> early.
    </p>
  );
}

/** How the microphones of a hit are cut: at one moment, by the first to hear it or by one that is named; or each on its own. */
function Microphones() {
  const recipe = useHits((hits) => hits.recipe);
  const mics = useOpen(useShallow((desk) => [...new Set(Object.values(desk.job.clips).flatMap((clip) => clip.strike?.mic ?? []))].sort()));
  if (!recipe || mics.length < 2) return null;
  const value = !recipe.together ? "apart" : recipe.decided_by || "first";
  return (
    <label className="flex items-center gap-2">
      <span className="text-soft">microphones</span>
      <select
        aria-label="how microphones are cut"
        className="min-w-0 flex-1 rounded-(--radius) border border-rule bg-sheet px-1 py-0.5"
        value={value}
        onChange={({ target }) => setHitRecipe({ together: target.value !== "apart", decided_by: mics.includes(target.value) ? target.value : "" })}
      >
        <option value="first">cut together, the earliest decides</option>
        {mics.map((mic) => (
          <option key={mic} value={mic}>cut together, {mic} decides</option>
        ))}
        <option value="apart">cut separately</option>
      </select>
    </label>
  );
}

function TakeSentence() {
  const recipe = useHits((hits) => hits.recipe);
  if (!recipe) return null;
  return (
    <p className="text-base leading-8">
      A hit lies at most{" "}
      <Num label="softest under the loudest" value={recipe.softest_under_peak_db} unit="dB" lowest={3} highest={48} step={1} onChange={(softest_under_peak_db) => setHitRecipe({ softest_under_peak_db })} /> under the loudest; hits closer than <Num label="shortest gap" value={recipe.shortest_gap_ms} unit="ms" lowest={5} highest={60_000} step={5} onChange={(shortest_gap_ms) => setHitRecipe({ shortest_gap_ms })} /> are one. Each is over{" "}
      <Num label="end over the floor" value={recipe.over_floor_db} unit="dB" lowest={0} highest={60} step={0.5} decimals={1} onChange={(over_floor_db) => setHitRecipe({ over_floor_db })} /> above the floor, or where the next one begins, and keeps{" "}
      <Num label="room after" value={recipe.keep_ms} unit="ms" lowest={0} highest={10_000} step={5} onChange={(keep_ms) => setHitRecipe({ keep_ms })} />. Start{" "}
      <Num label="start early" value={recipe.before_ms} unit="ms" lowest={0} highest={10_000} step={0.1} decimals={1} onChange={(before_ms) => setHitRecipe({ before_ms })} /> early.
    </p>
  );
}

function HitCounts() {
  const draft = useHits((hits) => hits.draft);
  const job = useOpen((desk) => desk.job);
  const many = useHits((hits) => hits.recipe?.many);
  if (!draft) return <p className="text-soft">measuring …</p>;
  if (many) return <TakeCounts draft={draft} />;
  const sets = draft.deciding.filter(Boolean).length;
  const air = draft.target_ids.flatMap((id, n) => {
    const base = job.findings[id] ?? job.clips[id];
    if (draft.confidences[n] === 0) return []; // nothing speaks there
    return base ? (((draft.onsets[n] ?? 0) - base.head_frame) * 1000) / (job.sources[base.source_id]?.rate_hz ?? 48_000) : 0;
  });
  const [low, high] = [Math.min(...air), Math.max(...air)];
  return (
    <p aria-live="polite" className="border-t border-rule pt-3">
      <b>
        <span className="num">{sets}</span> {sets === draft.target_ids.length ? counted(sets, "hit") : counted(sets, "set")}, <span className="num">{draft.target_ids.length}</span> {counted(draft.target_ids.length, "file")}
      </b>
      <ToLookAt draft={draft} />.
      {air.length > 0 && (
        <>
          {" "}
          Air in front{" "}
          <span className="num">
            {low.toFixed(0)}–{high.toFixed(0)} ms
          </span>
          .
        </>
      )}
      {draft.strength_doubts.map((doubt) => (
        <span key={doubt} className="mt-1 block text-warn first-letter:uppercase">
          {doubt}.
        </span>
      ))}
    </p>
  );
}

/** How many to look at: while a draft is shown those of the draft, else the one figure that list and start page have as well. */
function ToLookAt({ draft }: { readonly draft: HitDraft }) {
  const drafted = useHits((hits) => hits.drafted);
  const applied = useOpen((desk) => countToLookAt(desk.verdicts));
  const count = drafted ? draft.doubtful : applied;
  return count > 0 ? <span className="text-warn">, {count} to look at</span> : <>, none doubtful</>;
}

/** How many hits a take has, and why they are not more. */
function TakeCounts({ draft }: { readonly draft: HitDraft }) {
  const recipe = useHits((hits) => hits.recipe);
  const hits = draft.heads.length;
  const takes = new Set(draft.target_ids).size;
  if (hits === 0) return <p className="border-t border-rule pt-3 text-warn">No hit is loud enough to count: let softer ones count.</p>;
  return (
    <p aria-live="polite" className="border-t border-rule pt-3">
      <b>
        <span className="num">{hits}</span> {counted(hits, "hit")}
      </b>
      {takes > 1 && (
        <>
          {" "}
          in <span className="num">{takes}</span> takes
        </>
      )}
      <ToLookAt draft={draft} />.
      {draft.together > 0 && (
        <>
          {" "}
          <span className="num">{draft.together}</span> more {draft.together === 1 ? "begins" : "begin"} within <span className="num">{recipe?.shortest_gap_ms} ms</span> of another and are counted as one.
        </>
      )}
      {draft.too_soft > 0 && (
        <>
          {" "}
          <span className="num">{draft.too_soft}</span> softer {draft.too_soft === 1 ? "rise is" : "rises are"} ignored.
        </>
      )}
    </p>
  );
}

const counted = (count: number, what: string): string => (count === 1 ? what : `${what}s`);

/** What the names of the files say, by a pattern that is proposed and can be corrected. */
function Names() {
  const id = useOpen((desk) => desk.id);
  const revision = useOpen((desk) => desk.revision);
  const named = useOpen((desk) => Object.values(desk.job.clips).filter((clip) => clip.strike !== null).length);
  const files = useOpen((desk) => Object.keys(desk.job.sources).length);
  const [pattern, setPattern] = useState<string | null>(null);
  const asked = useQuery({ queryKey: ["names", id, files, pattern, pattern === null ? revision : 0], queryFn: () => api.names(id, revision, pattern), retry: false });
  const names = asked.data;
  const problem = asked.error instanceof Error ? asked.error.message : null;
  const [first, strike] = names?.examples[0] ?? [];
  return (
    <details open={named === 0} className="border-t border-rule pt-3">
      <summary className="cursor-pointer">
        <b>Names</b> <span className="text-soft">{named ? `${named} read` : "note, strength, microphone and take from file names"}</span>
      </summary>
      <div className="mt-2 space-y-2">
        <input aria-label="pattern of the names" className="num w-full rounded-(--radius) border border-rule bg-sheet px-2 py-1 text-xs" value={pattern ?? names?.pattern ?? ""} onChange={(event) => setPattern(event.target.value)} />
        {problem && <p role="alert" className="text-fail">{problem}</p>}
        {names && (
          <>
            {first && strike && (
              <p className="text-soft">
                <bdi className="text-ink">{first}</bdi> is {[strike.name, strike.note !== null && strike.note !== undefined && `note ${strike.note}`, strike.strength, strike.mic, strike.take !== null && strike.take !== undefined && `take ${strike.take}`].filter(Boolean).join(", ")}
              </p>
            )}
            <Listed what="do not fit the pattern" names={names.grid.unfit} />
            <Listed what="missing from the grid" names={names.grid.missing} />
            <Listed what="names of more than one file; each file is a hit of its own" names={names.grid.twice} />
            <Listed what="further takes, which a map plays in turn" names={names.grid.further_takes} />
            <Button className="w-full" disabled={names.read === 0} onClick={() => void readNames(pattern ?? names.pattern)}>
              Read {names.read} {counted(names.read, "name")} and line up microphones
            </Button>
          </>
        )}
      </div>
    </details>
  );
}

function Listed({ what, names }: { readonly what: string; readonly names: readonly string[] }) {
  if (names.length === 0) return null;
  return (
    <p className="text-warn">
      {names.length} {what}: <i>{names.slice(0, 4).join(", ")}{names.length > 4 && " …"}</i>
    </p>
  );
}
