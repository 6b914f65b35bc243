"""Recipes by name."""

from __future__ import annotations

from wemble.actions.library import Library
from wemble.core.edges.recipe import Recipe
from wemble.core.edit.model import check_name
from wemble.errors import NotFound
from wemble.store import records


def saved(library: Library) -> dict[str, Recipe]:
    """Return the saved recipes by name."""
    with library.database.read() as db:
        return records.list_recipes(db)


def save(library: Library, name: str, recipe: Recipe) -> None:
    """Save a recipe under a name, in place of an earlier one of that name."""
    with library.database.write() as db:
        records.update_recipe(db, check_name(name), recipe, now=library.now())


def forget(library: Library, name: str) -> None:
    """Forget a recipe. Raises `NotFound`."""
    with library.database.write() as db:
        records.delete_recipe(db, name)


def named(library: Library, name: str) -> Recipe:
    """Return a saved recipe. Raises `NotFound`, with the names that there are."""
    recipes = saved(library)
    if name not in recipes:
        known = ", ".join(recipes) or "none yet"
        raise NotFound(f"there is no recipe “{name}”; saved are: {known}")
    return recipes[name]
