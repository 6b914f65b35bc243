"""Marks: the programme's start and end, and named points. Tied to a clip they stay on their sound."""

from __future__ import annotations

from dataclasses import replace

from wemble.core.briefs import record
from wemble.core.edit.clips import Edited
from wemble.core.edit.model import FARTHEST_FRAME, Clip, Job, Mark, MarkKind, check_name
from wemble.core.edit.placement import placed, source_frame_from, start_of
from wemble.errors import InvalidInput

_BOUNDARIES: tuple[MarkKind, ...] = ("track", "track_end")


def place_of(job: Job, mark: Mark) -> int:
    """Return the job frame of a mark."""
    return mark.frame if mark.clip_id is None else placed(job, job.clip(mark.clip_id), mark.frame)


def in_order(job: Job) -> list[Mark]:
    """Return the marks in time order."""
    return sorted(job.marks.values(), key=lambda mark: (place_of(job, mark), mark.id))


def programme(job: Job) -> tuple[int, int] | None:
    """Return the span from the start mark to the end mark, in job frames; none unless both are set, in order."""
    bounds = {mark.kind: place_of(job, mark) for mark in job.marks.values() if mark.kind in ("start", "end")}
    start, end = bounds.get("start"), bounds.get("end")
    return (start, end) if start is not None and end is not None and start < end else None


def set_programme(job: Job, start_frame: int | None, end_frame: int | None) -> Edited:
    """Set the programme's start, its end, or both in one act; none leaves a mark as it is.

    Raises `InvalidInput` if the start would not lie before the end.
    """
    for kind, frame in (("start", start_frame), ("end", end_frame)):
        if frame is not None:
            job = _with_bound(job, "start" if kind == "start" else "end", max(frame, 0))
    bounds = {mark.kind: place_of(job, mark) for mark in job.marks.values()}
    if "start" in bounds and "end" in bounds and bounds["start"] >= bounds["end"]:
        raise InvalidInput("the programme must start before it ends; set the other mark first, or both at once")
    return Edited(job)


def add_mark(job: Job, frame: int, name: str = "", clip_id: str | None = None) -> Edited:
    """Drop a section mark at a job frame, tied to a clip if one is named and covers that frame."""
    sections = sum(mark.kind == "section" for mark in job.marks.values())
    mark = Mark(
        f"m{job.next_number}",
        "section",
        check_name(name or f"{record(job.brief).mark_name} {sections + 1}"),
        max(frame, 0),
    )
    if clip_id is not None:
        clip = job.clip(clip_id)
        at = source_frame_from(job, clip, frame)
        if clip.head_frame <= at < clip.tail_frame:
            mark = replace(mark, frame=at, clip_id=clip.id)
    return Edited(replace(job, next_number=job.next_number + 1, marks={**job.marks, mark.id: mark}))


def move_mark(job: Job, mark_id: str, frame: int) -> Edited:
    """Move a mark to a job frame; one tied to a clip stays tied while it is inside, and is free outside.

    The boundaries of tracks stop at those beside them: their order is changed by moving tracks.
    """
    mark = job.mark(mark_id)
    asked, frame = frame, _between_boundaries(job, mark, frame)
    by = max(frame, 0) - place_of(job, mark)
    end = None
    if mark.end_frame is not None:  # a loop of a frame at a high rate is one of a frame here, too
        end = max(place_of(job, replace(mark, frame=mark.end_frame)) + by, max(frame, 0) + 1)
    moved = replace(mark, frame=max(frame, 0), clip_id=None, end_frame=end)
    if mark.clip_id is not None:
        clip = job.clip(mark.clip_id)
        at = source_frame_from(job, clip, frame)
        if _covers(clip, replace(mark, frame=at)):
            moved = replace(mark, frame=at) if mark.end_frame is None else _moved_loop(job, clip, mark, at)
    moved = replace(moved, by_hand=True)
    changed = replace(job, marks={**job.marks, mark_id: moved})
    notes = () if frame == asked else ("stopped at the next boundary; to change the order, move the track itself",)
    return replace(set_programme(changed, None, None), notes=notes)


def _between_boundaries(job: Job, mark: Mark, frame: int) -> int:
    """Return the place nearest to a frame that leaves the boundaries of tracks in their order; of other marks the frame."""
    if mark.kind not in _BOUNDARIES:
        return frame
    here = place_of(job, mark)
    others = [place_of(job, one) for one in job.marks.values() if one.kind in _BOUNDARIES and one.id != mark.id]
    low = max((place + 1 for place in others if place < here), default=0)
    high = min((place - 1 for place in others if place > here), default=FARTHEST_FRAME)
    return min(max(frame, low), max(high, low))


def _moved_loop(job: Job, clip: Clip, loop: Mark, at: int) -> Mark:
    """Return a loop of a clip that begins at a source frame, as far as its length and its recording allow."""
    length = (loop.end_frame or loop.frame) - loop.frame
    at = min(at, job.source(clip.source_id).frames - length)
    return replace(loop, frame=at, end_frame=at + length, crossfade_frames=min(loop.crossfade_frames, at))


def rename_mark(job: Job, mark_id: str, name: str) -> Edited:
    """Give a mark another name."""
    mark = replace(job.mark(mark_id), name=check_name(name))
    return Edited(replace(job, marks={**job.marks, mark_id: mark}))


def check_link(link: str) -> None:
    """Raise `InvalidInput` for what is no web address; none at all is fine."""
    if link and (not link.startswith(("https://", "http://")) or len(link) > 2000 or any(c.isspace() for c in link)):
        raise InvalidInput("a link begins with https:// and has no spaces")


def set_link(job: Job, mark_id: str, link: str) -> Edited:
    """Say where more of a chapter is to be found; empty takes it away. Raises `InvalidInput` for what is no web address."""
    link = link.strip()
    check_link(link)
    return Edited(replace(job, marks={**job.marks, mark_id: replace(job.mark(mark_id), link=link)}))


def check_picture(picture: str) -> None:
    """Raise `InvalidInput` for what is no name of a kept picture; none at all is fine."""
    if picture and not (picture.isascii() and picture.isalnum() and len(picture) <= 64):
        raise InvalidInput("choose the picture again")


def set_picture(job: Job, mark_id: str, picture: str) -> Edited:
    """Give a chapter a picture that was kept before; empty takes it away."""
    check_picture(picture)
    return Edited(replace(job, marks={**job.marks, mark_id: replace(job.mark(mark_id), picture=picture)}))


def remove_marks(job: Job, mark_ids: tuple[str, ...]) -> Edited:
    """Take marks away."""
    gone = {job.mark(mark_id).id for mark_id in mark_ids}
    return Edited(replace(job, marks={key: mark for key, mark in job.marks.items() if key not in gone}))


def reattach_marks(before: Job, after: Job) -> Job:
    """Return ``after`` with every tied mark on the clip that now has its sound.

    A mark whose clip was split, or laid again by a finding, goes to the piece of the same audio that covers it; one
    whose sound is gone stays at its place on the time line, tied to nothing.
    """
    moved: dict[str, Mark] = {}
    for mark in after.marks.values():
        if mark.clip_id is None or _covers(after.clips.get(mark.clip_id), mark):
            continue
        was = before.clips.get(mark.clip_id) or after.clips.get(mark.clip_id)
        if was is None:
            continue
        heirs = [clip for clip in after.clips.values() if clip.source_id == was.source_id and _covers(clip, mark)]
        if heirs:
            heir = min(heirs, key=lambda clip: (clip.origin_frame != was.origin_frame, start_of(after, clip)))
            moved[mark.id] = replace(mark, clip_id=heir.id)
        elif mark.clip_id not in after.clips:
            frame = max(placed(before, was, mark.frame), 0)
            end = None if mark.end_frame is None else max(placed(before, was, mark.end_frame), frame + 1)
            moved[mark.id] = replace(mark, clip_id=None, frame=frame, end_frame=end)
    return replace(after, marks={**after.marks, **moved}) if moved else after


def _covers(clip: Clip | None, mark: Mark) -> bool:
    """Whether a clip has the sound of a mark; what ends something lies behind its last frame."""
    if clip is None:
        return False
    last = clip.tail_frame if mark.kind == "track_end" or mark.point == "ends" else clip.tail_frame - 1
    return clip.head_frame <= mark.frame <= last


def _with_bound(job: Job, kind: MarkKind, frame: int) -> Job:
    old = next((mark for mark in job.marks.values() if mark.kind == kind), None)
    mark = Mark(old.id if old else f"m{job.next_number}", kind, "Start" if kind == "start" else "End", frame)
    return replace(job, next_number=job.next_number + (old is None), marks={**job.marks, mark.id: mark})
