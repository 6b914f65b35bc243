"""The loudness of voices: that of each source is measured once, kept beside it, and the rest follows."""

from __future__ import annotations

from pathlib import Path

from wemble.actions.library import Library
from wemble.actions.work.executor import Report
from wemble.actions.work.tasks import start_task
from wemble.core.edit.clips import Edited
from wemble.core.edit.model import Job
from wemble.core.edit.voices import Voice, even_out, voices
from wemble.core.signal.loudness import Loudness, LoudnessMeter
from wemble.errors import NotFound
from wemble.store import jobs
from wemble.store.files import FileReader, Home, read_loudness, write_loudness

UNMEASURED = "loudness_unmeasured"
BLOCK_FRAMES = 1 << 18


def voices_of(library: Library, job: Job) -> list[Voice]:
    """Return how loud what is said on each lane is.

    Raises `NotFound`, with the code `UNMEASURED`, until `start_measuring` has been through.
    """
    return voices(job, {source_id: _measured(library, source_id).powers for source_id in _recordings(job)})


def voices_if_measured(library: Library, job: Job) -> list[Voice] | None:
    """Return the same, or none where recordings must be measured first."""
    try:
        return voices_of(library, job)
    except NotFound as error:
        if error.code != UNMEASURED:
            raise
        return None


def even_voices(library: Library, job: Job, target_lufs: float | None = None, along: bool = False) -> Edited:
    """Bring what is said on each lane to one loudness, a target or that of the loudest lane; along time too, slowly."""
    return even_out(job, voices_of(library, job), target_lufs, along=along)


def start_measuring(library: Library, job_id: str, revision_id: int) -> str:
    """Start measuring the recordings of a job that have not been measured, and return the task."""
    with library.database.read() as db:
        row = jobs.get_job_row(db, job_id)
    job = library.job_at(revision_id)
    wanted = [
        (key, job.source(key).rate_hz, job.source(key).channels, job.source(key).frames) for key in _recordings(job)
    ]
    args = (library.home.root, wanted)
    return start_task(
        library, row.id, "check", "measuring loudness", {"revision": revision_id}, _measure, args, lambda _: {}
    )


def _measure(report: Report, work: Path, root: Path, wanted: list[tuple[str, int, int, int]]) -> None:
    """Measure sources, each beside its place and then moved there. Runs in a worker."""
    home = Home(root)
    reader = FileReader(home, {key: channels for key, _, channels, _ in wanted})
    total, done = sum(frames for _, _, _, frames in wanted) or 1, 0
    for key, rate_hz, channels, frames in wanted:
        if read_loudness(home.source(key)) is None:
            meter = LoudnessMeter(rate_hz, channels)
            for at in range(0, frames, BLOCK_FRAMES):
                meter.feed(reader.read(key, rate_hz, at, min(BLOCK_FRAMES, frames - at)))
                report((done + at) / total, "measuring loudness")
            write_loudness(work, home.source(key), meter.result())
        done += frames
    reader.close()


def _recordings(job: Job) -> list[str]:
    return list(dict.fromkeys(clip.source_id for clip in job.clips.values() if job.is_recorded(clip)))


def _measured(library: Library, source_id: str) -> Loudness:
    def read() -> Loudness:
        found = read_loudness(library.home.source(source_id))
        if found is None:
            raise NotFound("the loudness of a recording has not been measured yet", code=UNMEASURED)
        return found

    return library.loudness.get(source_id, read)
