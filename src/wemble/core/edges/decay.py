"""The ring-out: where a decay meets the floor."""

from __future__ import annotations

from dataclasses import dataclass
from typing import Any

import numpy as np
from numpy.typing import NDArray
from scipy import ndimage

_FIT_OVER_DB = (4.0, 18.0)
_MET_OVER_DB = 3.0
_BELOW_DB = 6.0
_LONGEST_EXTRA_S = 0.5
_SHORTEST_FIT = 3
_FOLLOWS_TIMES = 2.5
"""What comes later is another sound if it is so much louder than what counts as over: noise wanders that far by itself."""


@dataclass(frozen=True, slots=True)
class RingOut:
    """Where a ring-out is over, in blocks; whether it met the floor, whether another sound follows it, and how fast it falls
    there, in dB a block (0: nobody can say)."""

    end: int
    met_floor: bool
    followed: bool
    fall_db: float = 0.0


@dataclass(frozen=True, slots=True, eq=False)
class Decay:
    """A decay that was followed once, so that its end is looked up while a number is dragged.

    ``reach`` float32, from the last block back to ``start`` and so rising, is what the power has come down to for good:
    it rises no more for the length of a gap. ``later``, if it was kept, is the loudest of all that comes after a block.
    ``extra`` blocks take the decay's own slope, ``fall_db`` a block, a little further.
    """

    start: int
    floor: float
    reach: NDArray[np.float32]
    later: NDArray[np.float32]
    extra: int
    fall_db: float

    def ring_out(self, over_db: float) -> RingOut:
        """Return where the decay has come within ``over_db`` of its floor, rather late than early."""
        threshold = _threshold(self.floor, over_db)
        last = _first_under(self.reach, threshold)
        if last == 0:
            return RingOut(self.start, True, False)
        followed = last < len(self.later) and bool(self.later[last] > _FOLLOWS_TIMES * threshold)
        end = self.start + len(self.reach)
        if last >= len(self.reach) - 1:
            return RingOut(end, False, followed)
        return RingOut(min(self.start + last + self.extra, end), True, followed, self.fall_db)


def follow(
    power: NDArray[np.floating[Any]],
    start: int,
    *,
    floor: float,
    block_s: float,
    gap_s: float,
    keeps_later: bool = False,
) -> Decay:
    """Follow the decay that begins at ``start``.

    From the last block that lies clearly over the floor, the decay's own slope is followed down a little further: the
    level of a noisy ring-out wavers about its line.

    Parameters
    ----------
    power : float array, shape (blocks,)
        Short-term power, smooth over some 40 ms.
    floor : float
        Power of the noise.
    gap_s : float
        Quiet that long ends the sound; what follows is another.
    keeps_later : bool
        Whether it shall be known that another sound follows.

    References
    ----------
    Lundeby, Vigran, Bietz, Vorländer, *Uncertainties of measurements in room acoustics*, Acustica 81, 1995 (the
    crossing of the decay's regression line with the noise level); from memory.
    """
    part = power[start:].astype(np.float32)
    gap = max(round(gap_s / block_s), 1)
    ahead = ndimage.maximum_filter1d(part, gap, mode="constant", cval=0.0, origin=-(gap // 2)) if len(part) else part
    reach = np.minimum.accumulate(ahead)[::-1].copy()
    later = np.maximum.accumulate(part[::-1])[::-1] if keeps_later else part[:0]
    met = _first_under(reach, _threshold(floor, _MET_OVER_DB))
    extra, fall_db = _beyond(part[:met], floor, block_s) if met else (0, 0.0)
    return Decay(start, floor, reach, later, extra, fall_db)


def _threshold(floor: float, over_db: float) -> np.float32:
    return np.float32(floor * (1.0 + 10.0 ** (over_db / 10.0)))


def _first_under(reach: NDArray[np.float32], threshold: np.float32) -> int:
    """Return after how many blocks a decay is not over a threshold any more."""
    return len(reach) - int(reach.searchsorted(threshold, "right"))


def _beyond(power: NDArray[np.floating[Any]], floor: float, block_s: float) -> tuple[int, float]:
    """Return the blocks that the decay needs for a few dB more, by the line through its end, and the dB that it falls in each."""
    level = 10.0 * np.log10(np.maximum(power / max(floor, 1e-20), 1e-9))
    low, high = _FIT_OVER_DB
    above = np.flatnonzero(level > high)
    part = level[above[-1] + 1 :] if len(above) else level
    at = np.flatnonzero(part > low)
    if len(at) < _SHORTEST_FIT:
        return 1, 0.0
    times = (at - at.mean()) * block_s
    slope = float(times @ (part[at] - part[at].mean()) / (times @ times))
    longest = _LONGEST_EXTRA_S if slope >= 0.0 else min(_BELOW_DB / -slope, _LONGEST_EXTRA_S)
    return int(max(round(longest / block_s), 1)), max(-slope * block_s, 0.0)
