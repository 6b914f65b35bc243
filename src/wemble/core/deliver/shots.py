"""One-shots to be sent: each clip alone, at its source's own rate, and where a kit's map puts it."""

from __future__ import annotations

from collections import defaultdict
from collections.abc import Mapping, Sequence
from dataclasses import dataclass, replace
from fractions import Fraction
from itertools import accumulate, pairwise

from wemble.core.edit.model import Clip, Job, Join, Lane, Mark
from wemble.core.edit.placement import in_time_order
from wemble.core.kit.strengths import order_strengths
from wemble.core.kit.strikes import note_name

FIRST_KEY = 36
"""Where things without a note of their own begin on a map (common practice for drums)."""


def shots(job: Job, strengths: Sequence[str] | None = None) -> list[Clip]:
    """Return the clips that become one-shots, by name, strength and microphone; muted lanes send theirs too.

    ``strengths`` is the order of strengths, if it is known better than from their names.

    A kit's lanes are its microphones: they are muted to listen, not to leave them out. Clips of one source that
    crossfades join, such as a turned loop, are one shot: the first of them stands for it.
    """
    order = {strength: n for n, strength in enumerate(strengths or order_strengths(strengths_of(job)).order)}

    def place(clip: Clip) -> tuple[str, int, int, str]:
        strike = clip.strike
        if strike is None:
            return (clip.file_name or clip.name, 0, 0, "")  # a rename moves nothing
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
    """Where a map puts a clip; of several takes of one key and strength, which turn it has (from 1) of how many."""

    key: int
    low_strength: int
    high_strength: int
    mic: str
    turn: int = 1
    turns: int = 1


def key_places(clips: Sequence[Clip], in_order: Sequence[str] | None = None) -> dict[str, KeyPlace]:
    """Return the key, the strengths and the turn of every clip.

    A note that a name says is the key; things without one get keys of their own from `FIRST_KEY` up that are free, and so
    do hits that are numbered and nothing else, as long as there are keys. The strengths of one key share 1 to 127 evenly,
    the softest first (``in_order`` tells which that is), so that a missing one leaves no gap. Takes of one key and strength
    alternate, all microphones of a take at one turn.
    """
    taken = {clip.strike.note for clip in clips if clip.strike and clip.strike.note is not None}
    keys = [key for key in range(FIRST_KEY, 128) if key not in taken]
    numbered = len({_numbered(clip) for clip in clips if _thing(clip)[1] is None}) <= len(keys)
    thing_of = {clip.id: _numbered(clip) if numbered else _thing(clip) for clip in clips}
    free = iter(keys)
    things: dict[Thing, int] = {}
    strengths: dict[int, set[str]] = defaultdict(set)
    for clip in clips:
        thing = thing_of[clip.id]
        if thing not in things:
            things[thing] = thing[1] if thing[1] is not None else next(free, 127)
        strengths[things[thing]].add(_strength(clip))
    rank = {strength: n for n, strength in enumerate(in_order or order_strengths(map(_strength, clips)).order)}
    rank.setdefault("", -1)
    takes = _takes(clips, {clip.id: (things[thing_of[clip.id]], _strength(clip)) for clip in clips})
    places = {}
    for clip in clips:
        key = things[thing_of[clip.id]]
        order = sorted(strengths[key], key=rank.__getitem__)
        at = order.index(_strength(clip))
        low, high = 1 + 127 * at // len(order), 127 * (at + 1) // len(order)
        places[clip.id] = KeyPlace(key, low, high, _mic(clip), *takes[clip.id])
    return places


def shared_keys(clips: Sequence[Clip]) -> list[tuple[int, tuple[str, ...]]]:
    """Return the keys on which different things lie in one strength, with their names: a map plays them in turn."""
    names: dict[tuple[int, int], set[str]] = defaultdict(set)
    places = key_places(clips)
    for clip in clips:
        if clip.strike is not None:
            names[places[clip.id].key, places[clip.id].low_strength].add(clip.strike.name)
    return sorted({(key, tuple(sorted(found))) for (key, _), found in names.items() if len(found) > 1})


Thing = tuple[str, int | None]
"""What has a key of its own: a name, and the note that it says, if any."""


def _takes(clips: Sequence[Clip], place_of: Mapping[str, tuple[int, str]]) -> dict[str, tuple[int, int]]:
    """Return of every clip its turn, from 1, and how many turns its key and strength have.

    A take is told by the name of its thing and its number; of microphones that say neither by their order.
    """
    known: dict[tuple[int, str], set[tuple[str, int, int]]] = defaultdict(set)
    takes: dict[str, tuple[str, int, int]] = {}
    seen: dict[tuple[int, str, str, str, int], int] = defaultdict(int)
    for clip in clips:
        key, strength = place_of[clip.id]
        number = (clip.strike.take if clip.strike else None) or 0
        same = (key, strength, _mic(clip), _thing(clip)[0], number)
        takes[clip.id] = (_thing(clip)[0], number, seen[same])
        seen[same] += 1
        known[key, strength].add(takes[clip.id])
    turns = {place: {take: n for n, take in enumerate(sorted(found), 1)} for place, found in known.items()}
    return {clip.id: (turns[place_of[clip.id]][takes[clip.id]], len(turns[place_of[clip.id]])) for clip in clips}


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


def _thing(clip: Clip) -> Thing:
    return (clip.strike.name, clip.strike.note) if clip.strike else (clip.name, None)


def _numbered(clip: Clip) -> Thing:
    """Return what a clip is if its number tells it from others, where its name says nothing else."""
    strike = clip.strike
    if strike is None or strike.take is None or strike.note is not None or strike.strength or strike.mic:
        return _thing(clip)
    return f"{strike.name} {strike.take}", None


def _strength(clip: Clip) -> str:
    return (clip.strike.strength if clip.strike else None) or ""


def _mic(clip: Clip) -> str:
    return (clip.strike.mic if clip.strike else None) or ""


def strengths_of(job: Job) -> list[str]:
    """Return the strengths that the names of a job's files say, one for each clip that has one."""
    return [clip.strike.strength for clip in job.clips.values() if clip.strike and clip.strike.strength]
