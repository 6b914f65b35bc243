"""Clips laid over each other on purpose: where, and how loud they are together."""

from __future__ import annotations

from dataclasses import dataclass

import numpy as np

from wemble.actions.library import Library
from wemble.core.edit.placement import end_of, spans_on_lane, start_of
from wemble.core.signal.levels import to_db

BLOCK_FRAMES = 1 << 18
LONGEST_S = 120


@dataclass(frozen=True, slots=True)
class Overlap:
    """A stretch in which another clip lies on the same lane, and the loudest sample of the sum there, in dB."""

    clip_id: str
    start_frame: int
    end_frame: int
    peak_db: float


def overlaps(library: Library, revision_id: int, clip_id: str) -> list[Overlap]:
    """Return the stretches of a clip that others lie over, in time order. Of very long ones two minutes are measured."""
    job = library.job_at(revision_id)
    clip = job.clip(clip_id)
    first, last = start_of(job, clip), end_of(job, clip)
    found = []
    for start, end, other in spans_on_lane(job, clip.lane_id):
        low, high = max(start, first), min(end, last)
        if other.id != clip.id and low < high:
            found.append(Overlap(other.id, low, high, _peak_db(library, revision_id, low, high)))
    return sorted(found, key=lambda overlap: overlap.start_frame)


def _peak_db(library: Library, revision_id: int, start: int, end: int) -> float:
    plan = library.plan_at(revision_id)
    end = min(end, start + LONGEST_S * plan.rate_hz)
    blocks = plan.blocks(start, end, BLOCK_FRAMES, library.reader)
    return round(float(to_db(max(float(np.abs(samples).max(initial=0.0)) for _, samples in blocks))), 1)
