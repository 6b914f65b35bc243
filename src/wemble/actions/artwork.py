"""Covers and pictures of chapters: looked at in a worker, kept under the hash of their bytes."""

from __future__ import annotations

import hashlib
from collections.abc import Iterator
from dataclasses import dataclass
from typing import Any

from wemble.actions.library import Library, new_id
from wemble.actions.work.executor import Report
from wemble.core.edit.model import Job
from wemble.errors import Unavailable
from wemble.formats.pictures import Picture, decoded_picture
from wemble.store import intents
from wemble.store.database import Connection
from wemble.store.files import Home


@dataclass(frozen=True, slots=True)
class KeptPicture:
    """A picture that is kept: the name by which jobs speak of it, and its size in pixels."""

    name: str
    width: int
    height: int


def picture_name(data: bytes) -> str:
    """Return what a picture is kept as."""
    return hashlib.sha256(data).hexdigest()[:32]


def keep_picture(library: Library, data: bytes) -> KeptPicture:
    """Keep a picture. Raises `InvalidInput` for what cannot be decoded, `Unavailable` if the disk refuses it."""
    found: Picture = library.ask(look_at_picture, data)
    with library.database.write() as db:
        place_picture(library, db, data)
    return KeptPicture(picture_name(data), found.width, found.height)


def look_at_picture(report: Report, data: bytes) -> Picture:
    """Decode a picture. Runs in a worker."""
    return decoded_picture(data)


def place_picture(library: Library, db: Connection, data: bytes) -> None:
    """Give a picture its place when this transaction is committed."""
    part = library.home.scratch / f"picture-{new_id()}"
    try:
        part.write_bytes(data)
    except OSError as error:
        part.unlink(missing_ok=True)
        raise Unavailable(
            f"the disk refused to write the picture ({error.strerror}); free some space and choose it again",
            code="disk_full",
        ) from None
    intents.place(db, library.home, "pictures", picture_name(data), part)


def pictures_of(home: Home, job: Job, settings: dict[str, Any]) -> list[str]:
    """Return the names of the kept pictures that a job speaks of, in its marks and in the settings of its views."""
    spoken_of = {mark.picture for mark in job.marks.values()} | set(_texts(settings))
    return sorted(name for name in spoken_of if home.has_picture(name))


def _texts(value: Any) -> Iterator[str]:
    if isinstance(value, str):
        yield value
    elif isinstance(value, dict | list):
        for one in value.values() if isinstance(value, dict) else value:
            yield from _texts(one)
