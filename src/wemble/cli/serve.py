"""Serving: one gunicorn worker with threads, on loopback unless told otherwise."""

from __future__ import annotations

import os
import socket
from pathlib import Path
from typing import Any

from gunicorn.app.base import BaseApplication

from wemble.actions.library import Library
from wemble.errors import InvalidInput
from wemble.web.app import create_app

THREADS = 8
_LOOPBACK = ("127.0.0.1", "localhost", "::1")


class _Server(BaseApplication):  # type: ignore[misc]
    """gunicorn without a command line; the library is opened in the worker, after the fork."""

    def __init__(self, home: Path, options: dict[str, Any], hosts: frozenset[str]):
        self._home, self._options, self._hosts = home, options, hosts
        super().__init__()

    def load_config(self) -> None:
        """Take our options and no others."""
        for name, value in self._options.items():
            self.cfg.set(name, value)

    def load(self) -> Any:
        """Open the library and make the application."""
        library = Library(self._home)
        library.start()
        return create_app(library, hosts=self._hosts)


def serve(home: Path, host: str, port: int) -> None:
    """Serve until interrupted. Raises `InvalidInput` if the port is taken."""
    with socket.socket(socket.AF_INET6 if ":" in host else socket.AF_INET) as probe:
        probe.setsockopt(socket.SOL_SOCKET, socket.SO_REUSEADDR, 1)
        try:
            probe.bind((host, port))
        except OSError as error:
            raise InvalidInput(f"port {port} on {host} cannot be used ({error.strerror}); try --port") from None
    shown = f"[{host}]" if ":" in host else host
    hosts = frozenset({"127.0.0.1", "localhost", "[::1]", shown})
    print(f"Wemble is at http://{shown}:{port}   (data in {home}; stop with Ctrl-C)", flush=True)
    options = {
        "bind": f"{shown}:{port}",
        "workers": 1,
        "threads": THREADS,
        "worker_class": "gthread",
        "timeout": 0,
        "keepalive": 30,
        "loglevel": os.environ.get("WEMBLE_LOG", "warning"),
        "control_socket_disable": True,
    }
    _Server(home, options, hosts).run()
