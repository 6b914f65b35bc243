"""Edits of edges: heads and tails moved, one or many, and the fades on them."""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass, replace
from typing import Literal

from wemble.core.edit.clips import Edited
from wemble.core.edit.corrections import owners
from wemble.core.edit.following import with_time_in, with_time_out
from wemble.core.edit.model import FARTHEST_FRAME, Clip, Correction, Fade, Job, Side, set_clips
from wemble.core.edit.placement import (
    end_of,
    placed,
    source_frame_from,
    spans_on_lane,
    start_of,
    to_source_frames,
    turned_clips,
)
from wemble.core.shape.curves import SHAPES
from wemble.core.shape.points import check_points
from wemble.core.signal.levels import ms_to_frames
from wemble.errors import InvalidInput

Hold = Literal["length", "inner"]
"""What a fade keeps when its edge moves: its length, or the place of its inner end."""
SHORTEST_HELD_MS = 1.0
"""An edge that comes near the inner end of its fade, while that is held, leaves so much of the fade: less would click."""


def move_edge(job: Job, clip_id: str, side: Side, source_frame: int, hold: Hold = "length") -> Edited:
    """Move a head or a tail to a source frame, as far as it can go.

    It stops at the ends of the source, one frame short of the clip's other edge or `SHORTEST_HELD_MS` short of the
    fade's inner end if that is held, and at a neighbour on the lane; the edges of a turned loop stay where they are. Where
    the neighbour is the next piece of the same audio, the cut between the two moves and both follow. Where time was closed
    up, that time is opened, and what follows moves along. A fade that keeps its length becomes as long as the clip lets it.
    """
    clip = job.clip(clip_id)
    low, high = _edge_limits(job, clip, side, hold)
    at = min(max(source_frame, low), high)
    notes = (
        () if at == source_frame else (f"the {side} stops at frame {at:,}: {_limit_reason(job, clip, side, at, hold)}",)
    )
    return Edited(after := _moved(job, clip, side, at, hold), notes + _gone_joins(job, after))


@dataclass(frozen=True, slots=True)
class Reach:
    """How far the same edge of several clips can move: the lowest and the highest source frame that the first of them can
    have there, what stops it at either, and the longest fade that it can have, in source frames."""

    lowest_frame: int
    highest_frame: int
    lowest_reason: str
    highest_reason: str
    longest_fade_frames: int


def reach_of(job: Job, clip_ids: tuple[str, ...], side: Side, hold: Hold = "length") -> Reach:
    """Say how far an edge of clips can be moved, as `move_edges` will do it. Raises `InvalidInput` without clips."""
    if not clip_ids:
        raise InvalidInput("say which clips")
    first = job.clip(clip_ids[0])
    low, high = _edge_limits(job, first, side, hold)
    frames, reasons = [], []
    for stop in _stops(job, [job.clip(clip_id) for clip_id in clip_ids], side, hold):
        to = source_frame_from(job, first, placed(job, first, _edge(first, side)) + stop.by_frames)
        frames.append(min(max(to, low), high))
        reasons.append(_reason_of(job, stop, side, hold, named=stop.clip.id != first.id))
    return Reach(frames[0], frames[1], reasons[0], reasons[1], _fade_room(first, side))


def move_edges(job: Job, clip_ids: tuple[str, ...], side: Side, by_frames: int, hold: Hold = "length") -> Edited:
    """Move the same edge of several clips by the same number of job frames, as far as all of them can go.

    What stops the first stops all, so that the edges stay in step; it is said which.
    """
    clips = [job.clip(clip_id) for clip_id in clip_ids]
    if not clips:
        return Edited(job)
    back, on = _stops(job, clips, side, hold)
    allowed = min(max(by_frames, back.by_frames), on.by_frames)
    before = job
    for clip in clips:
        to = source_frame_from(job, clip, placed(job, clip, _edge(clip, side)) + allowed)
        low, high = _edge_limits(job, job.clip(clip.id), side, hold)
        job = _moved(job, job.clip(clip.id), side, min(max(to, low), high), hold)
    gone = _gone_joins(before, job)
    if allowed == by_frames:
        return Edited(job, gone)
    moved_ms = 1000.0 * allowed / job.rate_hz
    reason = _reason_of(before, back if allowed > by_frames else on, side, hold, named=True)
    return Edited(job, (f"the {side}s stop after {moved_ms:+.1f} ms, at {reason}", *gone))


@dataclass(frozen=True, slots=True)
class _Stop:
    """How far clips can go together, in job frames, by the clip that stops them, at its own source frame."""

    by_frames: int
    clip: Clip
    at: int


def _stops(job: Job, clips: Sequence[Clip], side: Side, hold: Hold) -> tuple[_Stop, _Stop]:
    """Return what stops clips on their way back, and on their way on."""
    backs, ons = [], []
    for clip in clips:
        here = placed(job, clip, _edge(clip, side))
        low, high = _edge_limits(job, clip, side, hold)
        backs.append(_Stop(placed(job, clip, low) - here, clip, low))
        ons.append(_Stop(placed(job, clip, high) - here, clip, high))
    return max(backs, key=lambda stop: stop.by_frames), min(ons, key=lambda stop: stop.by_frames)


def _reason_of(job: Job, stop: _Stop, side: Side, hold: Hold, *, named: bool) -> str:
    reason = _limit_reason(job, stop.clip, side, stop.at, hold)
    return f"“{stop.clip.name}”: {reason}" if named else reason


def set_fade(job: Job, clip_ids: tuple[str, ...], side: Side, fade: Fade | None) -> Edited:
    """Put a fade on the same edge of clips, or remove it. It ends at most where the other fade of a clip begins.

    Raises `InvalidInput` if the fade has no frame, or an edge is inside a join.
    """
    if fade is not None:
        check_fade(fade)
    notes: list[str] = []
    for clip_id in clip_ids:
        clip = job.clip(clip_id)
        if joined(job, clip_id, side):
            raise InvalidInput(f"the {side} of “{clip.name}” has a crossfade; remove that first")
        room = _fade_room(clip, side)
        fitting = fade
        if fade is not None and fade.length_frames > room:
            notes.append(f"the fade of “{clip.name}” stops at {room:,} frames, where its other fade starts")
            fitting = replace(fade, length_frames=room) if room > 0 else None
        job = _with_fade(job, clip, side, fitting)
    return Edited(job, tuple(notes))


def _fade_room(clip: Clip, side: Side) -> int:
    other = clip.fade_out if side == "head" else clip.fade_in
    return clip.frames - (other.length_frames if other else 0)


def check_fade(fade: Fade) -> None:
    """Raise `InvalidInput` for a fade that no edge can have."""
    if fade.length_frames < 1 or fade.shape not in SHAPES or not -1.0 <= fade.bend <= 1.0:
        raise InvalidInput("a fade needs at least one frame, a known shape and a bend between −1 and +1")
    check_points(fade.points, x=(1e-6, 1.0 - 1e-6), y=(0.0, 1.0))


def fade_between(job: Job, clip_ids: tuple[str, ...], start: int, end: int, fade: Fade) -> Edited:
    """Make a selection ``[start, end)``, in job frames, into a fade of each clip whose edge it crosses.

    The fade is as long as the part of the selection inside the clip; ``fade`` gives shape and bend. "From here to the
    end" is a selection from here to past the tail.

    Raises
    ------
    InvalidInput
        If the selection crosses no edge of these clips, or covers one whole.
    """
    for clip_id in clip_ids:
        clip = job.clip(clip_id)
        first, last = start_of(job, clip), end_of(job, clip)
        over_head, over_tail = start <= first < end < last, first < start < last <= end
        if not over_head and not over_tail:
            raise InvalidInput(
                f"the selection crosses no edge of “{clip.name}”, or covers all of it; select across one edge"
            )
        inner = source_frame_from(job, clip, end if over_head else start)
        length = inner - clip.head_frame if over_head else clip.tail_frame - inner
        edited = set_fade(job, (clip_id,), "head" if over_head else "tail", replace(fade, length_frames=length))
        job = edited.job
    return Edited(job)


def drop_automatic_fades(job: Job) -> Job:
    """Return the job without the fades that came by themselves; one's own stay."""
    bare = [
        replace(
            clip,
            fade_in=clip.fade_in if clip.fade_in and clip.fade_in.origin == "own" else None,
            fade_out=clip.fade_out if clip.fade_out and clip.fade_out.origin == "own" else None,
        )
        for clip in job.clips.values()
    ]
    return set_clips(job, *(clip for clip in bare if clip != job.clips[clip.id]))


def joined(job: Job, clip_id: str, side: Side) -> bool:
    """Say whether an edge is one side of a join."""
    if side == "head":
        return any(join.right_clip_id == clip_id for join in job.joins.values())
    return any(join.left_clip_id == clip_id for join in job.joins.values())


def no_longer(fade: Fade | None, room: int) -> Fade | None:
    """Return a fade that fits into ``room`` source frames; none if there is no room."""
    if fade is None or fade.length_frames <= room:
        return fade
    return replace(fade, length_frames=room) if room > 0 else None


def _moved(job: Job, clip: Clip, side: Side, at: int, hold: Hold) -> Job:
    if at == _edge(clip, side):
        return job  # one that cannot go anywhere keeps its crossfade
    neighbour = _neighbour(job, clip, side)
    shared = neighbour is not None and _continues(clip, neighbour, side)
    pieces = [_with_edge(clip, side, at, hold)]
    if shared and neighbour is not None:
        pieces.append(_with_edge(neighbour, _other(side), at, hold))
    closed = None if shared else _closed_at(job, clip, side)
    if closed is not None:
        job = _opened(job, clip, side, pieces[0], closed)
    else:
        job = set_clips(job, *pieces)
        if not shared and joined(job, clip.id, side):
            job = _without_joins_at(job, clip.id, side)
    for piece in pieces:
        job = _corrected(job, piece, side if piece is pieces[0] else _other(side))
    return job


def _closed_at(job: Job, clip: Clip, side: Side) -> int | None:
    """Return which of its finding's closed times lies at an edge; none if no time was closed up there.

    Behind a tail there may be room tone first.
    """
    finding = job.findings.get(clip.finding_id or "")
    if finding is None or clip.sound_start_frame is None or not finding.closed:
        return None
    place = start_of(job, clip)
    if side == "tail":
        place = end_of(job, clip)
        tones = {
            start: end
            for start, end, one in spans_on_lane(job, clip.lane_id)
            if one.finding_id == finding.id and one.sound_start_frame is None
        }
        while place in tones:
            place = tones[place]
    return next((number for number, (at, _) in enumerate(finding.closed) if at == place), None)


def _opened(job: Job, clip: Clip, side: Side, moved: Clip, number: int) -> Job:
    """Return the job with a moved edge where time was closed up: as much of it opens or closes, and the rest follows."""
    finding = job.findings[clip.finding_id or ""]
    start, end = start_of(job, clip), end_of(job, clip)
    cut = start if side == "head" else end
    by = start - start_of(job, moved) if side == "head" else end_of(job, moved) - end
    but = frozenset((clip.id, finding.id))
    if by > 0:
        job = with_time_in(job, [(cut, by)], but=but)
    elif by < 0:
        job = with_time_out(job, [(cut + (by if side == "tail" else 0), -by)], but=but)
    if side == "head":
        moved = replace(moved, origin_frame=moved.origin_frame + by)
    closed = [
        (at + (by if at > cut or (side == "tail" and at == cut) else 0), frames - (by if n == number else 0))
        for n, (at, frames) in enumerate(finding.closed)
    ]
    changed = replace(finding, closed=tuple((at, max(frames, 0)) for at, frames in closed))
    return replace(set_clips(job, moved), findings={**job.findings, finding.id: changed})


def _gone_joins(before: Job, after: Job) -> tuple[str, ...]:
    gone = len(before.joins) - len(after.joins)
    return (
        (f"{gone} {'crossfade' if gone == 1 else 'crossfades'} taken away: the clips do not abut any more",)
        if gone
        else ()
    )


def _with_fade(job: Job, clip: Clip, side: Side, fade: Fade | None) -> Job:
    changed = replace(clip, fade_in=fade) if side == "head" else replace(clip, fade_out=fade)
    return _corrected(set_clips(job, changed), changed, side)


def _edge(clip: Clip, side: Side) -> int:
    return clip.head_frame if side == "head" else clip.tail_frame


def _other(side: Side) -> Side:
    return "tail" if side == "head" else "head"


def _neighbour(job: Job, clip: Clip, side: Side) -> Clip | None:
    """Return the clip of the lane that ends last before this one, or that begins first behind it; the first made of equals."""
    rates = {source.id: source.rate_hz for source in job.sources.values()}
    job_rate, lane_id, found = job.rate_hz, clip.lane_id, None
    # One plain loop, with the arithmetic of `placed` in place: a drag asks for it at every step, of ten thousand clips too.
    if side == "head":
        start, last = start_of(job, clip), -FARTHEST_FRAME
        for other in job.clips.values():
            if other.lane_id == lane_id and other.id != clip.id:
                ends = other.origin_frame - (-other.tail_frame * job_rate // rates[other.source_id])
                if last < ends <= start:
                    found, last = other, ends
        return found
    end, first = end_of(job, clip), FARTHEST_FRAME
    for other in job.clips.values():
        if other.lane_id == lane_id and other.id != clip.id:
            starts = other.origin_frame - (-other.head_frame * job_rate // rates[other.source_id])
            if end <= starts < first:
                found, first = other, starts
    return found


def _continues(clip: Clip, neighbour: Clip, side: Side) -> bool:
    left, right = (neighbour, clip) if side == "head" else (clip, neighbour)
    same = left.source_id == right.source_id and left.origin_frame == right.origin_frame
    return same and left.tail_frame == right.head_frame


def _edge_limits(job: Job, clip: Clip, side: Side, hold: Hold) -> tuple[int, int]:
    """Return the lowest and the highest source frame that an edge may have; those of a turned loop stay."""
    if clip.id in turned_clips(job):
        return _edge(clip, side), _edge(clip, side)
    neighbour = _neighbour(job, clip, side)
    shared = neighbour is not None and _continues(clip, neighbour, side)
    inner = _inner_limit(job, clip, side, hold)
    closed = None if shared else _closed_at(job, clip, side)
    removed = 0 if closed is None else job.findings[clip.finding_id or ""].closed[closed][1]
    if side == "head":
        low, high = 0, inner
        if closed is not None:
            low = max(low, source_frame_from(job, clip, start_of(job, clip) - removed))
        elif neighbour is not None:
            low = neighbour.head_frame + 1 if shared else max(low, source_frame_from(job, clip, end_of(job, neighbour)))
        return min(low, clip.head_frame), high
    low, high = inner, job.source(clip.source_id).frames
    if closed is not None:
        high = min(high, _last_before(job, clip, end_of(job, clip) + removed))
    elif neighbour is not None:
        high = neighbour.tail_frame - 1 if shared else min(high, _last_before(job, clip, start_of(job, neighbour)))
    return low, max(high, clip.tail_frame)


def _last_before(job: Job, clip: Clip, job_frame: int) -> int:
    """Return the last source frame that a tail may have without reaching past a job frame."""
    rate = job.source(clip.source_id).rate_hz
    return to_source_frames(job_frame - clip.origin_frame, source_rate_hz=rate, job_rate_hz=job.rate_hz)


def _inner_limit(job: Job, clip: Clip, side: Side, hold: Hold) -> int:
    fade = clip.fade_in if side == "head" else clip.fade_out
    if hold == "inner" and fade is not None:
        shortest = min(ms_to_frames(SHORTEST_HELD_MS, job.source(clip.source_id).rate_hz), fade.length_frames)
        length = fade.length_frames - max(shortest, 1)
        return clip.head_frame + length if side == "head" else clip.tail_frame - length
    return clip.tail_frame - 1 if side == "head" else clip.head_frame + 1


def _limit_reason(job: Job, clip: Clip, side: Side, at: int, hold: Hold) -> str:
    if clip.id in turned_clips(job):
        return "a rotated loop goes on where it began; undo the rotation to change its ends"
    if at in (0, job.source(clip.source_id).frames):
        return "the source has no more there"
    if at == (clip.tail_frame - 1 if side == "head" else clip.head_frame + 1):
        return "a clip keeps at least one frame"
    if hold == "inner" and at == _inner_limit(job, clip, side, hold):
        return "the fade ends there"
    if _closed_at(job, clip, side) is not None:
        return "all the time that was closed up there is open again"
    neighbour = _neighbour(job, clip, side)
    which = f"“{neighbour.name}”" if neighbour else "another clip"
    if neighbour is not None and _continues(clip, neighbour, side):
        return f"{which} keeps at least one frame"
    return f"{which} begins there" if side == "tail" else f"{which} ends there"


def _with_edge(clip: Clip, side: Side, at: int, hold: Hold) -> Clip:
    clip = clip.beyond_doubt(side)
    fade = clip.fade_in if side == "head" else clip.fade_out
    if hold == "inner" and fade is not None:
        grown = clip.head_frame - at if side == "head" else at - clip.tail_frame
        fade = replace(fade, length_frames=max(fade.length_frames + grown, 1))
    if side == "head":
        clip = replace(clip, head_frame=at, fade_in=fade)
    else:
        clip = replace(clip, tail_frame=at, fade_out=fade)
    fade_in = no_longer(clip.fade_in, clip.frames)
    fade_out = no_longer(clip.fade_out, clip.frames - (fade_in.length_frames if fade_in else 0))
    return replace(clip, fade_in=fade_in, fade_out=fade_out)


def _without_joins_at(job: Job, clip_id: str, side: Side) -> Job:
    kept = {
        key: join
        for key, join in job.joins.items()
        if (join.right_clip_id if side == "head" else join.left_clip_id) != clip_id
    }
    return replace(job, joins=kept)


def _corrected(job: Job, clip: Clip, side: Side) -> Job:
    """Note in the clip's finding what a hand did to this edge, so that finding again keeps it."""
    finding = job.findings.get(clip.finding_id or "")
    if finding is None or clip.sound_start_frame is None or clip.sound_end_frame is None:
        return job
    if clip.sound_start_frame >= clip.sound_end_frame:  # split off: its sound lies in another clip
        return job
    fade = clip.fade_in if side == "head" else clip.fade_out
    own = fade if fade is not None and fade.origin == "own" else None
    edge = clip.head_frame if side == "head" else clip.tail_frame
    correction = Correction(side, clip.sound_start_frame, clip.sound_end_frame, edge, own, fade is None)
    sounds = [one.sound_span for one in job.clips.values() if one.finding_id == finding.id and one.sound_span]
    by_edge = owners(finding.corrections, sorted(sounds), job.source(finding.source_id).rate_hz)
    before = by_edge.get((side, (clip.sound_start_frame, clip.sound_end_frame)))
    rest = tuple(one for one in finding.corrections if one is not before)
    changed = replace(finding, corrections=(*rest, correction))
    return replace(job, findings={**job.findings, finding.id: changed})
