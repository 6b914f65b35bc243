"""The walk: which edges somebody has seen and heard, and what they said of them."""

from __future__ import annotations

from dataclasses import replace

from wemble.core.edit.clips import Edited
from wemble.core.edit.model import Clip, Job, Said, Side, Walked, set_clips


def say_of_edge(job: Job, clip_id: str, side: Side, said: Said | None) -> Edited:
    """Accept an edge, send it back, or take back what was said."""
    clip = job.clip(clip_id)
    frame, fade = (clip.head_frame, clip.fade_in) if side == "head" else (clip.tail_frame, clip.fade_out)
    length = crossfade_lengths(job).get((clip.id, side), 0)
    walked = None if said is None else Walked(said, frame, fade, length)
    changed = replace(clip, head_walked=walked) if side == "head" else replace(clip, tail_walked=walked)
    return Edited(set_clips(job, changed))


def said_of(clip: Clip, side: Side, crossfades: dict[tuple[str, Side], int]) -> Said | None:
    """Return what was said of an edge, as long as it is what it was then: a changed edge is unwalked again."""
    walked = clip.head_walked if side == "head" else clip.tail_walked
    if walked is None:
        return None
    frame, fade = (clip.head_frame, clip.fade_in) if side == "head" else (clip.tail_frame, clip.fade_out)
    same = (walked.frame, walked.fade, walked.crossfade_frames) == (frame, fade, crossfades.get((clip.id, side), 0))
    return walked.said if same else None


def crossfade_lengths(job: Job) -> dict[tuple[str, Side], int]:
    """Return the length of the crossfade at every joined edge."""
    lengths: dict[tuple[str, Side], int] = {}
    for join in job.joins.values():
        lengths[join.left_clip_id, "tail"] = join.length_frames
        lengths[join.right_clip_id, "head"] = join.length_frames
    return lengths
