"""Jobs and their revisions."""

from __future__ import annotations

import json
import sqlite3
from collections.abc import Sequence
from dataclasses import dataclass
from typing import Any

from pydantic import TypeAdapter, ValidationError

from wemble.core.edit.changes import Change, OwnFields, applied
from wemble.core.edit.model import Clip, Cue, Finding, Job, Join, Lane, Mark, SourceUse
from wemble.errors import InvalidInput, NotFound

CHECKPOINT_EVERY = 200
_LARGEST_ID = (1 << 63) - 1
ARCHIVE_VERSION = 2
PASSING = "passing"
"""The merge key of revisions that are no step of undo."""
_RENAMED_KEYS = (
    ("made", "origin"),
    ("said", "decision"),
    ("head_walked", "head_review"),
    ("tail_walked", "tail_review"),
)
"""Keys of saved jobs of version 1, and of the database before its third schema (there a migration renamed them)."""

_JOB = TypeAdapter(Job)
_ENTITIES: dict[str, TypeAdapter[Any]] = {
    "sources": TypeAdapter(SourceUse),
    "lanes": TypeAdapter(Lane),
    "clips": TypeAdapter(Clip),
    "joins": TypeAdapter(Join),
    "marks": TypeAdapter(Mark),
    "findings": TypeAdapter(Finding),
    "cues": TypeAdapter(Cue),
    "job": TypeAdapter(OwnFields),
}


@dataclass(frozen=True, slots=True)
class JobRow:
    """A job as the list shows it."""

    id: str
    name: str
    brief: str
    head_revision: int
    created_at: float
    opened_at: float | None = None
    deleted_at: float | None = None


@dataclass(frozen=True, slots=True)
class RevisionRow:
    """One step in a job's history. ``depth`` counts the steps from the first."""

    id: int
    job_id: str
    parent_id: int | None
    depth: int
    label: str
    merge_key: str | None
    created_at: float


def add_job(db: sqlite3.Connection, job_id: str, job: Job, *, now: float) -> int:
    """Store a new job with its first revision and return that."""
    db.execute(
        "INSERT INTO job (id, name, brief, created_at) VALUES (:id, :name, :brief, :now)",
        {"id": job_id, "name": job.name, "brief": job.brief, "now": now},
    )
    revision = _add_revision_row(db, job_id, None, 0, "new job", None, now)
    _add_checkpoint(db, revision, job)
    _set_head(db, job_id, revision, job)
    return revision


def list_jobs(db: sqlite3.Connection) -> list[JobRow]:
    """Return all jobs that are not in the bin, the one opened last first."""
    rows = db.execute(
        "SELECT * FROM job WHERE deleted_at IS NULL ORDER BY max(created_at, ifnull(opened_at, 0)) DESC, id"
    )
    return [JobRow(**row) for row in map(dict, rows)]


def list_removed_jobs(db: sqlite3.Connection) -> list[JobRow]:
    """Return the jobs in the bin, the newest first."""
    rows = db.execute("SELECT * FROM job WHERE deleted_at IS NOT NULL ORDER BY deleted_at DESC, id")
    return [JobRow(**row) for row in map(dict, rows)]


def get_job_row(db: sqlite3.Connection, job_id: str) -> JobRow:
    """Return one job. Raises `NotFound`."""
    row = db.execute("SELECT * FROM job WHERE id = :id", {"id": job_id}).fetchone()
    if row is None:
        raise NotFound("there is no such job; go back to the start page")
    return JobRow(**dict(row))


def get_revision(db: sqlite3.Connection, revision_id: int) -> RevisionRow:
    """Return one revision. Raises `NotFound`."""
    if not 0 < revision_id <= _LARGEST_ID:
        raise NotFound(f"there is no revision {revision_id}")
    row = db.execute(
        "SELECT id, job_id, parent_id, depth, label, merge_key, created_at FROM revision WHERE id = :id",
        {"id": revision_id},
    ).fetchone()
    if row is None:
        raise NotFound(f"there is no revision {revision_id}")
    return RevisionRow(**dict(row))


def newest_step(db: sqlite3.Connection, revision_id: int) -> RevisionRow | None:
    """Return what redo would go to: the newest step made on this one, or on what only passes on from it."""
    row = db.execute(
        "SELECT max(id) FROM revision WHERE merge_key IS NOT :passing AND (parent_id = :id OR parent_id IN "
        "(SELECT id FROM revision WHERE parent_id = :id AND merge_key = :passing))",
        {"id": revision_id, "passing": PASSING},
    ).fetchone()
    return get_revision(db, row[0]) if row[0] is not None else None


def add_revision(
    db: sqlite3.Connection,
    parent: RevisionRow,
    job: Job,
    changes: Sequence[Change],
    *,
    label: str,
    merge_key: str | None,
    now: float,
) -> int:
    """Store an edit as a revision on its parent, and make it the job's head."""
    revision = _add_revision_row(db, parent.job_id, parent.id, parent.depth + 1, label, merge_key, now)
    db.executemany(
        "INSERT INTO change (revision_id, number, kind, entity_id, before, after) "
        "VALUES (:revision, :number, :kind, :entity, :before, :after)",
        [
            {
                "revision": revision,
                "number": number,
                "kind": change.kind,
                "entity": change.entity_id,
                "before": _dump(change.kind, change.before),
                "after": _dump(change.kind, change.after),
            }
            for number, change in enumerate(changes)
        ],
    )
    if (parent.depth + 1) % CHECKPOINT_EVERY == 0:
        _add_checkpoint(db, revision, job)
    _set_head(db, parent.job_id, revision, job)
    return revision


def set_head(db: sqlite3.Connection, job_id: str, revision_id: int, job: Job) -> None:
    """Make another revision the job's head: undo and redo."""
    _set_head(db, job_id, revision_id, job)


def set_opened(db: sqlite3.Connection, job_id: str, *, now: float) -> None:
    """Note when a job was opened. Raises `NotFound`."""
    if not db.execute("UPDATE job SET opened_at = :now WHERE id = :id", {"id": job_id, "now": now}).rowcount:
        raise NotFound("there is no such job; go back to the start page")


def set_deleted(db: sqlite3.Connection, job_id: str, at: float | None) -> None:
    """Put a job into the bin, or take it out."""
    db.execute("UPDATE job SET deleted_at = :at WHERE id = :id", {"id": job_id, "at": at})


def delete_job(db: sqlite3.Connection, job_id: str) -> None:
    """Delete a job for good, with its history, its uploads, its tasks and its settings."""
    db.execute("UPDATE job SET head_revision = NULL WHERE id = :id", {"id": job_id})
    db.execute("UPDATE revision SET parent_id = NULL WHERE job_id = :id", {"id": job_id})
    db.execute("DELETE FROM job WHERE id = :id", {"id": job_id})


def get_changes(db: sqlite3.Connection, revision_id: int) -> list[Change]:
    """Return the changes of a revision in order."""
    rows = db.execute(
        "SELECT kind, entity_id, before, after FROM change WHERE revision_id = :id ORDER BY number",
        {"id": revision_id},
    )
    return [
        Change(r["kind"], r["entity_id"], _load(r["kind"], r["before"]), _load(r["kind"], r["after"])) for r in rows
    ]


def get_state(db: sqlite3.Connection, revision_id: int) -> Job:
    """Return the job at a revision: the nearest checkpoint before it, and every change since."""
    path: list[int] = []
    at: int | None = get_revision(db, revision_id).id
    while at is not None:
        checkpoint = db.execute("SELECT state FROM checkpoint WHERE revision_id = :id", {"id": at}).fetchone()
        if checkpoint is not None:
            job = _JOB.validate_json(checkpoint["state"])
            for step in reversed(path):
                job = applied(job, get_changes(db, step))
            return job
        path.append(at)
        at = get_revision(db, at).parent_id
    raise NotFound(f"revision {revision_id} has no beginning")


def dump_job(job: Job) -> Any:
    """Return a job as what JSON can hold."""
    return _JOB.dump_python(job, mode="json")


def load_job(value: Any, version: int = ARCHIVE_VERSION) -> Job:
    """Return the job that `dump_job` made this of, in a saved job of a version. Raises `InvalidInput`."""
    text = json.dumps(value)
    if version < ARCHIVE_VERSION:
        for old, new in _RENAMED_KEYS:
            text = text.replace(f'"{old}":', f'"{new}":')
    try:
        return _JOB.validate_json(text)
    except ValidationError as error:
        raise InvalidInput(f"the job in this file cannot be read: {error.errors()[0]['msg']}") from error


def _dump(kind: str, value: Any) -> str | None:
    return None if value is None else _ENTITIES[kind].dump_json(value).decode()


def _load(kind: str, text: str | None) -> Any:
    return None if text is None else _ENTITIES[kind].validate_json(text)


def _add_revision_row(
    db: sqlite3.Connection,
    job_id: str,
    parent_id: int | None,
    depth: int,
    label: str,
    merge_key: str | None,
    now: float,
) -> int:
    cursor = db.execute(
        "INSERT INTO revision (job_id, parent_id, depth, label, merge_key, created_at) "
        "VALUES (:job, :parent, :depth, :label, :merge_key, :now)",
        {
            "job": job_id,
            "parent": parent_id,
            "depth": depth,
            "label": label,
            "merge_key": merge_key,
            "now": now,
        },
    )
    assert cursor.lastrowid is not None
    return cursor.lastrowid


def _add_checkpoint(db: sqlite3.Connection, revision_id: int, job: Job) -> None:
    db.execute(
        "INSERT INTO checkpoint (revision_id, state) VALUES (:id, :state)",
        {"id": revision_id, "state": _JOB.dump_json(job).decode()},
    )


def _set_head(db: sqlite3.Connection, job_id: str, revision_id: int, job: Job) -> None:
    db.execute(
        "UPDATE job SET head_revision = :revision, name = :name WHERE id = :id",
        {"id": job_id, "revision": revision_id, "name": job.name},
    )
