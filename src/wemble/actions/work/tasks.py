"""Long work as a user sees it: a row with a state and progress, that can be cancelled and started again."""

from __future__ import annotations

import logging
import shutil
import threading
import time
from collections.abc import Callable, Sequence
from concurrent.futures import CancelledError
from dataclasses import replace
from pathlib import Path
from typing import Any, TypeVar

from wemble.actions.events import event, refused
from wemble.actions.library import Library, new_id
from wemble.actions.work.executor import SharedFuture, WorkFuture
from wemble.errors import Cancelled, InvalidInput, Unavailable, WembleError, WorkFailed
from wemble.store import intents, records
from wemble.store.rows import TaskKind, TaskRow, TaskState

EXPORT = "export"
"""The folder, in the scratch folder of a task, of what it sends."""
_WRITE_EVERY_S = 0.25
_RETRY_S = (0.5, 1.0, 2.0, 4.0, *([10.0] * 30))
"""A database that cannot be written to just now is tried again for about five minutes."""
log = logging.getLogger(__name__)
T = TypeVar("T")


def start_task(
    library: Library,
    job_id: str,
    kind: TaskKind,
    title: str,
    request: dict[str, Any],
    function: Callable[..., Any],
    args: tuple[Any, ...],
    when_done: Callable[[Any], dict[str, Any]],
    *,
    shares: Sequence[Any] | None = None,
    in_turn: bool = False,
    behind: bool = False,
) -> str:
    """Record a task, run ``function(report, work, *args)`` in a worker, then ``when_done(result)`` here.

    ``work`` is a scratch folder of its own: whatever is left in it when the task is over, however it ended, goes with
    it, but for the folder `EXPORT` of an export that is done: that becomes a delivery under the task's id. What
    ``when_done`` returns is the task's result. Both may raise a `WembleError`, which becomes the task's.
    With ``shares`` each worker that is free takes one, as a last argument, and the result is the list of theirs.
    Tasks of a job that are done ``in_turn`` run beside each other, but are done in the order in which they were started.
    Those ``behind`` begin when nothing else waits.
    """
    task = TaskRow(new_id(), job_id, kind, title, "waiting", 0.0, "", request, None, None, library.now())
    work = library.home.new_work(task.id)
    try:
        with library.database.write() as db:
            records.add_task(db, task)
    except BaseException:
        shutil.rmtree(work, ignore_errors=True)
        raise
    written: float | None = None  # what is through in a moment needs no progress

    def progress(part: float, doing: str) -> None:
        nonlocal written
        now = time.monotonic()
        written = now if written is None else written
        if now - written >= _WRITE_EVERY_S:
            written = now
            _update(library, task.id, "running", progress=part, doing=doing)

    future: WorkFuture | SharedFuture
    if shares is None:
        future = library.pool.submit_reporting(function, (work, *args), progress, behind=behind)
    else:
        future = library.pool.submit_shares(function, [(work, *args, share) for share in shares], progress)
    library.running[task.id] = future
    # Last of all: a turn that is taken must be given on, or whoever comes next waits for ever.
    before, turn = library.turns.take(job_id) if in_turn else (None, threading.Event())

    def done(result: Any) -> dict[str, Any]:
        if before is not None:
            before.wait()
        return when_done(result)

    threading.Thread(target=_finish, args=(library, task, future, done, turn), daemon=True).start()
    return task.id


def cancel_task(library: Library, task_id: str) -> None:
    """Stop a task. Raises `InvalidInput` if it is over already."""
    future: WorkFuture | SharedFuture | None = library.running.get(task_id)
    if future is None or not future.cancel():
        raise InvalidInput("this has already finished; there is nothing to stop")


def list_tasks(library: Library, job_id: str) -> list[TaskRow]:
    """Return a job's newest tasks, the newest first; what was sent lies where the data folder is now."""
    with library.database.read() as db:
        rows = records.list_tasks(db, job_id)
    return [_with_folder(library, row) for row in rows]


def delivered(library: Library, folder_name: str) -> Path:
    """Return the folder of what was sent."""
    return library.home.path_of("exports", folder_name)


def _with_folder(library: Library, task: TaskRow) -> TaskRow:
    if task.result is None or "folder_name" not in task.result:
        return task
    return replace(task, result={**task.result, "folder": str(delivered(library, str(task.result["folder_name"])))})


def wait_for(library: Library, task_id: str, timeout_s: float = 600.0) -> TaskRow:
    """Wait until a task is over and return it."""
    deadline = time.monotonic() + timeout_s
    while time.monotonic() < deadline:
        with library.database.read() as db:
            task = records.get_task(db, task_id)
        if task.state not in ("waiting", "running"):
            with library.database.write():  # whoever writes next comes when files have their place
                return _with_folder(library, task)
        time.sleep(0.02)
    raise WorkFailed("this takes longer than expected; look again later")


def _finish(
    library: Library,
    task: TaskRow,
    future: WorkFuture | SharedFuture,
    when_done: Callable[[Any], dict[str, Any]],
    turn: threading.Event,
) -> None:
    try:
        state, fields = _outcome(task.id, future, when_done)
        library.running.pop(task.id, None)
        _until_written(lambda: _end(library, task, state, fields))
        library.home.clear_aside()
        _log_outcome(library, task, state, fields)
    finally:
        turn.set()


def _until_written(write: Callable[[], T]) -> T:
    """Do what writes to the database, again while that is not to be had: work that is done is not lost for it."""
    for wait_s in _RETRY_S:
        try:
            return write()
        except Unavailable:
            time.sleep(wait_s)
    return write()


def _log_outcome(library: Library, task: TaskRow, state: TaskState, fields: dict[str, Any]) -> None:
    seconds = round(library.now() - task.created_at, 2)
    about = {"kind": task.kind, "job": task.job_id, "task": task.id, "title": task.title, "seconds": seconds}
    if state == "done":
        event("done", **about)
    else:
        refused(state, **about, why=(fields.get("error") or {}).get("message", ""))


def _outcome(
    task_id: str, future: WorkFuture | SharedFuture, when_done: Callable[[Any], dict[str, Any]]
) -> tuple[TaskState, dict[str, Any]]:
    try:
        result = future.result()
        return "done", {"progress": 1.0, "result": _until_written(lambda: when_done(result))}
    except Cancelled as error:
        return "cancelled", {"error": {"code": error.code, "message": error.message}}
    except CancelledError:
        return "cancelled", {"error": {"code": "cancelled", "message": "stopped before it started"}}
    except WembleError as error:
        return "failed", {"error": {"code": error.code, "message": error.message}}
    except Exception as error:
        log.exception("task %s", task_id)
        return "failed", {"error": {"code": "bug", "message": f"it failed: {error}"}}


def _end(library: Library, task: TaskRow, state: TaskState, fields: dict[str, Any]) -> None:
    """Record how a task ended, give what it sent its place, and remove what it left."""
    work = library.home.scratch / task.id
    with library.database.write() as db:
        records.update_task(db, task.id, state=state, **fields)
        if task.kind == "export" and state == "done":
            intents.place(db, library.home, "exports", task.id, work / EXPORT)
        shutil.rmtree(work, ignore_errors=True)


def _update(library: Library, task_id: str, state: TaskState, **fields: Any) -> None:
    with library.database.write() as db:
        records.update_task(db, task_id, state=state, **fields)
