"""The walk: which edges somebody has looked at and heard, and whether they accepted them."""

from __future__ import annotations

from dataclasses import replace

from wemble.core.edit.clips import Edited
from wemble.core.edit.model import Clip, Decision, Job, Review, Side, set_clips


def review_edge(job: Job, clip_id: str, side: Side, decision: Decision | None) -> Edited:
    """Accept an edge, send it back, or take the decision back."""
    clip = job.clip(clip_id)
    frame, fade = (clip.head_frame, clip.fade_in) if side == "head" else (clip.tail_frame, clip.fade_out)
    length = crossfade_lengths(job).get((clip.id, side), 0)
    review = None if decision is None else Review(decision, frame, fade, length)
    changed = replace(clip, head_review=review) if side == "head" else replace(clip, tail_review=review)
    return Edited(set_clips(job, changed))


def decision_of(clip: Clip, side: Side, crossfades: dict[tuple[str, Side], int]) -> Decision | None:
    """Return what was decided about an edge, as long as it is what it was then: a changed edge has to be walked again."""
    review = clip.head_review if side == "head" else clip.tail_review
    if review is None:
        return None
    frame, fade = (clip.head_frame, clip.fade_in) if side == "head" else (clip.tail_frame, clip.fade_out)
    same = (review.frame, review.fade, review.crossfade_frames) == (frame, fade, crossfades.get((clip.id, side), 0))
    return review.decision if same else None


def crossfade_lengths(job: Job) -> dict[tuple[str, Side], int]:
    """Return the length of the crossfade at every joined edge."""
    lengths: dict[tuple[str, Side], int] = {}
    for join in job.joins.values():
        lengths[join.left_clip_id, "tail"] = join.length_frames
        lengths[join.right_clip_id, "head"] = join.length_frames
    return lengths
