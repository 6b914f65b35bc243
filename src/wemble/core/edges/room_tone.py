"""Room tone: as much of a recording's own quiet as is needed, made of grains of it."""

from __future__ import annotations

from collections.abc import Sequence

import numpy as np

from wemble.core.shape.crossfade import crossfade_gains
from wemble.core.signal.levels import Samples
from wemble.errors import InvalidInput

SHORTEST_PIECE_S = 0.5
_GRAIN_S = (0.5, 2.0)
_OVERLAP_S = 0.1


def room_tone(pieces: Sequence[Samples], frames: int, *, rate_hz: int, seed: int) -> Samples:
    """Return room tone of a length, by laying seeded grains of quiet over each other with equal power.

    Parameters
    ----------
    pieces : sequence of float32 arrays, shape (channels, frames)
        Clean quiet; pieces shorter than half a second are not used.
    frames : int
    rate_hz : int
    seed : int
        The same seed and pieces give the same tone.

    Raises
    ------
    InvalidInput
        If there is no piece of half a second.
    """
    usable = [piece for piece in pieces if piece.shape[1] >= round(SHORTEST_PIECE_S * rate_hz)]
    if not usable:
        raise InvalidInput("there is no clean quiet to make room tone from; half a second without sound is needed")
    rng = np.random.default_rng(seed)
    overlap = round(_OVERLAP_S * rate_hz)
    goes, comes = crossfade_gains(overlap, "equal_power")
    out = np.zeros((usable[0].shape[0], frames + round(_GRAIN_S[1] * rate_hz)), np.float64)
    at = 0
    while at < frames:
        piece = usable[int(rng.integers(len(usable)))]
        length = min(round(rng.uniform(*_GRAIN_S) * rate_hz), piece.shape[1])
        start = int(rng.integers(piece.shape[1] - length + 1))
        grain = piece[:, start : start + length].astype(np.float64)
        if at:
            grain[:, :overlap] *= comes
        grain[:, length - overlap :] *= goes
        out[:, at : at + length] += grain
        at += length - overlap
    return out[:, :frames].astype(np.float32)
