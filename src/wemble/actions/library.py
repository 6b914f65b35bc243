"""What every action works on: the data folder, the database, the reader, the workers, and what is kept in memory."""

from __future__ import annotations

import gc
import os
import secrets
import time
from collections import OrderedDict
from collections.abc import Callable, Hashable
from functools import partial
from pathlib import Path
from threading import Event, Lock
from typing import Any, TypeVar

from wemble.actions.sources.decode import measured_source
from wemble.actions.work.executor import WorkerPool
from wemble.core.edges.refine import Read
from wemble.core.edges.search import Measured
from wemble.core.edit.hearing import Hearing, as_heard
from wemble.core.edit.model import Job
from wemble.core.render import RenderPlan
from wemble.core.signal.levels import SILENCE_DB
from wemble.errors import NotFound
from wemble.store import intents, jobs, records
from wemble.store.database import Database
from wemble.store.files import FileReader, Home, folder_bytes
from wemble.store.home_lock import HomeLock
from wemble.store.rows import SourceRow

T = TypeVar("T")
_LOCK_WAIT_S = 2.0
_COLLECT_RARELY = (50_000, 50, 50)
WORKERS = 2


def default_home() -> Path:
    """Return ``WEMBLE_HOME``, or a folder of the user's data folder."""
    if given := os.environ.get("WEMBLE_HOME"):
        return Path(given).expanduser().resolve()
    data = os.environ.get("XDG_DATA_HOME") or Path.home() / ".local" / "share"
    return Path(data) / "wemble"


def new_id() -> str:
    """Return a name that nobody can guess, for what has none of its own."""
    return secrets.token_hex(8)


class _Recent:
    """A small cache: the most recently used values of a pure function."""

    def __init__(self, most: int):
        self._values: OrderedDict[Hashable, Any] = OrderedDict()
        self._most = most
        self._lock = Lock()

    def get(self, key: Hashable, make: Callable[[], T]) -> T:
        with self._lock:
            if key in self._values:
                self._values.move_to_end(key)
                kept: T = self._values[key]
                return kept
        value = make()
        with self._lock:
            self._values[key] = value
            self._values.move_to_end(key)
            while len(self._values) > self._most:
                self._values.popitem(last=False)
        return value

    def __contains__(self, key: Hashable) -> bool:
        with self._lock:
            return key in self._values

    def put(self, key: Hashable, value: object) -> None:
        """Set a value, over one that is there."""
        with self._lock:
            self._values[key] = value
            self._values.move_to_end(key)
            while len(self._values) > self._most:
                self._values.popitem(last=False)

    def drop(self, key: Hashable) -> None:
        """Forget a value."""
        with self._lock:
            self._values.pop(key, None)


class _Turns:
    """Who is next, by key: each waits for the one that came before it, however long that takes."""

    def __init__(self) -> None:
        self._last: dict[str, Event] = {}
        self._lock = Lock()

    def take(self, key: str) -> tuple[Event | None, Event]:
        """Return what is set when the one before is through, if there is one, and what to set when this one is."""
        mine = Event()
        with self._lock:
            before = self._last.get(key)
            self._last[key] = mine
        return before, mine


class Library:
    """One data folder, opened."""

    def __init__(self, root: Path, *, workers: int = WORKERS, pool: WorkerPool | None = None):
        self.home = Home(root)
        self.lock = HomeLock(root)
        self.database = Database(self.home.database)
        self.database.after_write = self._after_write
        self.reader = FileReader(self.home)
        self.pool = pool or WorkerPool(workers)
        self._asked = pool or WorkerPool(1)
        self._own_pool = pool is None
        self.running: dict[str, Any] = {}
        self.turns = _Turns()
        self.finishing = Lock()
        self._jobs, self._plans = _Recent(32), _Recent(8)
        self._measured, self._sources = _Recent(16), _Recent(4096)
        self.edge_verdicts = _Recent(100_000)
        self.hit_levels, self.head_pictures, self.takes = _Recent(3_000), _Recent(3_000), _Recent(500)
        self._loudest = _Recent(20_000)
        self.hit_sets, self.programmes = _Recent(4), _Recent(500)
        self.found_sounds, self.found_fades = _Recent(3_000), _Recent(3_000)
        self.own_sounds, self.loudness = _Recent(8), _Recent(64)
        self.shows, self.show_bodies = _Recent(8), _Recent(64)
        self._sizes = _Recent(4096)
        self._job_ids = _Recent(4096)
        self.job_pictures = _Recent(500)

    def now(self) -> float:
        """Return the time, in seconds since 1970."""
        return time.time()

    def start(self) -> None:
        """Take over the folder after a restart: what was under way is marked, what was half made is removed.

        Jobs of ten thousand clips are kept in memory by revision; they hold no cycles, and a full collection that walks
        through all of them costs a tenth of a second. So it comes rarely (measured in ``bench/cost.py``).
        """
        self.lock.hold(_LOCK_WAIT_S)
        gc.set_threshold(*_COLLECT_RARELY)
        with self.database.write() as db:
            records.mark_interrupted(db)
        self.home.empty_scratch()

    def _after_write(self, committed: bool) -> None:
        """Let files follow their rows."""
        if committed:
            self.home.stay()
            intents.carry_out(self.database, self.home)
        else:
            self.home.turn_back()

    def close(self) -> None:
        """End the workers and close every file."""
        if self._own_pool:
            self.pool.shutdown()
            self._asked.shutdown()
        self.reader.close()
        self.database.close()
        self.lock.release()

    def ask(self, fn: Callable[..., T], *args: object) -> T:
        """Return ``fn(report, *args)``, computed in a worker that is kept for such questions.

        Here it would hold up whatever else is asked meanwhile, and among the long works it would wait for them.
        """
        answer: T = self._asked.submit(fn, *args).result()
        return answer

    def job_at(self, revision_id: int) -> Job:
        """Return a job at a revision; jobs that are open are kept in memory."""

        def load() -> Job:
            with self.database.read() as db:
                return jobs.get_state(db, revision_id)

        return self._jobs.get(revision_id, load)

    def check_revision(self, job_id: str, revision_id: int) -> None:
        """Raise `NotFound` if a revision is not one of a job's."""

        def load() -> str:
            with self.database.read() as db:
                return jobs.get_revision(db, revision_id).job_id

        if self._job_ids.get(revision_id, load) != job_id:
            raise NotFound(f"this job has no revision {revision_id}; show its newest state")

    def keep_job(self, revision_id: int, job: Job) -> None:
        """Keep a job that was just made."""
        self._jobs.put(revision_id, job)

    def plan_at(self, revision_id: int, hearing: Hearing = "result") -> RenderPlan:
        """Return the renderer's plan of a job at a revision, for a way of hearing it."""

        return self.plan_of((revision_id, hearing), lambda: as_heard(self.job_at(revision_id), hearing))

    def plan_of(self, key: tuple[int, str], make: Callable[[], Job]) -> RenderPlan:
        """Return the renderer's plan of a job that is made from a revision, kept for a while."""

        def plan() -> RenderPlan:
            job = make()
            for source in job.sources.values():
                self.reader.know(source.id, source.channels)
            return RenderPlan(job)

        return self._plans.get(key, plan)

    def source(self, source_id: str) -> SourceRow:
        """Return a source. Raises `NotFound`."""

        def load() -> SourceRow:
            with self.database.read() as db:
                row = records.get_source(db, source_id)
            self.reader.know(row.id, row.channels)
            return row

        return self._sources.get(source_id, load)

    def reads(self, source_id: str) -> Read:
        """Return a function that reads one source at its own rate."""
        return partial(self.reader.read, source_id, self.source(source_id).rate_hz)

    def source_bytes(self, source_id: str) -> int:
        """Return how much room a source takes on disk; looked up again when a copy at another rate has come."""
        folder = self.home.source(source_id)
        changed = folder.stat().st_mtime_ns if folder.is_dir() else 0
        return self._sizes.get((source_id, changed), lambda: folder_bytes(folder))

    def forget_source(self, source_id: str) -> None:
        """Forget what is kept in memory of a source that was removed."""
        self._sources.drop(source_id)
        self._measured.drop(source_id)

    def loudest_db(self, source_id: str, head_frame: int, tail_frame: int) -> float:
        """Return the loudest sustained level of a span of a source, before any gain, in dB."""

        def measure() -> float:
            part = self.measured(source_id).envelope.part(head_frame, tail_frame)
            return float(part.sustained_db.max(initial=SILENCE_DB))

        return self._loudest.get((source_id, head_frame, tail_frame), measure)

    def measured(self, source_id: str) -> Measured:
        """Return a source's envelope and floors, ready for finding."""

        return self._measured.get(source_id, lambda: measured_source(self.home, self.source(source_id)))
