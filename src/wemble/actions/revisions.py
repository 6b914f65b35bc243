"""Edits: the one way to change a job. A pure function of the core, a revision, one transaction."""

from __future__ import annotations

from collections.abc import Callable, Mapping, Sequence
from dataclasses import dataclass
from time import perf_counter
from typing import Any

from wemble.actions.events import event
from wemble.actions.library import Library, new_id
from wemble.core.briefs import Brief
from wemble.core.edit.changes import Change, applied, difference, reversed_changes
from wemble.core.edit.clips import Edited
from wemble.core.edit.model import Job, check_name
from wemble.core.edit.settle import settled
from wemble.errors import Conflict, InvalidInput
from wemble.store import jobs, settings
from wemble.store.database import Connection

MELT_WITHIN_S = 2.0
TOGETHER = "together "
"""Edits whose key begins so do not melt; those that follow each other with one key are one step of undo."""


@dataclass(frozen=True, slots=True)
class Answer:
    """What an edit answers: the new revision, what changed, what to tell the user, what undo and redo would do."""

    revision: int
    changes: Sequence[Change]
    notes: tuple[str, ...]
    undo_label: str | None
    redo_label: str | None


def create_job(library: Library, name: str, brief: Brief = "voiceover") -> str:
    """Make a new, empty job and return its id."""
    job_id = new_id()
    job = Job(check_name(name), brief)
    with library.database.write() as db:
        revision = jobs.add_job(db, job_id, job, now=library.now())
    library.keep_job(revision, job)
    return job_id


def edit(
    library: Library,
    job_id: str,
    base_revision: int,
    label: str,
    change: Callable[[Job], Edited],
    *,
    merge_key: str | None = None,
) -> Answer:
    """Edit a job as it was at ``base_revision``.

    An edit with the same ``merge_key`` as the one before it, a moment later, melts into it: it becomes a new revision
    on the same parent.

    Raises
    ------
    Conflict
        If that is not the job's newest revision any more; ``details`` has the newest.
    """
    begin = perf_counter()
    with library.database.write() as db:
        head = _head(db, job_id, base_revision)
        before = library.job_at(head.id)
        edited = settled(before, change(before))
        parent, since = head, before
        moment = 0.0 <= library.now() - head.created_at <= MELT_WITHIN_S  # a clock set back is no moment
        if (
            merge_key
            and not merge_key.startswith(TOGETHER)
            and merge_key == head.merge_key
            and head.parent_id is not None
            and moment
        ):
            parent = jobs.get_revision(db, head.parent_id)
            since = library.job_at(parent.id)
        changes = difference(before, edited.job)
        if not changes:
            return _answer(db, head.id, [], edited.notes)
        kept = changes if since is before else difference(since, edited.job)
        revision = jobs.add_revision(db, parent, edited.job, kept, label=label, merge_key=merge_key, now=library.now())
        answer = _answer(db, revision, changes, edited.notes)
    library.keep_job(revision, edited.job)
    event("edited", job=job_id, revision=revision, label=label, ms=round(1000 * (perf_counter() - begin), 1))
    return answer


def check_newest(library: Library, job_id: str, base_revision: int) -> None:
    """Raise `Conflict` if a revision is not the job's newest, before anything is measured for an edit of it."""
    with library.database.read() as db:
        _head(db, job_id, base_revision)


def edit_newest(library: Library, job_id: str, label: str, change: Callable[[Job], Edited]) -> Answer:
    """Edit whatever is newest: for what adds and never contradicts, like bringing a source in."""
    with library.database.write() as db:
        return edit(library, job_id, jobs.get_job_row(db, job_id).head_revision, label, change)


def undo(library: Library, job_id: str, base_revision: int) -> Answer:
    """Go back to the revision before. Raises `InvalidInput` at the first, `Conflict` if the base is stale."""
    with library.database.write() as db:
        head = _head(db, job_id, base_revision)
        if head.parent_id is None:
            raise InvalidInput("there is nothing to undo")
        changes = reversed_changes(jobs.get_changes(db, head.id))
        target = jobs.get_revision(db, head.parent_id)
        while target.parent_id is not None and _is_one_step(head, target):
            changes += reversed_changes(jobs.get_changes(db, target.id))
            target = jobs.get_revision(db, target.parent_id)
        jobs.set_head(db, job_id, target.id, library.job_at(target.id))
        return _answer(db, target.id, changes, ())


def redo(library: Library, job_id: str, base_revision: int) -> Answer:
    """Go on to the newest revision made on this one. Raises `InvalidInput` if there is none, or `Conflict`."""
    with library.database.write() as db:
        head = _head(db, job_id, base_revision)
        child = jobs.newest_child(db, head.id)
        if child is None:
            raise InvalidInput("there is nothing to redo")
        changes = jobs.get_changes(db, child.id)
        while (later := jobs.newest_child(db, child.id)) is not None and _is_one_step(child, later):
            child = later
            changes += jobs.get_changes(db, child.id)
        job = applied(library.job_at(head.id), changes)
        jobs.set_head(db, job_id, child.id, job)
        answer = _answer(db, child.id, changes, ())
    library.keep_job(child.id, job)
    return answer


def _is_one_step(one: jobs.RevisionRow, other: jobs.RevisionRow) -> bool:
    """Say whether two revisions that follow each other are undone and done again together."""
    return one.merge_key is not None and one.merge_key.startswith(TOGETHER) and one.merge_key == other.merge_key


@dataclass(frozen=True, slots=True)
class Opened:
    """A job as it is opened: its newest state."""

    id: str
    revision: int
    job: Job
    undo_label: str | None
    redo_label: str | None
    settings: Mapping[str, Any]


def open_job(library: Library, job_id: str) -> Opened:
    """Return a job's newest state. Raises `NotFound`."""
    with library.database.read() as db:
        row = jobs.get_job_row(db, job_id)
        answer = _answer(db, row.head_revision, [], ())
        kept = settings.get_settings(db, job_id)
    job = library.job_at(row.head_revision)
    return Opened(job_id, row.head_revision, job, answer.undo_label, answer.redo_label, kept)


def _head(db: Connection, job_id: str, base_revision: int) -> jobs.RevisionRow:
    row = jobs.get_job_row(db, job_id)
    if row.head_revision != base_revision:
        raise Conflict(
            "this job was changed elsewhere since this page last loaded it; show the newest state and do it again there",
            details={"revision": row.head_revision, "base_revision": base_revision},
        )
    return jobs.get_revision(db, row.head_revision)


def _answer(db: Connection, revision_id: int, changes: Sequence[Change], notes: tuple[str, ...]) -> Answer:
    revision = jobs.get_revision(db, revision_id)
    child = jobs.newest_child(db, revision_id)
    undo_label = revision.label if revision.parent_id is not None else None
    return Answer(revision_id, changes, notes, undo_label, child.label if child else None)
