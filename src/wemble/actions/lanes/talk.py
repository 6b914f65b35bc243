"""A conversation as a whole: where it begins and ends, its gaps, and how loud its voices are."""

from __future__ import annotations

from dataclasses import dataclass
from itertools import pairwise

from wemble.actions.library import Library
from wemble.core.edit.model import Job
from wemble.core.edit.placement import job_span
from wemble.core.edit.talk import Ends, gaps_to_close, proposed_ends, said


@dataclass(frozen=True, slots=True)
class TalkPlan:
    """What the acts on a whole conversation would do: its ends, how many gaps would be closed, and how long it then is.

    ``longest_gap_frames`` is that of the gaps as they are; all in job frames.
    """

    ends: Ends | None
    gaps: int
    longest_gap_frames: int
    taken_out_frames: int
    total_frames: int


def talk_plan(library: Library, revision_id: int, longest_frames: int, part: float) -> TalkPlan:
    """Return what closing gaps to a longest would come to, and the proposed ends; none where nothing is said."""
    job = library.job_at(revision_id)
    spans = said(job)
    gaps = gaps_to_close(job, longest_frames, part)
    taken = sum(frames for _, frames in gaps)
    longest = max((right[0] - left[1] for left, right in pairwise(spans)), default=0)
    end = job_span(job)[1]
    return TalkPlan(ends_of(library, job) if spans else None, len(gaps), longest, taken, end - taken)


def ends_of(library: Library, job: Job) -> Ends:
    """Propose where the talk begins and ends. Raises `InvalidInput` if nothing is said."""
    speech = [clip for clip in job.clips.values() if clip.speaks and job.is_recorded(clip)]
    return proposed_ends(
        job,
        {
            clip.id: library.loudest_db(clip.source_id, *clip.sound) + clip.gain_db + job.lane(clip.lane_id).gain_db
            for clip in speech
        },
    )
