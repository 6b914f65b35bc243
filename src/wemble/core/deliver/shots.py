"""One-shots to be sent: each clip alone, at its source's own rate, and where a kit's map puts it."""

from __future__ import annotations

from collections import defaultdict
from collections.abc import Sequence
from dataclasses import dataclass, replace
from fractions import Fraction
from itertools import accumulate, pairwise

from wemble.core.edit.model import Clip, Job, Join, Lane, Mark
from wemble.core.edit.placement import in_time_order
from wemble.core.kit.strikes import in_order_of_strength, note_name

FIRST_KEY = 36
"""Where things without a note of their own begin on a map (common practice for drums)."""


def shots(job: Job) -> list[Clip]:
    """Return the clips that become one-shots, by name, strength and microphone; muted lanes send theirs too.

    A kit's lanes are its microphones: they are muted to listen, not to leave them out. Clips of one source that
    crossfades join, such as a turned loop, are one shot: the first of them stands for it.
    """
    order = {strength: n for n, strength in enumerate(in_order_of_strength(_strengths(job)))}

    def place(clip: Clip) -> tuple[str, int, int, str]:
        strike = clip.strike
        if strike is None:
            return (clip.name, 0, 0, "")
        return (strike.name, strike.note or 0, order.get(strike.strength or "", 0), strike.mic or "")

    followers = {join.right_clip_id for join in job.joins.values() if _of_one_source(job, join)}
    spoken = [clip for clip in in_time_order(job) if clip.speaks and clip.id not in followers]
    return sorted(spoken, key=place) if any(clip.strike for clip in spoken) else spoken


def joined(job: Job, clip: Clip) -> list[Clip]:
    """Return a clip and those of its source that follow it by crossfades, in order."""
    parts = [clip]
    while True:
        after = next((join for join in job.joins.values() if join.left_clip_id == parts[-1].id), None)
        if after is None or not _of_one_source(job, after):
            return parts
        parts.append(job.clip(after.right_clip_id))


def alone(job: Job, clip: Clip, *, whole: bool = False) -> Job:
    """Return a job with one shot from frame 0 on, at its source's rate and channels; ``whole`` keeps all of its source.

    What is made of several clips cannot be kept whole.
    """
    source = job.source(clip.source_id)
    lane = Lane("l", "", 0, gain_db=job.lane(clip.lane_id).gain_db)
    parts = joined(job, clip)
    if whole and len(parts) == 1:
        parts = [replace(clip, head_frame=0, tail_frame=source.frames, fade_in=None, fade_out=None)]
    starts = [0, *accumulate(part.frames for part in parts)]
    placed = [
        replace(part, lane_id=lane.id, origin_frame=start - part.head_frame)
        for part, start in zip(parts, starts[:-1], strict=True)
    ]
    pairs = {(left.id, right.id) for left, right in pairwise(parts)}
    joins = [join for join in job.joins.values() if (join.left_clip_id, join.right_clip_id) in pairs]
    loops = {key: mark for key, mark in job.marks.items() if mark.clip_id == clip.id}
    if len(parts) > 1 and parts[-1].tail_frame == clip.head_frame:  # turned: it goes on where it began
        loops["turned"] = Mark("turned", "loop", "Loop", 0, None, starts[-1])
    return Job(
        clip.name, "drums", source.rate_hz, source.channels, sources={source.id: source}, lanes={lane.id: lane},
        clips={part.id: part for part in placed}, marks=loops,
        joins={join.id: _at_rate(join, Fraction(source.rate_hz, job.rate_hz)) for join in joins},
    )  # fmt: skip


def shot_loops(single: Job) -> list[tuple[int, int]]:
    """Return the loops of a lone shot, in frames of its file."""
    first = next(iter(single.clips.values()))
    loops = []
    for mark in single.marks.values():
        shift = 0 if mark.clip_id is None else first.head_frame
        end = first.tail_frame - shift if mark.clip_id else sum(part.frames for part in single.clips.values())
        if (
            mark.kind == "loop"
            and mark.end_frame is not None
            and 0 <= mark.frame - shift < mark.end_frame - shift <= end
        ):
            loops.append((mark.frame - shift, mark.end_frame - shift))
    return loops


def _of_one_source(job: Job, join: Join) -> bool:
    return job.clip(join.left_clip_id).source_id == job.clip(join.right_clip_id).source_id


def _at_rate(join: Join, factor: Fraction) -> Join:
    lead = None if join.lead_frames is None else round(join.lead_frames * factor)
    return replace(join, length_frames=round(join.length_frames * factor), lead_frames=lead)


@dataclass(frozen=True, slots=True)
class KeyPlace:
    """Where a map puts a clip."""

    key: int
    low_strength: int
    high_strength: int
    mic: str


def key_places(job: Job, clips: Sequence[Clip]) -> dict[str, KeyPlace]:
    """Return the key and the strengths of every clip.

    A note that a name says is the key; things without one get keys of their own from `FIRST_KEY` up that are free. The
    strengths of one key share 1 to 127 evenly, the softest first.
    """
    things: dict[tuple[str, int | None], int] = {}
    taken = {clip.strike.note for clip in clips if clip.strike and clip.strike.note is not None}
    free = (key for key in range(FIRST_KEY, 128) if key not in taken)
    strengths: dict[int, set[str]] = defaultdict(set)
    for clip in clips:
        thing = _thing(clip)
        if thing not in things:
            things[thing] = thing[1] if thing[1] is not None else next(free, 127)
        strengths[things[thing]].add((clip.strike.strength if clip.strike else None) or "")
    places = {}
    for clip in clips:
        key = things[_thing(clip)]
        order = in_order_of_strength(strengths[key])
        at = order.index((clip.strike.strength if clip.strike else None) or "")
        low, high = 1 + 127 * at // len(order), 127 * (at + 1) // len(order)
        places[clip.id] = KeyPlace(key, low, high, (clip.strike.mic if clip.strike else None) or "")
    return places


def shot_fields(job: Job, clips: Sequence[Clip]) -> list[dict[str, str | int]]:
    """Return what a naming pattern may use of every one-shot."""
    rows: list[dict[str, str | int]] = []
    for number, clip in enumerate(clips, 1):
        strike = clip.strike
        rows.append(
            {
                "clip": clip.name,
                "job": job.name,
                "source": clip.file_name or job.source(clip.source_id).name,
                "lane": job.lane(clip.lane_id).name,
                "number": number,
                "name": strike.name if strike else clip.name,
                "note": "" if strike is None or strike.note is None else note_name(strike.note),
                "key": "" if strike is None or strike.note is None else strike.note,
                "strength": (strike.strength or "") if strike else "",
                "mic": (strike.mic or "") if strike else "",
                "take": "" if strike is None or strike.take is None else strike.take,
            }
        )
    return rows


def _thing(clip: Clip) -> tuple[str, int | None]:
    return (clip.strike.name, clip.strike.note) if clip.strike else (clip.name, None)


def _strengths(job: Job) -> list[str]:
    return [clip.strike.strength for clip in job.clips.values() if clip.strike and clip.strike.strength]
