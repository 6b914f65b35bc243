"""The renderer.

A `RenderPlan` is made once from a job and then renders any span of it. Every sample of the output is computed from
its own place alone (gain from its position in a fade, source frame from its position on the lane) and the voices are
added in one fixed order in float64, so that the bits do not depend on where rendering began or how it was cut into
blocks.
"""

from __future__ import annotations

from bisect import bisect_left, bisect_right
from collections.abc import Iterator, Sequence
from dataclasses import dataclass
from fractions import Fraction

import numpy as np
from numpy.typing import NDArray

from wemble.core.edit.model import Clip, Fade, Job, Join, Lane, Mark
from wemble.core.edit.placement import audible_lanes as audible_lanes
from wemble.core.edit.placement import end_of, in_time_order, placed, start_of
from wemble.core.shape.crossfade import correlation, crossfade_gains
from wemble.core.shape.curves import fade_in_gain, fade_out_gain
from wemble.core.shape.points import through
from wemble.core.signal.levels import Samples, from_db
from wemble.core.signal.reader import SampleReader

_MEASURED_FRAMES = 1 << 16


@dataclass(frozen=True, slots=True)
class _Ramp:
    """A gain over job frames ``[start, start + length)``: a fade or one side of a crossfade."""

    start: int
    length: int
    fade: Fade | None
    join: Join | None
    rises: bool

    def apply(self, gain: NDArray[np.float64], span_start: int, correlation: float) -> None:
        """Multiply the part of ``gain`` (job frames from ``span_start``) that the ramp covers."""
        low, high = max(self.start, span_start), min(self.start + self.length, span_start + len(gain))
        if low < high:
            gain[low - span_start : high - span_start] *= self._values(low - self.start, high - self.start, correlation)

    def _values(self, low: int, high: int, correlation: float) -> NDArray[np.float64]:
        if self.join is not None:
            goes, comes = crossfade_gains(
                self.length, self.join.law, self.join.bend, correlation=correlation, start=low, stop=high
            )
            return comes if self.rises else goes
        assert self.fade is not None
        curve = fade_in_gain if self.rises else fade_out_gain
        return curve(self.length, self.fade.shape, self.fade.bend, self.fade.points, start=low, stop=high)


@dataclass(frozen=True, slots=True)
class _Seam:
    """The crossfade before a loop's end, in job frames: ``[start, end)``, crossed with what lies ``back`` frames before."""

    start: int
    end: int
    back: int


@dataclass(frozen=True, slots=True)
class _Voice:
    """One clip as the renderer sees it: the job frames it sounds in, handles under joins included.

    ``gain`` is one number for every channel of the job, the lane's gain and pan included.
    """

    start: int
    end: int
    source_id: str
    origin: int
    gain: tuple[float, ...]
    ramps: tuple[_Ramp, ...]
    line: tuple[tuple[float, float], ...] = ()
    """The level line: (job frame, not rounded, dB)."""
    seams: tuple[_Seam, ...] = ()

    @property
    def untouched(self) -> bool:
        """Whether samples pass as they are."""
        return all(gain == 1.0 for gain in self.gain)


class RenderPlan:
    """A job, ready to be rendered: the lanes that sound, with their clips."""

    def __init__(self, job: Job):
        self.rate_hz = job.rate_hz
        self.channels = job.channels
        into = {join.right_clip_id: join for join in job.joins.values()}
        out_of = {join.left_clip_id: join for join in job.joins.values()}
        heard = audible_lanes(job)
        clips = [clip for clip in in_time_order(job) if clip.lane_id in heard]
        loops: dict[str, list[Mark]] = {}
        for mark in job.marks.values():
            if mark.crossfade_frames and mark.clip_id is not None:
                loops.setdefault(mark.clip_id, []).append(mark)
        voices = {
            clip.id: _voice(job, clip, into.get(clip.id), out_of.get(clip.id), loops.get(clip.id, ())) for clip in clips
        }
        self._sides = {
            join.id: (voices[join.left_clip_id], voices[join.right_clip_id])
            for join in job.joins.values()
            if join.law == "matched" and join.left_clip_id in voices and join.right_clip_id in voices
        }
        self._correlations: dict[str, float] = {}
        self._alike: dict[tuple[str, int, _Seam], float] = {}
        self._voices = sorted(voices.values(), key=lambda voice: voice.start)
        self._starts = [voice.start for voice in self._voices]
        self._ends = _running_maximum([voice.end for voice in self._voices])
        self.end_frame = self._ends[-1] if self._ends else 0

    def render(self, start: int, frames: int, reader: SampleReader) -> Samples:
        """Render ``frames`` job frames from ``start``.

        Returns
        -------
        float32 array, shape (channels, frames)
            Zeros where nothing lies. The same bits for a frame from any ``start`` and any block size.
        """
        total = np.zeros((self.channels, frames), np.float64)
        first = bisect_right(self._ends, start)
        last = bisect_left(self._starts, start + frames)
        for voice in self._voices[first:last]:
            self._add(total, voice, start, reader)
        return total.astype(np.float32)

    def blocks(self, start: int, end: int, block_frames: int, reader: SampleReader) -> Iterator[tuple[int, Samples]]:
        """Yield (first frame, samples) from ``start`` up to ``end``."""
        for at in range(start, end, block_frames):
            yield at, self.render(at, min(block_frames, end - at), reader)

    def _add(self, total: NDArray[np.float64], voice: _Voice, start: int, reader: SampleReader) -> None:
        low, high = max(voice.start, start), min(voice.end, start + total.shape[1])
        if low >= high:
            return
        samples = self._read(voice, low, high, reader)
        window = total[:, low - start : high - start]
        touching = [ramp for ramp in voice.ramps if ramp.start < high and ramp.start + ramp.length > low]
        gain = np.array(voice.gain)[:, None]
        if touching or voice.line:
            curve = np.ones(high - low)
            if voice.line:
                curve *= np.power(10.0, through(voice.line, np.arange(low, high, dtype=np.float64)) / 20.0)
            for ramp in touching:
                ramp.apply(curve, low, self._correlation(ramp, reader))
            window += samples * (gain * curve)
        elif voice.untouched:
            window += samples
        else:
            window += np.multiply(samples, gain, dtype=np.float64)

    def _read(self, voice: _Voice, low: int, high: int, reader: SampleReader) -> Samples:
        """Return a voice's samples for job frames ``[low, high)``, the ends of its loops crossed with their beginnings."""

        def read(start: int, end: int) -> Samples:
            return fold(reader.read(voice.source_id, self.rate_hz, start - voice.origin, end - start), self.channels)

        samples = read(low, high)
        for seam in voice.seams:
            a, b = max(seam.start, low), min(seam.end, high)
            if a < b:
                key = (voice.source_id, voice.origin, seam)
                if key not in self._alike:
                    there, back = read(seam.start, seam.end), read(seam.start - seam.back, seam.end - seam.back)
                    self._alike[key] = correlation(there, back)
                goes, comes = crossfade_gains(
                    seam.end - seam.start,
                    "matched",
                    correlation=self._alike[key],
                    start=a - seam.start,
                    stop=b - seam.start,
                )
                samples = samples.copy()
                samples[:, a - low : b - low] = (
                    samples[:, a - low : b - low] * goes + read(a - seam.back, b - seam.back) * comes
                )
        return samples

    def _correlation(self, ramp: _Ramp, reader: SampleReader) -> float:
        """Return how alike the two sides of a matched join are over all of it, measured once."""
        join = ramp.join
        if join is None or join.id not in self._sides:
            return 0.0
        if join.id not in self._correlations:
            self._correlations[join.id] = self._measured(ramp, *self._sides[join.id], reader)
        return self._correlations[join.id]

    def _measured(self, ramp: _Ramp, left: _Voice, right: _Voice, reader: SampleReader) -> float:
        together, powers = 0.0, np.zeros(2)
        for at in range(ramp.start, ramp.start + ramp.length, _MEASURED_FRAMES):
            frames = min(_MEASURED_FRAMES, ramp.start + ramp.length - at)
            one, other = (
                fold(reader.read(v.source_id, self.rate_hz, at - v.origin, frames), self.channels).astype(np.float64)
                for v in (left, right)
            )
            together += float(np.sum(one * other))
            powers += np.sum(np.square(one)), np.sum(np.square(other))
        return together / float(np.sqrt(powers.prod())) if powers.all() else 0.0


def fold(samples: Samples, channels: int) -> Samples:
    """Return samples with another number of channels.

    One channel goes to all at 0 dB; many to one is their mean; else the first ones are kept and missing ones silent.

    Examples
    --------
    >>> fold(np.array([[1.0], [0.0]], np.float32), 1).tolist()
    [[0.5]]
    """
    have = samples.shape[0]
    if have == channels:
        return samples
    if have == 1:
        return np.broadcast_to(samples, (channels, samples.shape[1]))
    if channels == 1:
        return np.asarray(samples.mean(axis=0, keepdims=True, dtype=np.float32))
    return np.concatenate([samples[:channels], np.zeros((max(channels - have, 0), samples.shape[1]), np.float32)])


def _gains(clip: Clip, lane: Lane, channels: int) -> tuple[float, ...]:
    gain = from_db(clip.gain_db + lane.gain_db)
    if channels != 2 or lane.pan == 0.0:
        return (gain,) * channels
    return (gain * min(1.0, 1.0 - lane.pan), gain * min(1.0, 1.0 + lane.pan))


def _voice(job: Job, clip: Clip, join_in: Join | None, join_out: Join | None, loops: Sequence[Mark]) -> _Voice:
    start, end = start_of(job, clip), end_of(job, clip)
    ramps: list[_Ramp] = []
    if join_in is not None:
        start -= join_in.lead
        ramps.append(_Ramp(start, join_in.length_frames, None, join_in, True))
    elif clip.fade_in is not None:
        inner = placed(job, clip, clip.head_frame + clip.fade_in.length_frames)
        ramps.append(_Ramp(start, inner - start, clip.fade_in, None, True))
    if join_out is not None:
        ramp_start = end - join_out.lead
        end = ramp_start + join_out.length_frames
        ramps.append(_Ramp(ramp_start, join_out.length_frames, None, join_out, False))
    elif clip.fade_out is not None:
        inner = placed(job, clip, clip.tail_frame - clip.fade_out.length_frames)
        ramps.append(_Ramp(inner, end - inner, clip.fade_out, None, False))
    gain = _gains(clip, job.lanes[clip.lane_id], job.channels)
    rate = Fraction(job.rate_hz, job.source(clip.source_id).rate_hz)
    line = tuple((float(clip.origin_frame + frame * rate), level_db) for frame, level_db in clip.line)
    seams = tuple(
        _Seam(placed(job, clip, mark.end_frame - mark.crossfade_frames), placed(job, clip, mark.end_frame), length)
        for mark in loops
        if mark.end_frame is not None
        and (length := placed(job, clip, mark.end_frame) - placed(job, clip, mark.frame)) > 0
    )
    return _Voice(start, end, clip.source_id, clip.origin_frame, gain, tuple(ramps), line, seams)


def _running_maximum(ends: list[int]) -> list[int]:
    out: list[int] = []
    for end in ends:
        out.append(max(end, out[-1]) if out else end)
    return out
