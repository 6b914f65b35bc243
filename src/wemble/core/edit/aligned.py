"""Lanes lined up: each recording moved to when it began, by what was measured."""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass, replace

from wemble.core.edit.clips import Edited
from wemble.core.edit.model import Clip, Job, SourceUse, set_clips
from wemble.core.edit.placement import start_of
from wemble.errors import InvalidInput


@dataclass(frozen=True, slots=True)
class Aligned:
    """A lane's recording begins ``lag_s`` after the first lane's; none, and why, where that could not be measured.

    Where its clock was off by ``drift_ppm`` and is set right, ``source`` is the recording that came of it.
    """

    lane_id: str
    lag_s: float | None
    drift_ppm: float = 0.0
    source: SourceUse | None = None
    why_not: str = ""


def lone_recordings(job: Job) -> dict[str, Clip]:
    """Return the one uncut recording of each lane, from top to bottom.

    Raises `InvalidInput` if a lane has several clips or was searched, or there are not two.
    """
    lanes = sorted((lane for lane in job.lanes.values() if not lane.role), key=lambda lane: lane.position)
    found: dict[str, Clip] = {}
    for lane in lanes:
        clips = [clip for clip in job.clips.values() if clip.lane_id == lane.id]
        if len(clips) > 1 or any(clip.finding_id for clip in clips):
            raise InvalidInput(f"“{lane.name}” was cut already; lanes are lined up before that: undo it first")
        if clips:
            found[lane.id] = clips[0]
    if len(found) < 2:
        raise InvalidInput("to be lined up there must be two lanes, each with a recording")
    return found


def _when(lag_s: float) -> str:
    if abs(lag_s) < 0.0005:
        return "together with"
    return f"{abs(lag_s):.3f} s {'after' if lag_s > 0 else 'before'}"


def lay_aligned(job: Job, measured: Sequence[Aligned]) -> Edited:
    """Move every lane's recording to when it began; the earliest begins with the job. What was measured is told."""
    recordings = lone_recordings(job)
    first = next(iter(recordings.values()))
    base, notes = start_of(job, first), []
    moved = {first.id: first}
    for one in measured:
        clip, name = recordings[one.lane_id], job.lane(one.lane_id).name
        if one.lag_s is None:
            notes.append(f"“{name}” stays where it is: {one.why_not}")
            continue
        if one.source is not None:
            job = replace(job, sources={**job.sources, one.source.id: one.source})
            clip = replace(clip, source_id=one.source.id, head_frame=0, tail_frame=one.source.frames)
        moved[clip.id] = replace(clip, origin_frame=base + round(one.lag_s * job.rate_hz))
        clock = (
            f", and its clock was {abs(one.drift_ppm):.1f} ppm {'fast' if one.drift_ppm > 0 else 'slow'}"
            if one.source
            else ""
        )
        notes.append(f"“{name}” begins {_when(one.lag_s)} “{job.lane(first.lane_id).name}”{clock}")
    earliest = min(start_of(job, clip) for clip in moved.values())
    others = [clip for clip in job.clips.values() if clip.id not in moved]
    shifted = [replace(clip, origin_frame=clip.origin_frame - earliest) for clip in moved.values()]
    return Edited(set_clips(job, *shifted, *others), tuple(notes))
