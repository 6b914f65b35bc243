"""Which edges an edit made: those that want automatic fades where the job's edges have them."""

from __future__ import annotations

from collections.abc import Collection

from wemble.core.edit.changes import not_the_same
from wemble.core.edit.model import Clip, Fade, Job, Side
from wemble.core.edit.placement import spans_on_lane, turned_clips
from wemble.core.edit.review import crossfade_lengths

Edges = set[tuple[str, Side]]
_HEAD: Side = "head"
_TAIL: Side = "tail"


def fresh_edges(before: Job, after: Job) -> Edges:
    """Return the edges without a fade, as (clip id, side), that an edit made, whatever edit it was.

    Such an edge is that of a new clip, or it moved from the recording's own end, or the sound went on at it, and does so no
    longer: it was moved, or what it went on in is gone. One at which two clips meet is none, as a fade there would be a
    dip; nor are the ends of a turned loop, which go on in each other.
    """
    changed = not_the_same(before.clips, after.clips).values()
    touched = not_the_same(after.clips, before.clips).values()
    if not changed and not touched:
        return set()
    fresh = {
        (clip.id, side)
        for clip in changed
        for side in (_HEAD, _TAIL)
        if _has_moved(before.clips.get(clip.id), clip, side) and _was_own_end(before, clip.id, side)
    }
    fresh |= _went_on(before, touched)
    bare = {
        (key, side)
        for key, side in fresh
        if (clip := after.clips.get(key)) is not None and clip.speaks and _fade(clip, side) is None
    }
    if not bare:
        return set()
    return bare - _meeting(after, bare) - {(key, side) for key in turned_clips(after) for side in (_HEAD, _TAIL)}


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


def _went_on(job: Job, touched: Collection[Clip]) -> Edges:
    """Return the edges of these clips, and of their neighbours, at which the sound went on from one to the other."""
    heads = {(c.lane_id, c.source_id, c.origin_frame, c.head_frame): c.id for c in touched}
    tails = {(c.lane_id, c.source_id, c.origin_frame, c.tail_frame): c.id for c in touched}
    starts, ends = {clip.head_frame for clip in touched}, {clip.tail_frame for clip in touched}
    edges: Edges = set()
    for clip in job.clips.values():
        if clip.tail_frame not in starts and clip.head_frame not in ends:
            continue  # of thousands of clips, nearly all
        place = (clip.lane_id, clip.source_id, clip.origin_frame)
        if (right := heads.get((*place, clip.tail_frame))) is not None:
            edges |= {(clip.id, _TAIL), (right, _HEAD)}
        if (left := tails.get((*place, clip.head_frame))) is not None:
            edges |= {(left, _TAIL), (clip.id, _HEAD)}
    ids = set(heads.values())
    for join in job.joins.values():
        if join.left_clip_id in ids or join.right_clip_id in ids:
            edges |= {(join.left_clip_id, _TAIL), (join.right_clip_id, _HEAD)}
    return edges


def _meeting(job: Job, edges: Edges) -> Edges:
    """Return those of these edges at which another clip begins or ends."""
    met: Edges = set(crossfade_lengths(job)) & edges
    for lane_id in {job.clip(key).lane_id for key, _ in edges}:
        spans = spans_on_lane(job, lane_id)
        starts, ends = {start for start, _, _ in spans}, {end for _, end, _ in spans}
        for start, end, clip in spans:
            met |= {(clip.id, _HEAD)} & edges if start in ends else set()
            met |= {(clip.id, _TAIL)} & edges if end in starts else set()
    return met
