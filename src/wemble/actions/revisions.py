"""Edits: the one way to change a job. A pure function of the core, a revision, one transaction."""

from __future__ import annotations

from collections.abc import Callable, Mapping, Sequence
from dataclasses import dataclass
from time import perf_counter
from typing import Any

from wemble.actions.events import event
from wemble.actions.library import Library, new_id
from wemble.core.briefs import Brief
from wemble.core.edit.arrange import with_mutes_of
from wemble.core.edit.changes import Change, difference
from wemble.core.edit.clips import Edited
from wemble.core.edit.model import Job, check_name
from wemble.core.edit.settle import settled
from wemble.errors import Conflict, InvalidInput
from wemble.store import jobs, settings
from wemble.store.database import Connection

MELT_WITHIN_S = 2.0
IMPORT_LABEL = "import "
"""What the labels of revisions begin with by which a recording came in."""
TOGETHER = "together "
"""Edits whose key begins so do not melt; those that follow each other with one key are one step of undo."""
PASSING = jobs.PASSING
"""The key of an edit that is no step of undo, as a mute is: it stays while the steps around it are undone and done again."""


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
    """Edit a job as it was at ``base_revision``; what only came in since then is there as well.

    An edit with the same ``merge_key`` as the one before it, a moment later, melts into it: it becomes a new revision
    on the same parent. One that is no step melts into such a one before it, however long ago that was.

    Raises
    ------
    Conflict
        If that is not the job's newest revision any more; ``details`` has the newest.
    """
    begin = perf_counter()
    with library.database.write() as db:
        head = _head(db, job_id, base_revision)
        before = library.job_at(head.id)
        known = before if head.id == base_revision else library.job_at(base_revision)
        edited = settled(before, change(before))
        parent, since = head, before
        moment = 0.0 <= library.now() - head.created_at <= MELT_WITHIN_S  # a clock set back is no moment
        melts = merge_key is not None and merge_key == head.merge_key and not merge_key.startswith(TOGETHER)
        if melts and head.parent_id is not None and (moment or merge_key == PASSING):
            parent = jobs.get_revision(db, head.parent_id)
            since = library.job_at(parent.id)
        changes = difference(before, edited.job)
        told = changes if known is before else difference(known, edited.job)
        if not changes:
            return _answer(db, head.id, told, edited.notes)
        kept = changes if since is before else difference(since, edited.job)
        revision = jobs.add_revision(db, parent, edited.job, kept, label=label, merge_key=merge_key, now=library.now())
        answer = _answer(db, revision, told, edited.notes)
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
    """Go back to the step before. Raises `InvalidInput` at the first, `Conflict` if the base is stale."""
    with library.database.write() as db:
        head = _head(db, job_id, base_revision, strict=True)
        step = _step(db, head)
        if step.parent_id is None:
            raise InvalidInput("there is nothing to undo")
        target = _step(db, jobs.get_revision(db, step.parent_id))
        while target.parent_id is not None and _is_one_step(step, target):
            target = _step(db, jobs.get_revision(db, target.parent_id))
        return _gone_to(library, db, head, target, _mutes_of_step(library, step))


def redo(library: Library, job_id: str, base_revision: int) -> Answer:
    """Go on to the newest step made on this one. Raises `InvalidInput` if there is none, or `Conflict`."""
    with library.database.write() as db:
        head = _head(db, job_id, base_revision, strict=True)
        target = jobs.newest_step(db, _step(db, head).id)
        if target is None:
            raise InvalidInput("there is nothing to redo")
        while (later := jobs.newest_step(db, target.id)) is not None and _is_one_step(target, later):
            target = later
        return _gone_to(library, db, head, target, _mutes_of_step(library, target))


def _step(db: Connection, revision: jobs.RevisionRow) -> jobs.RevisionRow:
    """Return the step of undo that a revision belongs to: itself, or the one that it passes on from."""
    if revision.merge_key != PASSING or revision.parent_id is None:
        return revision
    return jobs.get_revision(db, revision.parent_id)


def _mutes_of_step(library: Library, step: jobs.RevisionRow) -> frozenset[str]:
    """Return the lanes that a step muted or let sound again, as a mixdown does: there it is no passing act."""
    if step.parent_id is None:
        return frozenset()
    before, after = library.job_at(step.parent_id), library.job_at(step.id)
    return frozenset(
        key
        for key, lane in after.lanes.items()
        if key in before.lanes and (lane.muted, lane.solo) != (before.lanes[key].muted, before.lanes[key].solo)
    )


def _gone_to(
    library: Library, db: Connection, head: jobs.RevisionRow, target: jobs.RevisionRow, but: frozenset[str]
) -> Answer:
    """Make a step the newest state again, with the mutes as they are now, ``but`` for some lanes."""
    now, then = library.job_at(head.id), library.job_at(target.id)
    job = with_mutes_of(then, now, but=but)
    if kept := difference(then, job):
        revision = jobs.add_revision(db, target, job, kept, label="mute", merge_key=PASSING, now=library.now())
    else:
        revision = target.id
        jobs.set_head(db, head.job_id, revision, job)
    return _answer(db, revision, difference(now, job), ())


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


def _head(db: Connection, job_id: str, base_revision: int, *, strict: bool = False) -> jobs.RevisionRow:
    """Return the newest revision. Raises `Conflict` if another than an import, or with ``strict`` anything, came since."""
    row = jobs.get_job_row(db, job_id)
    stale = row.head_revision != base_revision
    if stale and (strict or not _only_came_in(db, row.head_revision, base_revision)):
        raise Conflict(
            "this job was changed elsewhere since this page last loaded it; show the newest state and do it again there",
            details={"revision": row.head_revision, "base_revision": base_revision},
        )
    return jobs.get_revision(db, row.head_revision)


def _only_came_in(db: Connection, head: int, base_revision: int) -> bool:
    """Say whether nothing but recordings came in since a revision: they add, and contradict no edit."""
    at: int | None = head
    while at is not None and at > base_revision:
        revision = jobs.get_revision(db, at)
        if not revision.label.startswith(IMPORT_LABEL):
            return False
        at = revision.parent_id
    return at == base_revision


def _answer(db: Connection, revision_id: int, changes: Sequence[Change], notes: tuple[str, ...]) -> Answer:
    step = _step(db, jobs.get_revision(db, revision_id))
    child = jobs.newest_step(db, step.id)
    undo_label = step.label if step.parent_id is not None else None
    return Answer(revision_id, changes, notes, undo_label, child.label if child else None)
