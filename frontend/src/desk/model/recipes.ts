/** Telling the two kinds of recipe apart. */
import type { HitRecipe, Recipe } from "../../api/types";

export const isSoundRecipe = (recipe: Recipe | HitRecipe): recipe is Recipe => !("kind" in recipe);
