"""Crossfades: two gains over the same frames, under a law."""

from __future__ import annotations

from typing import Literal, get_args

import numpy as np
from numpy.typing import NDArray

from wemble.core.shape.curves import fade_in_gain
from wemble.core.signal.levels import Samples

Law = Literal["equal_gain", "equal_power", "matched"]
LAWS: tuple[Law, ...] = get_args(Law)
LOWEST_CORRELATION = -0.8
"""Under it two sides cancel, and the gains that would make up for it grow without bound (our choice: +7 dB at most)."""


def correlation(one: Samples, other: Samples) -> float:
    """Return how alike two runs of samples are, −1…1; 0 where either is silent."""
    a, b = one.astype(np.float64), other.astype(np.float64)
    size = float(np.sqrt(np.sum(np.square(a)) * np.sum(np.square(b))))
    return float(np.sum(a * b)) / size if size > 0.0 else 0.0


def crossfade_gains(
    length_frames: int,
    law: Law,
    bend: float = 0.0,
    *,
    correlation: float = 0.0,
    start: int = 0,
    stop: int | None = None,
) -> tuple[NDArray[np.float64], NDArray[np.float64]]:
    """Return the gains of the side that goes and the side that comes, for frames ``[start, stop)``.

    ``equal_gain`` sums to 1 (raised cosines): right for two takes of the same sound, and an identity where both
    sides are the same audio. ``equal_power`` sums to 1 in power (cosine and sine): right for unrelated sound.
    ``matched`` keeps a² + b² + 2rab = 1 for sides of correlation r, which is each of the other two at r = 1 and
    r = 0. The bend is that of the side that comes; the side that goes follows from the law.

    References
    ----------
    Fink, Holters, Zölzer, *Signal-matched power-complementary cross-fading and dry-wet mixing*, DAFx-16, 2016; from
    memory.
    """
    if law == "equal_gain":
        comes = fade_in_gain(length_frames, "s", bend, start=start, stop=stop)
        return 1.0 - comes, comes
    comes = fade_in_gain(length_frames, "equal_power", bend, start=start, stop=stop)
    goes = np.sqrt(np.maximum(1.0 - np.square(comes), 0.0))
    if law == "equal_power":
        return goes, comes
    r = max(correlation, LOWEST_CORRELATION)
    size = np.sqrt(1.0 + 2.0 * r * goes * comes)
    return goes / size, comes / size
