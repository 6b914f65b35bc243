"""Long work as a user sees it: a row with a state and progress, that can be cancelled and started again."""

from __future__ import annotations

import logging
import shutil
import threading
import time
from collections.abc import Callable
from concurrent.futures import CancelledError
from typing import Any

from wemble.actions.executor import WorkFuture
from wemble.actions.library import Library, new_id
from wemble.errors import Cancelled, InvalidInput, WembleError, WorkFailed
from wemble.store import records

_WRITE_EVERY_S = 0.25
log = logging.getLogger(__name__)


def start_task(
    library: Library,
    job_id: str,
    kind: records.TaskKind,
    title: str,
    request: dict[str, Any],
    function: Callable[..., Any],
    args: tuple[Any, ...],
    when_done: Callable[[Any], dict[str, Any]],
    *,
    in_turn: bool = False,
) -> str:
    """Record a task, run ``function(report, work, *args)`` in a worker, then ``when_done(result)`` here.

    ``work`` is a scratch folder of its own: whatever is left in it when the task is over, however it ended, goes with
    it. What ``when_done`` returns is the task's result. Both may raise a `WembleError`, which becomes the task's.
    Tasks of a job that are done ``in_turn`` run beside each other, but are done in the order in which they were started.
    """
    task = records.TaskRow(new_id(), job_id, kind, title, "waiting", 0.0, "", request, None, None, library.now())
    with library.database.write() as db:
        records.add_task(db, task)
    written: float | None = None  # what is through in a moment needs no progress

    def progress(part: float, doing: str) -> None:
        nonlocal written
        now = time.monotonic()
        written = now if written is None else written
        if now - written >= _WRITE_EVERY_S:
            written = now
            _update(library, task.id, "running", progress=part, doing=doing)

    work = library.home.scratch / task.id
    work.mkdir()
    future = library.pool.submit_reporting(function, (work, *args), progress)
    library.running[task.id] = future
    # Last of all: a turn that is taken must be given on, or whoever comes next waits for ever.
    before, turn = library.turns.take(job_id) if in_turn else (None, threading.Event())

    def done(result: Any) -> dict[str, Any]:
        if before is not None:
            before.wait()
        return when_done(result)

    threading.Thread(target=_finish, args=(library, task.id, future, done, turn), daemon=True).start()
    return task.id


def cancel_task(library: Library, task_id: str) -> None:
    """Stop a task. Raises `InvalidInput` if it is over already."""
    future: WorkFuture | None = library.running.get(task_id)
    if future is None or not future.cancel():
        raise InvalidInput("this is over already; there is nothing to stop")


def wait_for(library: Library, task_id: str, timeout_s: float = 600.0) -> records.TaskRow:
    """Wait until a task is over and return it."""
    deadline = time.monotonic() + timeout_s
    while time.monotonic() < deadline:
        with library.database.read() as db:
            task = records.get_task(db, task_id)
        if task.state not in ("waiting", "running"):
            return task
        time.sleep(0.02)
    raise WorkFailed("it takes longer than expected; look at it again later")


def _finish(
    library: Library,
    task_id: str,
    future: WorkFuture,
    when_done: Callable[[Any], dict[str, Any]],
    turn: threading.Event,
) -> None:
    try:
        state, fields = _outcome(task_id, future, when_done)
        library.running.pop(task_id, None)
        shutil.rmtree(library.home.scratch / task_id, ignore_errors=True)
        _update(library, task_id, state, **fields)
    finally:
        turn.set()


def _outcome(
    task_id: str, future: WorkFuture, when_done: Callable[[Any], dict[str, Any]]
) -> tuple[records.TaskState, dict[str, Any]]:
    try:
        return "done", {"progress": 1.0, "result": when_done(future.result())}
    except Cancelled as error:
        return "cancelled", {"error": {"code": error.code, "message": error.message}}
    except CancelledError:
        return "cancelled", {"error": {"code": "cancelled", "message": "stopped before it began"}}
    except WembleError as error:
        return "failed", {"error": {"code": error.code, "message": error.message}}
    except Exception as error:
        log.exception("task %s", task_id)
        return "failed", {"error": {"code": "bug", "message": f"it failed: {error}"}}


def _update(library: Library, task_id: str, state: records.TaskState, **fields: Any) -> None:
    with library.database.write() as db:
        records.update_task(db, task_id, state=state, **fields)
