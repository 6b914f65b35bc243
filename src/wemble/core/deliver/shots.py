"""One-shots to be sent: each clip alone, at its source's own rate, and where a kit's map puts it."""

from __future__ import annotations

from collections import defaultdict
from collections.abc import Sequence
from dataclasses import dataclass, replace

from wemble.core.edit.model import Clip, Job, Lane
from wemble.core.edit.placement import in_time_order
from wemble.core.kit.strikes import in_order_of_strength, note_name

FIRST_KEY = 36
"""Where things without a note of their own begin on a map (common practice for drums)."""


def shots(job: Job) -> list[Clip]:
    """Return the clips that become one-shots, by name, strength and microphone; muted lanes send theirs too.

    A kit's lanes are its microphones: they are muted to listen, not to leave them out.
    """
    order = {strength: n for n, strength in enumerate(in_order_of_strength(_strengths(job)))}

    def place(clip: Clip) -> tuple[str, int, int, str]:
        strike = clip.strike
        if strike is None:
            return (clip.name, 0, 0, "")
        return (strike.name, strike.note or 0, order.get(strike.strength or "", 0), strike.mic or "")

    spoken = [clip for clip in in_time_order(job) if clip.speaks]
    return sorted(spoken, key=place) if any(clip.strike for clip in spoken) else spoken


def alone(job: Job, clip: Clip, *, whole: bool = False) -> Job:
    """Return a job with one clip from frame 0 on, at its source's rate and channels; ``whole`` keeps all of its source."""
    source = job.source(clip.source_id)
    lane = Lane("l", "", 0, gain_db=job.lane(clip.lane_id).gain_db)
    head, tail = (0, source.frames) if whole else (clip.head_frame, clip.tail_frame)
    placed = replace(clip, lane_id=lane.id, head_frame=head, tail_frame=tail, origin_frame=-head)
    if whole:
        placed = replace(placed, fade_in=None, fade_out=None)
    loops = {key: mark for key, mark in job.marks.items() if mark.clip_id == clip.id}
    return Job(
        clip.name, "drums", source.rate_hz, source.channels, sources={source.id: source}, lanes={lane.id: lane},
        clips={clip.id: placed}, marks=loops,
    )  # fmt: skip


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
                "source": job.source(clip.source_id).name,
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
