"""What the commands share: options, exit statuses, recipes by name. Nothing heavy is imported before it is needed."""

from __future__ import annotations

import sys
import time
from collections.abc import Callable, Iterator
from contextlib import contextmanager
from pathlib import Path
from typing import TYPE_CHECKING, TypeVar

import click

from wemble.errors import WembleError

if TYPE_CHECKING:
    from wemble.actions.library import Library
    from wemble.core.edges.recipe import HitRecipe, Recipe

T = TypeVar("T")
LOG_LEVELS = ("debug", "info", "warning", "error")
FINDINGS, WRONG_USE, SOME_FAILED = 1, 2, 3
HOME = click.option(
    "--home", type=click.Path(path_type=Path), default=None, help="Data folder to use in place of WEMBLE_HOME."
)
FILES = click.argument("files", nargs=-1, required=True, type=click.Path(path_type=Path))
JSON = click.option("--json", "as_json", is_flag=True, help="One JSON object per file.")
HIT_RECIPE = click.option("--recipe", "recipe_name", help="A saved recipe for hits, in place of the numbers here.")

_ESTIMATE_AFTER_S, _ESTIMATE_FROM = 2.0, 0.05
"""Before that an estimate of the time left would say nothing."""


@contextmanager
def progress(label: str) -> Iterator[Callable[[float, str], None]]:
    """Show how far long work is, on a terminal; give what reports the part done, 0…1."""
    if not sys.stderr.isatty():
        yield lambda part, doing: None
        return
    began = time.monotonic()
    with click.progressbar(length=1000, label=label, file=sys.stderr, show_eta=False) as bar:

        def report(part: float, doing: str) -> None:
            bar.show_eta = part >= _ESTIMATE_FROM and time.monotonic() - began >= _ESTIMATE_AFTER_S
            bar.update(max(round(part * 1000) - bar.pos, 0))

        yield report
        bar.update(1000 - bar.pos)


def saved_recipe(home: Path | None, name: str | None) -> Recipe | None:
    """Return a recipe that was saved in the application, if one is asked for."""
    if name is None:
        return None
    from wemble.actions.recipes import named

    return _looked_up(home, named, name)


def saved_hit_recipe(home: Path | None, name: str | None) -> HitRecipe | None:
    """Return the same for hits."""
    if name is None:
        return None
    from wemble.actions.recipes import named_for_hits

    return _looked_up(home, named_for_hits, name)


def _looked_up(home: Path | None, look_up: Callable[[Library, str], T], name: str) -> T:
    from wemble.actions.library import Library, default_home

    library = Library(home or default_home(), workers=0)
    try:
        return look_up(library, name)
    finally:
        library.close()


def report_failure(path: Path, error: WembleError) -> bool:
    click.echo(f"{path}: {error.message}", err=True)
    return True
