import type { HitRecipe, Recipe } from "../../../api/types";
import { type FindBy, useOpen } from "../../state/desk";
import { setFindBy } from "../../state/settle";
import { Recipes } from "./Recipes";

/** The head of the step Find: what it looks for (no brief hides the other), and the saved recipes for that. */
export function FindHead<R extends Recipe | HitRecipe>({ recipe, onUse }: { readonly recipe: R; readonly onUse: (recipe: R) => void }) {
  const findBy = useOpen((desk) => desk.findBy);
  return (
    <div className="flex items-center justify-between">
      <h2 className="text-base font-bold">Find</h2>
      <span className="flex gap-1.5">
        <select aria-label="what to find" className="rounded-(--radius) border border-rule bg-sheet px-1 py-0.5 text-xs" value={findBy} onChange={(event) => setFindBy(event.target.value as FindBy)}>
          <option value="sound">sound and silence</option>
          <option value="hits">hits</option>
        </select>
        <Recipes recipe={recipe} onUse={onUse} />
      </span>
    </div>
  );
}
