"""Where a source frame lies on a lane, in exact rational arithmetic.

A clip covers job frames ``[origin + ceil(head·Rj/Rs), origin + ceil(tail·Rj/Rs))``: pieces of one source with one
origin tile without gap or overlap, whatever the two rates.
"""

from __future__ import annotations

from wemble.core.edit.model import Clip, Job, Side


def to_job_frames(source_frames: int, *, source_rate_hz: int, job_rate_hz: int) -> int:
    """Return source frames as job frames, rounded up.

    Examples
    --------
    >>> to_job_frames(44_100, source_rate_hz=44_100, job_rate_hz=48_000)
    48000
    >>> to_job_frames(1, source_rate_hz=44_100, job_rate_hz=48_000)
    2
    """
    return -(-source_frames * job_rate_hz // source_rate_hz)


def to_source_frames(job_frames: int, *, source_rate_hz: int, job_rate_hz: int) -> int:
    """Return the greatest source frame that does not lie after a job frame: the inverse of `to_job_frames`.

    Examples
    --------
    >>> to_source_frames(48_000, source_rate_hz=44_100, job_rate_hz=48_000)
    44100
    """
    return job_frames * source_rate_hz // job_rate_hz


def placed(job: Job, clip: Clip, source_frame: int) -> int:
    """Return the job frame at which a frame of the clip's source lies."""
    rate = job.source(clip.source_id).rate_hz
    return clip.origin_frame + to_job_frames(source_frame, source_rate_hz=rate, job_rate_hz=job.rate_hz)


def source_frame_from(job: Job, clip: Clip, job_frame: int) -> int:
    """Return the first frame of the clip's source that lies at or after a job frame: where a cut there falls."""
    rate = job.source(clip.source_id).rate_hz
    frame = to_source_frames(job_frame - clip.origin_frame, source_rate_hz=rate, job_rate_hz=job.rate_hz)
    return frame if placed(job, clip, frame) >= job_frame else frame + 1


def start_of(job: Job, clip: Clip) -> int:
    """Return the first job frame that a clip covers."""
    return placed(job, clip, clip.head_frame)


def end_of(job: Job, clip: Clip) -> int:
    """Return the job frame after the last one that a clip covers."""
    return placed(job, clip, clip.tail_frame)


def audible_lanes(job: Job) -> set[str]:
    """Return the lanes that sound: those that play solo, if any do, else those that are not muted."""
    solo = {lane.id for lane in job.lanes.values() if lane.solo}
    return solo or {lane.id for lane in job.lanes.values() if not lane.muted}


def spans_on_lane(job: Job, lane_id: str) -> list[tuple[int, int, Clip]]:
    """Return (start, end, clip) of every clip of a lane, in job frames, in no order. Quick, for ten thousand clips."""
    rates = {source.id: source.rate_hz for source in job.sources.values()}
    job_rate = job.rate_hz
    spans = []
    for clip in job.clips.values():
        if clip.lane_id == lane_id:
            rate, origin = rates[clip.source_id], clip.origin_frame
            start, end = origin - (-clip.head_frame * job_rate // rate), origin - (-clip.tail_frame * job_rate // rate)
            spans.append((start, end, clip))
    return spans


def in_time_order(job: Job) -> list[Clip]:
    """Return the clips by lane, then by where they start."""
    lanes = {lane.id: lane.position for lane in job.lanes.values()}
    return sorted(job.clips.values(), key=lambda clip: (lanes[clip.lane_id], start_of(job, clip), clip.id))


def job_span(job: Job) -> tuple[int, int]:
    """Return the span from the first frame of the first clip to the last of the last; (0, 0) without clips."""
    if not job.clips:
        return 0, 0
    starts = min(start_of(job, clip) for clip in job.clips.values())
    return starts, max(end_of(job, clip) for clip in job.clips.values())


def is_turned(first: Clip, second: Clip) -> bool:
    """Say whether two clips that meet are the halves of a turned loop: where the second ends in its source, the first begins."""
    return first.source_id == second.source_id and second.tail_frame == first.head_frame


def turned_clips(job: Job) -> frozenset[str]:
    """Return the clips that are halves of a turned loop, which are joined."""
    pairs = [(job.clip(join.left_clip_id), job.clip(join.right_clip_id)) for join in job.joins.values()]
    return frozenset(clip.id for pair in pairs if is_turned(*pair) for clip in pair)


def laid_over(job: Job) -> set[tuple[str, Side]]:
    """Return the edges that lie under another clip of their lane, with a fade of one's own: (clip id, side).

    Two pieces overlap there on purpose, and each fade takes from its sound what the other gives.
    """
    found: set[tuple[str, Side]] = set()
    for lane_id in job.lanes:
        last: tuple[int, Clip] | None = None
        for start, end, clip in sorted(spans_on_lane(job, lane_id), key=lambda span: (span[0], span[2].id)):
            if last is not None and start < last[0]:
                left = last[1]
                if left.fade_out and left.fade_out.origin == "own":
                    found.add((left.id, "tail"))
                if clip.fade_in and clip.fade_in.origin == "own":
                    found.add((clip.id, "head"))
            if last is None or end > last[0]:
                last = (end, clip)
    return found


def continued_edges(job: Job) -> set[tuple[str, Side]]:
    """Return the edges at which the next piece of the same audio goes on without a gap: (clip id, side)."""
    heads = {(c.lane_id, c.source_id, c.origin_frame, c.head_frame, c.gain_db): c.id for c in job.clips.values()}
    found: set[tuple[str, Side]] = set()
    for clip in job.clips.values():
        right = heads.get((clip.lane_id, clip.source_id, clip.origin_frame, clip.tail_frame, clip.gain_db))
        if right is not None and clip.fade_out is None and job.clips[right].fade_in is None:
            found |= {(clip.id, "tail"), (right, "head")}
    return found
