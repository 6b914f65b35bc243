"""Removing: jobs go into a bin first, and everything that nobody needs any more gives its space back.

A job in the bin can be restored for `KEPT_FOR_S`. A recording is removed when no job holds it in any of its revisions,
in the bin or not: undo may bring it back. What lanes hear of each other goes when nobody asked for it for as long: it is
measured again when somebody does. While files are being imported nothing is removed, as an import puts its
recording in place before its job knows of it.
"""

from __future__ import annotations

import shutil
from collections.abc import Iterable
from dataclasses import dataclass
from pathlib import Path

from wemble.actions.library import Library, new_id
from wemble.errors import Conflict, NotFound
from wemble.store import jobs, records
from wemble.store.files import folder_bytes

KEPT_FOR_S = 30 * 24 * 3600.0
"""How long a job stays in the bin."""
UPLOAD_KEPT_S = 7 * 24 * 3600.0
"""How long an upload that was broken off can be taken up again."""
YOUNG_S = 600.0
"""A source younger than this may be about to be used by an edit that is under way."""


@dataclass(frozen=True, slots=True)
class Freed:
    """What was removed: jobs, recordings, uploads, deliveries, and how much room that gave back."""

    jobs: int = 0
    sources: int = 0
    uploads: int = 0
    deliveries: int = 0
    freed_bytes: int = 0


def remove_job(library: Library, job_id: str) -> None:
    """Put a job into the bin. Raises `Conflict` while something is under way in it, and `NotFound`."""
    with library.database.write() as db:
        jobs.get_job_row(db, job_id)
        if records.count_open_tasks(db).get(job_id):
            raise Conflict(
                "this job is still importing or sending; stop that, or wait until it is done, then remove it"
            )
        jobs.set_deleted(db, job_id, library.now())


def restore_job(library: Library, job_id: str) -> None:
    """Take a job out of the bin. Raises `NotFound`."""
    with library.database.write() as db:
        jobs.get_job_row(db, job_id)
        jobs.set_deleted(db, job_id, None)


def empty_bin(library: Library, job_ids: Iterable[str] | None = None) -> Freed:
    """Delete jobs that are in the bin for good, all of them unless some are named, and give their space back."""
    with library.database.read() as db:
        binned = [row.id for row in jobs.list_removed_jobs(db)]
    wanted = binned if job_ids is None else [job_id for job_id in job_ids if job_id in binned]
    return _delete(library, wanted)


def remove_expired(library: Library) -> Freed:
    """Delete what has been in the bin for long enough, uploads that nobody takes up, recordings that no job uses."""
    with library.database.read() as db:
        rows = jobs.list_removed_jobs(db)
    expired = [row.id for row in rows if library.now() - (row.deleted_at or 0.0) > KEPT_FOR_S]
    try:
        return _delete(library, expired)
    except Conflict:
        return Freed()


def remove_delivery(library: Library, task_id: str) -> int:
    """Delete the files of one delivery and return how many bytes that gave back. Raises `NotFound`."""
    with library.database.read() as db:
        task = records.get_task(db, task_id)
    if task.kind != "export" or task.result is None:
        raise NotFound("nothing was sent here")
    freed = _remove_files([library.home.exports / str(task.result["folder_name"])])
    with library.database.write() as db:
        records.delete_task(db, task_id)
    return freed


def _delete(library: Library, job_ids: list[str]) -> Freed:
    """Delete jobs and everything that is left unused; files are moved aside first, so that it happens at once."""
    aside: list[Path] = []
    with library.database.write() as db:
        if records.count_open_tasks(db):
            raise Conflict("files are being imported or sent; try again when that is done")
        folders = records.list_export_folders(db)
        deliveries = [library.home.exports / name for job_id in job_ids for name in folders.get(job_id, [])]
        for job_id in job_ids:
            jobs.delete_job(db, job_id)
        uploads = records.delete_uploads(db, before=library.now() - UPLOAD_KEPT_S)
        unused = records.delete_unused_sources(db, created_before=library.now() - YOUNG_S)
        unwanted = library.home.unread_heard(library.now() - KEPT_FOR_S)
        for path in [*deliveries, *unwanted, *(library.home.source(key) for key in unused)]:
            if path.exists():
                aside.append(path.rename(library.home.scratch / f"removed-{new_id()}"))
    there = list(library.home.uploads.iterdir())  # listed before the rows are read: a part never comes before its row
    kept = _part_names(library)
    freed = _remove_files([*aside, *(path for path in there if path.name not in kept)])
    for source_id in unused:
        library.forget_source(source_id)
    return Freed(len(job_ids), len(unused), uploads, len(deliveries), freed)


def _part_names(library: Library) -> set[str]:
    with library.database.read() as db:
        return {f"{upload.id}.part" for upload in records.list_uploads(db)}


def _remove_files(paths: Iterable[Path]) -> int:
    freed = 0
    for path in paths:
        freed += folder_bytes(path)
        shutil.rmtree(path, ignore_errors=True) if path.is_dir() else path.unlink(missing_ok=True)
    return freed
