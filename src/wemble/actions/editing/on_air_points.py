"""On-air points that can be proposed: begin and end from the programme, the next one's start from how far the tail has fallen."""

from __future__ import annotations

from dataclasses import dataclass

import numpy as np

from wemble.actions.library import Library
from wemble.core.edges.programme import falls_for_good, find_programme
from wemble.core.edit.clips import Edited
from wemble.core.edit.model import Clip, Job
from wemble.core.edit.on_air import NEXT_UNDER_DB, Proposed, hand_over, heard_handing_over, propose_points
from wemble.core.render import RenderPlan
from wemble.core.signal.levels import ms_to_frames
from wemble.errors import InvalidInput


def propose_on_air(library: Library, job: Job, clip_ids: tuple[str, ...], under_db: float = NEXT_UNDER_DB) -> Edited:
    """Propose where clips begin, where the next starts, and where they end; points set by hand stay.

    Raises `InvalidInput` for a level that no tail has.
    """
    if not 3.0 <= under_db <= 60.0:
        raise InvalidInput(f"a tail falls by 3 to 60 dB, not by {under_db:g}")
    told = []
    for clip_id in clip_ids:
        proposed = _proposed(library, job.clip(clip_id), under_db)
        if proposed is None:
            told.append(
                f"nothing in “{job.clip(clip_id).name}” stands out of its floor; its points are left as they are"
            )
        else:
            job = propose_points(job, clip_id, proposed)
    return Edited(job, tuple(told))


def _proposed(library: Library, clip: Clip, under_db: float) -> Proposed | None:
    envelope = library.measured(clip.source_id).envelope
    found = find_programme(
        library.reads(clip.source_id), envelope, head_frame=clip.head_frame, tail_frame=clip.tail_frame
    )
    if found is None:
        return None
    return Proposed(found.start_frame, falls_for_good(envelope, found, under_db), found.end_frame)


@dataclass(frozen=True, slots=True)
class HandOverHeard:
    """How one clip follows another on air, in job frames and dB: from where it is heard, where the second starts, how long
    both sound, how loud the loudest sample of their sum is, and where it is over."""

    from_frame: int
    starts_frame: int
    overlap_frames: int
    peak_db: float
    end_frame: int


def plan_of_hand_over(library: Library, revision_id: int, first_id: str, second_id: str) -> RenderPlan:
    """Return how two clips are heard, one following the other at their points."""

    def make() -> Job:
        return heard_handing_over(library.job_at(revision_id), first_id, second_id)

    return library.plan_of((revision_id, f"{first_id} hands over to {second_id}"), make)


def hear_hand_over(library: Library, revision_id: int, first_id: str, second_id: str, around_s: float) -> HandOverHeard:
    """Return a hand-over in figures. Raises `InvalidInput` for a clip that follows itself."""
    if first_id == second_id:
        raise InvalidInput("choose two items: one that ends, and one that follows")
    job = library.job_at(revision_id)
    given, plan = hand_over(job, first_id, second_id), plan_of_hand_over(library, revision_id, first_id, second_id)
    around = round(min(max(around_s, 0.5), 60.0) * job.rate_hz)
    least = ms_to_frames(100.0, job.rate_hz)
    peak = 0.0
    for _, samples in plan.blocks(
        given.starts_frame, given.starts_frame + max(given.overlap_frames, least), 1 << 16, library.reader
    ):
        peak = max(peak, float(np.abs(samples).max(initial=0.0)))
    return HandOverHeard(
        max(given.starts_frame - around, 0),
        given.starts_frame,
        given.overlap_frames,
        round(float(20.0 * np.log10(max(peak, 1e-10))), 1),
        given.starts_frame + given.overlap_frames + around,
    )
