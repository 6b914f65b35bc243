"""Edits of single things: sources brought in, edges moved, fades, gains, names.

Every edit returns `Edited`: the new job and, in words, where it stopped short of what was asked.
"""

from __future__ import annotations

from collections.abc import Mapping
from dataclasses import dataclass, replace

from wemble.core.edit.model import (
    Clip,
    Correction,
    Fade,
    Job,
    Join,
    Lane,
    Side,
    SourceUse,
    check_name,
    set_clips,
)
from wemble.core.edit.placement import end_of, job_span, placed, spans_on_lane, start_of, to_source_frames
from wemble.core.shape.curves import SHAPES
from wemble.errors import InvalidInput

JOB_RATES_HZ = (8_000, 192_000)
SPACE_BETWEEN_TAKES_S = 1


@dataclass(frozen=True, slots=True)
class Edited:
    """A job after an edit, and what the user is to be told about it."""

    job: Job
    notes: tuple[str, ...] = ()


def add_source(job: Job, source: SourceUse) -> Edited:
    """Bring a source in: as a clip after everything that is there, a second later.

    The first source gives the job its rate and channel count. Raises `InvalidInput` for a rate outside
    `JOB_RATES_HZ`.
    """
    low, high = JOB_RATES_HZ
    if not low <= source.rate_hz <= high:
        raise InvalidInput(
            f"sources are taken at {low:,} to {high:,} Hz, this one has {source.rate_hz:,}; convert it first"
        )
    if not job.rate_hz:
        job = replace(job, rate_hz=source.rate_hz, channels=source.channels)
    job, lane = _first_lane(job)
    end = job_span(job)[1]
    at = end + SPACE_BETWEEN_TAKES_S * job.rate_hz if job.clips else 0
    clip = Clip(f"c{job.next_number}", lane.id, source.id, source.name, 0, source.frames, at)
    return Edited(
        replace(
            job,
            next_number=job.next_number + 1,
            sources={**job.sources, source.id: source},
            clips={**job.clips, clip.id: clip},
        )
    )


def move_edge(job: Job, clip_id: str, side: Side, source_frame: int) -> Edited:
    """Move a head or a tail to a source frame, as far as it can go.

    It stops at the ends of the source, one frame short of the clip's other edge, and at a neighbour on the lane. Where
    the neighbour is the next piece of the same audio, the cut between the two moves and both follow. A fade keeps its
    length, or becomes as long as the clip lets it.
    """
    clip = job.clip(clip_id)
    neighbour = _neighbour(job, clip, side)
    shared = neighbour is not None and _continues(clip, neighbour, side)
    low, high = _edge_limits(job, clip, side, neighbour, shared)
    at = min(max(source_frame, low), high)
    notes = () if at == source_frame else (f"the {side} stops at frame {at:,}: {_limit_reason(clip, side, at, job)}",)
    moved = [_with_edge(clip, side, at)]
    if shared and neighbour is not None:
        moved.append(_with_edge(neighbour, "tail" if side == "head" else "head", at))
    changed = set_clips(job, *moved)
    if not shared:
        changed = _without_joins_at(changed, clip_id, side)
    for piece in moved:
        changed = _corrected(changed, piece, "head" if (piece is moved[0]) == (side == "head") else "tail")
    return Edited(changed, notes)


def set_fade(job: Job, clip_id: str, side: Side, fade: Fade | None) -> Edited:
    """Put a fade on an edge, or remove it. It ends at most where the other fade of the clip begins.

    Raises `InvalidInput` if the fade has no frame, or the edge is inside a join.
    """
    clip = job.clip(clip_id)
    if _joined(job, clip_id, side):
        raise InvalidInput(f"this {side} is a join with a crossfade; there is no room for a fade of its own")
    other = clip.fade_out if side == "head" else clip.fade_in
    room = clip.frames - (other.length_frames if other else 0)
    notes: tuple[str, ...] = ()
    if fade is not None:
        if fade.length_frames < 1 or fade.shape not in SHAPES or not -1.0 <= fade.bend <= 1.0:
            raise InvalidInput("a fade has at least one frame, a known shape and a bend between −1 and +1")
        if fade.length_frames > room:
            notes = (f"the fade stops at {room:,} frames, where the clip's other fade begins",)
            fade = replace(fade, length_frames=room) if room > 0 else None
    changed = replace(clip, fade_in=fade) if side == "head" else replace(clip, fade_out=fade)
    return Edited(_corrected(set_clips(job, changed), changed, side), notes)


def set_gain(job: Job, clip_id: str, gain_db: float) -> Edited:
    """Set the gain of a clip, −120 to +40 dB. Raises `InvalidInput`."""
    if not -120.0 <= gain_db <= 40.0:
        raise InvalidInput(f"a gain lies between −120 and +40 dB, got {gain_db:g}")
    return Edited(set_clips(job, replace(job.clip(clip_id), gain_db=gain_db)))


def rename_clip(job: Job, clip_id: str, name: str) -> Edited:
    """Give a clip another name."""
    return Edited(set_clips(job, replace(job.clip(clip_id), name=check_name(name))))


def rename_job(job: Job, name: str) -> Edited:
    """Give the job another name."""
    return Edited(replace(job, name=check_name(name)))


def remove_clips(job: Job, clip_ids: tuple[str, ...]) -> Edited:
    """Take clips off their lanes; nothing else moves. Their sources stay in the job."""
    gone = {job.clip(clip_id).id for clip_id in clip_ids}
    kept = {key: clip for key, clip in job.clips.items() if key not in gone}
    return Edited(replace(job, clips=kept, joins=_joins_of(job, kept)))


def _first_lane(job: Job) -> tuple[Job, Lane]:
    if job.lanes:
        return job, min(job.lanes.values(), key=lambda lane: lane.position)
    lane = Lane(f"l{job.next_number}", "Narration", 0)
    return replace(job, next_number=job.next_number + 1, lanes={lane.id: lane}), lane


def _neighbour(job: Job, clip: Clip, side: Side) -> Clip | None:
    start, end = start_of(job, clip), end_of(job, clip)
    spans = [span for span in spans_on_lane(job, clip.lane_id) if span[2].id != clip.id]
    if side == "head":
        before = max((span for span in spans if span[1] <= start), key=lambda span: span[1], default=None)
        return before[2] if before else None
    after = min((span for span in spans if span[0] >= end), key=lambda span: span[0], default=None)
    return after[2] if after else None


def _continues(clip: Clip, neighbour: Clip, side: Side) -> bool:
    left, right = (neighbour, clip) if side == "head" else (clip, neighbour)
    same = left.source_id == right.source_id and left.origin_frame == right.origin_frame
    return same and left.tail_frame == right.head_frame


def _edge_limits(job: Job, clip: Clip, side: Side, neighbour: Clip | None, shared: bool) -> tuple[int, int]:
    source = job.source(clip.source_id)
    if side == "head":
        low, high = 0, clip.tail_frame - 1
        if neighbour is not None:
            low = neighbour.head_frame + 1 if shared else max(low, _source_frame(job, clip, end_of(job, neighbour)))
        return low, high
    low, high = clip.head_frame + 1, source.frames
    if neighbour is not None:
        high = neighbour.tail_frame - 1 if shared else min(high, _source_frame(job, clip, start_of(job, neighbour)))
    return low, high


def _source_frame(job: Job, clip: Clip, job_frame: int) -> int:
    rate = job.source(clip.source_id).rate_hz
    frame = to_source_frames(job_frame - clip.origin_frame, source_rate_hz=rate, job_rate_hz=job.rate_hz)
    return frame if placed(job, clip, frame) >= job_frame else frame + 1


def _limit_reason(clip: Clip, side: Side, at: int, job: Job) -> str:
    if at in (0, job.source(clip.source_id).frames):
        return "the source has no more there"
    inner = clip.tail_frame - 1 if side == "head" else clip.head_frame + 1
    return "a clip keeps at least one frame" if at == inner else "the next clip begins there"


def _with_edge(clip: Clip, side: Side, at: int) -> Clip:
    moved = replace(clip, head_frame=at) if side == "head" else replace(clip, tail_frame=at)
    fade_in = _no_longer(moved.fade_in, moved.frames)
    fade_out = _no_longer(moved.fade_out, moved.frames - (fade_in.length_frames if fade_in else 0))
    return replace(moved, fade_in=fade_in, fade_out=fade_out)


def _no_longer(fade: Fade | None, room: int) -> Fade | None:
    if fade is None or fade.length_frames <= room:
        return fade
    return replace(fade, length_frames=room) if room > 0 else None


def _joined(job: Job, clip_id: str, side: Side) -> bool:
    if side == "head":
        return any(join.right_clip_id == clip_id for join in job.joins.values())
    return any(join.left_clip_id == clip_id for join in job.joins.values())


def _without_joins_at(job: Job, clip_id: str, side: Side) -> Job:
    if not _joined(job, clip_id, side):
        return job
    kept = {
        key: join
        for key, join in job.joins.items()
        if (join.right_clip_id if side == "head" else join.left_clip_id) != clip_id
    }
    return replace(job, joins=kept)


def _joins_of(job: Job, clips: Mapping[str, Clip]) -> dict[str, Join]:
    return {k: j for k, j in job.joins.items() if j.left_clip_id in clips and j.right_clip_id in clips}


def _corrected(job: Job, clip: Clip, side: Side) -> Job:
    """Note in the clip's finding what a hand did to this edge, so that finding again keeps it."""
    finding = job.findings.get(clip.finding_id or "")
    if finding is None or clip.sound_start_frame is None or clip.sound_end_frame is None:
        return job
    fade = clip.fade_in if side == "head" else clip.fade_out
    own = fade if fade is not None and fade.made == "own" else None
    edge = clip.head_frame if side == "head" else clip.tail_frame
    correction = Correction(side, clip.sound_start_frame, clip.sound_end_frame, edge, own, fade is None)
    rest = tuple(c for c in finding.corrections if not _same_edge(c, correction))
    changed = replace(finding, corrections=(*rest, correction))
    return replace(job, findings={**job.findings, finding.id: changed})


def _same_edge(one: Correction, other: Correction) -> bool:
    overlap = one.sound_start_frame < other.sound_end_frame and other.sound_start_frame < one.sound_end_frame
    return one.side == other.side and overlap
