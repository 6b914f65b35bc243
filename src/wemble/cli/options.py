"""What the commands share: options, exit statuses, recipes by name. Nothing heavy is imported before it is needed."""

from __future__ import annotations

from collections.abc import Callable
from pathlib import Path
from typing import TYPE_CHECKING, TypeVar

import click

from wemble.errors import WembleError

if TYPE_CHECKING:
    from wemble.actions.library import Library

T = TypeVar("T")
LOG_LEVELS = ("debug", "info", "warning", "error")
FINDINGS, WRONG_USE, SOME_FAILED = 1, 2, 3
HOME = click.option(
    "--home", type=click.Path(path_type=Path), default=None, help="Data folder to use in place of WEMBLE_HOME."
)
FILES = click.argument("files", nargs=-1, required=True, type=click.Path(path_type=Path))
JSON = click.option("--json", "as_json", is_flag=True, help="One JSON object per file.")
HIT_RECIPE = click.option("--recipe", "recipe_name", help="A saved recipe for hits, in place of the numbers here.")


def saved_recipe(home: Path | None, name: str | None, look_up: Callable[[Library, str], T]) -> T | None:
    """Return a recipe that was saved in the application, if one is asked for."""
    if name is None:
        return None
    from wemble.actions.library import Library, default_home

    library = Library(home or default_home(), workers=0)
    try:
        return look_up(library, name)
    finally:
        library.close()


def report_failure(path: Path, error: WembleError) -> bool:
    click.echo(f"{path}: {error.message}", err=True)
    return True
