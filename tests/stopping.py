"""Stop a process at each of the steps in turn by which an action changes files or rows, as kill -9 would.

The interpreter's audit events tell of every file that is opened for writing, renamed, made, linked or removed, and
SQLite of every transaction that begins or is committed. A child is forked for each stop, which loses nothing but time.
"""

from __future__ import annotations

import faulthandler
import os
import shutil
import sys
from collections.abc import Callable, Iterator, Sequence
from concurrent.futures import Future
from pathlib import Path
from typing import Any

from tests.conftest import linked
from wemble.actions.library import Library
from wemble.actions.work.executor import Report, WorkerPool
from wemble.store.database import Connection, Database

Act = Callable[[Library], object]
_STOPPED = 77
_CHANGES = {"os.rename", "os.remove", "os.mkdir", "os.rmdir", "os.link"}


class InThisProcess(WorkerPool):
    """Does work where it is asked for: what a worker does is stopped as well."""

    def __init__(self) -> None:
        super().__init__(0)

    def submit_reporting(
        self, fn: Callable[..., Any], args: tuple[Any, ...], on_progress: Report, *, behind: bool = False
    ) -> Any:
        future: Future[Any] = Future()
        try:
            future.set_result(fn(lambda part, doing: None, *args))
        except Exception as error:
            future.set_exception(error)
        return future


def opened(home: Path) -> Library:
    """Open a data folder as the next start does."""
    library = Library(home, pool=InThisProcess())
    library.start()
    return library


def stopped_at_each_step(template: Path, act: Act, to: Path) -> Iterator[tuple[int, Path]]:
    """Yield (step, data folder) for each step of an act at which it is stopped; the last one is that of the act done."""
    step = 0
    while True:
        home = to / f"stopped-{step}"
        shutil.copytree(template, home, copy_function=linked)
        code = _forked(home, act, step)
        assert code in (0, _STOPPED), f"stopped at step {step}, it ended with {code}"
        yield step, home
        shutil.rmtree(home)
        if code == 0:
            return
        step += 1


def _forked(home: Path, act: Act, stop_at: int) -> int:
    child = os.fork()
    if child == 0:
        try:
            faulthandler.dump_traceback_later(60, exit=True, file=sys.__stderr__)
            library = opened(home)
            _stop_at(stop_at, home)
            act(library)
            os._exit(0)
        except BaseException as error:
            sys.__stderr__.write(f"{error!r}\n")
            os._exit(1)
    return os.waitstatus_to_exitcode(os.waitpid(child, 0)[1])


def _stop_at(stop_at: int, home: Path) -> None:
    steps = iter(range(1 << 30))

    def step() -> None:
        if next(steps) == stop_at:
            os._exit(_STOPPED)

    def statement(sql: str) -> None:
        if sql.startswith(("BEGIN IMMEDIATE", "COMMIT")):
            step()

    def audit(event: str, args: Sequence[Any]) -> None:
        writes = event == "open" and isinstance(args[2], int) and args[2] & os.O_ACCMODE
        if (event in _CHANGES or writes) and str(home) in str(args[0]):
            step()

    connection_of = Database._connection

    def watched(database: Database, mode: str) -> Connection:
        connection = connection_of(database, mode)
        connection.set_trace_callback(statement)
        return connection

    Database._connection = watched  # type: ignore[method-assign]
    sys.addaudithook(audit)
