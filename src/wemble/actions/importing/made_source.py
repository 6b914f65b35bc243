"""Sources that lie finished, and how they are kept; of those that Wemble made itself, what they are called."""

from __future__ import annotations

import hashlib
from dataclasses import dataclass
from pathlib import Path

from wemble.actions.library import Library
from wemble.actions.sources.convert import convert_copy
from wemble.store import intents, records
from wemble.store.database import Connection
from wemble.store.rows import SourceRow

ROOM_TONE, MIXDOWN, PITCH_SHIFTED = "room tone", "mixdown", "pitch shifted"
"""Kinds of sources that no file came in as."""
OFFSET_TAKEN_OUT, DRIFT_TAKEN_OUT = ", offset taken out", ", clock set right"
"""What the decoder's name ends with."""


def copy_digest(copy: Path) -> str:
    """Return the hash of a working copy: what a recording that Wemble made is named after."""
    with copy.open("rb") as file:
        return hashlib.file_digest(file, "sha256").hexdigest()


@dataclass(frozen=True, slots=True)
class Built:
    """A source whose folder lies finished in scratch, and has no place yet."""

    source: SourceRow
    folder: Path


def keep_source(library: Library, db: Connection, built: Built, job_rate_hz: int) -> None:
    """Keep a source, with a working copy at the job's rate; its folder gets its place when this transaction is committed."""
    row = built.source
    intents.place(db, library.home, "sources", row.id, built.folder)
    records.add_source(db, row, now=library.now())
    library.reader.know(row.id, row.channels)
    if job_rate_hz and job_rate_hz != row.rate_hz:
        convert_copy(library.home, library.home.scratch, row, job_rate_hz)


def keep_made(library: Library, built: Built, job_rate_hz: int) -> None:
    """Keep a source that Wemble made."""
    with library.database.write() as db:
        keep_source(library, db, built, job_rate_hz)
