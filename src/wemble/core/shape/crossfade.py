"""Crossfades: two gains over the same frames, under a law."""

from __future__ import annotations

from typing import Literal, get_args

import numpy as np
from numpy.typing import NDArray

from wemble.core.shape.curves import fade_in_gain, fade_out_gain

Law = Literal["equal_gain", "equal_power"]
LAWS: tuple[Law, ...] = get_args(Law)


def crossfade_gains(
    length_frames: int, law: Law, *, start: int = 0, stop: int | None = None
) -> tuple[NDArray[np.float64], NDArray[np.float64]]:
    """Return the gains of the side that goes and the side that comes, for frames ``[start, stop)``.

    ``equal_gain`` sums to 1 (raised cosines): right for two takes of the same sound, and an identity where both
    sides are the same audio. ``equal_power`` sums to 1 in power (cosine and sine): right for unrelated sound.
    """
    shape: Literal["s", "equal_power"] = "s" if law == "equal_gain" else "equal_power"
    comes = fade_in_gain(length_frames, shape, start=start, stop=stop)
    if law == "equal_gain":
        return 1.0 - comes, comes
    return fade_out_gain(length_frames, shape, start=start, stop=stop), comes
