"""Kill the server at random moments while it edits, imports and sends, and hold what it answered against what it has then.

Six kills are a test; ``bench/kill.py`` does hundreds.
"""

from __future__ import annotations

import json
import random
import threading
import time
import urllib.request
from collections.abc import Callable, Collection
from contextlib import suppress
from dataclasses import dataclass, field
from hashlib import sha256
from http.client import HTTPException
from pathlib import Path
from typing import Any

import numpy as np
import soundfile

from tests.conftest import RATE, Server
from wemble.store.database import Database
from wemble.store.records import list_export_folders

LONGEST_WAIT_S = 0.5


def call(url: str, method: str = "GET", body: object = None, headers: dict[str, str] | None = None) -> dict[str, Any]:
    """Ask the server; raises `OSError` if it does not answer, or not well."""
    data = body if isinstance(body, bytes) else None if body is None else json.dumps(body).encode()
    request = urllib.request.Request(url, data, headers or {}, method=method)
    with urllib.request.urlopen(request, timeout=20) as answer:
        text = answer.read()
    return json.loads(text) if text else {}


def bring_in_over_http(server: Server, job_id: str, data: bytes, name: str = "take.wav") -> str:
    """Upload a file in parts and return the task that imports it."""
    upload = call(f"{server.url}/api/jobs/{job_id}/uploads", "POST", {"name": name, "size_bytes": len(data)})
    for at in range(0, len(data), 8 << 20):
        call(f"{server.url}/api/uploads/{upload['id']}", "PATCH", data[at : at + (8 << 20)], {"Upload-Offset": str(at)})
    return str(call(f"{server.url}/api/uploads/{upload['id']}/finish", "POST")["task_id"])


@dataclass(slots=True)
class Ledger:
    """What was answered, and so must be there whatever happens: names, sources, recipes, files that were sent."""

    names: list[int] = field(default_factory=lambda: [0])
    sources: set[str] = field(default_factory=set)
    recipes: set[str] = field(default_factory=set)
    sent: dict[str, str] = field(default_factory=dict)


class Killer:
    """A server with a job in it that is worked on from three sides until it is killed, again and again."""

    def __init__(self, server: Server, folder: Path, seed: int):
        self._server, self._folder, self._random = server, folder, random.Random(seed)
        self.ledger = Ledger()
        self._edits = str(call(f"{server.url}/api/jobs", "POST", {"name": "name 0"})["id"])
        self._files = str(call(f"{server.url}/api/jobs", "POST", {"name": "files"})["id"])
        self._number = self._kills = 0

    def kill(self) -> None:
        """Work for a random while, kill, start again, and check every entry of the ledger."""
        workers = [
            threading.Thread(target=self._until_killed, args=(do,)) for do in (self._edit, self._import, self._send)
        ]
        for worker in workers:
            worker.start()
        # Workers take seconds to start: unless they are waited for, edits alone are interrupted.
        self._wait_for((None, self.ledger.sources, self.ledger.sent)[self._kills % 3])
        self._kills += 1
        time.sleep(self._random.uniform(0.0, LONGEST_WAIT_S))
        self._server.kill()
        for worker in workers:
            worker.join()
        self._server.start()
        self.check()

    def check(self) -> None:
        """Hold the ledger against the server: nothing answered is lost, nothing half-made is left."""
        name = call(f"{self._server.url}/api/jobs/{self._edits}")["job"]["name"]
        assert int(name.split()[1]) >= self.ledger.names[-1], (name, self.ledger.names[-1])
        job = call(f"{self._server.url}/api/jobs/{self._files}")["job"]
        assert self.ledger.sources <= set(job["sources"]), self.ledger.sources - set(job["sources"])
        recipes = set(call(f"{self._server.url}/api/recipes")["recipes"])
        assert self.ledger.recipes <= recipes
        for task_id, digest in self.ledger.sent.items():
            assert self._digest(task_id) == digest
        home = self._server.home
        database = Database(home / "wemble.db")
        with database.read() as db:
            done = {name for names in list_export_folders(db).values() for name in names}
        database.close()
        assert {path.name for path in (home / "exports").iterdir()} <= done
        assert not any((home / "scratch").iterdir())
        assert not [path for path in home.rglob("*.part") if path.parent.name != "uploads"]

    def _wait_for(self, ledger: Collection[str] | None) -> None:
        """Wait for one more that was brought in, or sent."""
        before, began = len(ledger or ()), time.monotonic()
        while ledger is not None and len(ledger) == before and time.monotonic() - began < 60.0:
            time.sleep(0.01)

    def _until_killed(self, do: Callable[[], None]) -> None:
        with suppress(OSError, HTTPException):  # it is dead, or died in the middle of an answer
            while True:
                do()

    def _edit(self) -> None:
        url, number = f"{self._server.url}/api/jobs/{self._edits}", self.ledger.names[-1] + 1
        edit = {"kind": "rename_job", "name": f"name {number}"}
        call(f"{url}/edits", "POST", {"base_revision": call(url)["revision"], "edit": edit})
        self.ledger.names.append(number)
        recipe = f"recipe {number % 20}"
        call(f"{self._server.url}/api/recipes", "POST", {"name": recipe, "recipe": {"fade_ms": 5.0}})
        self.ledger.recipes.add(recipe)

    def _import(self) -> None:
        self._number += 1
        path = self._folder / "take.wav"
        rng = np.random.default_rng(self._number)
        soundfile.write(path, 0.1 * rng.standard_normal(RATE * (1 + self._number % 7)), RATE)
        task = self._wait(bring_in_over_http(self._server, self._files, path.read_bytes(), f"{self._number}.wav"))
        self.ledger.sources.add(task["result"]["source_id"])

    def _send(self) -> None:
        opened = call(f"{self._server.url}/api/jobs/{self._files}")
        if not opened["job"]["clips"]:
            time.sleep(0.05)
            return
        body = {"revision": opened["revision"], "request": {"kind": "flac_24", "what": "one", "pattern": "{job}"}}
        task_id = str(call(f"{self._server.url}/api/jobs/{self._files}/send", "POST", body)["task_id"])
        self._wait(task_id)
        self.ledger.sent[task_id] = self._digest(task_id)

    def _digest(self, task_id: str) -> str:
        with urllib.request.urlopen(f"{self._server.url}/api/tasks/{task_id}/file", timeout=20) as answer:
            return sha256(answer.read()).hexdigest()

    def _tasks(self) -> list[dict[str, Any]]:
        return list(call(f"{self._server.url}/api/jobs/{self._files}/tasks")["tasks"])

    def _wait(self, task_id: str) -> dict[str, Any]:
        while True:
            task = next(task for task in self._tasks() if task["id"] == task_id)
            if task["state"] == "done":
                return task
            assert task["state"] in ("waiting", "running"), task
            time.sleep(0.02)
