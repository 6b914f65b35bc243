"""The pyramid: what stands for the samples wherever every sample would be too many.

Level 1 holds a bin every `bin_frames` frames (about 5 ms, whatever the rate); each further level is `STEP` times
coarser. Every level has the lowest and the highest sample of a bin as float16 (range and relative precision suit
a picture); level 1 also has the RMS and the RMS of the first difference, the cheapest measure of how much of a bin
lies in the upper band. That makes 8 bytes a bin and channel on level 1 and 4 above: 38 MB for 3 h in stereo at 48 kHz.
"""

from __future__ import annotations

from dataclasses import dataclass

import numpy as np
from numpy.typing import NDArray

from wemble.core.signal.levels import Samples
from wemble.errors import InvalidInput

STEP = 4
TILE_BINS = 1024
_LONGEST_BIN_S = 0.006

Halves = NDArray[np.float16]


def bin_frames(rate_hz: int) -> int:
    """Return the width of a level-1 bin: the largest power of two of at most 6 ms.

    So the 10 ms windows in which levels are defined hold about two bins at every rate.

    Examples
    --------
    >>> [bin_frames(rate) for rate in (8_000, 16_000, 44_100, 48_000, 96_000, 192_000)]
    [32, 64, 256, 256, 512, 1024]
    """
    return int(2 ** int(np.floor(np.log2(_LONGEST_BIN_S * rate_hz))))


def min_max(samples: Samples, *, frames_per_bin: int) -> NDArray[np.float32]:
    """Return the lowest and highest sample of every bin.

    Parameters
    ----------
    samples : float32 array, shape (channels, frames)
        Full scale is ±1.0.
    frames_per_bin : int >= 1
        Width of one bin, in frames.

    Returns
    -------
    float32 array, shape (channels, bins, 2)
        ``[..., 0]`` the lowest, ``[..., 1]`` the highest; ``bins = ceil(frames / frames_per_bin)``;
        the last bin may be short. No frames, no bins.

    Raises
    ------
    InvalidInput
        If ``samples`` is not 2-D or ``frames_per_bin`` < 1.

    Examples
    --------
    >>> min_max(np.array([[0.0, 0.5, -1.0]], np.float32), frames_per_bin=2).tolist()
    [[[0.0, 0.5], [-1.0, -1.0]]]
    """
    if samples.ndim != 2 or frames_per_bin < 1:
        raise InvalidInput(
            f"bins need samples of shape (channels, frames) and at least 1 frame a bin, got {frames_per_bin}"
        )
    channels, frames = samples.shape
    bins = -(-frames // frames_per_bin)
    out = np.empty((channels, bins, 2), np.float32)
    whole = frames // frames_per_bin
    shaped = samples[:, : whole * frames_per_bin].reshape(channels, whole, frames_per_bin)
    shaped.min(axis=2, out=out[:, :whole, 0])
    shaped.max(axis=2, out=out[:, :whole, 1])
    if whole < bins:
        rest = samples[:, whole * frames_per_bin :]
        out[:, whole, 0], out[:, whole, 1] = rest.min(axis=1), rest.max(axis=1)
    return out


@dataclass(frozen=True, slots=True)
class Bins:
    """Level 1 of a pyramid, or a run of it.

    ``min_max`` float16 (channels, bins, 2); ``rms`` and ``difference_rms`` float16 (channels, bins).
    """

    min_max: Halves
    rms: Halves
    difference_rms: Halves


def reduce_samples(samples: Samples, *, frames_per_bin: int, before: Samples, pictured: bool = True) -> Bins:
    """Reduce a run of samples to level-1 bins; those that nobody will look at have levels, but no lowest and highest.

    Parameters
    ----------
    samples : float32 array, shape (channels, frames)
        Starts on a bin; only a last run may end inside one.
    before : float32 array, shape (channels, 1)
        The frame in front of the run, for the first difference; zeros at the start of a source.
    """
    channels, frames = samples.shape
    bins = -(-frames // frames_per_bin)
    whole = frames // frames_per_bin * frames_per_bin
    difference = np.empty_like(samples)
    np.subtract(samples[:, 1:], samples[:, :-1], out=difference[:, 1:])
    if frames:
        difference[:, :1] = samples[:, :1] - before

    def rms(values: Samples) -> Halves:
        out = np.empty((channels, bins), np.float32)
        shaped = values[:, :whole].reshape(channels, whole // frames_per_bin, frames_per_bin)
        np.einsum("cbi,cbi->cb", shaped, shaped, out=out[:, : whole // frames_per_bin])
        out[:, : whole // frames_per_bin] /= frames_per_bin
        if whole < frames:
            out[:, -1] = np.mean(np.square(values[:, whole:]), axis=1)
        return _half(np.sqrt(out))

    drawn = min_max(samples if pictured else samples[:, :0], frames_per_bin=frames_per_bin)
    return Bins(_half(drawn), rms(samples), rms(difference))


def coarser(min_max_bins: Halves) -> Halves:
    """Return the next level: `STEP` bins become one.

    Parameters
    ----------
    min_max_bins : float16 array, shape (channels, bins, 2)
    """
    channels, bins, _ = min_max_bins.shape
    padded = np.pad(min_max_bins, ((0, 0), (0, -bins % STEP), (0, 0)), mode="edge") if bins else min_max_bins
    shaped = padded.reshape(channels, -1, STEP, 2)
    return np.stack([shaped[..., 0].min(axis=2), shaped[..., 1].max(axis=2)], axis=-1)


def _half(values: NDArray[np.float32]) -> Halves:
    limit = np.float32(np.finfo(np.float16).max)
    return np.clip(values, -limit, limit).astype(np.float16)
