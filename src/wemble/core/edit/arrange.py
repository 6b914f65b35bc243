"""Edits of whole clips and lanes: split, move, take away, the audio moved inside a clip."""

from __future__ import annotations

from collections.abc import Mapping
from dataclasses import dataclass, replace
from itertools import pairwise
from typing import Literal

from wemble.core.edit.clips import Edited, check_gain
from wemble.core.edit.edges import no_longer
from wemble.core.edit.following import with_time_out
from wemble.core.edit.marks import in_order, place_of
from wemble.core.edit.model import Clip, Job, Join, Lane, Mark, Side, check_name, set_clips
from wemble.core.edit.placement import end_of, placed, source_frame_from, start_of
from wemble.core.edit.treatment import with_removed
from wemble.errors import InvalidInput

Close = Literal["no", "lane", "all"]
"""Whether what lies behind a gap moves up: not at all, on its own lane, or on all lanes."""


def split(job: Job, clip_ids: tuple[str, ...], at_frame: int) -> Edited:
    """Cut clips in two at a job frame. Nothing moves and nothing sounds different: the pieces abut.

    Raises `InvalidInput` if the frame lies inside none of them.
    """
    cut = [clip for clip in map(job.clip, clip_ids) if start_of(job, clip) < at_frame < end_of(job, clip)]
    if not cut:
        raise InvalidInput("there is no clip to split here; put the cursor inside one")
    for clip in cut:
        at = source_frame_from(job, clip, at_frame)
        if clip.head_frame < at < clip.tail_frame:
            job = _cut(job, clip, at)
    return Edited(job)


def cut_at_marks(job: Job, clip_ids: tuple[str, ...]) -> Edited:
    """Cut clips into slices at the section marks on them: each begins at a mark, takes its name, and ends at the next.

    The last one ends where the programme does, if that is marked behind the last mark. What lies before the first slice
    and behind the last one goes; marks that became slices go with it. Microphones of one take are cut into sets, one a
    mark. Raises `InvalidInput` if there are no marks.
    """
    bounds = [(place_of(job, mark), mark) for mark in in_order(job)]
    sections = [(at, mark) for at, mark in bounds if mark.kind == "section"]
    ends = [at for at, mark in bounds if mark.kind == "end"]
    used: set[str] = set()
    for clip in map(job.clip, clip_ids):
        start, end = start_of(job, clip), end_of(job, clip)
        inside = [(at, mark) for at, mark in sections if start <= at < end]
        if inside:
            last = min([end, *(at for at in ends if at > inside[-1][0])])
            job = _sliced(job, clip, inside, last)
            used |= {mark.id for _, mark in inside}
    if not used:
        raise InvalidInput("the selected clips have no marks; add one at each hit, then split")
    return Edited(replace(job, marks={key: mark for key, mark in job.marks.items() if key not in used}))


def _sliced(job: Job, clip: Clip, places: list[tuple[int, Mark]], end: int) -> Job:
    """Return the job with slices in place of a clip: they begin at marks, by job frame, the last one ends at ``end``."""
    first_at = {min(source_frame_from(job, clip, at), clip.tail_frame - 1): mark for at, mark in reversed(places)}
    heads = sorted(first_at)  # of two marks on one frame the first makes the slice
    tail = clip.tail_frame if end == end_of(job, clip) else max(source_frame_from(job, clip, end), heads[-1] + 1)
    ids = [clip.id, *(f"c{job.next_number + n}" for n in range(len(heads) - 1))]
    slices = [
        _within(
            replace(
                clip, id=key, name=mark.name, head_frame=head, tail_frame=until,
                strike=clip.strike and replace(clip.strike, name=mark.name),
                set_id=clip.set_id and f"{clip.set_id} {mark.id}",
                fade_in=no_longer(clip.fade_in, until - head) if head == clip.head_frame else None,
                fade_out=no_longer(clip.fade_out, until - head) if until == clip.tail_frame else None,
            )
        )
        for key, (head, until) in zip(ids, pairwise([*heads, tail]), strict=True)
        for mark in [first_at[head]]
    ]  # fmt: skip
    joins = {
        key: replace(join, left_clip_id=ids[-1]) if join.left_clip_id == clip.id else join
        for key, join in job.joins.items()
    }
    job = set_clips(replace(job, next_number=job.next_number + len(ids) - 1, joins=joins), *slices)
    return replace(job, joins={key: join for key, join in job.joins.items() if abuts(job, join)})


def move_clips(job: Job, clip_ids: tuple[str, ...], by_frames: int, to_lane_id: str | None = None) -> Edited:
    """Move clips along their lanes, and to another lane if one is named. None goes before the start of the job.

    A crossfade stays where both of its clips move.
    """
    clips = [job.clip(clip_id) for clip_id in clip_ids]
    if not clips:
        return Edited(job)
    if to_lane_id is not None:
        job.lane(to_lane_id)
    earliest = min(start_of(job, clip) for clip in clips)
    by = max(by_frames, -earliest) if by_frames < 0 else by_frames
    notes: tuple[str, ...] = () if by == by_frames else ("stopped at the start of the job",)
    moved = [replace(clip, origin_frame=clip.origin_frame + by, lane_id=to_lane_id or clip.lane_id) for clip in clips]
    return Edited(set_clips(job, *moved), notes)


def move_audio(job: Job, clip_id: str, by_frames: int) -> Edited:
    """Move the audio inside a clip by job frames; the clip stays where it is, as far as the source reaches."""
    clip = job.clip(clip_id)
    start, end = start_of(job, clip), end_of(job, clip)
    first, last = placed(job, clip, 0), placed(job, clip, job.source(clip.source_id).frames)
    by = min(max(by_frames, end - last), start - first)
    shifted = replace(clip, origin_frame=clip.origin_frame + by)
    frames = job.source(clip.source_id).frames
    head = min(max(source_frame_from(job, shifted, start), 0), frames - 1)
    tail = min(max(source_frame_from(job, shifted, end), head + 1), frames)
    notes = () if by == by_frames else ("stopped: the source has no more there",)
    fade_in, fade_out = no_longer(clip.fade_in, tail - head), no_longer(clip.fade_out, tail - head)
    moved = replace(shifted, head_frame=head, tail_frame=tail, fade_in=fade_in, fade_out=fade_out)
    return Edited(set_clips(job, moved), notes)


def remove_clips(job: Job, clip_ids: tuple[str, ...], close: Close = "no") -> Edited:
    """Take clips off their lanes; their sources stay in the job. Gaps are closed up if asked.

    A hit of a take stays out when the take is searched again. What starts at or behind the end of a clip that goes moves up
    by its length, marks of the job too if all lanes do.
    """
    gone = sorted((job.clip(clip_id) for clip_id in clip_ids), key=lambda clip: start_of(job, clip), reverse=True)
    names = {clip.id for clip in gone}
    kept = {key: clip for key, clip in job.clips.items() if key not in names}
    job_left = with_removed(replace(job, clips=kept, joins=_joins_of(job, kept)), gone)
    if close != "no":
        for start, end, lane_id in _gaps(job, gone, close):
            job_left = with_time_out(job_left, [(start, end - start)], lane_id=lane_id)
    return Edited(job_left)


@dataclass(frozen=True, slots=True)
class LaneSettings:
    """What can be set on a lane; none leaves it as it is."""

    name: str | None = None
    gain_db: float | None = None
    pan: float | None = None
    muted: bool | None = None
    solo: bool | None = None


def add_lane(job: Job, name: str) -> Edited:
    """Add an empty lane under the others."""
    position = 1 + max((lane.position for lane in job.lanes.values()), default=-1)
    lane = Lane(f"l{job.next_number}", check_name(name), position)
    return Edited(replace(job, next_number=job.next_number + 1, lanes={**job.lanes, lane.id: lane}))


def lane_each(job: Job, clip_ids: tuple[str, ...]) -> Edited:
    """Lay clips under each other, each on a lane of its own that bears its name, all starting where the first starts.

    The first stays where it is, and its lane takes its name if nothing else lies there. Raises `InvalidInput` unless
    there are at least two.
    """
    clips = sorted((job.clip(clip_id) for clip_id in clip_ids), key=lambda clip: (start_of(job, clip), clip.id))
    if len(clips) < 2:
        raise InvalidInput("select at least two clips to give each a lane of its own")
    start = start_of(job, clips[0])
    for clip in clips[1:]:
        job = add_lane(job, clip.name).job
        lane_id = max(job.lanes.values(), key=lambda lane: lane.position).id
        moved = replace(clip, lane_id=lane_id, origin_frame=clip.origin_frame + start - start_of(job, clip))
        job = set_clips(job, moved)
    if [one.id for one in job.clips.values() if one.lane_id == clips[0].lane_id] == [clips[0].id]:
        job = set_lane(job, clips[0].lane_id, LaneSettings(name=clips[0].name)).job
    return Edited(job)


def set_lane(job: Job, lane_id: str, settings: LaneSettings) -> Edited:
    """Set what is given of a lane. Raises `InvalidInput` for a gain or a pan out of range."""
    given = {key: value for key in settings.__slots__ if (value := getattr(settings, key)) is not None}
    if settings.gain_db is not None:
        check_gain(settings.gain_db)
    if settings.pan is not None and not -1.0 <= settings.pan <= 1.0:
        raise InvalidInput(f"a pan must be between −1 (left) and +1 (right), not {settings.pan:g}")
    if settings.name is not None:
        given["name"] = check_name(settings.name)
    lane = replace(job.lane(lane_id), **given)
    return Edited(replace(job, lanes={**job.lanes, lane.id: lane}))


def with_mutes_of(job: Job, other: Job, *, but: frozenset[str] = frozenset()) -> Job:
    """Return a job whose lanes, ``but`` for some, are muted and solo as they are in another state of it."""
    lanes = {
        key: replace(lane, muted=other.lanes[key].muted, solo=other.lanes[key].solo)
        if key in other.lanes and key not in but
        else lane
        for key, lane in job.lanes.items()
    }
    return job if lanes == dict(job.lanes) else replace(job, lanes=lanes)


def remove_lane(job: Job, lane_id: str) -> Edited:
    """Take an empty lane away. Raises `InvalidInput` while clips lie on it, or if it is the last."""
    lane = job.lane(lane_id)
    if on_it := sum(clip.lane_id == lane_id for clip in job.clips.values()):
        raise InvalidInput(f"{on_it} clips are on “{lane.name}”; move or remove them first")
    if len(job.lanes) == 1:
        raise InvalidInput("a job needs at least one lane")
    lanes = {key: other for key, other in job.lanes.items() if key != lane_id}
    lane_of = {clip.finding_id: clip.lane_id for clip in job.clips.values()}  # what was found here and moved away
    findings = {
        key: one if one.lane_id != lane_id else replace(one, lane_id=lane_of[key])
        for key, one in job.findings.items()
        if one.lane_id != lane_id or key in lane_of
    }
    return Edited(replace(job, lanes=lanes, findings=findings))


def abuts(job: Job, join: Join) -> bool:
    """Say whether the two clips of a join still lie on one lane without a gap."""
    left, right = job.clips.get(join.left_clip_id), job.clips.get(join.right_clip_id)
    return bool(left and right and left.lane_id == right.lane_id and end_of(job, left) == start_of(job, right))


def _cut(job: Job, clip: Clip, at: int) -> Job:
    right_id = f"c{job.next_number}"
    left = replace(clip, tail_frame=at, fade_out=None, fade_in=no_longer(clip.fade_in, at - clip.head_frame))
    right = replace(
        clip, id=right_id, name=_next_name(job, clip.name), head_frame=at, fade_in=None,
        fade_out=no_longer(clip.fade_out, clip.tail_frame - at),
    )  # fmt: skip
    joins = {
        key: replace(join, left_clip_id=right_id) if join.left_clip_id == clip.id else join
        for key, join in job.joins.items()
    }
    job = replace(job, next_number=job.next_number + 1, joins=joins)
    return set_clips(job, _within(left), _within(right))


def _within(clip: Clip) -> Clip:
    """Keep sound and sync point of a piece inside it. Where a piece ends inside the sound, nothing is known of that end."""
    sync = clip.sync_frame
    if sync is not None and not clip.head_frame <= sync < clip.tail_frame:
        sync = None
    if clip.sound_start_frame is None or clip.sound_end_frame is None:
        return replace(clip, sync_frame=sync)
    start = min(max(clip.sound_start_frame, clip.head_frame), clip.tail_frame)
    end = min(max(clip.sound_end_frame, clip.head_frame), clip.tail_frame)
    return replace(
        clip, sync_frame=sync, sound_start_frame=start, sound_end_frame=end,
        starts_within=clip.starts_within if start == clip.sound_start_frame else None,
        ends_within=clip.ends_within if end == clip.sound_end_frame else None,
    )  # fmt: skip


def _next_name(job: Job, name: str) -> str:
    """Return "Ebb 2" for "Ebb", "Ebb 3" for "Ebb 2": the first that no clip of the job has."""
    stem, _, number = name.rpartition(" ")
    stem, first = (stem, int(number) + 1) if stem and number.isdecimal() else (name, 2)
    taken = {clip.name for clip in job.clips.values()}
    return next(candidate for n in range(first, first + len(taken) + 1) if (candidate := f"{stem} {n}") not in taken)


def _joins_of(job: Job, clips: Mapping[str, Clip]) -> dict[str, Join]:
    return {k: j for k, j in job.joins.items() if j.left_clip_id in clips and j.right_clip_id in clips}


def _gaps(job: Job, gone: list[Clip], close: Close) -> list[tuple[int, int, str | None]]:
    """Return the spans that fall free, the last first; on all lanes at once those that overlap are one."""
    spans = [(start_of(job, clip), end_of(job, clip), clip.lane_id if close == "lane" else None) for clip in gone]
    merged: list[tuple[int, int, str | None]] = []
    for start, end, lane_id in spans:
        if merged and merged[-1][2] == lane_id and end > merged[-1][0]:
            merged[-1] = (min(start, merged[-1][0]), max(end, merged[-1][1]), lane_id)
        else:
            merged.append((start, end, lane_id))
    return merged


def side_of_cut(job: Job, left: Clip, right: Clip) -> dict[Side, int]:
    """Return how many job frames of source there are beyond a cut: after the left clip, before the right one."""
    after = placed(job, left, job.source(left.source_id).frames) - end_of(job, left)
    return {"tail": after, "head": start_of(job, right) - placed(job, right, 0)}
