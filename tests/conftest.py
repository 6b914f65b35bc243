"""Libraries, files and a running server to test with."""

from __future__ import annotations

import fcntl
import os
import shutil
import signal
import socket
import subprocess
import sys
import time
import urllib.request
from collections.abc import Callable, Iterator
from pathlib import Path

import numpy as np
import pytest
import soundfile
from hypothesis import settings

from wemble.actions.importing import import_file
from wemble.actions.library import Library
from wemble.actions.revisions import create_job
from wemble.actions.work import executor
from wemble.actions.work.executor import WorkerPool
from wemble.actions.work.tasks import wait_for
from wemble.demo.build import add_demo
from wemble.store.rows import TaskRow

RATE = 48_000
# How long an example takes says something of the machine, and of what else runs on it.
settings.register_profile("wemble", deadline=None)
settings.load_profile("wemble")


def phrases(seconds: float = 6.0, rate: int = RATE, channels: int = 1, seed: int = 1) -> np.ndarray:
    """Return (frames, channels): noise bursts that count as speech (voiced, 0.6 s each, 1.4 s apart) over room tone."""
    rng = np.random.default_rng(seed)
    frames = round(seconds * rate)
    t = np.arange(frames) / rate
    voice = sum(np.sin(2 * np.pi * 140 * k * t + k) / k for k in range(1, 12))
    on = ((t % 2.0) > 0.7) & ((t % 2.0) < 1.3)
    take = 0.2 * voice * on + 10 ** (-58 / 20) * rng.standard_normal(frames)
    return np.repeat(take[:, None], channels, axis=1).astype(np.float32)


@pytest.fixture(autouse=True)
def progress_only_grows(monkeypatch: pytest.MonkeyPatch) -> Iterator[None]:
    """Whatever a test has carried out: its progress is a part of the whole, and never goes back."""
    heard: dict[int, float] = {}
    wrong: list[tuple[float, float, str]] = []
    tell = executor._Work.tell

    def watched(work: executor._Work, progress: float, doing: str) -> None:
        before = heard.get(work.number, 0.0)
        if not before <= progress <= 1.0:
            wrong.append((before, progress, doing))
        heard[work.number] = progress
        tell(work, progress, doing)

    monkeypatch.setattr(executor._Work, "tell", watched)
    yield
    assert not wrong


@pytest.fixture(scope="session")
def workers() -> Iterator[WorkerPool]:
    pool = WorkerPool(1)
    yield pool
    pool.shutdown()


@pytest.fixture
def library(tmp_path: Path, workers: WorkerPool) -> Iterator[Library]:
    opened = Library(tmp_path / "home", pool=workers)
    opened.start()
    yield opened
    opened.close()


@pytest.fixture(scope="session")
def demo_home(tmp_path_factory: pytest.TempPathFactory) -> Path:
    """Return a data folder with the demo data: first it is read, and then the browser works in it.

    It is made once, however many processes share the tests; each works in a copy of its own.
    """
    own = tmp_path_factory.mktemp("demo")
    together = tmp_path_factory.getbasetemp().parent if "PYTEST_XDIST_WORKER" in os.environ else own
    made = together / "made-demo"
    with (together / "making-the-demo").open("w") as lock:
        fcntl.flock(lock, fcntl.LOCK_EX)
        if not made.exists():
            library = Library(together / "half-made-demo", workers=1)
            library.start()
            add_demo(library, lambda text: None)
            library.close()
            (together / "half-made-demo").rename(made)
    shutil.copytree(made, own / "home", copy_function=linked)
    return own / "home"


def linked(source: str, place: str) -> None:
    """Copy a file of a data folder: recordings never change, so their files are shared."""
    if "/sources/" in source:
        os.link(source, place)
    else:
        shutil.copy2(source, place)


@pytest.fixture
def bring_in(library: Library) -> Callable[..., tuple[str, TaskRow]]:
    """Import a file into a job (a new one unless named) and wait for it."""

    def run(path: Path, job_id: str | None = None) -> tuple[str, TaskRow]:
        job_id = job_id or create_job(library, "test")
        return job_id, wait_for(library, import_file.start_import(library, job_id, path, path.name), 60)

    return run


@pytest.fixture
def take(tmp_path: Path) -> Path:
    path = tmp_path / "take.wav"
    soundfile.write(path, phrases(), RATE, subtype="PCM_24")
    return path


class Server:
    """``wemble serve`` in a process of its own."""

    def __init__(self, home: Path):
        self.home = home
        with socket.socket() as probe:
            probe.bind(("127.0.0.1", 0))
            self.port = probe.getsockname()[1]
        self.url = f"http://127.0.0.1:{self.port}"
        self.start()

    def start(self) -> None:
        command = [sys.executable, "-m", "wemble.cli.main", "serve", "--home", str(self.home), "--port", str(self.port)]
        self.process = subprocess.Popen(command, start_new_session=True, stdout=subprocess.DEVNULL)
        for _ in range(600):
            try:
                urllib.request.urlopen(self.url + "/api/jobs", timeout=1).close()
                return
            except OSError:
                time.sleep(0.05)
        raise RuntimeError("the server did not start")

    def kill(self) -> None:
        """kill -9, the whole group: nothing gets a chance to tidy up."""
        os.killpg(self.process.pid, signal.SIGKILL)
        self.process.wait()


@pytest.fixture
def server(tmp_path: Path) -> Iterator[Server]:
    running = Server(tmp_path / "served")
    yield running
    running.kill()
