"""Uploads in parts: begun, added to at an offset, taken up again after a break, finished once."""

from __future__ import annotations

import os
from pathlib import Path

from wemble.actions.importing.examining import start_examining
from wemble.actions.importing.import_file import start_import
from wemble.actions.library import Library, new_id
from wemble.actions.saved_jobs import start_open
from wemble.errors import InvalidInput, TooLarge
from wemble.formats.archive import is_archive
from wemble.store import jobs, records
from wemble.store.files import Home
from wemble.store.rows import UploadRow

PART_BYTES = 8 << 20
LARGEST_UPLOAD_BYTES = 16 << 30


def begin_upload(library: Library, job_id: str, name: str, size_bytes: int) -> UploadRow:
    """Begin an upload into a job.

    Raises
    ------
    TooLarge
        If it is over the limit, or would not fit beside its working copy.
    """
    if size_bytes < 0:
        raise InvalidInput("a file's size cannot be negative")
    if size_bytes > LARGEST_UPLOAD_BYTES:
        raise TooLarge(
            f"Wemble takes files of up to {LARGEST_UPLOAD_BYTES >> 30} GiB, this one has {size_bytes / (1 << 30):.1f}"
        )
    library.home.check_space(3 * size_bytes)
    upload = UploadRow(new_id(), job_id, name[:1000], size_bytes)
    with library.database.write() as db:
        jobs.get_job_row(db, job_id)
        records.add_upload(db, upload, now=library.now())
    return upload


def received_bytes(library: Library, upload_id: str) -> tuple[UploadRow, int]:
    """Return an upload and how much of it is there: where to go on. Raises `NotFound`."""
    with library.database.read() as db:
        upload = records.get_upload(db, upload_id)
    part = _part(library.home, upload_id)
    return upload, part.stat().st_size if part.exists() else 0


def add_part(library: Library, upload_id: str, offset: int, data: bytes) -> int:
    """Add a part at an offset and return how much is there. Adding the same part twice is fine.

    Raises
    ------
    InvalidInput
        If the offset leaves a hole, or the part is too long.
    """
    upload, there = received_bytes(library, upload_id)
    if offset > there or offset < 0:
        raise InvalidInput(f"{there:,} bytes have arrived and this part starts at {offset:,}; continue from {there:,}")
    if len(data) > PART_BYTES or offset + len(data) > upload.size_bytes:
        raise TooLarge(f"a part may have {PART_BYTES:,} bytes and must end by {upload.size_bytes:,}")
    try:
        descriptor = os.open(_part(library.home, upload_id), os.O_RDWR | os.O_CREAT | os.O_CLOEXEC, 0o600)
        with os.fdopen(descriptor, "r+b") as file:
            file.seek(offset)
            file.write(data)
    except OSError as error:
        raise TooLarge(
            f"the disk refused to write this part ({error.strerror}); free some space and continue from {offset:,}"
        ) from None
    return max(there, offset + len(data))


def finish_upload(library: Library, upload_id: str) -> str:
    """Start the import of a complete upload and return the task; asked again, return the one that was started.

    Raises `InvalidInput` if a part is missing.
    """
    with library.finishing:
        with library.database.read() as db:
            task = records.get_import_of(db, upload_id)
        if task is not None and task.state in ("waiting", "running", "done"):
            return task.id
        return _start(library, upload_id)


def examine_upload(library: Library, upload_id: str) -> str:
    """Start looking at a complete upload before it is taken in, and return the task. Raises `InvalidInput` if a part is missing."""
    upload, path = _complete(library, upload_id)
    return start_examining(library, upload.job_id, path, upload.name)


def _start(library: Library, upload_id: str) -> str:
    upload, path = _complete(library, upload_id)
    start = start_open if is_archive(path) else start_import
    return start(library, upload.job_id, path, upload.name, upload_id=upload_id)


def _complete(library: Library, upload_id: str) -> tuple[UploadRow, Path]:
    upload, there = received_bytes(library, upload_id)
    if not upload.size_bytes:
        raise InvalidInput("this file is empty (0 bytes); choose another")
    if there != upload.size_bytes:
        raise InvalidInput(f"{there:,} of {upload.size_bytes:,} bytes have arrived; send the rest first")
    return upload, _part(library.home, upload_id)


def _part(home: Home, upload_id: str) -> Path:
    return home.uploads / f"{upload_id}.part"
