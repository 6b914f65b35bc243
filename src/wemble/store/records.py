"""Sources, uploads, long work and recipes: one row each."""

from __future__ import annotations

import json
import sqlite3
from collections.abc import Sequence
from dataclasses import replace
from typing import Any

from pydantic import TypeAdapter, ValidationError

from wemble.core.edges.recipe import HitRecipe, Recipe
from wemble.errors import InvalidInput, NotFound
from wemble.store.rows import Floors, SourceRow, TaskRow, TaskState, UploadRow

_FLOORS = TypeAdapter(Floors)
NEWEST_TASKS = 50
_RECIPE: TypeAdapter[Recipe | HitRecipe] = TypeAdapter(Recipe | HitRecipe)
_SOURCE = TypeAdapter(SourceRow)


def dump_source(source: SourceRow) -> Any:
    """Return a source's row as what JSON can hold."""
    return _SOURCE.dump_python(source, mode="json")


def load_source(value: Any) -> SourceRow:
    """Return the source's row that `dump_source` made this of. Raises `InvalidInput`."""
    try:
        return _SOURCE.validate_python(value)
    except ValidationError as error:
        raise InvalidInput(f"a source in this saved job cannot be read: {error.errors()[0]['msg']}") from error


def renamed_source(source: SourceRow, source_id: str) -> SourceRow:
    """Return a source's row under another id."""
    return replace(source, id=source_id)


def add_source(db: sqlite3.Connection, source: SourceRow, *, now: float) -> None:
    """Store a source, unless it is there already."""
    db.execute(
        "INSERT INTO source (id, file_sha256, decoder, kind, rate_hz, channels, frames, peak, floors, notes, created_at) "
        "VALUES (:id, :sha, :decoder, :kind, :rate, :channels, :frames, :peak, :floors, :notes, :now) "
        "ON CONFLICT (id) DO UPDATE SET created_at = excluded.created_at",  # it is asked for again: young once more
        {
            "id": source.id, "sha": source.file_sha256, "decoder": source.decoder, "kind": source.kind,
            "rate": source.rate_hz, "channels": source.channels, "frames": source.frames, "peak": source.peak,
            "floors": _FLOORS.dump_json(source.floors).decode(), "notes": json.dumps(source.notes), "now": now,
        },
    )  # fmt: skip


def get_source(db: sqlite3.Connection, source_id: str) -> SourceRow:
    """Return a source. Raises `NotFound`."""
    row = db.execute(
        "SELECT id, file_sha256, decoder, kind, rate_hz, channels, frames, peak, floors, notes FROM source WHERE id = :id",
        {"id": source_id},
    ).fetchone()
    if row is None:
        raise NotFound(f"there is no source {source_id}")
    fields = dict(row)
    fields["floors"] = _FLOORS.validate_json(fields["floors"])
    fields["notes"] = tuple(json.loads(fields["notes"]))
    return SourceRow(**fields)


def delete_unused_sources(db: sqlite3.Connection, *, created_before: float) -> list[str]:
    """Forget the sources that no revision of any job holds and no piece is of, unless they are young, and return their ids."""
    rows = db.execute(
        "DELETE FROM source WHERE created_at < :before AND id NOT IN ("
        " SELECT entity_id FROM change WHERE kind = 'sources'"
        " UNION SELECT source_id FROM piece"
        " UNION SELECT held.key FROM checkpoint, json_each(checkpoint.state, '$.sources') AS held"
        ") RETURNING id",
        {"before": created_before},
    ).fetchall()
    return [row["id"] for row in rows]


def list_source_ids(db: sqlite3.Connection) -> list[str]:
    """Return the ids of all sources."""
    return [row["id"] for row in db.execute("SELECT id FROM source ORDER BY id")]


def add_upload(db: sqlite3.Connection, upload: UploadRow, *, now: float) -> None:
    """Store an upload that begins."""
    db.execute(
        "INSERT INTO upload (id, job_id, name, size_bytes, created_at) VALUES (:id, :job, :name, :size, :now)",
        {"id": upload.id, "job": upload.job_id, "name": upload.name, "size": upload.size_bytes, "now": now},
    )


def get_upload(db: sqlite3.Connection, upload_id: str) -> UploadRow:
    """Return an upload. Raises `NotFound`."""
    row = db.execute("SELECT id, job_id, name, size_bytes FROM upload WHERE id = :id", {"id": upload_id}).fetchone()
    if row is None:
        raise NotFound("there is no such upload; begin it again")
    return UploadRow(**dict(row))


def delete_upload(db: sqlite3.Connection, upload_id: str) -> None:
    """Forget an upload."""
    db.execute("DELETE FROM upload WHERE id = :id", {"id": upload_id})


def delete_uploads(db: sqlite3.Connection, upload_ids: Sequence[str]) -> None:
    """Forget uploads."""
    db.executemany("DELETE FROM upload WHERE id = :id", [{"id": one} for one in upload_ids])


def list_uploads(db: sqlite3.Connection, *, of_jobs: Sequence[str], before: float) -> list[str]:
    """Return the ids of uploads of some jobs, and of all that were begun before a moment."""
    query = "SELECT id FROM upload WHERE created_at < :before OR job_id IN (SELECT value FROM json_each(:jobs))"
    return [row["id"] for row in db.execute(query, {"before": before, "jobs": json.dumps(list(of_jobs))})]


def list_upload_ids(db: sqlite3.Connection) -> list[str]:
    """Return the ids of the uploads that have not become an import yet."""
    return [row["id"] for row in db.execute("SELECT id FROM upload")]


def add_task(db: sqlite3.Connection, task: TaskRow) -> None:
    """Store a piece of long work."""
    db.execute(
        "INSERT INTO task (id, job_id, kind, title, state, request, created_at) "
        "VALUES (:id, :job, :kind, :title, :state, :request, :now)",
        {
            "id": task.id, "job": task.job_id, "kind": task.kind, "title": task.title, "state": task.state,
            "request": json.dumps(task.request), "now": task.created_at,
        },
    )  # fmt: skip


def update_task(
    db: sqlite3.Connection,
    task_id: str,
    *,
    state: TaskState,
    progress: float = 0.0,
    doing: str = "",
    result: dict[str, Any] | None = None,
    error: dict[str, Any] | None = None,
) -> None:
    """Record how far a task is."""
    db.execute(
        "UPDATE task SET state = :state, progress = :progress, doing = :doing, result = :result, error = :error WHERE id = :id",
        {
            "id": task_id, "state": state, "progress": progress, "doing": doing,
            "result": json.dumps(result) if result is not None else None,
            "error": json.dumps(error) if error is not None else None,
        },
    )  # fmt: skip


def get_task(db: sqlite3.Connection, task_id: str) -> TaskRow:
    """Return a task. Raises `NotFound`."""
    rows = _tasks(db.execute("SELECT * FROM task WHERE id = :id", {"id": task_id}))
    if not rows:
        raise NotFound("there is no such task")
    return rows[0]


def get_import_of(db: sqlite3.Connection, upload_id: str) -> TaskRow | None:
    """Return the newest import of an upload, if one was started."""
    query = "SELECT * FROM task WHERE json_extract(request, '$.upload_id') = :id ORDER BY created_at DESC LIMIT 1"
    rows = _tasks(db.execute(query, {"id": upload_id}))
    return rows[0] if rows else None


def list_tasks(db: sqlite3.Connection, job_id: str) -> list[TaskRow]:
    """Return a job's newest tasks, the newest first: what is asked for often while hundreds of files are imported."""
    newest = "SELECT * FROM task WHERE job_id = :id AND deleted_at IS NULL ORDER BY created_at DESC, id LIMIT :most"
    return _tasks(db.execute(newest, {"id": job_id, "most": NEWEST_TASKS}))


def count_open_tasks(db: sqlite3.Connection) -> dict[str, int]:
    """Return how many tasks are under way, by job."""
    rows = db.execute("SELECT job_id, count(*) AS n FROM task WHERE state IN ('waiting', 'running') GROUP BY job_id")
    return {row["job_id"]: row["n"] for row in rows}


def list_export_folders(db: sqlite3.Connection) -> dict[str, list[str]]:
    """Return the names of the folders with what was sent, by job."""
    folders: dict[str, list[str]] = {}
    rows = db.execute(
        "SELECT job_id, json_extract(result, '$.folder_name') AS folder FROM task WHERE kind = 'export' AND state = 'done'"
    )
    for row in rows:
        if row["folder"] is not None:
            folders.setdefault(row["job_id"], []).append(row["folder"])
    return folders


def list_sent_revisions(db: sqlite3.Connection) -> set[int]:
    """Return the revisions of all jobs that were sent, and not only saved or rehearsed."""
    rows = db.execute(
        "SELECT json_extract(request, '$.revision') AS revision FROM task "
        "WHERE kind = 'export' AND state = 'done' AND json_extract(result, '$.saved') IS NULL "
        "AND json_extract(request, '$.rehearsal') IS NULL AND deleted_at IS NULL"
    )
    return {row["revision"] for row in rows if row["revision"] is not None}


def set_task_deleted(db: sqlite3.Connection, task_id: str, at: float | None) -> None:
    """Put what was sent into the bin, or take it out."""
    db.execute("UPDATE task SET deleted_at = :at WHERE id = :id", {"id": task_id, "at": at})


def list_removed_exports(db: sqlite3.Connection) -> list[TaskRow]:
    """Return what was sent and lies in the bin, though its job does not, the newest first."""
    return _tasks(
        db.execute(
            "SELECT task.* FROM task JOIN job ON job.id = task.job_id "
            "WHERE task.deleted_at IS NOT NULL AND job.deleted_at IS NULL ORDER BY task.deleted_at DESC, task.id"
        )
    )


def delete_removed_exports(db: sqlite3.Connection, *, removed_before: float) -> list[str]:
    """Forget what was sent and has been in the bin since a moment or longer, and return the names of its folders."""
    rows = db.execute(
        "DELETE FROM task WHERE deleted_at <= :before RETURNING json_extract(result, '$.folder_name') AS folder",
        {"before": removed_before},
    ).fetchall()
    return [row["folder"] for row in rows if row["folder"] is not None]


def mentioned_pictures(db: sqlite3.Connection) -> set[str]:
    """Return the names of the pictures that a mark of any revision, a setting or a task speaks of."""
    rows = db.execute(
        "SELECT json_extract(after, '$.picture') AS name FROM change WHERE kind = 'marks' AND after IS NOT NULL "
        "UNION SELECT json_extract(mark.value, '$.picture') FROM checkpoint, json_each(checkpoint.state, '$.marks') AS mark "
        "UNION SELECT said.atom FROM job_setting, json_tree(job_setting.value) AS said WHERE said.type = 'text' "
        "UNION SELECT said.atom FROM task, json_tree(task.request) AS said WHERE said.type = 'text'"
    )
    return {row["name"] for row in rows if row["name"]}


def delete_task(db: sqlite3.Connection, task_id: str) -> None:
    """Forget a task."""
    db.execute("DELETE FROM task WHERE id = :id", {"id": task_id})


def mark_interrupted(db: sqlite3.Connection) -> None:
    """Mark what was under way when the server went away."""
    db.execute("UPDATE task SET state = 'interrupted' WHERE state IN ('waiting', 'running')")


def _tasks(rows: sqlite3.Cursor) -> list[TaskRow]:
    out = []
    for row in map(dict, rows):
        for name in ("request", "result", "error"):
            row[name] = json.loads(row[name]) if row[name] is not None else None
        out.append(TaskRow(**row))
    return out


def update_recipe(db: sqlite3.Connection, name: str, recipe: Recipe | HitRecipe, *, now: float) -> None:
    """Save a recipe under a name, in place of an earlier one of that name."""
    db.execute(
        "INSERT INTO recipe (name, body, updated_at) VALUES (:name, :body, :now) "
        "ON CONFLICT (name) DO UPDATE SET body = excluded.body, updated_at = excluded.updated_at",
        {"name": name, "body": _RECIPE.dump_json(recipe).decode(), "now": now},
    )


def list_recipes(db: sqlite3.Connection) -> dict[str, Recipe | HitRecipe]:
    """Return the saved recipes by name."""
    rows = db.execute("SELECT name, body FROM recipe ORDER BY name COLLATE NOCASE")
    return {row["name"]: _RECIPE.validate_json(row["body"]) for row in rows}


def delete_recipe(db: sqlite3.Connection, name: str) -> None:
    """Forget a recipe. Raises `NotFound`."""
    if not db.execute("DELETE FROM recipe WHERE name = :name", {"name": name}).rowcount:
        raise NotFound(f"there is no recipe {name!r}")
