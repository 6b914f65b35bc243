"""Which files a job becomes, and the sentence that says so before anything is written."""

from __future__ import annotations

from dataclasses import dataclass

from wemble.core.edit.model import Job
from wemble.core.edit.placement import end_of, in_time_order, job_span, start_of


@dataclass(frozen=True, slots=True)
class Piece:
    """One file to be: a span of the job, and the names that a pattern may use."""

    start: int
    end: int
    name: str
    source: str
    lane: str


def files_to_send(job: Job, *, per_phrase: bool) -> list[Piece]:
    """Return one piece for each clip that speaks, in time order, or one for all: from the first clip to the last."""
    if not job.clips:
        return []
    clips = [clip for clip in in_time_order(job) if clip.speaks]
    if per_phrase:
        return [
            Piece(start_of(job, c), end_of(job, c), c.name, job.sources[c.source_id].name, job.lanes[c.lane_id].name)
            for c in clips
        ]
    start, end = job_span(job)
    first = in_time_order(job)[0]
    return [Piece(start, end, job.name, job.sources[first.source_id].name, job.lanes[first.lane_id].name)]


def sentence(pieces: list[Piece], *, job_rate_hz: int, file_rate_hz: int, channels: int, kind: str) -> str:
    """Say in words what will be sent.

    Examples
    --------
    >>> one = [Piece(0, 96_000, "a", "a", "a")]
    >>> sentence(one, job_rate_hz=48_000, file_rate_hz=48_000, channels=1, kind="WAV 24-bit")
    '1 file, 0:02.000, mono, 48 kHz, WAV 24-bit'
    """
    if not pieces:
        return "nothing"
    total_s = sum(piece.end - piece.start for piece in pieces) / job_rate_hz
    count = "1 file" if len(pieces) == 1 else f"{len(pieces)} files"
    layout = {1: "mono", 2: "stereo"}.get(channels, f"{channels} channels")
    return f"{count}, {clock(total_s)}, {layout}, {file_rate_hz / 1000:g} kHz, {kind}"


def clock(seconds: float) -> str:
    """Return a duration as h:mm:ss.mmm, hours only if there are any.

    Examples
    --------
    >>> clock(64.5), clock(3723.25)
    ('1:04.500', '1:02:03.250')
    """
    milliseconds = round(seconds * 1000)
    minutes, rest = divmod(milliseconds, 60_000)
    hours, minutes = divmod(minutes, 60)
    text = f"{rest // 1000:02d}.{rest % 1000:03d}"
    return f"{hours}:{minutes:02d}:{text}" if hours else f"{minutes}:{text}"
