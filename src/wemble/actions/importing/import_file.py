"""Importing a file: decoded once in a worker into a source, and one revision when it is there."""

from __future__ import annotations

import logging
from collections.abc import Callable
from dataclasses import dataclass, replace
from functools import partial
from pathlib import Path
from typing import TypeVar

from wemble.actions.importing.made_source import Built, keep_source
from wemble.actions.library import Library
from wemble.actions.revisions import IMPORT_LABEL, edit_newest
from wemble.actions.sources.convert import convert_copy
from wemble.actions.sources.decode import BLOCK_FRAMES, decode_source, display_name, measured_source
from wemble.actions.work.executor import Report
from wemble.actions.work.tasks import start_task
from wemble.core.briefs import record
from wemble.core.edges.programme import falls_for_good, find_programme
from wemble.core.edit.clips import Edited, SourcePoint, add_source
from wemble.core.edit.cues import cues_of_clips
from wemble.core.edit.model import Job, SourceUse, set_clips
from wemble.core.edit.on_air import NEXT_UNDER_DB, Proposed, from_timers, propose_points
from wemble.core.signal.flat_tops import FlatTops, in_words
from wemble.formats.cart import read_cart
from wemble.formats.points import read_points
from wemble.store import intents, jobs, records
from wemble.store.files import FileReader, Home, settle_later
from wemble.store.rows import SourceRow

T = TypeVar("T")
log = logging.getLogger(__name__)


def start_import(library: Library, job_id: str, path: Path, name: str, *, upload_id: str | None = None) -> str:
    """Start importing a file into a job and return the task."""
    with library.database.read() as db:
        job = library.job_at(jobs.get_job_row(db, job_id).head_revision)
    brief = record(job.brief)

    def brought_in(result: Imported) -> dict[str, object]:
        source = result.built.source
        use = SourceUse(source.id, display_name(name), source.rate_hz, source.channels, source.frames)

        def bring_in(newest: Job) -> Edited:
            keep_source(library, db, result.built, newest.rate_hz)
            edited = add_source(newest, use, result.points)
            (clip_id,) = edited.job.clips.keys() - newest.clips.keys()
            return replace(edited, job=_for_the_brief(edited.job, clip_id, result.proposed))

        with library.database.write() as db:
            answer = edit_newest(library, job_id, f"{IMPORT_LABEL}{use.name}", bring_in)
            if upload_id is not None:
                records.delete_upload(db, upload_id)
                intents.remove(db, "uploads", path.name)
        settle_later(library.home.source(source.id))
        return {"source_id": source.id, "revision": answer.revision, "notes": [*source.notes, *result.notes]}

    return start_task(
        library,
        job_id,
        "import",
        name,
        {"name": name, "upload_id": upload_id},
        import_file,
        (library.home.root, path, name, job.rate_hz, upload_id is not None, brief.on_air or brief.cue_a_file),
        brought_in,
        in_turn=True,
        behind=True,
    )


def _for_the_brief(job: Job, clip_id: str, found: Proposed | None) -> Job:
    """Return a job with what its brief makes of a clip that came in: proposed on-air points, or a cue that knows its sound."""
    brief = record(job.brief)
    if brief.on_air and found is not None:
        job = propose_points(job, clip_id, found)
    if brief.cue_a_file:
        if found is not None:
            clip = job.clip(clip_id)
            job = set_clips(job, replace(clip, sound_start_frame=found.begins, sound_end_frame=found.ends))
        job = cues_of_clips(job, (clip_id,)).job
    return job


def get_ready(report: Report) -> None:
    """Do nothing: whoever runs it has loaded what imports and searches need. Runs in a worker."""


@dataclass(frozen=True, slots=True)
class Imported:
    """What a worker hands back: the source, and what was found in its file."""

    built: Built
    points: tuple[SourcePoint, ...] = ()
    notes: tuple[str, ...] = ()
    proposed: Proposed | None = None


def import_file(
    report: Report,
    work: Path,
    root: Path,
    path: Path,
    name: str,
    job_rate_hz: int,
    owned: bool = False,
    find_ends: bool = False,
) -> Imported:
    """Decode a file once into a working copy, its pyramid and its floors.

    The hash is computed in a thread beside. ``owned`` files (uploads) are linked and not copied: nobody else writes to
    them. With ``find_ends`` it is found where its programme begins and ends, and whether its peaks are flattened. Runs in a worker.

    Raises
    ------
    Unsupported, InvalidInput, TooLarge
        If the file is not for us, with the reason.
    """
    home = Home(root)
    folder = work / "source"
    source = decode_source(report, home, folder, path, name, owned=owned)
    home.expect("sources", source.id, folder)
    if job_rate_hz and job_rate_hz != source.rate_hz:
        report(0.97, "converting the rate")
        convert_copy(home, work, source, job_rate_hz)
    read = read_points(path, source.frames)
    left_out = (f"{read.left_out:,} cue points or loops make no sense and were left out",) if read.left_out else ()
    points = [SourcePoint(p.frame, p.name, p.end_frame) for p in read.points]
    cart = read_cart(path)
    timed = from_timers(cart.timers, source.frames) if cart else []
    notes = [*left_out]
    proposed = None
    if find_ends:
        proposed = _measured(lambda: _proposed(home, source), "where it begins and ends", notes)
        if flat := _measured(lambda: _flattened(home, source), "whether its peaks are flattened", notes):
            notes.append(flat)
    return Imported(Built(source, folder), (*points, *timed), tuple(notes), proposed)


def _measured(measure: Callable[[], T], what: str, notes: list[str]) -> T | None:
    """Return what was measured; if that fails, the recording comes in without it, and a note says so."""
    try:
        return measure()
    except Exception:
        log.exception("measuring %s", what)
        notes.append(f"{what} could not be measured")
        return None


def _flattened(home: Home, source: SourceRow) -> str:
    """Say whether the peaks of a recording are flattened; nothing where they are not."""
    reader, tops = FileReader(home, {source.id: source.channels}), FlatTops(source.channels)
    for at in range(0, source.frames, BLOCK_FRAMES):
        tops.feed(reader.read(source.id, source.rate_hz, at, min(BLOCK_FRAMES, source.frames - at)))
    reader.close()
    return in_words(tops.count())


def _proposed(home: Home, source: SourceRow) -> Proposed | None:
    """Return where the programme of a recording begins, may be followed, and ends."""
    reader, levels = FileReader(home, {source.id: source.channels}), measured_source(home, source).envelope
    found = find_programme(partial(reader.read, source.id, source.rate_hz), levels)
    reader.close()
    if found is None:
        return None
    return Proposed(found.start_frame, falls_for_good(levels, found, NEXT_UNDER_DB), found.end_frame)
