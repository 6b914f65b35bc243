"""What goes in front of a talk and behind it, and music that makes room for the voice."""

from __future__ import annotations

from dataclasses import replace
from typing import Literal

import numpy as np

from wemble.core.edit.clips import Edited
from wemble.core.edit.following import with_time_in, with_time_out
from wemble.core.edit.model import Clip, Job, Lane, LaneRole, SourceUse, set_clips
from wemble.core.edit.placement import end_of, source_frame_from, start_of, to_job_frames
from wemble.core.edit.talk import said
from wemble.errors import InvalidInput

End = Literal["front", "behind"]
_ROLES: dict[End, LaneRole] = {"front": "opening", "behind": "closing"}
LONGEST_SLOPE_S = 30.0


def place(
    job: Job, source: SourceUse, span: tuple[int, int], end: End, overlap_frames: int, *, gain_db: float
) -> Edited:
    """Put a span of a source in front of the talk or behind it, on a lane of its own.

    In front it takes the place of the lead: the first word then begins where it ends, less the overlap, and all lanes and
    marks move along; what was put there before goes. Raises `InvalidInput` if nobody speaks, or it overlaps by more than
    its length.
    """
    spans = said(job)
    if not spans:
        raise InvalidInput("nothing is said in this job yet; bring in the talk first")
    length = _frames(job, source, span[1]) - _frames(job, source, span[0])
    if not 0 <= overlap_frames <= length:
        raise InvalidInput(
            f"a piece of {length / job.rate_hz:.1f} s can overlap the talk by 0 to {length / job.rate_hz:.1f} s"
        )
    job, lane = _cleared_lane(job, _ROLES[end])
    if end == "front":
        by = length - overlap_frames - spans[0][0]
        job = with_time_in(job, [(0, by)]) if by > 0 else with_time_out(job, [(0, -by)]) if by else job
        at = 0
    else:
        heard = [clip for clip in job.clips.values() if clip.lane_id != lane.id and not job.lanes[clip.lane_id].muted]
        at = max(max((end_of(job, clip) for clip in heard), default=spans[-1][1]) - overlap_frames, 0)
    origin = at - _frames(job, source, span[0])
    clip = Clip(f"c{job.next_number}", lane.id, source.id, source.name, *span, origin, gain_db=gain_db)
    sources = {source.id: source, **job.sources} if source.id not in job.sources else job.sources
    placed_job = replace(job, next_number=job.next_number + 1, sources=sources, clips={**job.clips, clip.id: clip})
    return Edited(placed_job)


def duck(job: Job, clip_id: str, by_db: float, attack_s: float, release_s: float) -> Edited:
    """Turn a clip down under the voices by a level line, which can be drawn on by hand afterwards.

    It is down ``by_db`` when a voice begins, having taken ``attack_s`` to get there, and comes back within ``release_s``
    of its end; between voices that are closer than both it stays down.

    Raises
    ------
    InvalidInput
        If no voice overlaps the clip, or a figure makes no sense.
    """
    if not 0.0 < by_db <= 60.0 or not 0.0 < attack_s <= LONGEST_SLOPE_S or not 0.0 < release_s <= LONGEST_SLOPE_S:
        raise InvalidInput("turn music down by up to 60 dB, within slopes of up to 30 s")
    clip = job.clip(clip_id)
    start, end = start_of(job, clip), end_of(job, clip)
    attack, release = round(attack_s * job.rate_hz), round(release_s * job.rate_hz)
    others = replace(job, clips={key: one for key, one in job.clips.items() if one.lane_id != clip.lane_id})
    downs: list[tuple[int, int]] = []
    for a, b in said(others):
        if a < end + attack and b > start - release:
            if downs and a - downs[-1][1] < attack + release:
                downs[-1] = (downs[-1][0], b)
            else:
                downs.append((a, b))
    if not downs:
        raise InvalidInput("nobody speaks over this clip")
    points = [point for a, b in downs for point in ((a - attack, 0.0), (a, -by_db), (b, -by_db), (b + release, 0.0))]
    at, levels = zip(*points, strict=True)
    inside = [start, *(one for one in at if start < one < end), end]
    frames = job.source(clip.source_id).frames
    line = {
        min(max(source_frame_from(job, clip, one), 0), frames): round(float(np.interp(one, at, levels)), 2)
        for one in inside
    }
    return Edited(set_clips(job, replace(clip, line=tuple(sorted(line.items())))))


def _frames(job: Job, source: SourceUse, frame: int) -> int:
    return to_job_frames(frame, source_rate_hz=source.rate_hz, job_rate_hz=job.rate_hz)


def _cleared_lane(job: Job, role: LaneRole) -> tuple[Job, Lane]:
    """Return the job with an empty, audible lane of a role: a new one, or the one that is there."""
    old = next((lane for lane in job.lanes.values() if lane.role == role), None)
    if old is None:
        position = 1 + max((lane.position for lane in job.lanes.values()), default=-1)
        lane = Lane(f"l{job.next_number}", role.capitalize(), position, role=role)
        return replace(job, next_number=job.next_number + 1, lanes={**job.lanes, lane.id: lane}), lane
    gone = {clip.id for clip in job.clips.values() if clip.lane_id == old.id}
    kept = {key: clip for key, clip in job.clips.items() if key not in gone}
    joins = {k: j for k, j in job.joins.items() if not {j.left_clip_id, j.right_clip_id} & gone}
    lane = replace(old, muted=False)
    return replace(job, clips=kept, joins=joins, lanes={**job.lanes, lane.id: lane}), lane
