"""Kits: what is too hot turned down, ends softened, loops proposed and set."""

from __future__ import annotations

import contextlib
from collections.abc import Sequence
from dataclasses import dataclass, replace
from fractions import Fraction
from functools import partial
from pathlib import Path

import numpy as np

from wemble.actions.library import Library
from wemble.actions.work.executor import Report
from wemble.core.check.edges import edge_click, edge_of, tail_over_floor_db
from wemble.core.check.table import state_of
from wemble.core.edit.clips import Edited
from wemble.core.edit.kit import microphones, same_moment, set_loop, soften_ends, turn_down_hot
from wemble.core.edit.model import Clip, Job
from wemble.core.edit.placement import turned_clips
from wemble.core.shape.seams import Bars, Seam, crossed, find_seams
from wemble.core.signal.levels import Samples, ms_to_frames
from wemble.core.signal.reader import Read
from wemble.errors import InvalidInput
from wemble.store.files import FileReader, Home

LONGEST_LOOPED_S = 120.0
BLOCK_FRAMES = 1 << 20


def peaks(library: Library, job: Job, clip_ids: Sequence[str]) -> dict[str, float]:
    """Return the largest sample of clips, linear, with their gain."""
    sizes = {}
    for clip in map(job.clip, clip_ids):
        largest = 0.0
        for at in range(clip.head_frame, clip.tail_frame, BLOCK_FRAMES):
            samples = library.reads(clip.source_id)(at, min(BLOCK_FRAMES, clip.tail_frame - at))
            largest = max(largest, float(np.abs(samples).max(initial=0.0)))
        sizes[clip.id] = largest * float(10.0 ** (clip.gain_db / 20.0))
    return sizes


def turn_down(library: Library, job: Job, clip_ids: tuple[str, ...], ceiling_db: float) -> Edited:
    """Turn what is too hot down to a ceiling; bring nothing up. Without ids: every clip."""
    chosen = clip_ids or [clip.id for clip in job.clips.values() if clip.speaks]
    return turn_down_hot(job, peaks(library, job, chosen), ceiling_db)


def soften(library: Library, job: Job, clip_ids: tuple[str, ...], milliseconds: float) -> Edited:
    """Soften the ends of clips by a grade; those that are at the floor already stay as they are, and that is said."""
    quiet = [key for key in clip_ids if milliseconds and _ends_in_the_floor(library, job, job.clip(key))]
    edited = soften_ends(job, tuple(key for key in clip_ids if key not in quiet), milliseconds)
    names = [job.clip(key).name for key in quiet]
    named = ", ".join(f"“{name}”" for name in names[:4]) + (f" and {len(names) - 4} more" if len(names) > 4 else "")
    return Edited(edited.job, (f"no effect, already at the floor: {named}",) if quiet else ())


def _ends_in_the_floor(library: Library, job: Job, clip: Clip) -> bool:
    source = library.source(clip.source_id)
    edge = edge_of(clip, "tail", joined=False, source_frames=source.frames)
    bare = edge.without_fade()
    read = library.reads(clip.source_id)
    click = edge_click(read, bare, source.rate_hz)
    return (
        state_of("click", click) == "fine"
        and tail_over_floor_db(read, bare, source.rate_hz, source.floors.at(bare.frame)) < 3.0
    )


@dataclass(frozen=True, slots=True)
class LoopFigure:
    """One candidate for a loop, or the loop that a clip has, with what is heard of its seam, in figures and in words."""

    start_frame: int
    end_frame: int
    crossfade_frames: int
    alike: float
    click: float
    score: float
    text: str


def loop_candidates(library: Library, revision_id: int, clip_id: str, near: tuple[int, int] | None) -> list[LoopFigure]:
    """Return loops to choose from inside a clip, the best first; ``near`` in source frames. Raises `InvalidInput`."""
    asked = _asked(library, library.job_at(revision_id), clip_id, near)
    return [_figure(seam) for seam in library.ask(seams_in_file, library.home.root, asked)]


def seams_in_file(report: Report, root: Path, asked: _Asked) -> list[Seam]:
    """Return the seams of a clip in a data folder. Runs in a worker."""
    channels = {mic.source_id: mic.channels for mic in asked.microphones}
    with contextlib.closing(FileReader(Home(root), channels)) as reader:
        return asked.search([partial(reader.read, mic.source_id, asked.rate_hz) for mic in asked.microphones])


def judge_loop(library: Library, revision_id: int, clip_id: str, start: int, end: int, crossfade: int) -> LoopFigure:
    """Return what is heard of one loop's seam. Raises `InvalidInput` if it does not lie inside its clip."""
    job = library.job_at(revision_id)
    clip = job.clip(clip_id)
    if not clip.head_frame <= start < end <= clip.tail_frame:
        raise InvalidInput("a loop must lie inside its clip and end after it starts")
    shift = clip.head_frame
    mics = _microphones(library, job, clip, shift)
    samples = _together(mics, [library.reads(mic.source_id) for mic in mics], clip.tail_frame - shift)
    rate = library.source(clip.source_id).rate_hz
    bars = _bars_of(job, rate, samples.shape[1])
    seam = crossed(samples, start - shift, end - shift, rate, crossfade_frames=crossfade, bars=bars)
    return _figure(_shifted(seam, shift))


def loop_all(library: Library, job: Job, clip_ids: tuple[str, ...], crossfade_ms: float | None = None) -> Edited:
    """Give every hit of these the best loop there is, with a crossfade as asked or the shortest that is not heard."""
    turned = turned_clips(job)  # they are loops already
    single = [job.clip(key) for key in clip_ids if key not in turned]
    hits = list({clip.set_id or clip.id: clip for clip in reversed(single)}.values())
    found: dict[str, Seam] = {}
    for clip in hits:
        asked = None if crossfade_ms is None else ms_to_frames(crossfade_ms, library.source(clip.source_id).rate_hz)
        try:
            seams = _seams(library, job, clip.id, _loop_of(job, clip), asked)
        except InvalidInput:
            continue
        if seams and seams[0].score < 1.0:
            found[clip.id] = seams[0]
    made = 0
    for clip_id, seam in found.items():
        with contextlib.suppress(InvalidInput):  # another microphone is cut too short for it; the others go on
            job = set_loop(job, clip_id, seam.start_frame, seam.end_frame, seam.crossfade_frames).job
            made += 1
    return Edited(job, (f"{made} of {len(hits)} loops have a seam that is not heard",))


def _loop_of(job: Job, clip: Clip) -> tuple[int, int] | None:
    for mark in job.marks.values():
        if mark.kind == "loop" and mark.clip_id == clip.id and mark.end_frame is not None:
            return mark.frame, mark.end_frame
    return None


@dataclass(frozen=True, slots=True)
class _Microphone:
    """Where a microphone's recording of a hit begins, in its own frames."""

    source_id: str
    channels: int
    start_frame: int


@dataclass(frozen=True, slots=True)
class _Asked:
    """What loops are looked for: in so many frames from ``shift`` of a clip's source, of all its microphones together."""

    microphones: tuple[_Microphone, ...]
    rate_hz: int
    shift: int
    frames: int
    near: tuple[int, int] | None
    crossfade_frames: int | None
    bars: Bars | None

    def search(self, reads: Sequence[Read]) -> list[Seam]:
        """Return candidates in source frames, the best first, from what reads each microphone."""
        samples = _together(self.microphones, reads, self.frames)
        found = find_seams(
            samples, self.rate_hz, near=self.near, crossfade_frames=self.crossfade_frames, bars=self.bars
        )
        return [_shifted(seam, self.shift) for seam in found]


def _seams(
    library: Library, job: Job, clip_id: str, near: tuple[int, int] | None, crossfade: int | None = None
) -> list[Seam]:
    """Return candidates in source frames, for all microphones together; the attack is out of their reach."""
    asked = _asked(library, job, clip_id, near, crossfade)
    return asked.search([library.reads(mic.source_id) for mic in asked.microphones])


def _asked(
    library: Library, job: Job, clip_id: str, near: tuple[int, int] | None, crossfade: int | None = None
) -> _Asked:
    clip = job.clip(clip_id)
    rate = library.source(clip.source_id).rate_hz
    if clip.frames > LONGEST_LOOPED_S * rate:
        raise InvalidInput(f"loops can be found in clips of up to {LONGEST_LOOPED_S:g} s; split this one first")
    shift = clip.head_frame if clip.sound_start_frame is None else max(clip.sound_start_frame, clip.head_frame)
    frames = clip.tail_frame - shift
    within = None if near is None else (max(near[0] - shift, 0), min(near[1] - shift, frames))
    return _Asked(
        _microphones(library, job, clip, shift), rate, shift, frames, within, crossfade, _bars_of(job, rate, frames)
    )


def _bars_of(job: Job, rate_hz: int, frames: int) -> Bars | None:
    """Return the bars of a job with a tempo, where at least one fits: what has a beat is looped by whole bars."""
    if job.grid is None:
        return None
    tempo = Fraction(job.grid.bpm_numerator, job.grid.bpm_denominator)
    bars = Bars.at(tempo, rate_hz, beats_a_bar=job.grid.beats_a_bar)
    return bars if bars.frames(1) < frames else None


def _microphones(library: Library, job: Job, clip: Clip, start: int) -> tuple[_Microphone, ...]:
    """Return the microphones of a hit at its rate, from a source frame of a clip on."""
    rate = library.source(clip.source_id).rate_hz
    return tuple(
        _Microphone(mic.source_id, source.channels, same_moment(job, clip, start, mic))
        for mic in microphones(job, clip.id)
        if (source := library.source(mic.source_id)).rate_hz == rate
    )


def _together(mics: Sequence[_Microphone], reads: Sequence[Read], frames: int) -> Samples:
    """Return so many frames of a hit, the channels of all its microphones together."""
    return np.concatenate([read(mic.start_frame, frames) for mic, read in zip(mics, reads, strict=True)])


def _shifted(seam: Seam, by: int) -> Seam:
    return replace(seam, start_frame=seam.start_frame + by, end_frame=seam.end_frame + by)


def _figure(seam: Seam) -> LoopFigure:
    level = seam.level_db
    text = f"{seam.click:.1f}×" if level is None else f"{level:+.1f} dB".replace("-", "−")
    return LoopFigure(
        seam.start_frame, seam.end_frame, seam.crossfade_frames, round(seam.alike, 3), round(seam.click, 2),
        round(seam.score, 3), text,
    )  # fmt: skip
