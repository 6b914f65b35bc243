"""The ring-out: where a decay meets the floor."""

from __future__ import annotations

from dataclasses import dataclass
from typing import Any

import numpy as np
from numpy.typing import NDArray

from wemble.core.edges.envelope import runs

_FIT_OVER_DB = (4.0, 18.0)
_BELOW_DB = 6.0
_LONGEST_EXTRA_S = 0.5
_SHORTEST_FIT = 3


@dataclass(frozen=True, slots=True)
class RingOut:
    """Where a ring-out is over, in blocks; whether it met the floor, and whether another sound follows it."""

    end: int
    met_floor: bool
    followed: bool


def ring_out(
    power: NDArray[np.floating[Any]], start: int, *, floor: float, over_db: float, block_s: float, gap_s: float
) -> RingOut:
    """Return where the decay that begins at ``start`` has come within ``over_db`` of the floor, rather late than early.

    From the last block that lies clearly over the floor, the decay's own slope is followed down a little further: the
    level of a noisy ring-out wavers about its line.

    Parameters
    ----------
    power : float array, shape (blocks,)
        Short-term power, smooth over some 40 ms.
    floor : float
        Power of the noise.
    over_db : float
        How far over the floor the sound itself counts as over.
    gap_s : float
        Quiet that long ends the sound; what follows is another.

    References
    ----------
    Lundeby, Vigran, Bietz, Vorländer, *Uncertainties of measurements in room acoustics*, Acustica 81, 1995 (the
    crossing of the decay's regression line with the noise level); from memory.
    """
    over = power[start:] > floor * (1.0 + 10.0 ** (over_db / 10.0))
    spans = runs(over)
    if not len(spans):
        return RingOut(start, True, False)
    apart = np.flatnonzero((spans[1:, 0] - spans[:-1, 1]) * block_s >= gap_s)
    last = int(spans[apart[0], 1] if len(apart) else spans[-1, 1])
    if last >= len(over) - 1:
        return RingOut(len(power), False, bool(len(apart)))
    extra = _extra(power[start : start + last], floor, block_s)
    return RingOut(min(start + last + extra, len(power)), True, bool(len(apart)))


def _extra(power: NDArray[np.floating[Any]], floor: float, block_s: float) -> int:
    """Return the blocks that the decay needs for a few dB more, by the line through its end."""
    level = 10.0 * np.log10(np.maximum(power / max(floor, 1e-20), 1e-9))
    low, high = _FIT_OVER_DB
    above = np.flatnonzero(level > high)
    part = level[above[-1] + 1 :] if len(above) else level
    at = np.flatnonzero(part > low)
    if len(at) < _SHORTEST_FIT:
        return 1
    times = (at - at.mean()) * block_s
    slope = float(times @ (part[at] - part[at].mean()) / (times @ times))
    longest = _LONGEST_EXTRA_S if slope >= 0.0 else min(_BELOW_DB / -slope, _LONGEST_EXTRA_S)
    return max(round(longest / block_s), 1)
