"""Which edges an edit made: those that want automatic fades where the job's edges have them."""

from __future__ import annotations

from wemble.core.edit.model import Clip, Fade, Job, Side
from wemble.core.edit.placement import continued_edges, end_of, start_of
from wemble.core.edit.review import crossfade_lengths

Edges = set[tuple[str, Side]]
_HEAD: Side = "head"
_TAIL: Side = "tail"


def fresh_edges(before: Job, after: Job) -> Edges:
    """Return the edges without a fade, as (clip id, side), that an edit made.

    Such an edge is that of a new clip, or it moved from the recording's own end or from a cut at which the sound went on.
    One at which two clips meet is none: a fade there would be a dip.
    """
    bare = {
        (clip.id, side)
        for key, clip in after.clips.items()
        if clip is not before.clips.get(key)
        for side in (_HEAD, _TAIL)
        if _fade(clip, side) is None and _has_moved(before.clips.get(key), clip, side)
    }
    if not bare:
        return bare
    were_seamless = _seamless(before)
    first = {edge for edge in bare if edge in were_seamless or _was_own_end(before, *edge)}
    return first - _seamless(after) - _meeting(after)


def _fade(clip: Clip, side: Side) -> Fade | None:
    return clip.fade_in if side == "head" else clip.fade_out


def _frame(clip: Clip, side: Side) -> int:
    return clip.head_frame if side == "head" else clip.tail_frame


def _has_moved(was: Clip | None, clip: Clip, side: Side) -> bool:
    return was is None or _frame(was, side) != _frame(clip, side)


def _was_own_end(before: Job, clip_id: str, side: Side) -> bool:
    """Say whether an edge is new, or was where its recording starts or ends."""
    was = before.clips.get(clip_id)
    return was is None or _frame(was, side) == (0 if side == "head" else before.source(was.source_id).frames)


def _seamless(job: Job) -> Edges:
    return {*crossfade_lengths(job), *continued_edges(job)}


def _meeting(job: Job) -> Edges:
    starts = {(clip.lane_id, start_of(job, clip)): clip.id for clip in job.clips.values()}
    pairs = [(clip.id, starts.get((clip.lane_id, end_of(job, clip)))) for clip in job.clips.values()]
    return {edge for left, right in pairs if right for edge in ((left, _TAIL), (right, _HEAD))}
