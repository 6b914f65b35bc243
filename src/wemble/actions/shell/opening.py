"""A file of the shell's: decoded and measured in a scratch folder of its own, without a library."""

from __future__ import annotations

import tempfile
from collections.abc import Iterator
from contextlib import contextmanager
from dataclasses import dataclass
from functools import partial
from pathlib import Path

from wemble.actions.shell.placing import shown_name
from wemble.actions.sources.convert import convert_copy
from wemble.actions.sources.decode import decode_source, measured_source
from wemble.actions.work.executor import Report
from wemble.core.edges.recipe import Recipe
from wemble.core.edges.refine import Read
from wemble.core.edges.search import Measured, find
from wemble.core.edges.silence import Found
from wemble.errors import InvalidInput
from wemble.store.files import FileReader, Home, move_into_place
from wemble.store.rows import SourceRow


@dataclass(frozen=True, slots=True)
class Opened:
    """A file, decoded and measured in a scratch folder of its own."""

    home: Home
    source: SourceRow
    reader: FileReader
    read: Read
    measured: Measured


def unheard(part: float, doing: str) -> None:
    """Report to nobody."""


@contextmanager
def opened_file(path: Path, report: Report = unheard, *, rate_hz: int = 0) -> Iterator[Opened]:
    """Decode a file into a scratch folder and measure it, with a copy at another rate if one is named.

    Raises what importing raises.
    """
    if not path.is_file():
        raise InvalidInput("there is no such file")
    with tempfile.TemporaryDirectory(prefix="wemble-") as scratch:
        home = Home(Path(scratch))
        folder = home.scratch / "source"
        # Linked and not copied: the scratch folder is gone before anybody could write to the file.
        row = decode_source(report, home, folder, path, shown_name(path), owned=True, kept=False)
        move_into_place(folder, home.source(row.id))
        if rate_hz and rate_hz != row.rate_hz:
            convert_copy(home, home.scratch, row, rate_hz)
        reader = FileReader(home, {row.id: row.channels})
        yield Opened(home, row, reader, partial(reader.read, row.id, row.rate_hz), measured_source(home, row))
        reader.close()


def found_in(opened: Opened, recipe: Recipe) -> Found:
    """Return what a recipe finds in a whole file."""
    return find(opened.read, opened.measured, recipe, head_frame=0, tail_frame=opened.source.frames)
