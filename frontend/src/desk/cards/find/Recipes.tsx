import { useQuery, useQueryClient } from "@tanstack/react-query";
import { Check, ChevronDown, Trash2 } from "lucide-react";
import { DropdownMenu } from "radix-ui";
import { useState } from "react";
import { api } from "../../../api/client";
import type { HitRecipe, Recipe } from "../../../api/types";
import { Button } from "../../../ui/Button";
import { Modal } from "../../../ui/Modal";
import { notify } from "../../state/desk";

/** The saved recipes of one kind: use one, or delete it. */
export function Recipes<R extends Recipe | HitRecipe>({ recipe, onUse }: { readonly recipe: R; readonly onUse: (recipe: R) => void }) {
  const saved = useQuery({ queryKey: ["recipes"], queryFn: api.recipes });
  const queries = useQueryClient();
  const ofThisKind = (one: Recipe | HitRecipe): one is R => "kind" in one === "kind" in recipe;
  const usable = Object.entries(saved.data ?? {}).flatMap(([name, one]) => (ofThisKind(one) ? [[name, one] as const] : []));
  return (
    <DropdownMenu.Root>
      <DropdownMenu.Trigger asChild>
        <Button className="text-xs">
          recipes <ChevronDown size={12} aria-hidden />
        </Button>
      </DropdownMenu.Trigger>
      <DropdownMenu.Portal>
        <DropdownMenu.Content align="end" sideOffset={4} className="z-50 min-w-52 rounded-(--radius) border border-rule bg-sheet p-1 shadow-float">
          {usable.length === 0 && <p className="px-2 py-1 text-soft">None saved yet.</p>}
          {usable.map(([name, one]) => (
            <div key={name} className="flex items-center">
              <DropdownMenu.Item className="flex flex-1 items-center gap-2 rounded-(--radius) px-2 py-1 outline-none data-highlighted:bg-shade" onSelect={() => onUse(one)}>
                <span className="w-4">{sameNumbers(one, recipe) && <Check size={14} aria-hidden />}</span>
                {name}
              </DropdownMenu.Item>
              <DropdownMenu.Item
                aria-label={`delete ${name}`}
                className="rounded-(--radius) p-1.5 text-soft outline-none data-highlighted:bg-shade"
                onSelect={() => void api.deleteRecipe(name).then(() => queries.invalidateQueries({ queryKey: ["recipes"] }))}
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

const sameNumbers = (a: Recipe | HitRecipe, b: Recipe | HitRecipe): boolean => {
  const [left, right] = [Object.entries(a), new Map(Object.entries(b))];
  return left.length === right.size && left.every(([name, value]) => right.get(name) === value);
};

/** Save these settings under a name. `command` says which command of the shell takes it too. */
export function SaveRecipe({ recipe, command }: { readonly recipe: Recipe | HitRecipe; readonly command: string }) {
  const [open, setOpen] = useState(false);
  const [problem, setProblem] = useState<string | null>(null);
  const queries = useQueryClient();
  const save = async (name: string) => {
    try {
      await api.saveRecipe(name, recipe);
      await queries.invalidateQueries({ queryKey: ["recipes"] });
      setOpen(false);
      notify(`Recipe “${name.trim()}” saved. ${command} takes it too.`);
    } catch (error) {
      setProblem(error instanceof Error ? error.message : String(error));
    }
  };
  return (
    <>
      <Button className="flex-1 py-1.5" onClick={() => setOpen(true)}>
        Save as recipe
      </Button>
      <Modal title="Save as recipe" about="Its settings can be used again on other recordings and from the shell." open={open} onClose={() => setOpen(false)}>
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
