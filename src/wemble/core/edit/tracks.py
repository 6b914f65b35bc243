"""Tracks of a release: made from pieces, with gaps between them or one boundary that two share, in an order.

A track is its mark (`Mark`): marks that are tied to clips stay on their sound, so tracks move with the music. What is
moved here is the music; a boundary by itself is moved as any mark is.
"""

from __future__ import annotations

import re
from collections.abc import Sequence
from dataclasses import dataclass, replace
from itertools import pairwise

from wemble.core.edit.clips import Edited
from wemble.core.edit.following import moved_from
from wemble.core.edit.marks import place_of
from wemble.core.edit.model import Clip, Fade, Job, Mark, check_name, set_clips
from wemble.core.edit.placement import audible_lanes, end_of, placed, source_frame_from, start_of
from wemble.errors import InvalidInput, NotFound

DISC_FRAMES_A_S = 75
"""Compact disc audio is addressed in 75ths of a second (IEC 60908; memory)."""
LEAD_S = 2.0
"""At least so much lies before track 1, and usually between two tracks (IEC 60908; memory, and common practice)."""
_ISRC = re.compile(r"[A-Z]{2}[A-Z0-9]{3}[0-9]{7}")
_LONGEST_PERFORMER = 200


@dataclass(frozen=True, slots=True)
class Track:
    """A track: its number and mark, its span in job frames, and the gap before it. ``shared``: it runs on from the last."""

    number: int
    mark: Mark
    start: int
    end: int
    gap: int
    shared: bool
    end_mark: Mark | None


def tracks_of(job: Job) -> list[Track]:
    """Return the tracks in order. The gap before the first counts from the start of the job."""
    marks = sorted(
        ((place_of(job, m), m.kind, m) for m in job.marks.values() if m.kind in ("track", "track_end")),
        key=lambda row: (row[0], row[1] == "track", row[2].id),
    )
    starts = [n for n, (_, kind, _) in enumerate(marks) if kind == "track"]
    tracks: list[Track] = []
    last_end = 0
    for number, at in enumerate(starts, 1):
        start, _, mark = marks[at]
        until = starts[number] if number < len(starts) else len(marks)
        end_mark = marks[until - 1][2] if until - 1 > at else None  # one before it is of a track that this overlaps
        following = marks[until - 1] if end_mark else marks[until] if until < len(marks) else None
        end = max(music_end(job), start) if following is None else following[0]
        shared = number > 1 and tracks[-1].end_mark is None
        tracks.append(Track(number, mark, start, end, start - last_end, shared, end_mark))
        last_end = end
    return tracks


def music_end(job: Job) -> int:
    """Return the job frame behind the last clip that can be heard."""
    heard = audible_lanes(job)
    return max((end_of(job, clip) for clip in job.clips.values() if clip.lane_id in heard), default=0)


def check_isrc(isrc: str) -> None:
    """Raise `InvalidInput` for what is no ISRC: 2 letters, 3 letters or digits, 7 digits (ISO 3901; memory); none is fine."""
    if isrc and not _ISRC.fullmatch(isrc):
        raise InvalidInput("an ISRC has 2 letters, 3 letters or digits, and 7 digits, such as QZ-A1B-26-00001")


def check_performer(name: str) -> None:
    """Raise `InvalidInput` for a name that no track list holds."""
    if len(name) > _LONGEST_PERFORMER or any(ord(c) < 32 for c in name):
        raise InvalidInput(f"a performer is plain text of at most {_LONGEST_PERFORMER} characters")


def make_tracks(job: Job, gap_frames: int | None = None) -> Edited:
    """Make a track of every piece, in the order in which they stand, named after them; those that there were are replaced.

    Clips that a crossfade joins, or of one recording that go on without a gap or a fade, are one piece. With a gap the pieces are laid
    that far apart, the first two seconds in; without one they stay where they are, and where one begins before or where the
    last ends both share the boundary. Raises `InvalidInput` if there is no piece.
    """
    pieces = _pieces(job)
    if not pieces:
        raise InvalidInput("there is no piece to make a track of; import mixes first")
    job = replace(job, marks={k: m for k, m in job.marks.items() if m.kind not in ("track", "track_end")})
    if gap_frames is not None:
        job, pieces = _laid_apart(job, pieces, max(gap_frames, 0))
    spans = [(start_of(job, piece[0]), max(end_of(job, clip) for clip in piece)) for piece in pieces]
    number, marks = job.next_number, dict(job.marks)
    for n, (piece, (_, end)) in enumerate(zip(pieces, spans, strict=True)):
        first, last = piece[0], max(piece, key=lambda clip: end_of(job, clip))
        mark = Mark(f"m{number}", "track", check_name(first.name), first.head_frame, first.id)
        marks[mark.id], number = mark, number + 1
        if n + 1 == len(pieces) or spans[n + 1][0] > end:
            close = Mark(f"m{number}", "track_end", "End", last.tail_frame, last.id)
            marks[close.id], number = close, number + 1
    return Edited(replace(job, marks=marks, next_number=number))


def add_track(job: Job, frame: int, name: str = "", clip_id: str | None = None) -> Edited:
    """Begin a track at a job frame, tied to a clip if one is named and covers it; inside another, both share the boundary."""
    number = sum(track.start <= frame for track in tracks_of(job)) + 1
    return _added(
        job, Mark(f"m{job.next_number}", "track", check_name(name or f"Track {number}"), max(frame, 0)), clip_id
    )


def end_track(job: Job, frame: int, clip_id: str | None = None) -> Edited:
    """End the track that is under way at a job frame. Raises `InvalidInput` where none is."""
    track = next((t for t in reversed(tracks_of(job)) if t.start < frame), None)
    if track is None:
        raise InvalidInput("no track has begun there; begin one first")
    if track.end_mark is not None:
        marks = {key: mark for key, mark in job.marks.items() if key != track.end_mark.id}
        job = replace(job, marks=marks)
    return _added(job, Mark(f"m{job.next_number}", "track_end", "End", frame), clip_id)


def describe_track(
    job: Job, mark_id: str, title: str | None = None, performer: str | None = None, isrc: str | None = None
) -> Edited:
    """Say what a track list says of a track; none leaves it as it is. Hyphens of an ISRC are left out."""
    mark = _track(job, mark_id).mark
    if title is not None:
        mark = replace(mark, name=check_name(title))
    if performer is not None:
        check_performer(performer)
        mark = replace(mark, performer=performer.strip())
    if isrc is not None:
        mark = replace(mark, isrc=re.sub(r"[\s-]", "", isrc).upper())
        check_isrc(mark.isrc)
    return Edited(replace(job, marks={**job.marks, mark.id: mark}))


def set_gaps(job: Job, mark_ids: tuple[str, ...], gap_frames: int) -> Edited:
    """Set the gap before tracks; what follows moves along. Tracks that run on from the last keep their boundary."""
    notes = 0
    for mark_id in mark_ids:
        track = _track(job, mark_id)
        if track.shared:
            notes += 1
        else:
            job = _moved(job, track, max(gap_frames, 0) - track.gap)
    told = (f"{notes} run on from the track before and keep their boundary",) if notes else ()
    return Edited(job, told)


def move_track(job: Job, mark_id: str, by_frames: int) -> Edited:
    """Move a piece and everything behind it, marks too.

    Raises `InvalidInput` if it would begin before the job does, or before the last ends: that is done by running on.
    """
    track = _track(job, mark_id)
    if by_frames < -track.gap and track.number > 1:
        room = "the two share a boundary" if track.shared else f"there are {track.gap / job.rate_hz:.3f} s between"
        raise InvalidInput(
            f"“{track.mark.name}” would begin before the last track ends: {room}; let it run on to overlap"
        )
    return Edited(_moved(job, track, by_frames))


def run_on(job: Job, mark_id: str, overlap_frames: int) -> Edited:
    """Lay a track's piece over the end of the one before by so much, each with a fade of that length, sharing one boundary.

    0 frames let it follow at once, without fades. Raises `InvalidInput` for the first track, and for more than either has.
    """
    track = _track(job, mark_id)
    if track.number == 1:
        raise InvalidInput("the first track has none before it")
    before = tracks_of(job)[track.number - 2]
    if not 0 <= overlap_frames < min(track.end - track.start, before.end - before.start):
        raise InvalidInput("the overlap must be shorter than either track")
    left, right = _last_clip(job, before), _first_clip(job, track)
    job = _moved(job, track, end_of(job, left) - overlap_frames - start_of(job, right))
    marks = dict(job.marks)
    if before.end_mark is not None:
        marks.pop(before.end_mark.id)
    job = replace(job, marks=marks)
    if not overlap_frames:
        return Edited(job)

    def fade(clip: Clip) -> Fade:
        rate = job.source(clip.source_id).rate_hz
        frames = min(max(overlap_frames * rate // job.rate_hz, 1), clip.frames)
        return Fade(frames, "equal_power", origin="own")

    return Edited(set_clips(job, replace(left, fade_out=fade(left)), replace(job.clip(right.id), fade_in=fade(right))))


def order_tracks(job: Job, mark_ids: tuple[str, ...]) -> Edited:
    """Put the tracks into another order, with their clips and marks. What lies before the first stays that long; else each
    takes its gap with it, and the one that was first gets that of the one that is.

    Tracks that run on into each other stay together. Raises `InvalidInput` unless all tracks are named, each once.
    """
    tracks = tracks_of(job)
    groups: list[list[Track]] = []
    for track in tracks:
        if track.shared:
            groups[-1].append(track)
        else:
            groups.append([track])
    if sorted(mark_ids) != sorted(track.mark.id for track in tracks):
        raise InvalidInput("an order names every track once")
    group_of = {track.mark.id: n for n, group in enumerate(groups) for track in group}
    wanted = list(dict.fromkeys(group_of[mark_id] for mark_id in mark_ids))
    bounds = [min([group[0].start, *_starts_near(job, group[0])]) for group in groups]
    gaps = [groups[wanted[0] if n == 0 else n][0].gap for n in range(len(groups))]
    starts, at = {}, groups[0][0].gap
    for position, n in enumerate(wanted):
        starts[n] = at + (gaps[n] if position else 0)
        at = starts[n] + groups[n][-1].end - groups[n][0].start
    shifts = [starts[n] - group[0].start for n, group in enumerate(groups)]

    def shift(place: int) -> int:
        inside = [n for n, bound in enumerate(bounds) if bound <= place]
        return shifts[inside[-1]] if inside else 0

    clips = {
        key: replace(clip, origin_frame=clip.origin_frame + shift(start_of(job, clip)))
        for key, clip in job.clips.items()
    }
    marks = {
        key: mark if mark.clip_id else replace(mark, frame=max(mark.frame + shift(mark.frame), 0))
        for key, mark in job.marks.items()
    }
    return Edited(_findings_along(job, replace(job, clips=clips, marks=marks)))


def disc_place(frame: int, rate_hz: int) -> tuple[int, int]:
    """Return a job frame in disc frames, and how many 75ths of a job frame it lies behind that.

    Examples
    --------
    >>> disc_place(88_200, 44_100), disc_place(88_201, 44_100)
    ((150, 0), (150, 75))
    """
    return divmod(frame * DISC_FRAMES_A_S, rate_hz)


def put_on_disc_frames(job: Job) -> Edited:
    """Move every boundary of tracks onto a disc frame, by less than one: starts back, so that no attack is cut, ends on."""
    marks = dict(job.marks)
    for track in tracks_of(job):
        marks[track.mark.id] = _at(job, track.mark, _on_disc(track.start, job.rate_hz, up=False))
        if track.end_mark is not None:
            marks[track.end_mark.id] = _at(job, track.end_mark, _on_disc(track.end, job.rate_hz, up=True))
    moved = replace(job, marks=marks)
    for before, after in pairwise(tracks_of(job)):  # a gap of less than a disc frame: both meet at the later start
        start, end = place_of(moved, marks[after.mark.id]), before.end_mark
        if end is not None and place_of(moved, marks[end.id]) > start:
            marks[end.id] = _at(job, end, start)
    return Edited(replace(job, marks=marks))


def snap_to_clips(job: Job) -> Edited:
    """Put the marks of the programme and of tracks at the nearest clip's head, those that end it at the nearest tail."""
    heard = audible_lanes(job)
    clips = [clip for clip in job.clips.values() if clip.lane_id in heard]
    if not clips:
        raise InvalidInput("there is no clip to put marks at")
    marks = dict(job.marks)
    for mark in job.marks.values():
        if mark.kind not in ("start", "track", "end", "track_end"):
            continue
        at, edge_of = place_of(job, mark), start_of if mark.kind in ("start", "track") else end_of
        clip = min(clips, key=lambda one: abs(edge_of(job, one) - at))
        edge, frame = edge_of(job, clip), clip.head_frame if edge_of is start_of else clip.tail_frame
        tied = mark.kind in ("track", "track_end")
        marks[mark.id] = replace(mark, frame=frame if tied else edge, clip_id=clip.id if tied else None)
    return Edited(replace(job, marks=marks))


def _track(job: Job, mark_id: str) -> Track:
    found = next((track for track in tracks_of(job) if track.mark.id == mark_id), None)
    if found is None:
        raise NotFound(f"there is no track {mark_id!r} in this job any more")
    return found


def _pieces(job: Job) -> list[list[Clip]]:
    """Return the pieces in time order, each its clips in order."""
    heard = audible_lanes(job)
    clips = sorted(
        (c for c in job.clips.values() if c.lane_id in heard and c.speaks), key=lambda c: (start_of(job, c), c.id)
    )
    joined = {frozenset((join.left_clip_id, join.right_clip_id)) for join in job.joins.values()}
    pieces: list[list[Clip]] = []
    for clip in clips:
        last = next((p for p in pieces if frozenset((p[-1].id, clip.id)) in joined or _goes_on(p[-1], clip)), None)
        if last is None:
            pieces.append([clip])
        else:
            last.append(clip)
    return pieces


def _goes_on(left: Clip, right: Clip) -> bool:
    same = (left.lane_id, left.source_id, left.origin_frame) == (right.lane_id, right.source_id, right.origin_frame)
    whole = left.fade_out is None and right.fade_in is None
    return same and whole and left.tail_frame == right.head_frame


def _laid_apart(job: Job, pieces: Sequence[list[Clip]], gap: int) -> tuple[Job, list[list[Clip]]]:
    at = round(LEAD_S * job.rate_hz)
    laid = []
    for piece in pieces:
        by = at - start_of(job, piece[0])
        moved = [replace(clip, origin_frame=clip.origin_frame + by) for clip in piece]
        job = _findings_along(job, set_clips(job, *moved))
        at = _on_disc(max(end_of(job, clip) for clip in moved), job.rate_hz, up=True) + gap
        laid.append(moved)
    return job, laid


def _moved(job: Job, track: Track, by: int) -> Job:
    """Return the job with a track and all behind it moved."""
    running = [
        c for c in job.clips.values() if c.id == track.mark.clip_id and start_of(job, c) < track.start < end_of(job, c)
    ]
    if running:
        raise InvalidInput(f"the music runs on where “{track.mark.name}” begins; split “{running[0].name}” there first")
    if track.start + by < 0:
        raise InvalidInput(f"“{track.mark.name}” would begin before the job does")
    return _findings_along(job, moved_from(job, min([track.start, *_starts_near(job, track)]), by))


def _findings_along(before: Job, after: Job) -> Job:
    """Return the job with every finding moved as its clips were: its span begins before them, in the air."""
    moved: dict[str, set[int]] = {}
    for clip in after.clips.values():
        if clip.finding_id is not None:
            moved.setdefault(clip.finding_id, set()).add(clip.origin_frame - before.clips[clip.id].origin_frame)
    findings = {
        key: replace(one, origin_frame=one.origin_frame + min(moved[key])) if len(moved.get(key, ())) == 1 else one
        for key, one in before.findings.items()
    }
    return replace(after, findings=findings)


def _starts_near(job: Job, track: Track) -> list[int]:
    """Return the start of the clip that a track's mark is tied to, which may lie just before the mark's disc frame."""
    clip = job.clips.get(track.mark.clip_id or "")
    return [] if clip is None else [start_of(job, clip)]


def _first_clip(job: Job, track: Track) -> Clip:
    inside = [c for c in job.clips.values() if start_of(job, c) < track.end and end_of(job, c) > track.start]
    tied = job.clips.get(track.mark.clip_id or "")
    if tied is None and not inside:
        raise InvalidInput(f"no piece lies in the track “{track.mark.name}”")
    return tied or min(inside, key=lambda c: abs(start_of(job, c) - track.start))


def _last_clip(job: Job, track: Track) -> Clip:
    inside = [c for c in job.clips.values() if start_of(job, c) < track.end and end_of(job, c) > track.start]
    if not inside:
        raise InvalidInput(f"no piece lies in the track “{track.mark.name}”")
    return max(inside, key=lambda c: end_of(job, c))


def _added(job: Job, mark: Mark, clip_id: str | None) -> Edited:
    if clip_id is not None:
        clip = job.clip(clip_id)
        at = source_frame_from(job, clip, mark.frame)
        if clip.head_frame <= at <= clip.tail_frame:
            mark = replace(mark, frame=at, clip_id=clip.id)
    return Edited(replace(job, next_number=job.next_number + 1, marks={**job.marks, mark.id: mark}))


def _on_disc(frame: int, rate_hz: int, *, up: bool) -> int:
    disc, rest = disc_place(frame, rate_hz)
    disc += up and rest > 0
    return -(-disc * rate_hz // DISC_FRAMES_A_S)


def _at(job: Job, mark: Mark, frame: int) -> Mark:
    """Return a boundary at a job frame: free, where its clip's source has no frame that lies there."""
    if place_of(job, mark) == frame:
        return mark
    if mark.clip_id is not None:
        clip = job.clip(mark.clip_id)
        at = source_frame_from(job, clip, frame)
        if 0 <= at <= job.source(clip.source_id).frames and placed(job, clip, at) == frame:
            return replace(mark, frame=at)
    return replace(mark, frame=frame, clip_id=None)
