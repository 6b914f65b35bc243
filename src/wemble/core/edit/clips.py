"""Edits of single things: sources brought in, gains, names, clips taken away.

Every edit returns `Edited`: the new job and, in words, where it stopped short of what was asked.
"""

from __future__ import annotations

from dataclasses import dataclass, replace

from wemble.core.edit.model import Clip, Job, Lane, SourceUse, check_name, set_clips
from wemble.core.edit.placement import job_span
from wemble.errors import InvalidInput

JOB_RATES_HZ = (8_000, 192_000)
SPACE_BETWEEN_TAKES_S = 1


@dataclass(frozen=True, slots=True)
class Edited:
    """A job after an edit, and what the user is to be told about it."""

    job: Job
    notes: tuple[str, ...] = ()


def add_source(job: Job, source: SourceUse) -> Edited:
    """Bring a source in: as a clip after everything that is there, a second later.

    The first source gives the job its rate and channel count. Raises `InvalidInput` for a rate outside
    `JOB_RATES_HZ`.
    """
    low, high = JOB_RATES_HZ
    if not low <= source.rate_hz <= high:
        raise InvalidInput(
            f"sources are taken at {low:,} to {high:,} Hz, this one has {source.rate_hz:,}; convert it first"
        )
    if not job.rate_hz:
        job = replace(job, rate_hz=source.rate_hz, channels=source.channels)
    job, lane = _first_lane(job)
    end = job_span(job)[1]
    at = end + SPACE_BETWEEN_TAKES_S * job.rate_hz if job.clips else 0
    clip = Clip(f"c{job.next_number}", lane.id, source.id, source.name, 0, source.frames, at)
    return Edited(
        replace(
            job,
            next_number=job.next_number + 1,
            sources={**job.sources, source.id: source},
            clips={**job.clips, clip.id: clip},
        )
    )


def set_gain(job: Job, clip_ids: tuple[str, ...], gain_db: float) -> Edited:
    """Set the gain of clips, −120 to +40 dB. Raises `InvalidInput`."""
    check_gain(gain_db)
    return Edited(set_clips(job, *(replace(job.clip(clip_id), gain_db=gain_db) for clip_id in clip_ids)))


def check_gain(gain_db: float) -> None:
    """Raise `InvalidInput` for a gain that no clip and no lane can have."""
    if not -120.0 <= gain_db <= 40.0:
        raise InvalidInput(f"a gain lies between −120 and +40 dB, got {gain_db:g}")


def rename_clip(job: Job, clip_id: str, name: str) -> Edited:
    """Give a clip another name."""
    return Edited(set_clips(job, replace(job.clip(clip_id), name=check_name(name))))


def rename_job(job: Job, name: str) -> Edited:
    """Give the job another name."""
    return Edited(replace(job, name=check_name(name)))


def _first_lane(job: Job) -> tuple[Job, Lane]:
    if job.lanes:
        return job, min(job.lanes.values(), key=lambda lane: lane.position)
    lane = Lane(f"l{job.next_number}", "Narration", 0)
    return replace(job, next_number=job.next_number + 1, lanes={lane.id: lane}), lane
