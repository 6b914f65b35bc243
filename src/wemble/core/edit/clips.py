"""Edits of single things: sources imported, gains, names, clips taken away.

Every edit returns `Edited`: the new job and, in words, where it stopped short of what was asked.
"""

from __future__ import annotations

from dataclasses import dataclass, replace
from fractions import Fraction

from wemble.core.briefs import record
from wemble.core.edit.model import AirPoint, Clip, Fade, Job, Lane, Mark, SourceUse, check_name, set_clips
from wemble.core.edit.placement import job_span
from wemble.core.shape.points import check_points
from wemble.errors import InvalidInput

JOB_RATES_HZ = (8_000, 192_000)
SPACE_BETWEEN_TAKES_S = 1


@dataclass(frozen=True, slots=True)
class Edited:
    """A job after an edit, and what the user is to be told about it."""

    job: Job
    notes: tuple[str, ...] = ()


@dataclass(frozen=True, slots=True)
class SourcePoint:
    """A named point, a loop with an end, or an on-air ``point`` that a file holds, in frames of the source."""

    frame: int
    name: str
    end_frame: int | None = None
    point: AirPoint = ""


def add_source(job: Job, source: SourceUse, points: tuple[SourcePoint, ...] = ()) -> Edited:
    """Import a source: as a clip after everything that is there, a second later, its points as marks tied to it.

    Where the job's brief gives every file a lane of its own, all of them start together.
    The first source gives the job its rate and channel count. Raises `InvalidInput` for a rate outside
    `JOB_RATES_HZ`.
    """
    low, high = JOB_RATES_HZ
    if not low <= source.rate_hz <= high:
        raise InvalidInput(
            f"Wemble takes recordings at {low:,} to {high:,} Hz, this one has {source.rate_hz:,}; convert it first"
        )
    if not job.rate_hz:
        job = replace(job, rate_hz=source.rate_hz, channels=source.channels)
    if record(job.brief).lane_a_file:
        job, lane = _lane_of_its_own(job, source.name)
        at = 0
    else:
        job, lane = _first_lane(job)
        at = job_span(job)[1] + SPACE_BETWEEN_TAKES_S * job.rate_hz if job.clips else 0
    clip = Clip(f"c{job.next_number}", lane.id, source.id, source.name, 0, source.frames, at, file_name=source.name)
    number = job.next_number + 1
    marks = [
        Mark(
            f"m{number + n}",
            "air" if p.point else "section" if p.end_frame is None else "loop",
            p.name or f"Point {n + 1}",
            p.frame,
            clip.id,
            p.end_frame,
            point=p.point,
        )
        for n, p in enumerate(points)
    ]
    return Edited(
        replace(
            job,
            next_number=number + len(marks),
            sources={source.id: source, **job.sources},
            clips={**job.clips, clip.id: clip},
            marks={**job.marks, **{mark.id: mark for mark in marks}},
        )
    )


def put_under(job: Job, clip_ids: tuple[str, ...], source_id: str) -> Edited:
    """Put another recording under clips; their edges, fades and points keep their times from its start.

    What falls past the end of the new recording is drawn in, and listed. Raises `InvalidInput` if nothing of a clip is
    left.
    """
    new = job.source(source_id)
    notes: list[str] = []
    clips = []
    for clip in map(job.clip, clip_ids):
        factor = Fraction(new.rate_hz, job.source(clip.source_id).rate_hz)
        head, tail = round(clip.head_frame * factor), round(clip.tail_frame * factor)
        if head >= new.frames:
            raise InvalidInput(f"“{new.name}” ends before “{clip.name}” starts; choose a longer recording")
        if tail > new.frames:
            notes.append(
                f"“{clip.name}” ends {(tail - new.frames) / new.rate_hz:.3f} s earlier, where “{new.name}” ends"
            )
        tail = max(min(tail, new.frames), head + 1)
        past = [
            mark.name
            for mark in job.marks.values()
            if mark.clip_id == clip.id and round(mark.frame * factor) >= new.frames
        ]
        if past:
            notes.append(f"past the new end: {', '.join(past)}")
        clips.append(
            replace(
                clip, source_id=new.id, head_frame=head, tail_frame=tail, finding_id=None, sound_start_frame=None,
                sound_end_frame=None, starts_within=None, ends_within=None, fade_in=_scaled(clip.fade_in, factor, tail - head),
                fade_out=_scaled(clip.fade_out, factor, tail - head),
                sync_frame=None if clip.sync_frame is None else min(round(clip.sync_frame * factor), tail - 1),
                line=_scaled_line(clip.line, factor, new.frames),
            )
        )  # fmt: skip
    scaled = [
        _scaled_mark(mark, _factor(job, mark.clip_id, new)) for mark in job.marks.values() if mark.clip_id in clip_ids
    ]
    lost = {mark.id for mark in scaled if mark.end_frame is not None and mark.end_frame > new.frames}
    marks = {**job.marks, **{mark.id: mark for mark in scaled}}
    if lost:
        notes.append(f"{len(lost)} loops reach past the new end and were removed")
    return Edited(
        replace(set_clips(job, *clips), marks={key: mark for key, mark in marks.items() if key not in lost}),
        tuple(notes),
    )


def _scaled_line(line: tuple[tuple[int, float], ...], factor: Fraction, frames: int) -> tuple[tuple[int, float], ...]:
    """Return a level line at another rate, up to the end of a recording; of points that fall on one frame the last."""
    return tuple({round(at * factor): level_db for at, level_db in line if at * factor <= frames}.items())


def _scaled_mark(mark: Mark, factor: Fraction) -> Mark:
    start, crossfade = round(mark.frame * factor), round(mark.crossfade_frames * factor)
    if mark.end_frame is None:
        return replace(mark, frame=start)
    end = max(round(mark.end_frame * factor), start + 1)
    return replace(mark, frame=start, end_frame=end, crossfade_frames=min(crossfade, start, (end - start) // 2))


def _factor(job: Job, clip_id: str | None, new: SourceUse) -> Fraction:
    return Fraction(new.rate_hz, job.source(job.clip(clip_id or "").source_id).rate_hz)


def _scaled(fade: Fade | None, factor: Fraction, room: int) -> Fade | None:
    return fade and replace(fade, length_frames=max(min(round(fade.length_frames * factor), room), 1))


def set_gain(job: Job, clip_ids: tuple[str, ...], gain_db: float) -> Edited:
    """Set the gain of clips, −120 to +40 dB. Raises `InvalidInput`."""
    check_gain(gain_db)
    return Edited(set_clips(job, *(replace(job.clip(clip_id), gain_db=gain_db) for clip_id in clip_ids)))


def set_line(job: Job, clip_id: str, line: tuple[tuple[int, float], ...]) -> Edited:
    """Draw a level line over a clip, (source frame, dB); without points it is gone. Raises `InvalidInput`."""
    clip = job.clip(clip_id)
    check_line(line, job.source(clip.source_id).frames)
    return Edited(set_clips(job, replace(clip, line=line)))


def check_line(line: tuple[tuple[int, float], ...], frames: int) -> None:
    """Raise `InvalidInput` for a level line that no clip of a source with so many frames can have."""
    check_points(line, x=(0, frames), y=(-120.0, 40.0))


def check_gain(gain_db: float) -> None:
    """Raise `InvalidInput` for a gain that no clip and no lane can have."""
    if not -120.0 <= gain_db <= 40.0:
        raise InvalidInput(f"a gain must be between −120 and +40 dB, not {gain_db:g}")


def rename_clip(job: Job, clip_id: str, name: str) -> Edited:
    """Give a clip another name."""
    return Edited(set_clips(job, replace(job.clip(clip_id), name=check_name(name))))


def rename_job(job: Job, name: str) -> Edited:
    """Give the job another name."""
    return Edited(replace(job, name=check_name(name)))


def _lane_of_its_own(job: Job, name: str) -> tuple[Job, Lane]:
    """Return the job with a lane for one file: an empty one, of its name rather than another, or a new one below."""
    taken = {clip.lane_id for clip in job.clips.values()}
    free = [lane for lane in job.lanes.values() if lane.id not in taken and not lane.role]
    empty = min(free, key=lambda lane: (lane.name.casefold() != name.casefold(), lane.position), default=None)
    position = max((lane.position for lane in job.lanes.values()), default=-1) + 1
    lane = empty or Lane(f"l{job.next_number}", name, position)
    number = job.next_number + (empty is None)
    return replace(job, next_number=number, lanes={**job.lanes, lane.id: lane}), lane


def _first_lane(job: Job) -> tuple[Job, Lane]:
    if job.lanes:
        return job, min(job.lanes.values(), key=lambda lane: lane.position)
    lane = Lane(f"l{job.next_number}", record(job.brief).first_lane, 0)
    return replace(job, next_number=job.next_number + 1, lanes={lane.id: lane}), lane
