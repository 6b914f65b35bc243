"""The spectral picture of a sound: for every column the level of bands that are equally wide to the ear.

Conventions: bands are spaced evenly in the logarithm of frequency, the lowest first; levels are bytes, 0 at
`LOWEST_DB` and 255 at `HIGHEST_DB` of a full-scale sine.
"""

from __future__ import annotations

from functools import lru_cache

import numpy as np
from numpy.typing import NDArray
from scipy import signal

from wemble.core.signal.reader import Read as Read

BANDS = 96
TILE_COLUMNS = 256
LOWEST_HZ = 40.0
LOWEST_DB = -100.0
HIGHEST_DB = -10.0
WINDOW_S = 0.0213
LOOKS_A_COLUMN = 4
"""A column that is longer than a window is looked at in so many places, and shows the loudest of each band."""


def window_frames(rate_hz: int) -> int:
    """Return the length of the analysis window: the power of two next to 21 ms.

    Examples
    --------
    >>> window_frames(48_000), window_frames(96_000)
    (1024, 2048)
    """
    return int(2 ** round(np.log2(WINDOW_S * rate_hz)))


def spectral_columns(
    read: Read, *, rate_hz: int, frames_per_column: int, first_column: int, columns: int
) -> NDArray[np.uint8]:
    """Return the levels of columns, uint8 (columns, `BANDS`).

    Parameters
    ----------
    read : (start, frames) -> float32 (channels, frames)
        Zeros outside the source.
    frames_per_column : int >= 1
        A column shorter than the window is that window around its middle.

    References
    ----------
    Allen, Rabiner, *A unified approach to short-time Fourier analysis and synthesis*, Proc. IEEE 65(11), 1977; from
    memory. The loudest channel counts in each band.
    """
    window = window_frames(rate_hz)
    looks = min(max(frames_per_column // window, 1), LOOKS_A_COLUMN)
    middles = (first_column + (np.arange(columns * looks) + 0.5) / looks) * frames_per_column
    starts = middles.astype(np.int64) - window // 2
    pieces = _pieces(read, starts, window)
    spectrum = np.abs(np.fft.rfft(pieces * signal.windows.hann(window, sym=False), axis=-1)) / (window / 4.0)
    loudest = spectrum.max(axis=1).reshape(columns, looks, -1).max(axis=1)
    level_db = 20.0 * np.log10(np.maximum(_in_bands(loudest, rate_hz, window), 1e-9))
    scaled = (level_db - LOWEST_DB) / (HIGHEST_DB - LOWEST_DB) * 255.0
    return np.asarray(np.clip(np.round(scaled), 0, 255), np.uint8)


def _pieces(read: Read, starts: NDArray[np.int64], window: int) -> NDArray[np.float32]:
    """Return (looks, channels, window): in one read where the windows lie close, else one by one."""
    first, frames = int(starts[0]), int(starts[-1] - starts[0]) + window
    if frames <= 4 * window * len(starts):
        together = read(first, frames)
        at = (starts - first)[:, None] + np.arange(window)
        return np.ascontiguousarray(together[:, at].transpose(1, 0, 2))
    return np.stack([read(start, window) for start in starts.tolist()])


def _in_bands(magnitudes: NDArray[np.floating], rate_hz: int, window: int) -> NDArray[np.float64]:
    """Return the largest magnitude of every band; where a band is narrower than a bin, the bin that it lies in."""
    low, high = _band_bins(rate_hz, window)
    padded = np.concatenate([magnitudes, magnitudes[:, -1:]], axis=1)
    return np.stack([padded[:, a:b].max(axis=1) for a, b in zip(low, high, strict=True)], axis=1)


@lru_cache
def _band_bins(rate_hz: int, window: int) -> tuple[list[int], list[int]]:
    edges = np.geomspace(LOWEST_HZ, rate_hz / 2.0, BANDS + 1) * window / rate_hz
    low = np.floor(edges[:-1]).astype(int)
    return low.tolist(), np.maximum(np.ceil(edges[1:]).astype(int), low + 1).tolist()
