"""Musical time: bars and beats to frames and back, exact over hours; sync points lined up with them."""

from __future__ import annotations

from dataclasses import replace
from fractions import Fraction
from typing import Literal

from wemble.core.edit.arrange import move_audio, move_clips
from wemble.core.edit.clips import Edited
from wemble.core.edit.model import Grid, Job, set_clips
from wemble.core.edit.placement import placed, source_frame_from
from wemble.errors import InvalidInput

BPM = (10, 1000)


def beat_frame(grid: Grid, beat: int, *, rate_hz: int) -> int:
    """Return the job frame nearest to a beat, counted from 0 at bar 1 beat 1. Rational: nothing is added up.

    Examples
    --------
    >>> beat_frame(Grid(120), 4, rate_hz=44_100)
    88200
    >>> beat_frame(Grid(174), 4, rate_hz=44_100)
    60828
    """
    exact = Fraction(60 * rate_hz * grid.bpm_denominator * beat, grid.bpm_numerator)
    return grid.first_frame + (2 * exact.numerator + exact.denominator) // (2 * exact.denominator)


def bar_beat(grid: Grid, frame: int, *, rate_hz: int) -> tuple[int, Fraction]:
    """Return the bar, from 1, and the beat in it, from 1 and with its fraction, of a job frame.

    Examples
    --------
    >>> bar_beat(Grid(96), 960_000, rate_hz=48_000)
    (9, Fraction(1, 1))
    """
    beats = Fraction((frame - grid.first_frame) * grid.bpm_numerator, 60 * rate_hz * grid.bpm_denominator)
    bar = beats // grid.beats_a_bar
    return int(bar) + 1, beats - bar * grid.beats_a_bar + 1


def grid_of_span(frames: int, bars: int, *, beats_a_bar: int, first_frame: int, rate_hz: int) -> Grid:
    """Return the grid on which a span is so many bars.

    Examples
    --------
    >>> grid = grid_of_span(499_200, 4, beats_a_bar=4, first_frame=0, rate_hz=48_000)  # 10.400 s
    >>> round(grid.bpm_numerator / grid.bpm_denominator, 2)
    92.31
    """
    if frames < 1 or bars < 1:
        raise InvalidInput("a tempo is measured on one bar or more; select them first")
    bpm = Fraction(60 * rate_hz * bars * beats_a_bar, frames)
    return checked(Grid(bpm.numerator, bpm.denominator, beats_a_bar, first_frame))


def checked(grid: Grid) -> Grid:
    """Return the grid in lowest terms. Raises `InvalidInput` for a tempo or a meter that cannot be."""
    low, high = BPM
    if grid.bpm_denominator < 1 or not low * grid.bpm_denominator <= grid.bpm_numerator <= high * grid.bpm_denominator:
        raise InvalidInput(f"a tempo must be between {low} and {high} beats per minute")
    if not 1 <= grid.beats_a_bar <= 64:
        raise InvalidInput(f"a bar can have 1 to 64 beats, not {grid.beats_a_bar}")
    bpm = Fraction(grid.bpm_numerator, grid.bpm_denominator)
    return replace(grid, bpm_numerator=bpm.numerator, bpm_denominator=bpm.denominator)


def set_grid(job: Job, grid: Grid | None) -> Edited:
    """Give the job a tempo and a meter, or take them away."""
    return Edited(replace(job, grid=None if grid is None else checked(grid)))


def set_sync(job: Job, clip_id: str, frame: int | None) -> Edited:
    """Put a clip's sync point at a job frame, or take it away. Raises `InvalidInput` outside the clip."""
    clip = job.clip(clip_id)
    if frame is None:
        return Edited(set_clips(job, replace(clip, sync_frame=None)))
    at = source_frame_from(job, clip, frame)
    if not clip.head_frame <= at < clip.tail_frame:
        raise InvalidInput(f"the cursor is not inside “{clip.name}”; put it on the clip's first beat")
    return Edited(set_clips(job, replace(clip, sync_frame=at)))


def line_up(job: Job, clip_id: str, job_frame: int, move: Literal["clip", "audio"]) -> Edited:
    """Bring a clip's sync point to a job frame, by moving the clip or the audio inside it.

    Raises `InvalidInput` if the clip has no sync point.
    """
    clip = job.clip(clip_id)
    if clip.sync_frame is None:
        raise InvalidInput(f"“{clip.name}” has no sync point; put the cursor on its first beat and set one")
    by = job_frame - placed(job, clip, clip.sync_frame)
    return move_clips(job, (clip_id,), by) if move == "clip" else move_audio(job, clip_id, by)


def line_up_with_bar(job: Job, clip_id: str, bar: int, beat: int, move: Literal["clip", "audio"]) -> Edited:
    """Bring a clip's sync point to a bar and beat, both from 1. Raises `InvalidInput` without a tempo."""
    if job.grid is None:
        raise InvalidInput("the job has no tempo yet; set one, or measure it on some bars")
    beats = (bar - 1) * job.grid.beats_a_bar + beat - 1
    return line_up(job, clip_id, beat_frame(job.grid, beats, rate_hz=job.rate_hz), move)
