"""A level that rises steadily, looked at from outside to inside: a line through it says where it meets its floor, and goes on
where noise hides it."""

from __future__ import annotations

from dataclasses import dataclass

import numpy as np
from numpy.typing import NDArray

from wemble.core.signal.levels import Floats

_EVERY = 5
"""Neighbouring blocks say the same."""


@dataclass(frozen=True, slots=True)
class Line:
    """A line through levels in dB: its level at block 0, its slope in dB a block, and how far the levels lie off it (RMS)."""

    level_db: float
    slope_db: float
    spread_db: float

    def at(self, block: NDArray[np.int64] | float) -> Floats:
        """Return its level at a block."""
        return np.asarray(self.level_db + self.slope_db * np.asarray(block, np.float64))

    def meets(self, level_db: float) -> float:
        """Return the block, and a part, at which it is at a level."""
        return (level_db - self.level_db) / self.slope_db


def steady_rise(level_db: Floats, first: int, *, by_db: float, least: int, most: int, spread_db: float) -> Line | None:
    """Return the line through levels from a block to where they have risen by so many dB; none where they do not rise steadily.

    Parameters
    ----------
    level_db : array, shape (blocks,)
    first : int
    least, most : int
        For how many blocks it rises at least, and over how many the line is drawn at most.
    spread_db : float
        How far the levels lie off the line at most (RMS).

    Examples
    --------
    >>> line = steady_rise(0.5 * np.arange(100) - 20.0, 10, by_db=12.0, least=10, most=50, spread_db=1.0)
    >>> round(line.meets(-6.0), 3)
    28.0
    """
    risen = np.flatnonzero(level_db[first:] >= level_db[first : first + 1] + by_db)
    blocks = min(int(risen[0]) if len(risen) else len(level_db) - first, most)
    if blocks < least:
        return None
    at = np.arange(first, first + blocks, _EVERY)
    slope_db, start_db = np.polyfit(at, level_db[at], 1)
    line = Line(float(start_db), float(slope_db), 0.0)
    off_db = float(np.std(level_db[at] - line.at(at)))
    return Line(line.level_db, line.slope_db, off_db) if slope_db > 0.0 and off_db <= spread_db else None
