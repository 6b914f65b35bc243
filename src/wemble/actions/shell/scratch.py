"""A library that is gone afterwards: what commands work in that leave nothing behind but their files."""

from __future__ import annotations

import tempfile
from collections.abc import Iterator
from contextlib import contextmanager
from pathlib import Path

from wemble.actions.library import Library


@contextmanager
def scratch_library(workers: int = 2) -> Iterator[Library]:
    """Open a library of its own, and remove it."""
    with tempfile.TemporaryDirectory(prefix="wemble-") as scratch:
        library = Library(Path(scratch) / "library", workers=workers)
        try:
            library.start()
            yield library
        finally:
            library.close()
