"""The shell's dealings with the file system: names that need not be text, folders checked before the work, files moved
into place."""

from __future__ import annotations

import os
import shutil
from collections.abc import Iterable
from pathlib import Path

from wemble.errors import InvalidInput, NotAllowed


def shown_name(path: Path) -> str:
    """Return a file's name as text: on disk a name is bytes, which need not be UTF-8."""
    return os.fsencode(path.name).decode(errors="replace")


def check_output_folder(folder: Path) -> None:
    """Look before the work whether files can be written into a folder, or it can be made.

    Raises
    ------
    InvalidInput
        If it, or a part of its path, is a file.
    NotAllowed
        If it may not be written to.
    """
    there = next(path for path in (folder, *folder.absolute().parents) if path.exists())
    if not there.is_dir():
        raise InvalidInput(f"{there} is a file; choose a folder for --to")
    if not os.access(there, os.W_OK | os.X_OK):
        raise NotAllowed(f"{there} is write-protected; choose another --to")


def move_into(folder: Path, names: Iterable[str], written_to: Path) -> None:
    """Move finished files into a folder; under its own name a file is either whole or not there."""
    folder.mkdir(parents=True, exist_ok=True)
    for name in names:
        place = folder / name
        place.parent.mkdir(parents=True, exist_ok=True)
        part = place.with_name(f".{place.name}.part")
        shutil.move(written_to / name, part)
        part.rename(place)
