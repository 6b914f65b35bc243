"""Serving: one process with threads, on loopback unless told otherwise.

The server reads requests whole before a thread sees them, and hands answers out as fast as a client takes them: a client
that sends half a request, or reads slowly, holds a connection and no thread.
"""

from __future__ import annotations

import contextlib
import signal
import socket
import sys
import threading
import time
import urllib.request
import webbrowser
from pathlib import Path

import waitress

from wemble.actions import removal
from wemble.actions.events import event, start_log
from wemble.actions.importing.import_file import get_ready
from wemble.actions.library import WORKERS, Library
from wemble.actions.uploads import PART_BYTES
from wemble.errors import Conflict, InvalidInput
from wemble.store.database import Database
from wemble.store.files import Home
from wemble.store.home_lock import HomeLock
from wemble.web.app import create_app

THREADS = 8
MOST_CONNECTIONS = 1_000
IDLE_S = 60
"""A connection on which nothing happens for so long is closed."""
LARGEST_HEADER_BYTES = 32 << 10
_TIDY_EVERY_S = 6 * 3600.0
_READY_AFTER_S = 2.0
"""The first page comes before the workers."""


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
    Database(
        Home(home).database
    ).close()  # what is wrong with it is told here in a line, and not by the worker in a trace
    hosts = frozenset({"127.0.0.1", "localhost", "[::1]", shown})
    start_log(home, log_level)
    library = Library(home)
    try:
        library.start()
        library.lock.say(pid=library.lock.pid, url=url)
        server = waitress.create_server(
            create_app(library, hosts=hosts),
            host=host,
            port=port,
            threads=THREADS,
            connection_limit=MOST_CONNECTIONS,
            channel_timeout=IDLE_S,
            max_request_header_size=LARGEST_HEADER_BYTES,
            max_request_body_size=PART_BYTES + 4096,
            ident=None,
            asyncore_use_poll=True,
        )
        threading.Thread(target=_tidy, args=(library,), daemon=True).start()
        ready = threading.Timer(_READY_AFTER_S, lambda: [library.pool.submit(get_ready) for _ in range(WORKERS)])
        ready.daemon = True
        ready.start()
        signal.signal(signal.SIGTERM, lambda *_: sys.exit(0))
        print(f"Wemble is at {url}   (data in {home}; stop with Ctrl-C)", flush=True)
        event("started", url=url)
        server.run()
    finally:
        event("stopped", url=url)
        library.close()


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
