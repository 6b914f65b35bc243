"""A recording in mono at a fraction of its rate: enough for what compares voices."""

from __future__ import annotations

import numpy as np
from numpy.typing import NDArray
from scipy import signal

from wemble.core.signal.reader import Read

Mono = NDArray[np.float32]
_PAD = 32


def lowered(read: Read, start: int, frames: int, by: int) -> Mono:
    """Return the mean of the channels at a ``by``-th of the rate; ``start`` and ``frames`` count at that."""
    if by == 1:
        return np.asarray(read(start, frames).mean(axis=0, dtype=np.float32))
    samples = read((start - _PAD) * by, (frames + 2 * _PAD) * by).mean(axis=0, dtype=np.float32)
    return np.asarray(signal.resample_poly(samples, 1, by)[_PAD : _PAD + frames], np.float32)
