"""A saved job as one zip: readable JSON, the sources as they lie on disk, and a checksum of every file.

job.json          the job, what is known of its sources, and the settings of its views
pictures/NAME     covers and pictures of chapters
sources/ID/NAME   the recording as it came, and its working copy
checksums.json    SHA-256 of every other file
"""

from __future__ import annotations

import hashlib
import json
import re
import zipfile
from collections.abc import Callable, Iterator, Sequence
from contextlib import contextmanager
from pathlib import Path
from typing import Any

from wemble.errors import InvalidInput

VERSION = 2
_PART = 1 << 20
_NAME = re.compile(r"sources/[0-9A-Za-z]{1,80}/[0-9A-Za-z][0-9A-Za-z._-]{0,80}|pictures/[0-9A-Za-z]{1,64}")
_LARGEST_JSON = 1 << 26
_MOST_ENTRIES = 200_000
Report = Callable[[float, str], None]


def is_archive(path: Path) -> bool:
    """Say whether a file begins as a zip does. What is in it is looked at where it is opened, in a worker."""
    with path.open("rb") as file:
        return file.read(4) == b"PK\x03\x04"


def write_archive(path: Path, content: dict[str, Any], files: Sequence[tuple[str, Path]], report: Report) -> None:
    """Write a saved job. ``files`` are (name in the archive, file)."""
    text = json.dumps({"version": VERSION, **content}, indent=1, ensure_ascii=False).encode()
    total = sum(file.stat().st_size for _, file in files) or 1
    done = 0
    checksums = {"job.json": hashlib.sha256(text).hexdigest()}
    with zipfile.ZipFile(path, "w", zipfile.ZIP_STORED, allowZip64=True) as archive:
        archive.writestr("job.json", text)
        for name, file in files:
            digest = hashlib.sha256()
            with file.open("rb") as there, archive.open(name, "w", force_zip64=True) as out:
                while part := there.read(_PART):
                    digest.update(part)
                    out.write(part)
                    done += len(part)
                    report(0.98 * done / total, "packing")
            checksums[name] = digest.hexdigest()
        archive.writestr("checksums.json", json.dumps(checksums, indent=1))


@contextmanager
def _opened(path: Path) -> Iterator[zipfile.ZipFile]:
    """Give a zip that has the outer form of a saved job; files in it are stored and not packed, as we write them."""
    try:
        with zipfile.ZipFile(path) as archive:
            names = archive.namelist()
            if not {"job.json", "checksums.json"} <= set(names):
                raise InvalidInput("this zip is no saved job; unpack it and import the recordings in it")
            if len(names) > _MOST_ENTRIES or len(set(names)) != len(names):
                raise InvalidInput("this saved job has a name twice, or far too many files")
            if any(entry.compress_type != zipfile.ZIP_STORED for entry in archive.infolist()):
                raise InvalidInput("this saved job was packed by another program; use the file as Wemble wrote it")
            yield archive
    except (zipfile.BadZipFile, EOFError, NotImplementedError, OverflowError, RuntimeError) as error:
        raise InvalidInput(f"this saved job is damaged ({error}); copy it again") from None


def unpacked_bytes(path: Path) -> int:
    """Return how much room the files of an archive need."""
    with _opened(path) as archive:
        return sum(entry.file_size for entry in archive.infolist())


def read_archive(path: Path, into: Path, report: Report) -> dict[str, Any]:
    """Unpack the sources and pictures of a saved job, under the names that they have there, and return what ``job.json`` says.

    Raises
    ------
    InvalidInput
        If it is no saved job, is of a newer kind, or a file is not what its checksum says.
    """
    with _opened(path) as archive:
        checksums = _json(archive, "checksums.json")
        text = _bytes(archive, "job.json")
        _check("job.json", hashlib.sha256(text).hexdigest(), checksums)
        content = _json(archive, "job.json")
        if content.get("version") not in range(1, VERSION + 1):
            raise InvalidInput(
                f"this job was saved by a newer Wemble (version {content.get('version')}); open it there"
            )
        entries = [entry for entry in archive.infolist() if entry.filename.startswith(("sources/", "pictures/"))]
        total, done = sum(entry.file_size for entry in entries) or 1, 0
        for entry in entries:
            if _NAME.fullmatch(entry.filename) is None:
                raise InvalidInput(
                    f"a file in this saved job has a name that Wemble does not write: {entry.filename[:80]!r}"
                )
            place = into / entry.filename
            place.parent.mkdir(parents=True, exist_ok=True)
            digest = hashlib.sha256()
            with archive.open(entry) as there, place.open("wb") as out:
                while part := there.read(_PART):
                    digest.update(part)
                    out.write(part)
                    done += len(part)
                    report(0.95 * done / total, "unpacking")
            _check(entry.filename, digest.hexdigest(), checksums)
    return content


def _check(name: str, digest: str, checksums: dict[str, Any]) -> None:
    if checksums.get(name) != digest:
        raise InvalidInput(f"{name} is not as it was saved: the file was damaged on the way; copy it again")


def _bytes(archive: zipfile.ZipFile, name: str) -> bytes:
    if archive.getinfo(name).file_size > _LARGEST_JSON:
        raise InvalidInput(f"{name} in this saved job is implausibly large")
    return archive.read(name)


def _json(archive: zipfile.ZipFile, name: str) -> dict[str, Any]:
    try:
        content = json.loads(_bytes(archive, name))
    except (ValueError, RecursionError):
        content = None
    if not isinstance(content, dict):
        raise InvalidInput(f"{name} in this saved job cannot be read")
    return content
