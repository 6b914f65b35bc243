"""Serving: one gunicorn worker with threads, on loopback unless told otherwise."""

from __future__ import annotations

import contextlib
import socket
import sys
import threading
import time
import urllib.request
import webbrowser
from pathlib import Path
from typing import Any

from gunicorn.app.base import BaseApplication

from wemble.actions import removal
from wemble.actions.events import event, start_log
from wemble.actions.library import Library
from wemble.errors import Conflict, InvalidInput
from wemble.store.files import Home
from wemble.store.home_lock import HomeLock
from wemble.web.app import create_app

THREADS = 8
_TIDY_EVERY_S = 6 * 3600.0


class _Server(BaseApplication):  # type: ignore[misc]
    """gunicorn without a command line; the library is opened in the worker, after the fork."""

    def __init__(self, home: Path, url: str, log_level: str, options: dict[str, Any], hosts: frozenset[str]):
        self._home, self._url, self._log_level = home, url, log_level
        self._options, self._hosts = options, hosts
        super().__init__()

    def load_config(self) -> None:
        """Take our options and no others."""
        for name, value in self._options.items():
            self.cfg.set(name, value)

    def load(self) -> Any:
        """Open the library and make the application."""
        start_log(self._home, self._log_level)
        library = Library(self._home)
        library.start()
        library.lock.say(pid=library.lock.pid, url=self._url)
        threading.Thread(target=_tidy, args=(library,), daemon=True).start()
        event("started", url=self._url)
        return create_app(library, hosts=self._hosts)


def serve(home: Path, host: str, port: int, log_level: str = "info") -> None:
    """Serve until interrupted. Raises `InvalidInput` if the port is taken."""
    shown = f"[{host}]" if ":" in host else host
    url = f"http://{shown}:{port}"
    with socket.socket(socket.AF_INET6 if ":" in host else socket.AF_INET) as probe:
        probe.setsockopt(socket.SOL_SOCKET, socket.SO_REUSEADDR, 1)
        try:
            probe.bind((host, port))
        except OSError as error:
            raise InvalidInput(f"port {port} on {host} cannot be used ({error.strerror}); try --port") from None
    hosts = frozenset({"127.0.0.1", "localhost", "[::1]", shown})
    print(f"Wemble is at {url}   (data in {home}; stop with Ctrl-C)", flush=True)
    options = {
        "bind": f"{shown}:{port}",
        "workers": 1,
        "threads": THREADS,
        "worker_class": "gthread",
        "timeout": 0,
        "keepalive": 30,
        "loglevel": "warning",
        "control_socket_disable": True,
    }
    _Server(home, url, log_level, options, hosts).run()


def shown_instead(home: Path) -> bool:
    """Say whether another Wemble serves this folder already; then tell its address, and open it for somebody who looks.

    Raises `Conflict` if another process holds the folder and answers nowhere.
    """
    lock = HomeLock(Home(home).root)
    try:
        lock.hold(wait_s=2.0)
    except Conflict as conflict:
        url = str(conflict.details.get("url", ""))
        if not _answers(url):
            raise
        print(f"Wemble already serves this folder, as process {conflict.details.get('pid')}: {url}", flush=True)
        if sys.stdout.isatty():
            webbrowser.open(url)
        return True
    lock.release()
    return False


def _answers(url: str) -> bool:
    if not url.startswith("http://"):
        return False
    with contextlib.suppress(OSError), urllib.request.urlopen(f"{url}/api/jobs", timeout=3.0):
        return True
    return False


def _tidy(library: Library) -> None:
    """Give back, now and then, the space of what has been in the bin for long enough."""
    while True:
        freed = removal.remove_expired(library)
        if freed.freed_bytes:
            event("removed", jobs=freed.jobs, sources=freed.sources, bytes=freed.freed_bytes)
        time.sleep(_TIDY_EVERY_S)
