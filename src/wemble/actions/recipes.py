"""Recipes by name."""

from __future__ import annotations

from wemble.actions.library import Library
from wemble.core.edges.recipe import HitRecipe, Recipe
from wemble.core.edit.model import check_name
from wemble.errors import InvalidInput, NotFound
from wemble.store import records


def saved(library: Library) -> dict[str, Recipe | HitRecipe]:
    """Return the saved recipes by name."""
    with library.database.read() as db:
        return records.list_recipes(db)


def save(library: Library, name: str, recipe: Recipe | HitRecipe) -> None:
    """Save a recipe under a name, in place of an earlier one of that name."""
    with library.database.write() as db:
        records.update_recipe(db, check_name(name), recipe, now=library.now())


def delete(library: Library, name: str) -> None:
    """Delete a recipe. Raises `NotFound`."""
    with library.database.write() as db:
        records.delete_recipe(db, name)


def named(library: Library, name: str) -> Recipe:
    """Return a saved recipe for sound and silence.

    Raises
    ------
    NotFound
        With the names that there are.
    InvalidInput
        If it is one for hits.
    """
    recipe = _named(library, name)
    if not isinstance(recipe, Recipe):
        raise InvalidInput(f"“{name}” is a recipe for hits, not for sound and silence")
    return recipe


def named_for_hits(library: Library, name: str) -> HitRecipe:
    """Return a saved recipe for hits. Raises `NotFound`, and `InvalidInput` if it is one for sound and silence."""
    recipe = _named(library, name)
    if not isinstance(recipe, HitRecipe):
        raise InvalidInput(f"“{name}” is a recipe for sound and silence, not for hits")
    return recipe


def _named(library: Library, name: str) -> Recipe | HitRecipe:
    recipes = saved(library)
    if name not in recipes:
        known = ", ".join(recipes) or "none yet"
        raise NotFound(f"there is no recipe “{name}”; the saved ones are: {known}")
    return recipes[name]
