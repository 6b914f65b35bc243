"""Edits of a selected span of time: cleared, closed up, split off, copied, turned up or down.

A span is in job frames, on the lanes that are named; no lanes means all of them.
"""

from __future__ import annotations

from bisect import bisect_left
from collections.abc import Sequence, Set
from contextlib import suppress
from dataclasses import replace
from itertools import accumulate

from wemble.core.edit.arrange import Close, split
from wemble.core.edit.clips import Edited, set_gain
from wemble.core.edit.following import with_time_out
from wemble.core.edit.joins import set_join
from wemble.core.edit.model import Job, set_clips
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
            job = _crossed(job, {start_frame}, lanes)
    return Edited(job)


def close_spans(job: Job, spans: Sequence[tuple[int, int]]) -> Job:
    """Return the job without some spans of time, (start, end) in order and apart, on all lanes; marks move up too.

    Where clips then meet they are crossed, if the job's edges get automatic fades. What `clear_span` does for one span, for
    hundreds at once.
    """
    begun = sorted((start_of(job, clip), clip.id) for clip in job.clips.values())
    starts = [start for start, _ in begun]
    longest = max((end_of(job, clip) - start_of(job, clip) for clip in job.clips.values()), default=0)
    gone: set[str] = set()
    for start, end in reversed(spans):  # from the last one on: the piece before a cut keeps its clip's id
        for _, clip_id in begun[bisect_left(starts, start - longest) : bisect_left(starts, end)]:
            clip = job.clips[clip_id]
            if clip_id in gone or end_of(job, clip) <= start:
                continue
            if end_of(job, clip) > end:
                job = split(job, (clip_id,), end).job
            inside = clip_id
            if start_of(job, clip) < start:
                inside = f"c{job.next_number}"
                job = split(job, (clip_id,), start).job
            gone.add(inside)
    kept = {key: clip for key, clip in job.clips.items() if key not in gone}
    joins = {k: j for k, j in job.joins.items() if j.left_clip_id in kept and j.right_clip_id in kept}
    job = with_time_out(replace(job, clips=kept, joins=joins), [(start, end - start) for start, end in spans])
    if job.auto_fades:
        taken = [0, *accumulate(end - start for start, end in spans)]
        job = _crossed(job, {start - before for (start, _), before in zip(spans, taken, strict=False)}, ())
    return job


def paste_span(
    job: Job, taken_from: Job, start_frame: int, end_frame: int, to_frame: int, lane_ids: LaneIds = ()
) -> Edited:
    """Lay a copy of a span, as it was when it was taken, with its start at a job frame."""
    cut, inside = _split_off(taken_from, start_frame, end_frame, lane_ids)
    return _laid(job, cut, inside, max(to_frame, 0) - start_frame)


def paste_clips(job: Job, taken_from: Job, clip_ids: tuple[str, ...], to_frame: int) -> Edited:
    """Lay copies of clips, as they were when they were taken, with the first at a job frame."""
    clips = [taken_from.clip(clip_id) for clip_id in clip_ids]
    if not clips:
        raise InvalidInput("nothing was copied; select clips or a span first")
    first = min(start_of(taken_from, clip) for clip in clips)
    return _laid(job, taken_from, [clip.id for clip in clips], max(to_frame, 0) - first)


def _laid(job: Job, taken_from: Job, clip_ids: list[str], by: int) -> Edited:
    """Return the job with copies of another state's clips and of the crossfades between them, on their lanes."""
    if any(taken_from.clips[key].source_id not in job.sources for key in clip_ids):
        raise InvalidInput("what was copied is of a recording that this job does not have; import it first")
    first_lane = min(job.lanes.values(), key=lambda lane: lane.position).id
    ids = {key: f"c{job.next_number + n}" for n, key in enumerate(clip_ids)}
    copies = []
    for key, new in ids.items():
        clip = taken_from.clips[key]
        lane_id = clip.lane_id if clip.lane_id in job.lanes else first_lane
        copies.append(replace(clip, id=new, lane_id=lane_id, origin_frame=clip.origin_frame + by, finding_id=None))
    number = job.next_number + len(ids)
    inner = [j for j in taken_from.joins.values() if j.left_clip_id in ids and j.right_clip_id in ids]
    joins = {
        f"j{number + n}": replace(
            join, id=f"j{number + n}", left_clip_id=ids[join.left_clip_id], right_clip_id=ids[join.right_clip_id]
        )
        for n, join in enumerate(inner)
    }
    laid = replace(set_clips(job, *copies), joins={**job.joins, **joins}, next_number=number + len(joins))
    return Edited(laid)


def set_gain_of_span(job: Job, start_frame: int, end_frame: int, gain_db: float, lane_ids: LaneIds = ()) -> Edited:
    """Give what lies in a span a gain; it becomes clips of its own."""
    job, inside = _split_off(job, start_frame, end_frame, lane_ids)
    return set_gain(job, tuple(inside), gain_db)


def _crossed(job: Job, places: Set[int], lane_ids: LaneIds) -> Job:
    """Return the job with a short crossfade wherever two clips meet at one of these frames without one, as far as there is audio."""
    length = ms_to_frames(_CROSSFADE_MS, job.rate_hz)
    clips = list(job.clips.values())
    ends = {(clip.lane_id, end): clip.id for clip in clips if (end := end_of(job, clip)) in places}
    for right in [clip for clip in clips if start_of(job, clip) in places]:
        left = ends.get((right.lane_id, start_of(job, right)))
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
