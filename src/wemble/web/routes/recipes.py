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


@endpoint(api, "PUT", "/recipes/<name>", body=models.RecipeBody, answer=models.Done)
def save_recipe(body: models.RecipeBody, name: str) -> models.Done:
    """Save a recipe under a name."""
    recipes.save(library(), name, body.recipe)
    return models.Done()


@endpoint(api, "DELETE", "/recipes/<name>", answer=models.Done)
def forget_recipe(name: str) -> models.Done:
    """Forget a recipe."""
    recipes.forget(library(), name)
    return models.Done()
