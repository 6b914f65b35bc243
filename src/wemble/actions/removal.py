"""Removing: jobs go into a bin first, and everything that nobody needs any more gives its space back.

A job, or what was sent of one, can be restored from the bin for `KEPT_FOR_S`. A recording is removed when no job holds
it in any of its revisions, in the bin or not, since undo may bring it back; a picture when nothing speaks of it. What
lanes hear of each other goes when nobody asked for it for as long: it is measured again when somebody does. While files
are being imported nothing is removed: their jobs do not know of their recordings yet.
"""

from __future__ import annotations

from collections.abc import Iterable
from dataclasses import dataclass

from wemble.actions.library import Library
from wemble.errors import Conflict, NotFound
from wemble.store import intents, jobs, records
from wemble.store.files import Room
from wemble.store.rows import TaskRow

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


def remove_delivery(library: Library, task_id: str) -> None:
    """Put what was sent into the bin. Raises `NotFound`."""
    with library.database.write() as db:
        _delivery(records.get_task(db, task_id))
        records.set_task_deleted(db, task_id, library.now())


def restore_delivery(library: Library, task_id: str) -> None:
    """Take what was sent out of the bin. Raises `NotFound`."""
    with library.database.write() as db:
        _delivery(records.get_task(db, task_id))
        records.set_task_deleted(db, task_id, None)


def empty_bin(library: Library) -> Freed:
    """Delete everything that is in the bin for good, and give its space back. Raises `Conflict` while files come in or are sent."""
    return _delete(library, in_bin_since=library.now())


def remove_expired(library: Library) -> Freed:
    """Delete what has been in the bin for long enough, uploads that nobody takes up, recordings that no job uses."""
    try:
        return _delete(library, in_bin_since=library.now() - KEPT_FOR_S)
    except Conflict:
        return Freed()


def _delivery(task: TaskRow) -> TaskRow:
    if task.kind != "export" or task.result is None:
        raise NotFound("nothing was sent here")
    return task


def _delete(library: Library, *, in_bin_since: float) -> Freed:
    """Delete what has been in the bin since then, and everything that is left unused."""
    now = library.now()
    with library.database.write() as db:
        if records.count_open_tasks(db):
            raise Conflict("files are being imported or sent; try again when that is done")
        job_ids = [row.id for row in jobs.list_removed_jobs(db) if (row.deleted_at or 0.0) <= in_bin_since]
        sent_in_jobs = records.list_export_folders(db)
        deliveries = [name for job_id in job_ids for name in sent_in_jobs.get(job_id, [])]
        uploads = records.list_uploads(db, of_jobs=job_ids, before=now - UPLOAD_KEPT_S)
        for job_id in job_ids:
            jobs.delete_job(db, job_id)
        deliveries += records.delete_removed_exports(db, removed_before=in_bin_since)
        records.delete_uploads(db, uploads)
        unused = records.delete_unused_sources(db, created_before=now - YOUNG_S)
        pictures = set(library.home.older_than("pictures", now - YOUNG_S)) - records.mentioned_pictures(db)
        unread = library.home.older_than("heard", now - KEPT_FOR_S)
        wanted: dict[Room, Iterable[str]] = {
            "exports": deliveries, "uploads": [f"{one}.part" for one in uploads], "sources": unused, "pictures": pictures,
            "heard": unread,
        }  # fmt: skip
        for room, names in wanted.items():
            for name in names:
                intents.remove(db, room, name)
    for source_id in unused:
        library.forget_source(source_id)
    return Freed(len(job_ids), len(unused), len(uploads), len(deliveries), library.home.clear_aside())
