"""A job saved as one file, and opened elsewhere.

A saved job comes from outside: nothing in it is believed. Its recordings are decoded again, or where another decoder made
them, their copies are measured again; their names are computed from their bytes; the job passes the checks that edits
pass. Only then does anything get its place, and a recording that is here already is never replaced.
"""

from __future__ import annotations

import hashlib
import shutil
from collections.abc import Iterator
from dataclasses import dataclass
from pathlib import Path
from typing import Any

import numpy as np

from wemble.actions import artwork, job_settings
from wemble.actions.importing.made_source import (
    DRIFT_TAKEN_OUT,
    MIXDOWN,
    OFFSET_TAKEN_OUT,
    PITCH_SHIFTED,
    ROOM_TONE,
    Built,
    copy_digest,
    keep_source,
)
from wemble.actions.library import Library
from wemble.actions.revisions import edit_newest
from wemble.actions.sources.decode import BLOCK_FRAMES, decode_source, described
from wemble.actions.work.executor import Report, part_of
from wemble.actions.work.tasks import EXPORT, start_task
from wemble.core.deliver.names import safe_name
from wemble.core.edit.clips import Edited
from wemble.core.edit.model import Job, SourceUse
from wemble.core.edit.validity import check_validity
from wemble.errors import InvalidInput
from wemble.formats.archive import read_archive, unpacked_bytes, write_archive
from wemble.formats.decode import Probe, probe
from wemble.formats.pictures import decoded_picture
from wemble.store import intents, jobs, records, settings
from wemble.store.files import Home, SourceWriter, copy_path, settle, settle_later
from wemble.store.rows import SourceRow

ENDING = ".wemble.zip"


def start_save(library: Library, job_id: str, revision_id: int) -> str:
    """Start saving a job with its sources as one file, and return the task."""
    job = library.job_at(revision_id)
    with library.database.read() as db:
        kept = settings.get_settings(db, job_id)
    rows = [library.source(source_id) for source_id in job.sources]
    content = {
        "job": jobs.dump_job(job),
        "sources": [records.dump_source(row) for row in rows],
        "settings": kept,
    }
    name = f"{safe_name(job.name)}{ENDING}"
    pictures = artwork.pictures_of(library.home, job, kept)
    args = (library.home.root, content, [(row.id, row.rate_hz) for row in rows], pictures, name)

    def saved(folder_name: str) -> dict[str, object]:
        return {"files": [name], "folder_name": folder_name, "saved": True}

    request = {"save": True, "revision": revision_id}
    return start_task(library, job_id, "export", f"{job.name}, saved whole", request, save_job, args, saved)


def save_job(
    report: Report,
    work: Path,
    root: Path,
    content: dict[str, Any],
    sources: list[tuple[str, int]],
    pictures: list[str],
    name: str,
) -> str:
    """Write the archive, and return its folder's name. Runs in a worker."""
    home = Home(root)
    files = [
        (f"sources/{key}/{path.name}", path)
        for key, rate_hz in sources
        for path in [*home.source(key).glob("original*"), copy_path(home.source(key), rate_hz)]
    ]
    files += [(f"pictures/{one}", home.place_of("pictures", one)) for one in pictures]
    home.check_space(sum(path.stat().st_size for _, path in files))
    folder = work / EXPORT
    folder.mkdir()
    write_archive(folder / name, content, files, report)
    settle(folder)
    return work.name


@dataclass(frozen=True, slots=True)
class Unpacked:
    """A saved job that passed every check: the job, its sources, its pictures, and the settings of its views."""

    job: Job
    sources: tuple[Built, ...]
    pictures: tuple[Path, ...]
    settings: dict[str, Any]


def start_open(library: Library, job_id: str, path: Path, name: str, *, upload_id: str | None) -> str:
    """Start opening a saved job into a job that is still empty, and return the task."""

    def opened(unpacked: Unpacked) -> dict[str, object]:
        answer = _taken_over(library, job_id, unpacked, upload_id)
        for built in unpacked.sources:
            settle_later(library.home.source(built.source.id))
        return {"revision": answer, "notes": []}

    request = {"name": name, "upload_id": upload_id}
    return start_task(library, job_id, "import", name, request, open_archive, (library.home.root, path), opened)


def _taken_over(library: Library, job_id: str, unpacked: Unpacked, upload_id: str | None) -> int:
    def replace_empty(newest: Job) -> Edited:
        if newest.clips or newest.sources:
            raise InvalidInput("a saved job opens as a job of its own; drop it on the start page")
        return Edited(unpacked.job)

    with library.database.write() as db:
        for built in unpacked.sources:
            keep_source(library, db, built, unpacked.job.rate_hz)
        for picture in unpacked.pictures:
            artwork.place_picture(library, db, picture.read_bytes())
        answer = edit_newest(library, job_id, "open saved job", replace_empty)
        for name, value in unpacked.settings.items():
            job_settings.keep(library, job_id, name, value)
        if upload_id is not None:
            records.delete_upload(db, upload_id)
            intents.remove(db, "uploads", f"{upload_id}.part")
    return answer.revision


def open_archive(report: Report, work: Path, root: Path, path: Path) -> Unpacked:
    """Unpack a saved job and check all of it. Runs in a worker.

    Raises
    ------
    InvalidInput
        If anything in it is not as a saved job is; nothing is kept then.
    """
    home = Home(root)
    home.check_space(2 * unpacked_bytes(path))
    content = read_archive(path, work / "unpacked", part_of(report, 0.0, 0.4))
    if not isinstance(content.get("sources"), list) or "job" not in content:
        raise InvalidInput("job.json in this saved job holds no job")
    job = jobs.load_job(content["job"], content["version"])
    check_validity(job)
    claimed = {row.id: row for row in map(records.load_source, content["sources"])}
    built = []
    for number, use in enumerate(job.sources.values()):
        if use.id not in claimed:
            raise InvalidInput(
                f"the recording “{use.name}” is missing in this saved job; save it again where it was saved"
            )
        checking = part_of(report, 0.4 + 0.6 * number / len(job.sources), 0.4 + 0.6 * (number + 1) / len(job.sources))
        checking(0.0, f"checking {use.name}")
        folder = work / f"built-{number}"
        row = _rebuilt(checking, home, folder, work / "unpacked" / "sources" / use.id, claimed[use.id], use)
        _check_use(use, row)
        built.append(Built(row, folder))
    return Unpacked(job, tuple(built), tuple(_pictures(work / "unpacked" / "pictures")), _settings(content))


def _pictures(folder: Path) -> Iterator[Path]:
    """Yield the pictures of a saved job; each can be decoded, and is what its name says."""
    for path in sorted(folder.iterdir()) if folder.is_dir() else ():
        data = path.read_bytes()
        decoded_picture(data)
        if artwork.picture_name(data) != path.name:
            raise InvalidInput("a picture in this saved job is not the one that it was saved with; save it again")
        yield path


def _settings(content: dict[str, Any]) -> dict[str, Any]:
    kept = content.get("settings", {})
    if not isinstance(kept, dict) or not all(isinstance(value, dict) for value in kept.values()):
        raise InvalidInput("the settings in this saved job cannot be read; save it again where it was saved")
    return kept


def _rebuilt(report: Report, home: Home, folder: Path, unpacked: Path, claimed: SourceRow, use: SourceUse) -> SourceRow:
    """Return the row of a source, computed from what was unpacked; its folder is built again."""
    original = next(iter(sorted(unpacked.glob("original*"))), None)
    if original is None and (
        claimed.kind in (ROOM_TONE, MIXDOWN, PITCH_SHIFTED)
        or claimed.decoder.endswith((OFFSET_TAKEN_OUT, DRIFT_TAKEN_OUT))
    ):
        return _from_copy(folder, unpacked, claimed, None)
    if original is None:
        raise InvalidInput(f"the recording “{use.name}” is missing in this saved job; save it again where it was saved")
    if claimed.decoder == probe(original).decoder:
        return decode_source(
            lambda part, _: report(part, f"decoding {use.name}"), home, folder, original, original.name
        )
    return _from_copy(folder, unpacked, claimed, original)


def _from_copy(folder: Path, unpacked: Path, claimed: SourceRow, original: Path | None) -> SourceRow:
    """Return the row of a source that another decoder made: its copy is what it is, and is measured again."""
    copy = copy_path(unpacked, claimed.rate_hz)
    if not copy.is_file() or copy.stat().st_size != claimed.frames * claimed.channels * 4:
        raise InvalidInput("a working copy in this saved job is not whole; save it again where it was saved")
    folder.mkdir()
    with SourceWriter(folder, rate_hz=claimed.rate_hz, channels=claimed.channels) as writer, copy.open("rb") as file:
        while raw := file.read(BLOCK_FRAMES * claimed.channels * 4):
            writer.write(np.frombuffer(raw, np.float32).reshape(-1, claimed.channels))
        bins = writer.finish()
    if original is None and claimed.kind == ROOM_TONE:
        samples = np.fromfile(copy, np.float32).reshape(-1, claimed.channels)
        digest = hashlib.sha256(np.ascontiguousarray(samples.T).tobytes()).hexdigest()
    elif original is None:
        digest = copy_digest(copy)
    else:
        digest = hashlib.sha256(original.read_bytes()).hexdigest()
        shutil.copyfile(original, folder / original.name)
    found = Probe(claimed.kind, claimed.decoder, claimed.rate_hz, claimed.channels, None)
    row = described(folder, digest, found, writer, bins)
    return records.renamed_source(row, digest[:32]) if claimed.kind == ROOM_TONE and original is None else row


def _check_use(use: SourceUse, row: SourceRow) -> None:
    """Raise `InvalidInput` unless the job speaks of a source as it is."""
    if (use.id, use.rate_hz, use.channels, use.frames) != (row.id, row.rate_hz, row.channels, row.frames):
        raise InvalidInput(
            f"the recording “{use.name}” in this saved job is not the one that the job was made with; "
            "save it again where it was saved"
        )
