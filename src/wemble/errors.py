"""Every error that Wemble raises on purpose.

    WembleError
    ├── InvalidInput    what was asked makes no sense as it stands
    ├── NotFound        there is no such thing (any more)
    ├── Conflict        it was asked of a state that is no longer the newest
    ├── Unsupported     the file or the rate is of a kind that Wemble does not take
    ├── TooLarge        it would not fit: an upload limit, the disk
    ├── NotAllowed      this door is closed: a foreign host, a folder outside the roots
    ├── Cancelled       somebody stopped it
    ├── WorkFailed      a worker died, or ran out of its time or memory
    └── Unavailable     the data cannot be written just now: locked, read-only

A message names the rule, the value and what to do. ``code`` is for the interface, ``details`` for machines.
"""

from __future__ import annotations

from collections.abc import Mapping


class WembleError(Exception):
    """An error with a message for the user and a code for the interface."""

    code = "error"

    def __init__(self, message: str, *, code: str | None = None, details: Mapping[str, object] | None = None):
        super().__init__(message)
        self.message = message
        self.code = code or type(self).code
        self.details = dict(details or {})

    def __reduce__(self) -> tuple[object, ...]:
        """Cross the pipe from a worker with code and details."""
        return (_rebuild, (type(self), self.message, self.code, self.details))


def _rebuild(kind: type[WembleError], message: str, code: str, details: Mapping[str, object]) -> WembleError:
    return kind(message, code=code, details=details)


class InvalidInput(WembleError):
    """What was asked makes no sense as it stands."""

    code = "invalid_input"


class NotFound(WembleError):
    """There is no such thing."""

    code = "not_found"


class Conflict(WembleError):
    """It was asked of a state that is no longer the newest."""

    code = "conflict"


class Unsupported(WembleError):
    """A kind of file, a rate or a channel count that Wemble does not take."""

    code = "unsupported"


class TooLarge(WembleError):
    """It would not fit."""

    code = "too_large"


class NotAllowed(WembleError):
    """This door is closed."""

    code = "not_allowed"


class Cancelled(WembleError):
    """Somebody stopped it."""

    code = "cancelled"


class WorkFailed(WembleError):
    """A worker died, or ran out of its time or memory."""

    code = "work_failed"


class Unavailable(WembleError):
    """The data cannot be written just now."""

    code = "unavailable"
