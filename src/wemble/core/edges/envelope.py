"""The envelope: what finding reads instead of samples, two levels and a brightness for every bin of level 1."""

from __future__ import annotations

from dataclasses import dataclass, field, replace

import numpy as np
from numpy.typing import NDArray
from scipy import ndimage

from wemble.core.signal.levels import SILENCE_DB
from wemble.core.signal.pyramid import Bins

Levels = NDArray[np.float32]
Flags = NDArray[np.bool_]

_SUSTAINED_S = 0.05
_TINY_POWER = np.float32(10.0 ** (SILENCE_DB / 10.0))


def _stays() -> Levels:
    return np.zeros(1, np.float32)


@dataclass(frozen=True, slots=True, eq=False)
class Envelope:
    """Short-term levels of a source, of its loudest channel.

    ``level_db`` and ``upper_db`` are float32 (bins,): the RMS over about 10 ms, of the samples and of their first
    difference, which weighs the upper band. ``sustained_db`` is the level over about 50 ms, in which a restless
    floor is steadier. ``power`` and ``upper_power`` are the first two as powers. ``lift_db`` and ``upper_lift_db`` say how
    far the noise of each band lies over where it is lowest: (bins,), or (1,) where it stays there.
    """

    rate_hz: int
    bin_frames: int
    frames: int
    level_db: Levels
    upper_db: Levels
    sustained_db: Levels
    power: Levels
    upper_power: Levels
    lift_db: Levels = field(default_factory=_stays)
    upper_lift_db: Levels = field(default_factory=_stays)

    @property
    def noise_moves(self) -> bool:
        """Whether the noise does not stay where it is lowest."""
        return len(self.lift_db) > 1

    @property
    def steadied_db(self) -> Levels:
        """The level as it would be if the noise stayed where it is lowest: what stands out of the noise, stands out of that."""
        return self.level_db - self.lift_db if self.noise_moves else self.level_db

    @property
    def steadied_upper_db(self) -> Levels:
        """The same of the upper band."""
        return self.upper_db - self.upper_lift_db if self.noise_moves else self.upper_db

    @property
    def steadied_sustained_db(self) -> Levels:
        """The same of the level over about 50 ms."""
        return self.sustained_db - self.lift_db if self.noise_moves else self.sustained_db

    @property
    def bin_s(self) -> float:
        """Length of a bin in seconds."""
        return self.bin_frames / self.rate_hz

    def bins(self, milliseconds: float) -> int:
        """Return a duration in bins, rounded to the nearest."""
        return round(milliseconds / 1000.0 / self.bin_s)

    def part(self, start_frame: int, end_frame: int) -> Envelope:
        """Return the envelope of whole bins that ``[start_frame, end_frame)`` touches."""
        low, high = start_frame // self.bin_frames, -(-end_frame // self.bin_frames)
        frames = min(high * self.bin_frames, self.frames) - low * self.bin_frames
        span = slice(low, high)
        lifted = span if self.noise_moves else slice(None)
        return Envelope(
            self.rate_hz,
            self.bin_frames,
            frames,
            self.level_db[span],
            self.upper_db[span],
            self.sustained_db[span],
            self.power[span],
            self.upper_power[span],
            self.lift_db[lifted],
            self.upper_lift_db[lifted],
        )


def envelope(bins: Bins, *, rate_hz: int, bin_frames: int, frames: int) -> Envelope:
    """Return the envelope of level-1 bins; no bins, no levels."""
    level, upper = _loudest_power(bins.rms), _loudest_power(bins.difference_rms)
    smooth, smooth_upper = _smoothed(level), _smoothed(upper)
    return _of_powers(rate_hz, bin_frames, frames, smooth, smooth_upper, level)


def from_powers(like: Envelope, power: Levels, upper_power: Levels) -> Envelope:
    """Return an envelope with other powers, bin by bin."""
    made = _of_powers(like.rate_hz, like.bin_frames, like.frames, power, upper_power, power)
    return replace(made, lift_db=like.lift_db, upper_lift_db=like.upper_lift_db)


def _of_powers(
    rate_hz: int, bin_frames: int, frames: int, power: Levels, upper_power: Levels, unsmoothed: Levels
) -> Envelope:
    width = max(round(_SUSTAINED_S * rate_hz / bin_frames), 1)
    sustained = ndimage.uniform_filter1d(unsmoothed, width, mode="nearest") if len(unsmoothed) else unsmoothed
    return Envelope(
        rate_hz, bin_frames, frames, _to_db(power), _to_db(upper_power), _to_db(sustained), power, upper_power
    )


def _loudest_power(rms: NDArray[np.float16]) -> Levels:
    return np.asarray(np.square(rms.astype(np.float32)).max(axis=0))


def _smoothed(power: Levels) -> Levels:
    """Weigh over three bins: with bins of about 5 ms, a window of about 10 ms."""
    if len(power) > 2:
        smooth = power * 0.5
        smooth[1:] += 0.25 * power[:-1]
        smooth[:-1] += 0.25 * power[1:]
        smooth[0] += 0.25 * power[0]
        smooth[-1] += 0.25 * power[-1]
        return smooth
    return power


def _to_db(power: Levels) -> Levels:
    return np.asarray(10.0 * np.log10(np.maximum(power, _TINY_POWER)), dtype=np.float32)


def runs(flags: Flags) -> NDArray[np.int64]:
    """Return the runs of true values as half-open spans, int64 (runs, 2).

    Examples
    --------
    >>> runs(np.array([True, True, False, True])).tolist()
    [[0, 2], [3, 4]]
    """
    edges = np.diff(np.concatenate([[False], flags, [False]]).view(np.int8))
    return np.stack([np.flatnonzero(edges == 1), np.flatnonzero(edges == -1)], axis=1).astype(np.int64)


def counts_in(flags: Flags, spans: NDArray[np.int64]) -> NDArray[np.int64]:
    """Return how many values are true inside each span.

    Examples
    --------
    >>> counts_in(np.array([True, False, True, True]), np.array([[0, 3], [1, 2]])).tolist()
    [2, 0]
    """
    true = np.flatnonzero(flags)  # looked up: a running sum over an hour takes four times as long
    return np.asarray(np.searchsorted(true, spans[:, 1]) - np.searchsorted(true, spans[:, 0]), np.int64)


def merged(spans: NDArray[np.int64], shortest_gap: int) -> NDArray[np.int64]:
    """Return spans in order with those less than ``shortest_gap`` apart made one."""
    if len(spans) < 2:
        return spans
    apart = spans[1:, 0] - spans[:-1, 1] >= max(shortest_gap, 1)
    starts = np.concatenate([[True], apart])
    ends = np.concatenate([apart, [True]])
    return np.stack([spans[starts, 0], spans[ends, 1]], axis=1)
