"""Which files a job becomes, and the sentence that says so before anything is written."""

from __future__ import annotations

from collections.abc import Collection
from dataclasses import dataclass, replace
from itertools import pairwise

from wemble.core.briefs import record
from wemble.core.deliver.kinds import What
from wemble.core.edit.marks import in_order, place_of, programme
from wemble.core.edit.model import Job
from wemble.core.edit.placement import end_of, in_time_order, job_span, start_of
from wemble.core.render.plan import audible_lanes


@dataclass(frozen=True, slots=True)
class Piece:
    """One file to be: a span of the job, the names that a pattern may use, and the clip that it is of, if it is of one."""

    start: int
    end: int
    name: str
    source: str
    lane: str
    clip_id: str = ""


def files_to_send(job: Job, what: What, clip_ids: Collection[str] = ()) -> list[Piece]:
    """Return the files that a job becomes, in time order; of files for each clip only these, if any are named.

    One file is the programme if its start and end are marked, else everything from the first clip to the last; a
    playback loop has no say. Sections go from mark to mark inside that span. Muted lanes send nothing.
    """
    heard = audible_lanes(job)
    clips = [clip for clip in in_time_order(job) if clip.lane_id in heard]
    if not clips:
        return []
    if what == "each_clip":
        return [
            Piece(
                start_of(job, c), end_of(job, c), c.name, job.sources[c.source_id].name, job.lanes[c.lane_id].name, c.id
            )
            for c in clips
            if c.speaks and (not clip_ids or c.id in clip_ids)
        ]
    start, end = programme(job) or (job_span(job))
    source, lane = job.sources[clips[0].source_id].name, job.lanes[clips[0].lane_id].name
    sections = (
        [(place_of(job, m), m.name) for m in in_order(job) if m.kind == "section"] if what == "each_section" else []
    )
    starts = [(at, name) for at, name in sections if start < at < end]
    first = next((name for at, name in reversed(sections) if at <= start), job.name)
    bounds = [(start, first), *starts, (end, "")]
    return [Piece(at, until, name, source, lane) for (at, name), (until, _) in pairwise(bounds)]


def range_in_words(job: Job) -> str:
    """Say which part of the job one file is.

    A sentence such as "the programme, from 0:08.800 to 3:12.800", or "everything, from 0:00.000 to 3:20.000".
    """
    marked = programme(job)
    start, end = marked or job_span(job)
    rate = max(job.rate_hz, 1)
    return f"{'the programme' if marked else 'everything'}, from {clock(start / rate)} to {clock(end / rate)}"


def stretches_of_nothing(job: Job, piece: Piece, longest_frames: int) -> list[tuple[int, int]]:
    """Return the stretches of a file to be, in job frames, in which no clip lies for longer than that."""
    heard = audible_lanes(job)
    covered = sorted((start_of(job, clip), end_of(job, clip)) for clip in job.clips.values() if clip.lane_id in heard)
    out, at = [], piece.start
    for start, end in [*covered, (piece.end, piece.end)]:
        if min(start, piece.end) - at > longest_frames:
            out.append((at, min(start, piece.end)))
        at = max(at, end)
    return out


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


@dataclass(frozen=True, slots=True)
class PiecePoint:
    """A mark inside a file to be: frames from its start, in the job's rate; a loop has an end."""

    frame: int
    name: str
    end_frame: int | None = None


def points_in(job: Job, piece: Piece) -> list[PiecePoint]:
    """Return the marks and loops that lie whole inside a file to be, in time order. Start and end are its bounds.

    In a kit every clip of a longer file begins at a point with its name: so a take goes out as one file with its hits.
    """
    points = []
    if record(job.brief).clips_are_points:
        starts = [(start_of(job, clip), clip.name) for clip in in_time_order(job) if clip.speaks]
        begun = [PiecePoint(at - piece.start, name) for at, name in starts if piece.start <= at < piece.end]
        points += begun if len(begun) > 1 else []
    for mark in in_order(job):
        start = place_of(job, mark)
        end = None if mark.end_frame is None else place_of(job, replace(mark, frame=mark.end_frame))
        inside = piece.start <= start < piece.end and (end is None or end <= piece.end)
        if inside and mark.kind in ("section", "loop"):
            points.append(PiecePoint(start - piece.start, mark.name, None if end is None else end - piece.start))
    return sorted(points, key=lambda point: (point.frame, point.end_frame or 0))
