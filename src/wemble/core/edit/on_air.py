"""On-air points of a song or a promo: where it begins and ends, where the singing begins, its hook, and where the next may start.

They are marks tied to their clip, so they follow trims and moves. What is proposed gives way to another proposal, and never to
one over a point that a hand set.
"""

from __future__ import annotations

from collections.abc import Mapping, Sequence
from dataclasses import dataclass, replace
from typing import get_args

from wemble.core.edit.clips import Edited, SourcePoint
from wemble.core.edit.marks import place_of
from wemble.core.edit.model import AirPoint, Clip, Job, Mark
from wemble.core.edit.placement import end_of, source_frame_from, start_of
from wemble.errors import InvalidInput

NAMES: Mapping[AirPoint, str] = {
    "begins": "Begins",
    "singing": "Singing begins",
    "hook": "Hook",
    "overlap": "Next may overlap",
    "next": "Next starts",
    "ends": "Ends",
}
POINTS: tuple[AirPoint, ...] = tuple(point for point in get_args(AirPoint) if point)
NEXT_UNDER_DB = 20.0
"""The next may start where the tail lies so far under the loudness of the whole (our choice)."""
_TIMERS: Mapping[AirPoint, tuple[str, ...]] = {
    "begins": ("AUDs", "INTs"),
    "singing": ("INTe",),
    "hook": ("HOKs", "HOKe"),
    "overlap": ("SEGs",),
    "next": ("EOD ",),
    "ends": ("AUDe",),
}
"""The usages of AES46-2002's timers (memory); those of the hook are our own."""


def points_of(job: Job, clip_id: str) -> dict[AirPoint, Mark]:
    """Return the on-air points of a clip."""
    return {mark.point: mark for mark in job.marks.values() if mark.point and mark.clip_id == clip_id}


def set_point(job: Job, clip_id: str, point: AirPoint, frame: int, end_frame: int | None = None) -> Edited:
    """Set an on-air point of a clip at a job frame, by hand; a hook goes to ``end_frame``, 10 s where none is given.

    Raises `InvalidInput` for a place outside the clip.
    """
    if point not in NAMES:
        raise InvalidInput(f"an on-air point is one of {', '.join(POINTS)}, not {point!r}")
    clip = job.clip(clip_id)
    start, end = start_of(job, clip), end_of(job, clip)
    if not start <= frame <= end:
        raise InvalidInput(f"“{NAMES[point]}” must lie inside “{clip.name}”")
    if point == "hook":
        was = points_of(job, clip_id).get("hook")
        length = 10 * job.rate_hz if was is None else _length(job, was)
        end_frame = min(frame + length if end_frame is None else end_frame, end)
        if end_frame <= frame:
            raise InvalidInput("a hook ends after it starts")
    return Edited(_with(job, clip, point, frame, end_frame if point == "hook" else None, by_hand=True))


def remove_point(job: Job, clip_id: str, point: AirPoint) -> Edited:
    """Take an on-air point away."""
    gone = points_of(job, clip_id).get(point)
    return Edited(job if gone is None else replace(job, marks={k: m for k, m in job.marks.items() if k != gone.id}))


@dataclass(frozen=True, slots=True)
class Proposed:
    """Where a clip begins, ends, and has fallen so far that the next may start, in source frames."""

    begins: int
    next: int
    ends: int


def propose_points(job: Job, clip_id: str, proposed: Proposed) -> Job:
    """Return the job with what can be proposed of a clip's on-air points; those that a hand set stay."""
    clip, by_hand = job.clip(clip_id), {p for p, mark in points_of(job, clip_id).items() if mark.by_hand}
    for point in ("begins", "next", "ends"):
        if point not in by_hand:
            at = min(max(getattr(proposed, point), clip.head_frame), clip.tail_frame)
            job = _put(job, replace(_new(job, clip, point), frame=at, by_hand=False))
    return job


def timers(job: Job, clip: Clip, *, rate_hz: int) -> list[tuple[str, int]]:
    """Return a clip's points as the timers of a ``cart`` chunk: (usage, sample of the clip's file at a rate)."""
    found = points_of(job, clip.id)
    start, out = start_of(job, clip), []
    for point in POINTS:
        if point in found:
            mark = found[point]
            places = [place_of(job, mark)]
            if point == "hook" and mark.end_frame is not None:
                places.append(place_of(job, replace(mark, frame=mark.end_frame)))
            usages = _TIMERS[point] if point != "begins" or "singing" in found else _TIMERS[point][:1]
            for n, usage in enumerate(usages):
                out.append((usage, round((places[min(n, len(places) - 1)] - start) * rate_hz / job.rate_hz)))
    return out


def from_timers(timers: Sequence[tuple[str, int]], frames: int) -> list[SourcePoint]:
    """Return the on-air points that the timers of a file say, of those that lie inside its frames; others are left out."""
    at = {usage: frame for usage, frame in timers if 0 <= frame <= frames}
    points = []
    for point in POINTS:
        usages = [usage for usage in _TIMERS[point] if usage in at]
        if not usages or (point == "hook" and (len(usages) < 2 or at["HOKs"] >= at["HOKe"])):
            continue
        end = at["HOKe"] if point == "hook" else None
        points.append(SourcePoint(at[usages[0]], NAMES[point], end, point))
    return points


@dataclass(frozen=True, slots=True)
class HandOver:
    """How a clip follows another on air: by how much its start moves, in job frames, and how long both then sound."""

    by_frames: int
    overlap_frames: int
    starts_frame: int


def hand_over(job: Job, first_id: str, second_id: str) -> HandOver:
    """Return how the second clip follows the first at their points: it begins where the next may already overlap, if that is
    marked, else where the next starts, else where the first ends."""
    first, second = job.clip(first_id), job.clip(second_id)
    points, others = points_of(job, first_id), points_of(job, second_id)
    ends = place_of(job, points["ends"]) if "ends" in points else end_of(job, first)
    at = next((place_of(job, points[p]) for p in ("overlap", "next") if p in points), ends)
    begins = place_of(job, others["begins"]) if "begins" in others else start_of(job, second)
    return HandOver(at - begins, max(ends - at, 0), at)


def heard_handing_over(job: Job, first_id: str, second_id: str) -> Job:
    """Return the job with just two clips, the second following the first at their points: to hear it, nothing is stored."""
    given = hand_over(job, first_id, second_id)
    first, second = job.clip(first_id), job.clip(second_id)
    begins = given.starts_frame - given.by_frames
    head = max(source_frame_from(job, second, begins), second.head_frame)
    moved = replace(second, origin_frame=second.origin_frame + given.by_frames, head_frame=head)
    return replace(job, clips={first.id: first, moved.id: moved}, joins={}, marks={}, findings={})


def _length(job: Job, hook: Mark) -> int:
    return place_of(job, replace(hook, frame=hook.end_frame or hook.frame)) - place_of(job, hook)


def _with(job: Job, clip: Clip, point: AirPoint, frame: int, end: int | None, *, by_hand: bool) -> Job:
    mark = replace(
        _new(job, clip, point),
        frame=min(source_frame_from(job, clip, frame), clip.tail_frame),
        end_frame=None if end is None else min(source_frame_from(job, clip, end), clip.tail_frame),
        by_hand=by_hand,
    )
    return _put(job, mark)


def _new(job: Job, clip: Clip, point: AirPoint) -> Mark:
    was = points_of(job, clip.id).get(point)
    return was or Mark(f"m{job.next_number}", "air", NAMES[point], clip.head_frame, clip.id, point=point)


def _put(job: Job, mark: Mark) -> Job:
    number = job.next_number + (mark.id not in job.marks)
    return replace(job, next_number=number, marks={**job.marks, mark.id: mark})
