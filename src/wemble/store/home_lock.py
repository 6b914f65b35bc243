"""One Wemble a data folder: a lock that the kernel holds, and that is gone with the process, however it ends."""

from __future__ import annotations

import fcntl
import json
import os
import time
from pathlib import Path
from typing import Any

from wemble.errors import Conflict, Unavailable

LOCK_NAME = "lock"


class HomeLock:
    """The lock of a data folder, and who holds it."""

    def __init__(self, root: Path):
        self._path = root / LOCK_NAME
        self._descriptor: int | None = None

    def hold(self, wait_s: float = 0.0) -> None:
        """Take the lock; fine if this holds it already. A process that was just ended may need a moment to let it go.

        Raises
        ------
        Conflict
            If another process holds it; ``details`` has what that one said of itself.
        """
        if self._descriptor is not None:
            return
        try:
            descriptor = os.open(self._path, os.O_RDWR | os.O_CREAT | os.O_CLOEXEC, 0o600)
        except OSError as error:
            raise Unavailable(
                f"{self._path} cannot be written ({error.strerror}); check the permissions of the data folder"
            ) from None
        until = time.monotonic() + wait_s
        while not _locked(descriptor):
            if time.monotonic() >= until:
                os.close(descriptor)
                holder = self.holder()
                raise Conflict(
                    f"another Wemble (process {holder.get('pid', 'unknown')}) is using this data folder; "
                    "stop it, or choose another folder with --home",
                    code="in_use",
                    details=holder,
                )
            time.sleep(0.05)
        self._descriptor = descriptor
        self.say(pid=os.getpid())

    @property
    def pid(self) -> int:
        """The process that this lock belongs to."""
        return os.getpid()

    def say(self, **about: object) -> None:
        """Tell others who look at the lock about this process, such as its address."""
        assert self._descriptor is not None, "only who holds the lock speaks"
        os.ftruncate(self._descriptor, 0)
        os.pwrite(self._descriptor, json.dumps(about).encode(), 0)

    def holder(self) -> dict[str, Any]:
        """Return what the process that holds the lock said of itself."""
        try:
            said = json.loads(self._path.read_text())
        except (OSError, ValueError):
            return {}
        return said if isinstance(said, dict) else {}

    def release(self) -> None:
        """Give the lock back."""
        if self._descriptor is not None:
            os.close(self._descriptor)
            self._descriptor = None


def _locked(descriptor: int) -> bool:
    try:
        fcntl.flock(descriptor, fcntl.LOCK_EX | fcntl.LOCK_NB)
    except OSError:
        return False
    return True
