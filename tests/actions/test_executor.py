"""The executor: a worker that dies takes down its own work and nothing else."""

from __future__ import annotations

import os
import subprocess
import sys
import time
from collections.abc import Callable, Iterator
from concurrent.futures import FIRST_COMPLETED, CancelledError, wait
from pathlib import Path

import pytest

from wemble.actions.work.executor import Report, WorkerPool
from wemble.errors import Cancelled, InvalidInput, WorkFailed


def add(report: Report, a: int, b: int) -> int:
    report(0.5, "adding")
    return a + b


def die(report: Report) -> None:
    os.abort()


def eat(report: Report) -> int:
    return len(bytearray(2 << 30))


def sleep(report: Report) -> None:
    time.sleep(60)


def pause(report: Report) -> None:
    time.sleep(0.5)


def refuse(report: Report) -> None:
    raise InvalidInput("no", code="because", details={"n": 1})


def either(report: Report, work: Callable[[Report], None]) -> None:
    work(report)


@pytest.fixture(scope="module")
def pool() -> Iterator[WorkerPool]:
    opened = WorkerPool(1, memory_bytes=1 << 30, time_limit_s=4.0)
    yield opened
    opened.shutdown()


def test_work_reports_and_answers(pool: WorkerPool) -> None:
    heard: list[tuple[float, str]] = []
    future = pool.submit_reporting(add, (2, 3), lambda part, doing: heard.append((part, doing)))
    assert future.result(20) == 5 and heard == [(0.5, "adding")]


def test_what_somebody_waits_for_goes_before_what_is_behind(pool: WorkerPool) -> None:
    ended: list[str] = []
    first = pool.submit_reporting(pause, (), lambda part, doing: None)
    works = [
        (name, pool.submit_reporting(add, (1, 1), lambda part, doing: None, behind=name.startswith("import")))
        for name in ("import 1", "import 2", "send", "import 3", "listen")
    ]
    for name, future in works:
        future.add_done_callback(lambda _, name=name: ended.append(name))  # type: ignore[misc]
    assert all(future.result(20) == 2 for _, future in works) and first.done()
    assert ended == ["send", "listen", "import 1", "import 2", "import 3"]


def test_what_waits_is_over_as_soon_as_it_is_stopped(pool: WorkerPool) -> None:
    running, waiting = pool.submit(pause), pool.submit(pause)
    assert waiting.cancel() and waiting.cancel()
    ended, _ = wait([running, waiting], return_when=FIRST_COMPLETED)
    assert ended == {waiting} and running.result(20) is None


@pytest.mark.parametrize(
    ("work", "match"), [(die, "worker crashed"), (eat, "more than the 1,024 MB"), (sleep, "took longer")]
)
def test_what_goes_wrong_stays_where_it_is(pool: WorkerPool, work: object, match: str) -> None:
    with pytest.raises(WorkFailed, match=match):
        pool.submit(work).result(20)  # type: ignore[arg-type]
    assert pool.submit(add, 1, 1).result(20) == 2


def test_running_work_can_be_cancelled(pool: WorkerPool) -> None:
    future = pool.submit(sleep)
    while not future.running():
        time.sleep(0.01)
    assert future.cancel()
    with pytest.raises(Cancelled):
        future.result(10)
    assert pool.submit(add, 1, 1).result(20) == 2


def test_shares_are_one_work_that_fails_or_is_stopped_as_a_whole() -> None:
    with WorkerPool(2) as two:
        heard: list[float] = []
        shares = two.submit_shares(add, [(1, 2), (3, 4), (5, 6)], lambda part, doing: heard.append(part))
        assert shares.result() == [3, 7, 11]
        assert heard == pytest.approx([1 / 6, 2 / 6, 3 / 6]) and not shares.cancel()
        began = time.monotonic()
        with pytest.raises(InvalidInput):
            two.submit_shares(either, [(sleep,), (refuse,)], lambda part, doing: None).result()
        stopped = two.submit_shares(either, [(sleep,), (sleep,), (sleep,)], lambda part, doing: None)
        assert stopped.cancel()
        with pytest.raises((Cancelled, CancelledError)):
            stopped.result()
        assert two.submit(add, 1, 1).result(20) == 2 and time.monotonic() - began < 50


def test_our_errors_cross_the_pipe_whole(pool: WorkerPool) -> None:
    with pytest.raises(InvalidInput, match="no") as caught:
        pool.submit(refuse).result(20)
    assert caught.value.code == "because" and caught.value.details == {"n": 1}


def test_a_worker_ends_with_a_server_that_was_killed_in_the_middle_of_its_work() -> None:
    script = (
        "import multiprocessing, time\n"
        "from tests.actions.test_executor import sleep\n"
        "from wemble.actions.work.executor import WorkerPool\n"
        "if __name__ == '__main__':\n"
        "    work = WorkerPool(1).submit(sleep)\n"
        "    while not (work.running() and multiprocessing.active_children()): time.sleep(0.05)\n"
        "    time.sleep(1.0)\n"
        "    print(multiprocessing.active_children()[0].pid, flush=True)\n"
        "    time.sleep(60)\n"
    )
    root = Path(__file__).parents[2]
    server = subprocess.Popen([sys.executable, "-c", script], cwd=root, stdout=subprocess.PIPE, text=True)
    assert server.stdout is not None
    worker = int(server.stdout.readline())
    server.kill()
    server.wait()
    server.stdout.close()
    until = time.monotonic() + 20
    while Path(f"/proc/{worker}/cmdline").exists() and Path(f"/proc/{worker}/cmdline").read_bytes():
        assert time.monotonic() < until, "the worker goes on with a work that nobody waits for"
        time.sleep(0.1)
