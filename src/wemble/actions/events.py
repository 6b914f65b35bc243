"""The log: one line an event, with what it was about, how long it took, and why it failed.

``2026-11-26 10:15:02 info imported job=3f… task=91… file="take 38.wav" seconds=1.42``. Names are those that the user sees;
folders and file contents are never written.
"""

from __future__ import annotations

import json
import logging
from collections.abc import Mapping
from logging.handlers import RotatingFileHandler
from pathlib import Path

LOG_NAME = "wemble.log"
_LARGEST_BYTES, _OLDER_KEPT = 2_000_000, 5
_log = logging.getLogger("wemble")


def start_log(folder: Path, level: str) -> None:
    """Write events of a level and above to the data folder, rotated, and to stderr."""
    form = logging.Formatter("%(asctime)s %(levelname)s %(message)s", "%Y-%m-%d %H:%M:%S")
    handlers: list[logging.Handler] = [
        RotatingFileHandler(
            folder / LOG_NAME,
            maxBytes=_LARGEST_BYTES,
            backupCount=_OLDER_KEPT,
            encoding="utf-8",
            errors="backslashreplace",
        ),
        logging.StreamHandler(),
    ]
    for handler in handlers:
        handler.setFormatter(form)
    _log.handlers = handlers
    _log.setLevel(level.upper())
    _log.propagate = False


def event(what: str, **about: object) -> None:
    """Log an event and what it is about."""
    _write(logging.INFO, what, about)


def refused(what: str, **about: object) -> None:
    """Log an event that went wrong, or was not allowed."""
    _write(logging.WARNING, what, about)


def _write(level: int, what: str, about: Mapping[str, object]) -> None:
    _log.log(level, "%s", " ".join([what, *(f"{name}={_value(value)}" for name, value in about.items())]))


def _value(value: object) -> str:
    text = str(value)
    plain = text.isascii() and text.replace("-", "").replace("_", "").replace(".", "").isalnum()
    return text if plain else json.dumps(text, ensure_ascii=False)
