import { useQuery, useQueryClient } from "@tanstack/react-query";
import { Check, ChevronDown, Trash2 } from "lucide-react";
import { DropdownMenu } from "radix-ui";
import { useState } from "react";
import { api } from "../api/client";
import type { Draft, Recipe, Treatment } from "../api/types";
import { formatTime } from "../time/format";
import { Button } from "../ui/Button";
import { Choices } from "../ui/Choices";
import { Modal } from "../ui/Modal";
import { Num } from "../ui/Num";
import { isDoubtful } from "./ClipList";
import { FindBySelect } from "./FindBySelect";
import { applyRecipe, setRecipe, setScope, setTreatment, tell, useOpen } from "./state";

/** Step 1: the settings as a sentence, what becomes of the quiet, and what that does now. */
export function FindCard() {
  const recipe = useOpen((desk) => desk.recipe);
  const drafted = useOpen((desk) => desk.drafted);
  const busy = useOpen((desk) => desk.busy);
  const drafts = useOpen((desk) => desk.drafts);
  if (!recipe) return <Empty />;
  const found = (drafts ?? []).some((draft) => draft.sounds.length > 0);
  return (
    <div className="flex h-full flex-col">
      <div className="min-h-0 flex-1 space-y-3 overflow-auto p-4">
        <div className="flex items-center justify-between">
          <h2 className="text-base font-bold">Find</h2>
          <span className="flex gap-1.5">
            <FindBySelect />
            <Recipes recipe={recipe} />
          </span>
        </div>
        <Sentence recipe={recipe} />
        <Targets />
        <Quiet drafts={drafts} />
        <Counts drafts={drafts} drafted={drafted} />
      </div>
      <div className="flex gap-2 border-t border-rule p-4">
        <SaveRecipe recipe={recipe} />
        <Button tone="strong" className="flex-1 py-1.5" disabled={!drafted || !found || busy !== null} onClick={() => void applyRecipe()}>
          {busy ? "finding …" : drafted ? "Apply" : "Applied"}
        </Button>
      </div>
    </div>
  );
}

function Empty() {
  return (
    <div className="space-y-2 p-4">
      <h2 className="text-base font-bold">Find sound and silence</h2>
      <p className="text-soft">Nothing to search yet. Drop recordings anywhere on this page.</p>
    </div>
  );
}

const REFERENCES: Record<Recipe["threshold_from"], string> = { full_scale: "full scale", floor: "over the floor", peak: "under the peak" };

function Sentence({ recipe }: { readonly recipe: Recipe }) {
  const drafts = useOpen((desk) => desk.drafts);
  const floor = drafts?.[0]?.floor_db;
  const change = (name: keyof Recipe) => (value: number) => setRecipe({ [name]: value });
  /** Count the threshold from something else; it stays where it is. */
  const countFrom = (reference: Recipe["threshold_from"]) => {
    const draft = drafts?.[0];
    if (!draft) return;
    const counted = { full_scale: draft.threshold_db, floor: draft.threshold_db - draft.floor_db, peak: draft.peak_db - draft.threshold_db };
    setRecipe({ threshold_from: reference, threshold_db: Math.round(counted[reference] * 10) / 10 });
  };
  return (
    <>
      <p className="text-base leading-8">
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
        <Num label="shortest sound" value={recipe.shortest_sound_ms} unit="ms" lowest={0} highest={10_000} step={5} onChange={change("shortest_sound_ms")} /> is not speech
        {recipe.breaths_are_sound ? "." : ", nor is a breath."}
      </p>
      <label className="flex items-center gap-2 text-soft">
        <input type="checkbox" className="accent-(--ink)" checked={recipe.breaths_are_sound} onChange={(event) => setRecipe({ breaths_are_sound: event.target.checked })} />
        keep breaths as sound
        {floor !== undefined && (
          <span className="ml-auto">
            floor <span className="num">{floor.toFixed(1).replace("-", "−")} dB</span>
          </span>
        )}
      </label>
    </>
  );
}

function Targets() {
  const count = useOpen((desk) => desk.targets.length);
  const scope = useOpen((desk) => desk.scope);
  if (count < 2) return null;
  return (
    <Choices
      label="what to search"
      value={scope}
      choices={[
        { value: "this", label: "this recording" },
        { value: "all", label: "all recordings", figure: count },
      ]}
      onChange={setScope}
    />
  );
}

function Quiet({ drafts }: { readonly drafts: readonly Draft[] | null }) {
  const treatment = useOpen((desk) => desk.treatment);
  const length = (pick: (draft: Draft) => number) => {
    if (!drafts) return "";
    const seconds = drafts.reduce((sum, draft) => sum + pick(draft) / draft.rate_hz, 0);
    return formatTime(Math.round(seconds * 10), 10, "clock", 1);
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
          { value: "cut", label: "cut away, time stays", figure: all },
          {
            value: "turn_down",
            figure: all,
            label: "turn down by",
            extra: <Num label="turn the quiet down by" value={amount("turn_down", 12)} unit="dB" lowest={0} highest={120} step={1} onChange={(db) => setTreatment({ kind: "turn_down", amount: db })} />,
          },
          { value: "room_tone", label: "fill with room tone", figure: all },
          {
            value: "close_up",
            figure: length((draft) => draft.closed_up_frames),
            label: "close up to",
            extra: <Num label="close the quiet up to" value={amount("close_up", 0.6)} unit="s" lowest={0} highest={60} step={0.05} decimals={2} onChange={(s) => setTreatment({ kind: "close_up", amount: s })} />,
          },
          { value: "split", label: "only split", figure: all },
          { value: "keep_quiet", label: "keep just the quiet", figure: length((draft) => draft.frames - draft.kept_frames) },
        ]}
      />
    </div>
  );
}

function Counts({ drafts, drafted }: { readonly drafts: readonly Draft[] | null; readonly drafted: boolean }) {
  const verdicts = useOpen((desk) => desk.verdicts);
  if (!drafts) return <p className="text-soft">measuring …</p>;
  const sum = (pick: (draft: Draft) => number) => drafts.reduce((total, draft) => total + pick(draft), 0);
  const count = sum((draft) => draft.sounds.length / 2);
  if (count === 0) return <p className="text-warn">Nothing is louder than the threshold: lower it.</p>;
  const quiet = sum((draft) => (draft.frames - draft.kept_frames) / draft.rate_hz);
  const [clicks, breaths] = [sum((draft) => draft.clicks), sum((draft) => draft.breaths)];
  const gaps = drafts.filter((draft) => draft.shortest_gap_left_frames > 0).map((draft) => draft.shortest_gap_left_frames / draft.rate_hz);
  const look = [...verdicts.values()].filter(isDoubtful).length;
  const noise = [clicks && `${clicks} ${clicks === 1 ? "click" : "clicks"}`, breaths && `${breaths} ${breaths === 1 ? "breath" : "breaths"}`].filter(Boolean).join(" and ");
  return (
    <p aria-live="polite" className="border-t border-rule pt-3">
      <b>
        <span className="num">{count}</span> {count === 1 ? "clip" : "clips"}
      </b>
      {!drafted && look > 0 && <span className="text-warn">, {look} to look at</span>}. <span className="num">{formatTime(Math.round(quiet * 10), 10, "clock", 1)}</span> of quiet cut
      {noise && `, ${noise} with it`}.
      {gaps.length > 0 && (
        <>
          {" "}
          The shortest gap left is <span className="num">{Math.min(...gaps).toFixed(2)} s</span>.
        </>
      )}
      <Bridged drafts={drafts} />
    </p>
  );
}

/** Why two sounds were taken as one. */
function Bridged({ drafts }: { readonly drafts: readonly Draft[] }) {
  const recipe = useOpen((desk) => desk.recipe);
  const gaps = drafts.flatMap((draft) => {
    const found: number[] = [];
    for (let n = 0; n + 1 < draft.bridged.length; n += 2) found.push(((draft.bridged[n + 1] ?? 0) - (draft.bridged[n] ?? 0)) / draft.rate_hz);
    return found;
  });
  if (gaps.length === 0 || !recipe) return null;
  const longest = Math.max(...gaps);
  return (
    <span className="text-soft">
      {" "}
      {gaps.length} {gaps.length === 1 ? "gap was" : "gaps were"} bridged: the longest is <span className="num">{longest.toFixed(2)} s</span>, shortest to cut{" "}
      <span className="num">{(recipe.shortest_gap_ms / 1000).toFixed(2)} s</span>.
    </span>
  );
}

function Recipes({ recipe }: { readonly recipe: Recipe }) {
  const saved = useQuery({ queryKey: ["recipes"], queryFn: api.recipes });
  const queries = useQueryClient();
  const names = Object.keys(saved.data ?? {});
  const same = (one: Recipe | undefined) => one !== undefined && JSON.stringify(one) === JSON.stringify(recipe);
  return (
    <DropdownMenu.Root>
      <DropdownMenu.Trigger asChild>
        <Button className="text-xs">
          recipes <ChevronDown size={12} aria-hidden />
        </Button>
      </DropdownMenu.Trigger>
      <DropdownMenu.Portal>
        <DropdownMenu.Content align="end" sideOffset={4} className="z-50 min-w-52 rounded-(--radius) border border-rule bg-sheet p-1 shadow-float">
          {names.length === 0 && <p className="px-2 py-1 text-soft">None saved yet.</p>}
          {names.map((name) => (
            <div key={name} className="flex items-center">
              <DropdownMenu.Item className="flex flex-1 items-center gap-2 rounded-(--radius) px-2 py-1 outline-none data-highlighted:bg-shade" onSelect={() => setRecipe(saved.data?.[name] ?? {})}>
                <span className="w-4">{same(saved.data?.[name]) && <Check size={14} aria-hidden />}</span>
                {name}
              </DropdownMenu.Item>
              <DropdownMenu.Item
                aria-label={`forget ${name}`}
                className="rounded-(--radius) p-1.5 text-soft outline-none data-highlighted:bg-shade"
                onSelect={() => void api.forgetRecipe(name).then(() => queries.invalidateQueries({ queryKey: ["recipes"] }))}
              >
                <Trash2 size={13} aria-hidden />
              </DropdownMenu.Item>
            </div>
          ))}
        </DropdownMenu.Content>
      </DropdownMenu.Portal>
    </DropdownMenu.Root>
  );
}

function SaveRecipe({ recipe }: { readonly recipe: Recipe }) {
  const [open, setOpen] = useState(false);
  const [problem, setProblem] = useState<string | null>(null);
  const queries = useQueryClient();
  const save = async (name: string) => {
    try {
      await api.saveRecipe(name, recipe);
      await queries.invalidateQueries({ queryKey: ["recipes"] });
      setOpen(false);
      tell(`Recipe “${name.trim()}” is saved; wemble clean --recipe takes it too.`);
    } catch (error) {
      setProblem(error instanceof Error ? error.message : String(error));
    }
  };
  return (
    <>
      <Button className="flex-1 py-1.5" onClick={() => setOpen(true)}>
        Save as recipe
      </Button>
      <Modal title="Save as recipe" about="Its numbers and fades can be used again on other recordings and from the shell." open={open} onClose={() => setOpen(false)}>
        <form
          className="flex gap-2"
          onSubmit={(event) => {
            event.preventDefault();
            void save(String(new FormData(event.currentTarget).get("name") ?? ""));
          }}
        >
          <input name="name" required maxLength={200} aria-label="name of the recipe" className="flex-1 rounded-(--radius) border border-rule bg-paper px-2 py-1" placeholder="booth, close microphone" />
          <Button tone="strong" type="submit">
            Save
          </Button>
        </form>
        {problem && (
          <p role="alert" className="mt-2 text-fail">
            {problem}
          </p>
        )}
      </Modal>
    </>
  );
}
