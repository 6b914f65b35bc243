"""Edits of a selected span of time: cleared, closed up, split off, copied, turned up or down.

A span is in job frames, on the lanes that are named; no lanes means all of them.
"""

from __future__ import annotations

from contextlib import suppress
from dataclasses import replace

from wemble.core.edit.arrange import Close, copy_clips, split
from wemble.core.edit.clips import Edited, set_gain
from wemble.core.edit.following import with_time_out
from wemble.core.edit.joins import set_join
from wemble.core.edit.model import Job
from wemble.core.edit.placement import end_of, start_of
from wemble.core.signal.levels import ms_to_frames
from wemble.errors import InvalidInput

LaneIds = tuple[str, ...]
_CROSSFADE_MS = 10.0


def split_span(job: Job, start_frame: int, end_frame: int, lane_ids: LaneIds = ()) -> Edited:
    """Cut what lies on the lanes at both ends of a span. Nothing moves and nothing sounds different."""
    return Edited(_split_off(job, start_frame, end_frame, lane_ids)[0])


def clear_span(job: Job, start_frame: int, end_frame: int, lane_ids: LaneIds = (), close: Close = "no") -> Edited:
    """Take away what lies in a span; what follows moves up by its length if that is asked for.

    Closed up on all lanes, the span goes from all of them, and marks of the job move up too. Where clips then meet they
    are crossed, if the job's edges get automatic fades.
    """
    lanes = () if close == "all" else lane_ids
    job, inside = _split_off(job, start_frame, end_frame, lanes)
    kept = {key: clip for key, clip in job.clips.items() if key not in inside}
    joins = {k: j for k, j in job.joins.items() if j.left_clip_id in kept and j.right_clip_id in kept}
    job = replace(job, clips=kept, joins=joins)
    if close != "no":
        for lane_id in lanes if close == "lane" and lanes else (None,):
            job = with_time_out(job, [(start_frame, end_frame - start_frame)], lane_id=lane_id)
        if job.auto_fades:
            job = _crossed(job, start_frame, lanes)
    return Edited(job)


def copy_span(
    job: Job, start_frame: int, end_frame: int, to_frame: int, lane_ids: LaneIds = (), to_lane_id: str | None = None
) -> Edited:
    """Lay a copy of a span with its start at a job frame; the span itself stays as it is."""
    cut, inside = _split_off(job, start_frame, end_frame, lane_ids)
    first = min(start_of(cut, cut.clip(key)) for key in inside)
    laid = copy_clips(cut, tuple(inside), max(to_frame, 0) + first - start_frame, to_lane_id).job
    copies = {key: clip for key, clip in laid.clips.items() if key not in cut.clips}
    joins = {key: join for key, join in laid.joins.items() if key not in cut.joins and join.left_clip_id in copies}
    clips, joined = {**job.clips, **copies}, {**job.joins, **joins}
    return Edited(replace(job, clips=clips, joins=joined, next_number=laid.next_number))


def set_gain_of_span(job: Job, start_frame: int, end_frame: int, gain_db: float, lane_ids: LaneIds = ()) -> Edited:
    """Give what lies in a span a gain; it becomes clips of its own."""
    job, inside = _split_off(job, start_frame, end_frame, lane_ids)
    return set_gain(job, tuple(inside), gain_db)


def _crossed(job: Job, at: int, lane_ids: LaneIds) -> Job:
    """Return the job with a short crossfade wherever two clips meet at a job frame without one, as far as there is audio."""
    length = ms_to_frames(_CROSSFADE_MS, job.rate_hz)
    ends = {clip.lane_id: clip.id for clip in job.clips.values() if end_of(job, clip) == at}
    for right in [clip for clip in job.clips.values() if start_of(job, clip) == at]:
        left = ends.get(right.lane_id)
        if left is not None and (not lane_ids or right.lane_id in lane_ids):
            with suppress(InvalidInput):
                job = set_join(job, left, right.id, length, "equal_power", length // 2).job
    return job


def _split_off(job: Job, start: int, end: int, lane_ids: LaneIds) -> tuple[Job, list[str]]:
    """Return the job with what lies in a span as clips of its own, and those. Raises `InvalidInput` if there is nothing."""
    for lane_id in lane_ids:
        job.lane(lane_id)
    if start >= end:
        raise InvalidInput("the selection has no length; drag over the strip first")
    for at in (start, end):
        over = [
            clip.id
            for clip in job.clips.values()
            if (not lane_ids or clip.lane_id in lane_ids) and start_of(job, clip) < at < end_of(job, clip)
        ]
        if over:
            job = split(job, tuple(over), at).job
    inside = [
        clip.id
        for clip in sorted(job.clips.values(), key=lambda clip: (start_of(job, clip), clip.id))
        if (not lane_ids or clip.lane_id in lane_ids) and start <= start_of(job, clip) and end_of(job, clip) <= end
    ]
    if not inside:
        raise InvalidInput("nothing lies in the selection on these lanes")
    return job, inside
