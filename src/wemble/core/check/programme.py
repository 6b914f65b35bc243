"""Does the programme end where the sound ends, and is there sound outside it?"""

from __future__ import annotations

from dataclasses import dataclass

import numpy as np

from wemble.core.check.table import Check, State, state_of
from wemble.core.edges.envelope import Envelope
from wemble.core.edges.floor import Floor
from wemble.core.edit.marks import programme
from wemble.core.edit.model import Clip, Job
from wemble.core.edit.placement import end_of, source_frame_from, start_of
from wemble.core.render.plan import RenderPlan
from wemble.core.signal.levels import SILENCE_DB, ms_to_frames
from wemble.core.signal.reader import SampleReader

WINDOW_MS = 10.0


@dataclass(frozen=True, slots=True)
class Found:
    """A check of the programme: its figure in dB, and where in the job to look."""

    check: Check
    state: State
    figure: float
    job_frame: int
    clip_id: str | None = None


def end_verdict(job: Job, plan: RenderPlan, reader: SampleReader, floors_db: dict[str, float]) -> Found | None:
    """Say how far over its floor the sound still is where the end mark cuts it; none without a programme.

    ``floors_db`` has the floor of every source. What counts is the loudest floor, clip and lane gain included, of the
    clips that lie there: a quieter one is hidden by it.
    """
    marked = programme(job)
    if marked is None:
        return None
    window = ms_to_frames(WINDOW_MS, job.rate_hz)
    samples = plan.render(marked[1] - window, window, reader)
    level_db = 10.0 * np.log10(max(float(np.mean(np.square(samples, dtype=np.float64), axis=1).max()), 1e-20))
    there = [clip for clip in job.clips.values() if start_of(job, clip) < marked[1] <= end_of(job, clip)]
    floor_db = max(
        (floors_db[c.source_id] + c.gain_db + job.lanes[c.lane_id].gain_db for c in there), default=SILENCE_DB
    )
    figure = max(level_db - floor_db, 0.0) if there else 0.0
    return Found("programme_end", state_of("programme_end", figure), round(figure, 1), marked[1])


def outside_verdict(job: Job, clip: Clip, envelope: Envelope, floor: Floor) -> Found | None:
    """Say how loud a clip still is outside the programme; none if it lies inside, or is only floor there."""
    marked = programme(job)
    if marked is None:
        return None
    start, end = start_of(job, clip), end_of(job, clip)
    parts = [(start, min(marked[0], end)), (max(marked[1], start), end)]
    loudest: Found | None = None
    for first, last in parts:
        if last <= first:
            continue
        part = envelope.part(source_frame_from(job, clip, first), source_frame_from(job, clip, last))
        figure = float(part.level_db.max(initial=SILENCE_DB)) - floor.level_db
        if state_of("outside", figure) != "fine" and (loudest is None or figure > loudest.figure):
            loudest = Found("outside", "look", round(figure, 1), first, clip.id)
    return loudest
