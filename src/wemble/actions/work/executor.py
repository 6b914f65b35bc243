"""Long work in processes that may die: a `concurrent.futures.Executor` of replaceable workers.

Why not `ProcessPoolExecutor`: it fails every task when one worker dies, and cannot cancel a running one. Here a worker
that crashes, hangs or outgrows its memory takes down its own task; the next task gets a new worker, and so does the task
after one that did not end cleanly: works are numbered, and an answer with another number is not taken. A worker ends
when its pipe closes, so none outlives the server.

Work functions are importable and take `Report` first: ``report(progress, doing)``, 0…1 and a few words.
"""

from __future__ import annotations

import contextlib
import itertools
import logging
import math
import multiprocessing
import os
import queue
import resource
import threading
import time
from collections.abc import Callable, Sequence
from concurrent.futures import FIRST_EXCEPTION, Executor, Future, wait
from dataclasses import dataclass, field
from multiprocessing.connection import Connection
from multiprocessing.process import BaseProcess
from typing import Any

from wemble.errors import Cancelled, WembleError, WorkFailed

Report = Callable[[float, str], None]
MEMORY_BYTES = 1 << 30
TIME_LIMIT_S = 3 * 3600.0
STALLED_AFTER_S = 120.0
"""Work that reports nothing for so long is said to stall; it goes on, and can be stopped."""
_POLL_S = 0.05
_LOOK_EVERY_S = 1.0
log = logging.getLogger(__name__)
_numbers = itertools.count(1)


class WorkFuture(Future[Any]):
    """A future whose work can be cancelled while it runs."""

    def __init__(self) -> None:
        super().__init__()
        self.stop_asked = threading.Event()

    def cancel(self) -> bool:
        """Cancel, running or not. Returns False only if it is over already.

        What waits in the queue is over at once, and not when a worker comes to it: somebody waits for the word.
        """
        known = self.cancelled()
        if super().cancel():
            if not known:
                with contextlib.suppress(RuntimeError):
                    self.set_running_or_notify_cancel()
            return True
        self.stop_asked.set()
        return not self.done()


class SharedFuture:
    """Works of which each has a share of one: it is over when all are, and they are stopped together."""

    def __init__(self, shares: Sequence[WorkFuture]):
        self._shares = shares

    def result(self) -> list[Any]:
        """Wait for all and return what they return. Raises what the first that fails raises, once none runs any more."""
        ended, running = wait(self._shares, return_when=FIRST_EXCEPTION)
        if running:
            self.cancel()
            wait(running)
            for share in ended:
                share.result()  # what it failed of, and not that the others were stopped for it
        return [share.result() for share in self._shares]

    def cancel(self) -> bool:
        """Cancel all, running or not. Returns False only if all are over already."""
        stopped = [share.cancel() for share in self._shares]
        return any(stopped)


def part_of(report: Report, start: float, end: float) -> Report:
    """Return how a part of a work reports: its 0…1 is ``start``…``end`` of the whole."""
    return lambda progress, doing: report(start + (end - start) * progress, doing)


@dataclass(slots=True)
class _Work:
    future: WorkFuture
    function: Callable[..., Any]
    args: tuple[Any, ...]
    on_progress: Report
    number: int = field(default_factory=lambda: next(_numbers))

    def tell(self, progress: float, doing: str) -> None:
        """Pass progress on. Whoever hears of it may fail; the work does not."""
        try:
            self.on_progress(progress, doing)
        except Exception as error:
            log.warning("progress of work %d could not be recorded: %s", self.number, error)


class WorkerPool(Executor):
    """An executor of ``workers`` processes, with limits of memory and time for each piece of work.

    What is submitted ``behind`` waits until nothing else does: hundreds of imports hold up nobody who sends meanwhile.
    """

    def __init__(
        self,
        workers: int = 2,
        *,
        memory_bytes: int = MEMORY_BYTES,
        time_limit_s: float = TIME_LIMIT_S,
        stalled_after_s: float = STALLED_AFTER_S,
    ):
        self._memory_bytes, self._time_limit_s, self._stalled_after_s = memory_bytes, time_limit_s, stalled_after_s
        self._queue: queue.PriorityQueue[tuple[float, int, _Work | None]] = queue.PriorityQueue()
        self._threads = [threading.Thread(target=self._serve, name=f"worker-{n}", daemon=True) for n in range(workers)]
        for thread in self._threads:
            thread.start()

    def submit(self, fn: Callable[..., Any], /, *args: Any, **kwargs: Any) -> WorkFuture:
        """Run ``fn(report, *args)`` in a worker."""
        if kwargs:
            raise TypeError("work takes positional arguments only")
        return self.submit_reporting(fn, args, lambda progress, doing: None)

    def submit_reporting(
        self, fn: Callable[..., Any], args: tuple[Any, ...], on_progress: Report, *, behind: bool = False
    ) -> WorkFuture:
        """Run ``fn(report, *args)`` in a worker and hear how far it is, on the thread that waits for it."""
        work = _Work(WorkFuture(), fn, args, on_progress)
        self._queue.put((float(behind), work.number, work))
        return work.future

    def submit_shares(
        self, fn: Callable[..., Any], shares: Sequence[tuple[Any, ...]], on_progress: Report
    ) -> SharedFuture:
        """Run ``fn(report, *share)`` for each share, in as many workers as there are, and hear how far all are together."""
        parts = [0.0] * len(shares)

        def hearing(number: int) -> Report:
            def hear(progress: float, doing: str) -> None:
                parts[number] = progress
                on_progress(sum(parts) / len(parts), doing)

            return hear

        return SharedFuture([self.submit_reporting(fn, share, hearing(n)) for n, share in enumerate(shares)])

    def shutdown(self, wait: bool = True, *, cancel_futures: bool = False) -> None:
        """End the workers once what is queued is done."""
        for _ in self._threads:
            self._queue.put((math.inf, next(_numbers), None))
        if wait:
            for thread in self._threads:
                thread.join()

    def _serve(self) -> None:
        worker: _Worker | None = None  # a process begins with its first work: one that is not needed costs nothing
        while (work := self._queue.get()[2]) is not None:
            if work.future.cancelled() or not work.future.set_running_or_notify_cancel():
                continue
            if worker is None or not worker.alive:
                worker = _Worker(self._memory_bytes)
            try:
                outcome, value = self._run(worker, work)
            except BaseException as error:
                worker.stop()  # whatever it still sends is nobody's answer
                work.future.set_exception(error)
            else:
                work.future.set_result(value) if outcome == "done" else work.future.set_exception(value)
        if worker is not None:
            worker.stop()

    def _run(self, worker: _Worker, work: _Work) -> tuple[str, Any]:
        """Return how the worker ended the work: ("done", result) or ("failed", error). Raises if it did not end it."""
        deadline = time.monotonic() + self._time_limit_s
        heard, progress, stalls = time.monotonic(), 0.0, False
        worker.send(work.number, work.function, work.args)
        while True:
            if work.future.stop_asked.is_set():
                raise Cancelled("stopped; nothing half-finished was left")
            if time.monotonic() > deadline:
                raise WorkFailed(f"this took longer than {self._time_limit_s / 60:,.0f} minutes and was stopped")
            if not stalls and time.monotonic() - heard > self._stalled_after_s:
                stalls = True
                log.warning("work %d has reported nothing for %.0f s", work.number, self._stalled_after_s)
                work.tell(progress, f"no progress for {self._stalled_after_s:.0f} s; stop it if this goes on")
            match worker.receive(_POLL_S):
                case (number, "progress", progress, doing) if number == work.number:
                    heard, stalls = time.monotonic(), False
                    work.tell(progress, doing)
                case (number, ("done" | "failed") as outcome, value) if number == work.number:
                    return outcome, value
                case None:
                    pass
                case (number, *_):
                    raise WorkFailed(f"a worker answered for work {number} instead of {work.number}; try it again")


class _Worker:
    """One child process and the pipe to it."""

    def __init__(self, memory_bytes: int):
        context = multiprocessing.get_context("spawn")
        self._pipe, theirs = context.Pipe()
        self._process: BaseProcess = context.Process(
            target=_work_loop, args=(theirs, memory_bytes, os.getpid()), daemon=True
        )
        self._process.start()
        theirs.close()

    @property
    def alive(self) -> bool:
        return self._process.is_alive()

    def send(self, number: int, function: Callable[..., Any], args: tuple[Any, ...]) -> None:
        self._pipe.send((number, function, args))

    def receive(self, timeout_s: float) -> tuple[Any, ...] | None:
        try:
            return self._pipe.recv() if self._pipe.poll(timeout_s) else None
        except (EOFError, ConnectionError):
            self._process.join(1.0)
            log.warning("a worker died with exit code %s", self._process.exitcode)
            raise WorkFailed(
                "the worker crashed on this file; it may be damaged, or need more memory than is allowed"
            ) from None

    def stop(self) -> None:
        self._process.kill()
        self._process.join()
        with contextlib.suppress(OSError):
            self._pipe.close()


def _end_with(server: int) -> None:
    """End this process when the server that started it is gone, in the middle of a work too: nobody waits for it any more."""
    while os.getppid() == server:
        time.sleep(_LOOK_EVERY_S)
    os._exit(1)


def _work_loop(pipe: Connection, memory_bytes: int, server: int) -> None:
    os.environ["OPENBLAS_NUM_THREADS"] = "1"
    threading.Thread(target=_end_with, args=(server,), daemon=True).start()
    resource.setrlimit(resource.RLIMIT_DATA, (memory_bytes, memory_bytes))

    def report(progress: float, doing: str) -> None:
        pipe.send((number, "progress", progress, doing))

    while True:
        try:
            number, function, args = pipe.recv()
        except (EOFError, OSError, KeyboardInterrupt):
            return
        try:
            answer: tuple[str, Any] = ("done", function(report, *args))
        except WembleError as error:
            answer = ("failed", error)
        except MemoryError:
            answer = ("failed", WorkFailed(f"this needs more than the {memory_bytes >> 20:,} MB allowed"))
        except OSError as error:
            answer = (
                "failed",
                WorkFailed(f"the disk refused to write: {error.strerror or error}; free some space and try again"),
            )
        except Exception as error:
            answer = ("failed", WorkFailed(f"it failed unexpectedly: {type(error).__name__}: {error}"))
        with contextlib.suppress(BrokenPipeError):
            pipe.send((number, *answer))
