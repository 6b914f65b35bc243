import { useState } from "react";
import type { Draft, Recipe, Treatment } from "../../../api/types";
import { formatTime } from "../../../time/format";
import { Button } from "../../../ui/Button";
import { Choices } from "../../../ui/Choices";
import { Num } from "../../../ui/Num";
import { Progress } from "../../../ui/Progress";
import { FindHead } from "./FindHead";
import { SaveRecipe } from "./Recipes";
import { ScopeChoice } from "./ScopeChoice";
import { countToLookAt } from "../../model/verdicts";
import { placed } from "../../model/placement";
import { desk, notify, showPlace, useOpen } from "../../state/desk";
import { stopListening, useListening } from "../../state/lanesHeard";
import { applyRecipe, setRecipe, setTreatment, stopSearching, useSearching } from "../../state/soundSearch";

/** Step 1, searching for sound: the settings as a sentence, what becomes of the quiet, and what that does now. */
export function SoundCard() {
  const recipe = useOpen((desk) => desk.recipe);
  const drafted = useOpen((desk) => desk.drafted);
  const busy = useOpen((desk) => desk.busy);
  const drafts = useOpen((desk) => desk.drafts);
  const searching = useSearching();
  if (!recipe) return <Empty />;
  const found = (drafts ?? []).some((draft) => draft.sounds.length > 0);
  return (
    <div className="flex h-full flex-col">
      <div className="min-h-0 flex-1 space-y-3 overflow-auto p-4">
        <FindHead recipe={recipe} onUse={setRecipe} />
        <Sentence recipe={recipe} />
        <ScopeChoice named one="the recording" all="all recordings" />
        <Quiet drafts={drafts} />
        <Counts drafts={drafts} drafted={drafted} />
      </div>
      <div className="border-t border-rule p-4 pt-0">
        {searching.taskId && <div className="pt-3"><Progress name="finding" part={searching.part} onStop={() => void stopSearching()} /></div>}
        <div className="flex gap-2 pt-4">
          <SaveRecipe recipe={recipe} command="wemble clean --recipe" />
          <Button tone="strong" className="flex-1 py-1.5" disabled={!drafted || !found || busy !== null} onClick={() => void applyRecipe()}>
            {busy ? "finding …" : drafted ? "Apply" : "Applied"}
          </Button>
        </div>
      </div>
    </div>
  );
}

function Empty() {
  return (
    <div className="space-y-2 p-4">
      <h2 className="text-base font-bold">Find</h2>
      <p className="text-soft">Nothing to search yet. Drop a recording anywhere on this page.</p>
    </div>
  );
}

const REFERENCES: Record<Recipe["threshold_from"], string> = { full_scale: "full scale", floor: "over the floor", peak: "under the peak", speech: "under the speech" };

type SoundIs = "speech" | "breaths" | "loud" | "programme";

const SOUNDS: Record<SoundIs, { readonly name: string; readonly fields: Pick<Recipe, "reach" | "breaths_are_sound"> }> = {
  speech: { name: "speech only", fields: { reach: "floor", breaths_are_sound: false } },
  breaths: { name: "speech and breaths", fields: { reach: "floor", breaths_are_sound: true } },
  loud: { name: "anything over the threshold", fields: { reach: "threshold", breaths_are_sound: true } },
  programme: { name: "the whole programme", fields: { reach: "programme", breaths_are_sound: true } },
};

/** What there is to keep where nobody speaks. */
const OTHER_SOUNDS: Partial<typeof SOUNDS> = {
  programme: SOUNDS.programme,
  breaths: { ...SOUNDS.breaths, name: "sound and its soft ends" },
  loud: SOUNDS.loud,
};

const soundIs = (recipe: Recipe): SoundIs => (recipe.reach === "programme" ? "programme" : recipe.reach === "threshold" ? "loud" : recipe.breaths_are_sound ? "breaths" : "speech");

function Sentence({ recipe }: { readonly recipe: Recipe }) {
  const drafts = useOpen((desk) => desk.drafts);
  const sounds = useOpen((desk) => desk.brief.material) === "speech" || soundIs(recipe) === "speech" ? SOUNDS : OTHER_SOUNDS;
  const lanes = useOpen((desk) => Object.values(desk.job.lanes).filter((lane) => !lane.role).length);
  const change = (name: keyof Recipe) => (value: number) => setRecipe({ [name]: value });
  /** Count the threshold from something else; it stays where it is. */
  const countFrom = (reference: Recipe["threshold_from"]) => {
    const draft = drafts?.[0];
    if (!draft) return;
    const counted = { full_scale: draft.threshold_db, floor: draft.threshold_db - draft.floor_db, peak: draft.peak_db - draft.threshold_db, speech: draft.speech_db - draft.threshold_db };
    setRecipe({ threshold_from: reference, threshold_db: Math.round(counted[reference] * 10) / 10 });
  };
  return (
    <>
      {recipe.reach === "programme" ? <ProgrammeSentence recipe={recipe} /> : <p className="text-base leading-8">
        Cut where it is quieter than{" "}
        <Num label="threshold" value={recipe.threshold_db} unit="dB" lowest={-120} highest={120} step={0.5} decimals={1} onChange={change("threshold_db")} />{" "}
        <select
          aria-label="what the threshold counts from"
          className="rounded-(--radius) border border-rule bg-sheet px-1 text-sm"
          value={recipe.threshold_from}
          onChange={(event) => countFrom(event.target.value as Recipe["threshold_from"])}
        >
          {Object.entries(REFERENCES).map(([value, name]) => (
            <option key={value} value={value}>{name}</option>
          ))}
        </select>{" "}
        for longer than{" "}
        <Num label="shortest gap" value={recipe.shortest_gap_ms / 1000} unit="s" lowest={0} highest={60} step={0.05} decimals={2} onChange={(s) => setRecipe({ shortest_gap_ms: Math.round(s * 1000) })} />
        . Leave <Num label="room before" value={recipe.room_before_ms} unit="ms" lowest={0} highest={60_000} step={5} onChange={change("room_before_ms")} /> before and{" "}
        <Num label="room after" value={recipe.room_after_ms} unit="ms" lowest={0} highest={60_000} step={5} onChange={change("room_after_ms")} /> after. A sound shorter than{" "}
        <Num label="shortest sound" value={recipe.shortest_sound_ms} unit="ms" lowest={0} highest={10_000} step={5} onChange={change("shortest_sound_ms")} /> is left out
        {recipe.breaths_are_sound ? (
          "."
        ) : (
          <>
            , and so are breaths that lie{" "}
            <Num label="breaths under the speech" value={recipe.breath_under_db} unit="dB" lowest={-20} highest={60} step={1} decimals={0} onChange={change("breath_under_db")} /> or more under the speech.
          </>
        )}
      </p>}
      <label className="flex flex-wrap items-center gap-x-1.5 whitespace-nowrap text-soft">
        Keep
        <select aria-label="what counts as sound" className="w-44 rounded-(--radius) border border-rule bg-sheet px-1 text-ink" value={soundIs(recipe)} onChange={(event) => setRecipe(SOUNDS[event.target.value as SoundIs].fields)}>
          {Object.entries(sounds).map(([value, { name }]) => (
            <option key={value} value={value}>{name}</option>
          ))}
        </select>
      </label>
      {drafts !== null && drafts.length > 0 && <Levels drafts={drafts} counted={recipe.reach !== "programme" && recipe.threshold_from !== "full_scale"} />}
      {lanes > 1 && (
        <label className="flex items-center gap-1.5 text-soft">
          <input type="checkbox" checked={recipe.own_only} onChange={(event) => setRecipe({ own_only: event.target.checked })} />
          Leave out what a lane hears of the others
        </label>
      )}
    </>
  );
}

/** Where the noise of the recordings lies, and what the threshold comes to in each of them. */
function Levels({ drafts, counted }: { readonly drafts: readonly Draft[]; readonly counted: boolean }) {
  const noise = range(drafts.flatMap((draft) => [draft.floor_db, draft.floor_to_db]));
  const level = range(drafts.map((draft) => draft.threshold_db));
  return (
    <p className="text-xs text-soft">
      Noise at <span className="num">{noise} dB</span>
      {counted && <>, cut under <span className="num">{level} dB</span></>}
    </p>
  );
}

function range(levels: readonly number[]): string {
  const ends = [Math.min(...levels), Math.max(...levels)].map((level) => level.toFixed(0).replace("-", "−"));
  return ends[0] === ends[1] ? String(ends[0]) : ends.join(" to ");
}

/** One span of each recording: neither threshold nor gaps matter. */
function ProgrammeSentence({ recipe }: { readonly recipe: Recipe }) {
  const change = (name: keyof Recipe) => (value: number) => setRecipe({ [name]: value });
  return (
    <p className="text-base leading-8">
      Keep from where the music begins to where its last ring-out meets the floor; stops inside stay. Leave{" "}
      <Num label="room before" value={recipe.room_before_ms} unit="ms" lowest={0} highest={60_000} step={5} onChange={change("room_before_ms")} /> before and{" "}
      <Num label="room after" value={recipe.room_after_ms} unit="ms" lowest={0} highest={60_000} step={10} onChange={change("room_after_ms")} /> after, with fades of{" "}
      <Num label="fades" value={recipe.fade_ms} unit="ms" lowest={0} highest={60_000} step={5} onChange={change("fade_ms")} />.
    </p>
  );
}

function Quiet({ drafts }: { readonly drafts: readonly Draft[] | null }) {
  const treatment = useOpen((desk) => desk.treatment);
  /** Whether the lanes belong together: their pauses are closed on all of them at once, in Shape. */
  const together = useOpen((desk) => desk.recipe?.own_only ?? false);
  const jobRate = useOpen((desk) => desk.job.rate_hz);
  const length = (pick: (draft: Draft) => number) => {
    if (!drafts) return "";
    const seconds = drafts.reduce((sum, draft) => sum + pick(draft) / draft.rate_hz, 0);
    return formatTime(Math.round(seconds * 10), 10, "clock", 1);
  };
  /** What closing up comes to: to the millisecond once it is known to the frame. */
  const closedUp = () => {
    if (!drafts) return "";
    const frames = drafts.reduce((sum, draft) => sum + draft.closed_up_frames, 0);
    return formatTime(frames, jobRate || 48_000, "clock", drafts.every((draft) => draft.exact) ? 3 : 1);
  };
  const all = length((draft) => draft.frames);
  const choose = (kind: Treatment["kind"]) => setTreatment({ kind, amount: kind === "turn_down" ? 12 : kind === "close_up" ? 0.6 : 0 });
  const amount = (kind: Treatment["kind"], otherwise: number) => (treatment.kind === kind ? treatment.amount : otherwise);
  return (
    <div>
      <p className="mb-1 text-soft">What becomes of the quiet</p>
      <Choices
        label="what becomes of the quiet"
        value={treatment.kind}
        onChange={choose}
        choices={[
          { value: "cut", label: "cut, timing unchanged", figure: all },
          {
            value: "turn_down",
            figure: all,
            label: "turn down by",
            extra: <Num label="turn the quiet down by" value={amount("turn_down", 12)} unit="dB" lowest={0} highest={120} step={1} onChange={(db) => setTreatment({ kind: "turn_down", amount: db })} />,
          },
          { value: "room_tone", label: "fill with room tone", figure: all },
          ...(together ? [] : [{
            value: "close_up" as const,
            figure: closedUp(),
            label: "close pauses up to",
            extra: <Num label="close the quiet up to" value={amount("close_up", 0.6)} unit="s" lowest={0} highest={60} step={0.05} decimals={2} onChange={(s) => setTreatment({ kind: "close_up", amount: s })} />,
          }]),
          { value: "split", label: "split only", figure: all },
          { value: "keep_quiet", label: "keep only the quiet", figure: length((draft) => draft.frames - draft.kept_frames) },
        ]}
      />
    </div>
  );
}

function Counts({ drafts, drafted }: { readonly drafts: readonly Draft[] | null; readonly drafted: boolean }) {
  const verdicts = useOpen((desk) => desk.verdicts);
  const listening = useListening();
  if (listening.taskId) return <Progress name="listening to what the lanes hear of each other" part={listening.part} onStop={() => void stopListening()} />;
  if (!drafts) return <p className="text-soft">analysing …</p>;
  const sum = (pick: (draft: Draft) => number) => drafts.reduce((total, draft) => total + pick(draft), 0);
  const count = sum((draft) => draft.sounds.length / 2);
  if (count === 0) return <p className="text-warn">Nothing is louder than the threshold. Lower it.</p>;
  const quiet = sum((draft) => (draft.frames - draft.kept_frames) / draft.rate_hz);
  const gaps = drafts.filter((draft) => draft.shortest_gap_left_frames > 0).map((draft) => draft.shortest_gap_left_frames / draft.rate_hz);
  const look = countToLookAt(verdicts);
  return (
    <p aria-live="polite" className="border-t border-rule pt-3">
      <b>
        <span className="num">{count}</span> {count === 1 ? "clip" : "clips"}
      </b>
      {!drafted && look > 0 && <span className="text-warn">, {look} to look at</span>}. <span className="num">{formatTime(Math.round(quiet * 10), 10, "clock", 1)}</span> of quiet removed.{" "}
      <LeftOut drafts={drafts} />
      {gaps.length > 0 && (
        <>
          {" "}
          Shortest gap left: <span className="num">{Math.min(...gaps).toFixed(2)} s</span>.
        </>
      )}
      <Bridged drafts={drafts} />
    </p>
  );
}

/** What is no speech: how many breaths and clicks are left out, and how many are kept and why; a click goes to the next one. */
function LeftOut({ drafts }: { readonly drafts: readonly Draft[] }) {
  const found = (pick: (draft: Draft) => readonly number[]) => drafts.flatMap((draft) => starts(pick(draft)).map((frame, n) => ({ draft, frame, why: draft.kept_reasons[n] ?? "" })));
  const [breaths, clicks, kept] = [found((draft) => draft.breaths), found((draft) => draft.clicks), found((draft) => draft.kept_breaths)];
  return (
    <>
      {breaths.length > 0 && <Places places={breaths} one="breath left out" many="breaths left out" />}
      {clicks.length > 0 && <Places places={clicks} one="click left out" many="clicks left out" />}
      {kept.length > 0 && <Places places={kept} one="breath kept" many="breaths kept" says={(place) => (place.why ? `breath kept: ${place.why}` : "breath kept")} />}
    </>
  );
}

const starts = (spans: readonly number[]): number[] => spans.filter((_, n) => n % 2 === 0);

interface Place {
  readonly draft: Draft;
  readonly frame: number;
  readonly why: string;
}

/** A count that goes to each of its places in turn, and says what is there. */
function Places({ places, one, many, says = () => one }: { readonly places: readonly Place[]; readonly one: string; readonly many: string; readonly says?: (place: Place) => string }) {
  const [next, setNext] = useState(0);
  const name = places.length === 1 ? one : many;
  const go = () => {
    const { job } = desk();
    const place = places[next % places.length];
    const base = place && (job.findings[place.draft.target_id] ?? job.clips[place.draft.target_id]);
    if (!place || !base) return;
    showPlace(placed(job, { source_id: base.source_id, origin_frame: base.origin_frame }, place.frame));
    notify(`${(next % places.length) + 1} of ${places.length}: ${says(place)}`);
    setNext(next + 1);
  };
  return (
    <button type="button" className="mr-1.5 underline decoration-dotted hover:decoration-solid" title="go to each in turn" onClick={go}>
      <span className="num">{places.length}</span> {name}
    </button>
  );
}

/** Why two sounds were taken as one. */
function Bridged({ drafts }: { readonly drafts: readonly Draft[] }) {
  const recipe = useOpen((desk) => desk.recipe);
  const gaps = drafts.flatMap((draft) =>
    starts(draft.bridged).map((frame, n) => {
      const seconds = ((draft.bridged[2 * n + 1] ?? 0) - frame) / draft.rate_hz;
      return { draft, frame, seconds, why: `${seconds.toFixed(2)} s` };
    }),
  );
  if (gaps.length === 0 || !recipe) return null;
  const longest = Math.max(...gaps.map((gap) => gap.seconds));
  return (
    <span className="text-soft">
      {" "}
      <Places places={gaps} one="gap is" many="gaps are" says={(place) => `a gap of ${place.why}, too short to cut`} />
      too short to cut: the longest is <span className="num">{longest.toFixed(2)} s</span>, the shortest to cut{" "}
      <span className="num">{(recipe.shortest_gap_ms / 1000).toFixed(2)} s</span>.
    </span>
  );
}
