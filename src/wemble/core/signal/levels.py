"""Levels.

Conventions: samples are float32, shape ``(channels, frames)``, full scale is ±1.0. Levels are dB relative to
full scale; silence is `SILENCE_DB` and not minus infinity, so that levels can be averaged and compared.
"""

from __future__ import annotations

from functools import lru_cache
from typing import Any

import numpy as np
from numpy.typing import NDArray
from scipy import signal

Samples = NDArray[np.float32]
Floats = NDArray[np.floating[Any]]
SILENCE_DB = -200.0
_TINY = 10.0 ** (SILENCE_DB / 20.0)

UPPER_BAND_HZ = 2000.0
"""Above it lies most of what an "s", "f", "th" or the noise of an "h" radiates (common practice)."""


def to_db(amplitude: Floats | float) -> NDArray[np.float64]:
    """Return an amplitude as dB, floored at `SILENCE_DB`.

    Examples
    --------
    >>> to_db(1.0).item(), round(to_db(0.5).item(), 2), to_db(0.0).item()
    (0.0, -6.02, -200.0)
    """
    return np.asarray(20.0 * np.log10(np.maximum(np.abs(amplitude), _TINY)), dtype=np.float64)


def from_db(level_db: float) -> float:
    """Return dB as an amplitude.

    Examples
    --------
    >>> from_db(-60.0)
    0.001
    """
    return float(10.0 ** (level_db / 20.0))


def ms_to_frames(milliseconds: float, rate_hz: int) -> int:
    """Return a duration in whole frames, rounded to the nearest.

    Examples
    --------
    >>> ms_to_frames(10.0, 48_000)
    480
    """
    return round(milliseconds * rate_hz / 1000.0)


def moving_rms(samples: Floats, window_frames: int) -> NDArray[np.float64]:
    """Return the RMS in a window centred on every frame.

    Parameters
    ----------
    samples : float32 array, shape (channels, frames)
    window_frames : int >= 1
        Near the ends the window is cut off and the mean is over what there is.

    Returns
    -------
    float64 array, shape (channels, frames)
        Linear amplitude. No frames, no values.
    """
    channels, frames = samples.shape
    power = _summed_power(samples)
    before = window_frames // 2
    mean = np.empty((channels, frames))
    whole = max(frames - window_frames + 1, 0)  # windows that are not cut off: plain slices, no look-up
    if whole:
        mean[:, before : before + whole] = (power[:, window_frames:] - power[:, :whole]) / window_frames
    cut_off = np.concatenate([np.arange(min(before, frames)), np.arange(min(before + whole, frames), frames)])
    low, high = np.maximum(cut_off - before, 0), np.minimum(cut_off - before + window_frames, frames)
    mean[:, cut_off] = (power[:, high] - power[:, low]) / np.maximum(high - low, 1)
    return np.asarray(np.sqrt(np.maximum(mean, 0.0)))


def power_around(samples: Floats, window_frames: int, start: int, stop: int) -> NDArray[np.float64]:
    """Return the mean square in a window centred on each frame from ``start`` to ``stop``, of the loudest channel: (frames,).

    The windows must lie whole inside the samples.
    """
    power, low = _summed_power(samples), start - window_frames // 2
    high = low + window_frames
    means = (power[:, high : high + stop - start] - power[:, low : low + stop - start]) / window_frames
    return np.asarray(means.max(axis=0))


def _summed_power(samples: Floats) -> NDArray[np.float64]:
    """Return the sums of squares up to before each frame, and of all: (channels, frames + 1)."""
    power = np.empty((samples.shape[0], samples.shape[1] + 1))
    power[:, 0] = 0.0
    np.cumsum(np.square(samples, dtype=np.float64), axis=1, out=power[:, 1:])
    return power


@lru_cache
def _upper_band_filter(rate_hz: int) -> tuple[NDArray[np.float64], NDArray[np.float64]]:
    """Return the filter of the upper band, ``(b, a)`` in rows, and its state in a constant signal of 1."""
    b, a = signal.butter(2, min(UPPER_BAND_HZ, rate_hz * 0.4), "highpass", fs=rate_hz)
    return np.stack([b, a]), np.asarray(signal.lfilter_zi(b, a))


_PAD_FRAMES = 9


def upper_band(samples: Samples, rate_hz: int) -> Samples:
    """Return the samples above `UPPER_BAND_HZ`, without delay (a first-order section run both ways).

    What `scipy.signal.filtfilt` does, without working out the filter's state each time. Runs of fewer than 16 frames
    come back unchanged: there is no band to speak of.
    """
    if samples.shape[1] < 16:
        return samples
    (b, a), state = _upper_band_filter(rate_hz)
    first, last = samples[:, :1], samples[:, -1:]
    mirrored = (2 * first - samples[:, _PAD_FRAMES:0:-1], samples, 2 * last - samples[:, -2 : -_PAD_FRAMES - 2 : -1])
    padded = np.concatenate(mirrored, axis=1)
    for _ in range(2):  # there, and back
        padded, _ = signal.lfilter(b, a, padded, axis=1, zi=state * padded[:, :1])
        padded = padded[:, ::-1]
    return np.asarray(padded[:, _PAD_FRAMES:-_PAD_FRAMES], dtype=np.float32)
