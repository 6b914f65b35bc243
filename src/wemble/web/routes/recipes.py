"""Recipes by name."""

from __future__ import annotations

from wemble.actions import recipes
from wemble.web import models
from wemble.web.endpoints import endpoint
from wemble.web.routes.blueprint import api, library


@endpoint(api, "GET", "/recipes", answer=models.RecipeList)
def list_recipes() -> models.RecipeList:
    """List the saved recipes."""
    return models.RecipeList(recipes=recipes.saved(library()))


@endpoint(api, "POST", "/recipes", body=models.RecipeBody, answer=models.Done)
def save_recipe(body: models.RecipeBody) -> models.Done:
    """Save a recipe under a name."""
    recipes.save(library(), body.name, body.recipe)
    return models.Done()


@endpoint(api, "POST", "/recipes/delete", body=models.NewName, answer=models.Done)
def delete_recipe(body: models.NewName) -> models.Done:
    """Delete a recipe."""
    recipes.delete(library(), body.name)
    return models.Done()
