"""Linear prediction: what a sound's own past says of its next sample, and what it does not."""

from __future__ import annotations

from collections.abc import Iterable
from functools import lru_cache
from typing import Any

import numpy as np
from numpy.typing import NDArray
from scipy import linalg, signal

ORDER = 16
_WHITE = 1e-9


def prediction_error_filter(pieces: Iterable[NDArray[np.float64]], order: int = ORDER) -> NDArray[np.float64]:
    """Fit one predictor to pieces of one sound and return its error filter ``[1, −a1, …, −ap]``, p = ``order``.

    By autocorrelation: each piece (frames,) under a Hann window, their correlations added, with a little white noise
    for a sound footing. Silence is predicted by nothing: ``[1, 0, …, 0]``.

    References
    ----------
    Makhoul, *Linear prediction: a tutorial review*, Proc. IEEE 63(4), 1975; from memory.
    """
    correlation = np.zeros(order + 1)
    for piece in pieces:
        windowed = piece * _hann(len(piece))
        if len(windowed):
            correlation += np.correlate(np.concatenate([windowed, np.zeros(order)]), windowed, "valid")
    if correlation[0] <= 0.0:
        return np.concatenate([[1.0], np.zeros(order)])
    correlation[0] *= 1.0 + _WHITE
    coefficients = linalg.solve_toeplitz(correlation[:-1], correlation[1:])
    return np.concatenate([[1.0], -coefficients])


def prediction_error(error_filter: NDArray[np.float64], values: NDArray[np.floating[Any]]) -> NDArray[np.float64]:
    """Return what a predictor does not predict of each value (frames,), silence before them."""
    return np.convolve(values, error_filter)[: len(values)]


@lru_cache(maxsize=32)
def _hann(length: int) -> NDArray[np.float64]:
    window = np.asarray(signal.windows.hann(length), np.float64)
    window.setflags(write=False)
    return window
