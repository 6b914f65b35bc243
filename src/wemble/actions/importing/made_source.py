"""Sources that Wemble made itself: room tone, a recording less its offset."""

from __future__ import annotations

import hashlib
from pathlib import Path

from wemble.actions.library import Library
from wemble.actions.sources.convert import convert_copy
from wemble.store import records
from wemble.store.files import move_into_place
from wemble.store.rows import SourceRow

ROOM_TONE, MIXDOWN, PITCH_SHIFTED = "room tone", "mixdown", "pitch shifted"
"""Kinds of sources that no file came in as."""
OFFSET_TAKEN_OUT, DRIFT_TAKEN_OUT = ", offset taken out", ", clock set right"
"""What the decoder's name ends with."""


def copy_digest(copy: Path) -> str:
    """Return the hash of a working copy: what a recording that Wemble made is named after."""
    with copy.open("rb") as file:
        return hashlib.file_digest(file, "sha256").hexdigest()


def keep_made(library: Library, folder: Path, row: SourceRow, job_rate_hz: int) -> None:
    """Keep a source that lies finished in a folder like any other, with a working copy at the job's rate."""
    move_into_place(folder, library.home.source(row.id))
    record_made(library, row, job_rate_hz)


def record_made(library: Library, row: SourceRow, job_rate_hz: int) -> None:
    """Record a source that a worker has moved into its place."""
    with library.database.write() as db:
        records.add_source(db, row, now=library.now())
    library.reader.know(row.id, row.channels)
    if job_rate_hz != row.rate_hz:
        convert_copy(library.home, library.home.scratch, row, job_rate_hz)
