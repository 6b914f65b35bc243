"""Loudness as it is heard: K-weighted, gated, over time; its range; and the peak between samples.

References
----------
ITU-R BS.1770-5, *Algorithms to measure audio programme loudness and true-peak audio level*, 2023; EBU Tech 3341 and 3342,
*Loudness metering* and *Loudness range*, 2016. The filters at other rates than 48 kHz follow from the analogue ones whose
bilinear transforms are the standard's at 48 kHz; all from memory.
"""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass
from functools import lru_cache

import numpy as np
from numpy.typing import NDArray
from scipy import signal

from wemble.core.signal.levels import Samples, to_db

STEPS_A_SECOND = 10
MOMENTARY_STEPS, SHORT_STEPS = 4, 30
ABSOLUTE_GATE_LUFS = -70.0
RELATIVE_GATE_LU, RANGE_GATE_LU = 10.0, 20.0
NOTHING_LUFS = -200.0
_OFFSET_LU = -0.691
FINE_TAPS = 48
_OVERSAMPLING, _TAPS_A_PHASE, _PART_FRAMES = 4, 24, 2_048
_BLOCK_FRAMES = 1 << 14

Powers = NDArray[np.float64]


@dataclass(frozen=True, slots=True, eq=False)
class Loudness:
    """What was measured of a recording.

    ``powers`` float64 (steps,): the K-weighted power of every whole tenth of a second, summed over the channels; all of the
    others follow from it, and so does the loudness of any part. Loudness in LUFS, its range in LU, peaks in dB relative to
    full scale; `NOTHING_LUFS` where nothing passes the gates.
    """

    powers: Powers
    sample_peak_db: float
    true_peak_db: float

    @property
    def integrated_lufs(self) -> float:
        """The loudness of the whole."""
        return integrated_lufs(self.powers)

    @property
    def range_lu(self) -> float:
        """By how much the loudness varies."""
        return range_lu(self.powers)

    def of_spans(self, spans: NDArray[np.int64], rate_hz: int) -> float:
        """Return the loudness of spans (n, 2), in frames: of the blocks of 400 ms that lie whole inside one of them."""
        return integrated_of_parts([powers_between(self.powers, int(start), int(end), rate_hz) for start, end in spans])


def powers_between(powers: Powers, start: int, end: int, rate_hz: int) -> Powers:
    """Return those of the tenths of a second that lie whole between two frames."""
    return powers[-(-start * STEPS_A_SECOND // rate_hz) : end * STEPS_A_SECOND // rate_hz]


def integrated_of_parts(parts: Sequence[Powers]) -> float:
    """Return the loudness of parts together: no block reaches from one into the next."""
    return _gated_lufs(np.concatenate([_over(part, MOMENTARY_STEPS) for part in parts] or [np.zeros(0)]))


def integrated_lufs(powers: Powers) -> float:
    """Return the loudness of these tenths of a second: blocks of 400 ms, gated at −70 LUFS and at 10 LU under their mean."""
    return _gated_lufs(_over(powers, MOMENTARY_STEPS))


def short_term_lufs(powers: Powers) -> Powers:
    """Return the loudness over 3 s, at every tenth of a second from the first whole 3 s on."""
    return _lufs(_over(powers, SHORT_STEPS))


def range_lu(powers: Powers) -> float:
    """Return the loudness range: from the 10th to the 95th percentile over 3 s, gated at −70 LUFS and 20 LU under the mean."""
    blocks = _over(powers, SHORT_STEPS)
    blocks = blocks[_lufs(blocks) > ABSOLUTE_GATE_LUFS]
    if not len(blocks):
        return 0.0
    levels = np.sort(_lufs(blocks[_lufs(blocks) >= _mean_lufs(blocks) - RANGE_GATE_LU]))
    low, high = (levels[round((len(levels) - 1) * part)] for part in (0.10, 0.95))
    return float(high - low)


class LoudnessMeter:
    """Measures loudness block by block, in bounded memory; the result does not depend on the size of the blocks."""

    def __init__(self, rate_hz: int, channels: int):
        self._rate_hz = rate_hz
        self._sos = k_weighting(rate_hz)
        self._state = np.zeros((len(self._sos), channels, 2))
        self._frames, self._step = 0, 0
        self._sum = 0.0
        self._powers: list[float] = []
        self._peaks = _TruePeak(channels)

    def feed(self, samples: Samples) -> None:
        """Take float32 (channels, frames)."""
        for at in range(0, samples.shape[1], _BLOCK_FRAMES):
            self._take(samples[:, at : at + _BLOCK_FRAMES])

    def _take(self, samples: Samples) -> None:
        self._peaks.feed(samples)
        weighted, self._state = signal.sosfilt(self._sos, samples.astype(np.float64), axis=1, zi=self._state)
        power = np.square(weighted).sum(axis=0)
        at = 0
        while at < len(power):
            ends = self._ends_at(self._step + 1)
            part = power[at : at + ends - self._frames]
            self._sum += float(part.sum())
            self._frames += len(part)
            at += len(part)
            if self._frames == ends:
                self._powers.append(self._sum / (ends - self._ends_at(self._step)))
                self._step, self._sum = self._step + 1, 0.0

    def result(self) -> Loudness:
        """Return what was measured so far."""
        sample_peak, true_peak = self._peaks.result()
        return Loudness(np.array(self._powers), float(to_db(sample_peak)), float(to_db(true_peak)))

    def _ends_at(self, step: int) -> int:
        return round(step * self._rate_hz / STEPS_A_SECOND)


@lru_cache
def k_weighting(rate_hz: int) -> NDArray[np.float64]:
    """Return the K-weighting as second-order sections: a shelf for the head, and a high pass."""
    shelf = _shelf(1681.974450955533, 3.999843853973347, 0.7071752369554196, rate_hz)
    return np.array([shelf, _high_pass(38.13547087602444, 0.5003270373238773, rate_hz)])


def _shelf(hz: float, gain_db: float, q: float, rate_hz: int) -> list[float]:
    k = np.tan(np.pi * hz / rate_hz)
    high = 10.0 ** (gain_db / 20.0)
    band = high**0.4996667741545416
    whole = 1.0 + k / q + k * k
    return [
        (high + band * k / q + k * k) / whole, 2.0 * (k * k - high) / whole, (high - band * k / q + k * k) / whole,
        1.0, 2.0 * (k * k - 1.0) / whole, (1.0 - k / q + k * k) / whole,
    ]  # fmt: skip


def _high_pass(hz: float, q: float, rate_hz: int) -> list[float]:
    k = np.tan(np.pi * hz / rate_hz)
    whole = 1.0 + k / q + k * k
    return [1.0, -2.0, 1.0, 1.0, 2.0 * (k * k - 1.0) / whole, (1.0 - k / q + k * k) / whole]


class _TruePeak:
    """The largest sample, and the largest value between samples at four times the rate."""

    def __init__(self, channels: int):
        self._before = np.zeros((channels, _TAPS_A_PHASE - 1), np.float32)
        self._sample_peak, self._peak = 0.0, 0.0

    def feed(self, samples: Samples) -> None:
        """Take float32 (channels, frames)."""
        heard = np.concatenate([self._before, samples], axis=1)
        self._before = heard[:, -(_TAPS_A_PHASE - 1) :]
        self._sample_peak = max(self._sample_peak, float(np.abs(samples).max(initial=0.0)))
        self._peak = _largest_between(heard, self._peak)

    def result(self) -> tuple[float, float]:
        """Return both as amplitudes, what rings on behind the last sample included."""
        rest = np.concatenate([self._before, np.zeros_like(self._before)], axis=1)
        return self._sample_peak, max(self._peak, self._sample_peak, _largest_between(rest))


def _largest_between(heard: Samples, least: float = 0.0) -> float:
    """Return the largest value at four times the rate, where the interpolation knows all of its samples; parts that cannot
    hold a larger one than ``least`` are passed over."""
    if heard.shape[1] < _TAPS_A_PHASE:
        return least
    windows = np.lib.stride_tricks.sliding_window_view(heard, _TAPS_A_PHASE, axis=1)
    starts = np.arange(0, heard.shape[1], _PART_FRAMES)
    sizes = np.maximum.reduceat(np.abs(heard), starts, axis=1)
    sizes[:, :-1] = np.maximum(sizes[:, :-1], sizes[:, 1:])  # the last windows of a part reach into the next
    largest = least
    for channel, part in zip(*np.nonzero(sizes * _most_gain() > least), strict=True):
        if sizes[channel, part] * _most_gain() > largest:
            first = int(starts[part])
            between = windows[channel, first : first + _PART_FRAMES] @ _phases()
            largest = max(largest, float(np.abs(between).max(initial=0.0)))
    return largest


def between_samples(heard: Samples, least: float) -> NDArray[np.float32]:
    """Return the largest value between every two neighbours, at eight times the rate, as `FINE_TAPS` samples tell it.

    Parameters
    ----------
    heard : float32 (channels, frames)
    least : float
        Of what cannot be larger than that nothing is said: 0.

    Returns
    -------
    float32 (frames − `FINE_TAPS` + 1,)
        The first one lies between the frames ``FINE_TAPS / 2 − 1`` and the next.
    """
    phases, most_gain = _fine_phases()
    windows = np.lib.stride_tricks.sliding_window_view(heard, FINE_TAPS, axis=1)
    largest = np.zeros(windows.shape[1], np.float32)
    for at in range(0, len(largest), _PART_FRAMES):
        part = slice(at, at + _PART_FRAMES)
        if np.abs(heard[:, at : at + _PART_FRAMES + FINE_TAPS]).max() * most_gain > least:
            largest[part] = np.abs(windows[:, part] @ phases).max(axis=(0, 2))
    return largest


@lru_cache
def _fine_phases() -> tuple[NDArray[np.float32], float]:
    """Return the taps of the finer interpolator, and how much larger than samples what lies between them can be."""
    phases = _interpolator(2 * _OVERSAMPLING, FINE_TAPS)
    return phases, float(np.abs(phases).sum(axis=0).max())


@lru_cache
def _phases() -> NDArray[np.float32]:
    """Return the taps of the meter's interpolator."""
    return _interpolator(_OVERSAMPLING, _TAPS_A_PHASE)


def _interpolator(times: int, taps: int) -> NDArray[np.float32]:
    """Return the taps of an interpolator, float32 (taps, phases), for samples in order."""
    response = signal.firwin(times * taps, 0.97 / times, window=("kaiser", 6.0))
    return np.asarray(times * response.reshape(taps, times)[::-1], np.float32)


@lru_cache
def _most_gain() -> float:
    """How much larger than its samples a value between them can be at most."""
    return float(np.abs(_phases()).sum(axis=0).max())


def _over(powers: Powers, steps: int) -> Powers:
    """Return the mean power of every run of so many steps."""
    if len(powers) < steps:
        return np.zeros(0)
    return np.asarray(np.lib.stride_tricks.sliding_window_view(powers, steps).mean(axis=1))


def _gated_lufs(blocks: Powers) -> float:
    blocks = blocks[_lufs(blocks) > ABSOLUTE_GATE_LUFS]
    if not len(blocks):
        return NOTHING_LUFS
    return _mean_lufs(blocks[_lufs(blocks) > _mean_lufs(blocks) - RELATIVE_GATE_LU])


def _mean_lufs(blocks: Powers) -> float:
    return float(_lufs(np.array([blocks.mean()]))[0])


def _lufs(powers: Powers) -> Powers:
    return np.asarray(_OFFSET_LU + 10.0 * np.log10(np.maximum(powers, 1e-20)))
