"""Time that is taken out or put in: what lies behind it moves along, on one lane or on all, and marks of the job with all."""

from __future__ import annotations

from bisect import bisect_right
from collections.abc import Callable, Sequence
from dataclasses import replace
from itertools import accumulate

from wemble.core.edit.model import Finding, Job, Mark
from wemble.core.edit.placement import start_of, to_job_frames

Span = tuple[int, int]
"""(job frame, how many frames)."""


def with_time_out(
    job: Job, spans: Sequence[Span], *, lane_id: str | None = None, but: frozenset[str] = frozenset()
) -> Job:
    """Return the job without some spans of time, given as they lie now, in order and apart.

    What starts at or behind the end of a span moves up; a mark inside one goes to its start. ``but`` names what stays.
    """
    ends = [at + frames for at, frames in spans]
    moved = [0, *accumulate(frames for _, frames in spans)]

    def shift(place: int) -> int:
        return -moved[bisect_right(ends, place)]

    def shift_mark(place: int) -> int:
        return -sum(min(max(place - at, 0), frames) for at, frames in spans)

    return _shifted(job, shift, shift_mark, lane_id, but)


def with_time_in(
    job: Job, spans: Sequence[Span], *, lane_id: str | None = None, but: frozenset[str] = frozenset()
) -> Job:
    """Return the job with time put in at some places, given as they lie now, in order."""
    places = [at for at, _ in spans]
    moved = [0, *accumulate(frames for _, frames in spans)]

    def shift(place: int) -> int:
        return moved[bisect_right(places, place)]

    return _shifted(job, shift, shift, lane_id, but)


def moved_from(job: Job, at: int, by: int) -> Job:
    """Return the job with everything that starts at a frame or behind it moved, on all lanes, marks too."""

    def shift(place: int) -> int:
        return by if place >= at else 0

    return _shifted(job, shift, shift, None, frozenset())


def before_closing(closed: Sequence[Span]) -> list[Span]:
    """Return spans of time that was closed up, as they lay before that.

    Examples
    --------
    >>> before_closing([(100, 10), (200, 20)])
    [(100, 10), (210, 20)]
    """
    earlier = [0, *accumulate(frames for _, frames in closed)]
    return [(at + shift, frames) for (at, frames), shift in zip(closed, earlier, strict=False)]


def _shifted(
    job: Job,
    shift: Callable[[int], int],
    shift_mark: Callable[[int], int],
    lane_id: str | None,
    but: frozenset[str],
) -> Job:
    def follows(one_id: str, on: str) -> bool:
        return one_id not in but and lane_id in (None, on)

    clips = {
        key: replace(clip, origin_frame=clip.origin_frame + by)
        for key, clip in job.clips.items()
        if follows(key, clip.lane_id) and (by := shift(start_of(job, clip)))
    }
    findings = {
        key: _moved_finding(job, finding, shift)
        for key, finding in job.findings.items()
        if follows(key, finding.lane_id)
    }
    marks = (
        {} if lane_id is not None else {k: _moved_mark(m, shift_mark) for k, m in job.marks.items() if not m.clip_id}
    )
    kept = {k: m for k, m in marks.items() if m.end_frame is None or m.frame < m.end_frame}
    others = {key: mark for key, mark in job.marks.items() if key not in marks}
    return replace(job, clips={**job.clips, **clips}, findings={**job.findings, **findings}, marks={**others, **kept})


def _start_of(job: Job, finding: Finding) -> int:
    rate = job.source(finding.source_id).rate_hz
    return finding.origin_frame + to_job_frames(finding.head_frame, source_rate_hz=rate, job_rate_hz=job.rate_hz)


def _moved_finding(job: Job, finding: Finding, shift: Callable[[int], int]) -> Finding:
    closed = tuple((at + shift(at), frames) for at, frames in finding.closed)
    return replace(finding, origin_frame=finding.origin_frame + shift(_start_of(job, finding)), closed=closed)


def _moved_mark(mark: Mark, shift: Callable[[int], int]) -> Mark:
    frame = max(mark.frame + shift(mark.frame), 0)
    end = None if mark.end_frame is None else max(mark.end_frame + shift(mark.end_frame), 0)
    return replace(mark, frame=frame, end_frame=end)
