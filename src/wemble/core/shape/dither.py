"""Rounding to whole numbers for a file, with triangular dither that depends on the place and on nothing else."""

from __future__ import annotations

from typing import Literal

import numpy as np
from numpy.typing import NDArray

from wemble.core.signal.levels import Samples

Bits = Literal[16, 24]

_GOLDEN = np.uint64(0x9E3779B97F4A7C15)
_MIX_1 = np.uint64(0xBF58476D1CE4E5B9)
_MIX_2 = np.uint64(0x94D049BB133111EB)


def _uniform(keys: NDArray[np.uint64]) -> NDArray[np.float64]:
    """Return a number in [0, 1) for each key: the finaliser of SplitMix64 (Steele, Lea, Flood 2014; from memory)."""
    mixed = keys * _GOLDEN
    mixed = (mixed ^ (mixed >> np.uint64(30))) * _MIX_1
    mixed = (mixed ^ (mixed >> np.uint64(27))) * _MIX_2
    mixed ^= mixed >> np.uint64(31)
    return (mixed >> np.uint64(11)).astype(np.float64) * 2.0**-53


def triangular(start_frame: int, frames: int, channel: int) -> NDArray[np.float64]:
    """Return triangular noise in (−1, 1), in steps of the target, keyed by frame and channel."""
    frame = np.arange(start_frame, start_frame + frames, dtype=np.int64).astype(np.uint64)
    key = (frame * np.uint64(64) + np.uint64(channel)) * np.uint64(2)
    return _uniform(key + np.uint64(1)) - _uniform(key + np.uint64(2))


def to_integers(samples: Samples, *, bits: Bits, start_frame: int) -> NDArray[np.int32]:
    """Round samples to ``bits``-bit integers with triangular dither of ±1 step.

    Parameters
    ----------
    samples : float32 array, shape (channels, frames)
    bits : 16 or 24
    start_frame : int
        The frame of the first sample: the dither is the same wherever rendering began.

    Returns
    -------
    int32 array, shape (channels, frames)
        Samples that lie on the target's grid already (zero among them) are kept as they are, without dither.
        What is over full scale is held at full scale.
    """
    steps = 2.0 ** (bits - 1)
    scaled = samples.astype(np.float64) * steps
    rounded = np.rint(scaled)
    for channel in range(samples.shape[0]):
        off_grid = np.nonzero(rounded[channel] != scaled[channel])[0]
        if len(off_grid):
            first, last = int(off_grid[0]), int(off_grid[-1]) + 1
            noise = triangular(start_frame + first, last - first, channel)
            rounded[channel, off_grid] = np.rint(scaled[channel, off_grid] + noise[off_grid - first])
    return np.clip(rounded, -steps, steps - 1).astype(np.int32)
