"""A look at the data folder: versions, room, the database, the sources, and what nothing refers to."""

from __future__ import annotations

import platform
from collections.abc import Iterator
from importlib.metadata import version
from pathlib import Path

from wemble import __version__
from wemble.actions import removal
from wemble.actions.library import Library
from wemble.store import health

_PACKAGES = ("numpy", "scipy", "soundfile", "soxr", "av", "flask", "pydantic", "waitress")


def examined(root: Path, *, check_hashes: bool, clean: bool) -> Iterator[tuple[bool, str]]:
    """Look at a data folder that no other Wemble uses, and clean it if asked: yield (is it fine, a line about it).

    Raises `Conflict` while another Wemble uses the folder.
    """
    library = Library(root, workers=0)
    try:
        library.lock.hold()
        yield from _looked_at(library, check_hashes)
        yield from _cleaned(library, clean)
    finally:
        library.close()


def _looked_at(library: Library, check_hashes: bool) -> Iterator[tuple[bool, str]]:
    packages = ", ".join(f"{name} {version(name)}" for name in _PACKAGES)
    yield (
        True,
        f"Wemble {__version__}, Python {platform.python_version()}, SQLite {health.sqlite_version()}; {packages}",
    )
    yield True, f"data in {library.home.root}, schema {health.schema_version(library.database)}"
    free = health.free_bytes(library.home)
    yield free > 1e9, f"{free / 1e9:.1f} GB free"
    problems = health.database_problems(library.database)
    yield from ((False, f"database: {problem}") for problem in problems)
    if not problems:
        yield True, "the database is in order"
    wrong = list(health.source_problems(library.database, library.home, check_hashes=check_hashes))
    yield from ((False, problem) for problem in wrong)
    if not wrong:
        yield True, f"the sources are in order{'' if check_hashes else ' (sizes; --deep reads every file)'}"


def _cleaned(library: Library, clean: bool) -> Iterator[tuple[bool, str]]:
    found = health.orphans(library.database, library.home)
    size = sum(orphan.size_bytes for orphan in found)
    if not found:
        yield True, "nothing lies about unused"
    elif not clean:
        yield False, f"{len(found)} files and folders are used by nothing, {size / 1e6:,.1f} MB; --clean removes them"
    else:
        yield True, f"{len(found)} unused files and folders removed, {health.remove_orphans(found) / 1e6:,.1f} MB"
    if clean:
        freed = removal.remove_expired(library)
        yield (
            True,
            f"{freed.jobs} jobs and {freed.sources} recordings past their time removed, {freed.freed_bytes / 1e6:,.1f} MB",
        )
