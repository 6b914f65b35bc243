"""Sources that Wemble made itself: room tone, a recording less its offset."""

from __future__ import annotations

from pathlib import Path

from wemble.actions.importing.convert import convert_copy
from wemble.actions.library import Library
from wemble.store import records
from wemble.store.files import move_into_place


def keep_made(library: Library, folder: Path, row: records.SourceRow, job_rate_hz: int) -> None:
    """Keep a source that lies finished in a folder like any other, with a working copy at the job's rate."""
    move_into_place(folder, library.home.source(row.id))
    with library.database.write() as db:
        records.add_source(db, row, now=library.now())
    library.reader.know(row.id, row.channels)
    if job_rate_hz != row.rate_hz:
        convert_copy(library.home, library.home.scratch, row, job_rate_hz)
