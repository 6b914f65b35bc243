"""The constant that a converter adds to a recording, told apart from the sound that is in it."""

from __future__ import annotations

from collections.abc import Iterable

import numpy as np
from numpy.typing import NDArray

from wemble.core.signal.levels import Samples, from_db, ms_to_frames

LEAST_OFFSET_DB = -80.0
"""An offset under that is nothing to speak of: less than two steps of 14 bits (our choice)."""
_PART_MS = 50.0


def constant_offset(blocks: Iterable[Samples], rate_hz: int) -> NDArray[np.float64]:
    """Return the offset of each channel: the median of the means over 50 ms.

    A struck sound has a mean as well, in the parts where it swings; what is the same in all parts is the offset. One that
    lies under `LEAST_OFFSET_DB` in every channel is none.

    Parameters
    ----------
    blocks : float32 arrays, shape (channels, frames)
        The recording in order; a rest of a block that is shorter than 50 ms counts as a part.
    """
    part = max(ms_to_frames(_PART_MS, rate_hz), 1)
    means: list[NDArray[np.float64]] = []
    for block in blocks:
        starts = np.arange(0, block.shape[1], part)
        sizes = np.diff(starts, append=block.shape[1])
        means.append(np.add.reduceat(block, starts, axis=1, dtype=np.float64) / sizes)
    offset = np.median(np.concatenate(means, axis=1), axis=1)
    return np.asarray(offset if np.abs(offset).max() >= from_db(LEAST_OFFSET_DB) else np.zeros_like(offset))
