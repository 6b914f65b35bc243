"""Lining lanes up by what their recordings hear of each other; a clock that is off is set right by one conversion."""

from __future__ import annotations

from dataclasses import dataclass, replace
from functools import partial
from pathlib import Path
from typing import Any

import numpy as np
import soxr

from wemble.actions.importing.made_source import DRIFT_TAKEN_OUT, Built, copy_digest, keep_source
from wemble.actions.library import Library
from wemble.actions.revisions import check_newest, edit
from wemble.actions.sources.decode import described, measured_source
from wemble.actions.work.executor import Report
from wemble.actions.work.tasks import start_task
from wemble.core.edges.alignment import align
from wemble.core.edit.aligned import Aligned, lay_aligned, lone_recordings
from wemble.core.signal.reader import Read
from wemble.errors import InvalidInput
from wemble.formats.decode import Probe
from wemble.store import jobs
from wemble.store.files import FileReader, Home, SourceWriter, copy_path
from wemble.store.rows import SourceRow

BLOCK_FRAMES = 1 << 16
LEAST_DRIFT_PPM = 1.0
"""A clock that is off by less moves nothing by more than 4 ms in an hour."""


@dataclass(frozen=True, slots=True)
class Measured:
    """What was measured of a lane against the first; without a lag, why not. ``built`` is a new source where a clock was set right."""

    lane_id: str
    lag_s: float | None
    drift_ppm: float
    why_not: str = ""
    built: Built | None = None


def start_aligning(library: Library, job_id: str, revision_id: int) -> str:
    """Start lining up the lanes, and return the task; when it is through, they are moved as one edit.

    Raises `InvalidInput` unless there are at least two lanes with one uncut recording each.
    """
    check_newest(library, job_id, revision_id)
    with library.database.read() as db:
        row = jobs.get_job_row(db, job_id)
    job = library.job_at(revision_id)
    rows = {lane_id: library.source(clip.source_id) for lane_id, clip in lone_recordings(job).items()}

    def done(found: list[Measured]) -> dict[str, Any]:
        aligned = [
            Aligned(
                one.lane_id,
                one.lag_s,
                one.drift_ppm,
                None
                if one.built is None
                else replace(job.source(rows[one.lane_id].id), id=one.built.source.id, frames=one.built.source.frames),
                one.why_not,
            )
            for one in found
        ]
        with library.database.write() as db:
            for one in found:
                if one.built is not None:
                    keep_source(library, db, one.built, job.rate_hz)
            answer = edit(library, job_id, revision_id, "line up the lanes", lambda now: lay_aligned(now, aligned))
        return {"revision": answer.revision, "notes": list(answer.notes)}

    args = (library.home.root, job.rate_hz, rows)
    return start_task(
        library, row.id, "check", "lining up the lanes", {"revision": revision_id}, align_lanes, args, done
    )


def align_lanes(report: Report, work: Path, root: Path, rate_hz: int, rows: dict[str, SourceRow]) -> list[Measured]:
    """Measure every lane but the first against it, and set clocks right. Runs in a worker."""
    home = Home(root)
    reader = FileReader(home, {row.id: row.channels for row in rows.values()})
    (_, first), *others = rows.items()
    found = []
    for number, (lane_id, row) in enumerate(others):
        report(number / len(others), "listening to what the lanes hear of each other")
        levels = measured_source(home, first).envelope, measured_source(home, row).envelope
        reads: list[Read] = [partial(reader.read, one.id, rate_hz) for one in (first, row)]
        try:
            measured = align(reads[0], reads[1], levels, rate_hz)
        except InvalidInput as error:
            found.append(Measured(lane_id, None, 0.0, error.message))
            continue
        built = None
        if abs(measured.drift_ppm) > LEAST_DRIFT_PPM:
            report((number + 0.6) / len(others), "setting a clock right")
            built = _set_right(work, reader, row, measured.drift_ppm)
        found.append(Measured(lane_id, measured.lag_s, measured.drift_ppm, "", built))
    reader.close()
    return found


def _set_right(work: Path, reader: FileReader, row: SourceRow, drift_ppm: float) -> Built:
    """Convert a recording whose clock was fast by so much, whole, and return what came of it."""
    folder = work / f"clock-{row.id}"
    folder.mkdir()
    stream = soxr.ResampleStream(
        row.rate_hz * (1 + drift_ppm * 1e-6), row.rate_hz, row.channels, dtype="float32", quality="VHQ"
    )
    with SourceWriter(folder, rate_hz=row.rate_hz, channels=row.channels) as writer:
        for at in range(0, row.frames, BLOCK_FRAMES):
            frames = min(BLOCK_FRAMES, row.frames - at)
            block = reader.read(row.id, row.rate_hz, at, frames)
            writer.write(stream.resample_chunk(np.ascontiguousarray(block.T), last=at + frames == row.frames))
        bins = writer.finish()
    found = Probe(row.kind, f"{row.decoder}{DRIFT_TAKEN_OUT}", row.rate_hz, row.channels, writer.frames)
    source = described(folder, copy_digest(copy_path(folder, row.rate_hz)), found, writer, bins)
    return Built(source, folder)
