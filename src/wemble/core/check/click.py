"""The click check: an edge clicks when its samples cannot be predicted from their surroundings."""

from __future__ import annotations

from collections.abc import Sequence

import numpy as np
from numpy.typing import NDArray
from scipy import ndimage

from wemble.core.signal.levels import Samples
from wemble.core.signal.prediction import prediction_error, prediction_error_filter

CONTEXT_MS = 30.0
_FORETELLS_FROM_MS, _LEAST_ORDER = 1.0 / 3.0, 8
"""As long a past at every rate, so that one fade has one verdict; under 24 kHz a voice needs more of it to be foretold."""
CREST = 4.0
LOWER_BOUND = 10.0 ** (-96.0 / 20.0)
HIDDEN_UNDER = 10.0 ** (-66.0 / 20.0)
"""A departure this far under the sound around it is hidden by it (our choice: it separates every hard cut of a sine
at a tenth of its peak, which departs by −20 dB or more, from a 10 ms raised cosine, which departs by under −70)."""


def click_figure(source: Samples, gain: NDArray[np.float64], *, rate_hz: int, known: slice = slice(None)) -> float:
    """Return how many times the local residual an edge departs from prediction.

    A linear predictor is fitted to the uncut source around the edge. Its residual on what is heard (source times
    gain, zeros beyond the cut) is compared with the largest of: four times the RMS of its residual on the uncut source
    (about the largest of some thousand values of noise); its largest residual on the uncut source at the same place, so
    that a drum's own attack is no click; −66 dB under the sound; and −96 dBFS.

    Parameters
    ----------
    source : float32 array, shape (channels, frames)
        The uncut source around the edge, about `CONTEXT_MS` on each side and all of the fade.
    gain : float64 array, shape (frames,)
        What the edge makes of it: 0 beyond the cut, the fade, 1 inside.
    known : slice
        Where ``source`` has samples at all. At the very start or end of a source nobody knows what lay beyond, and
        its jump from nothing is not taken for its own doing.

    Returns
    -------
    float
        Times the local residual, of the worst channel; 0 for silence.

    References
    ----------
    Godsill, Rayner, *Digital Audio Restoration*, Springer 1998, ch. 5 (detection by prediction error); from memory.
    """
    order = _order(rate_hz)
    return max((_channel_figure(channel.astype(np.float64), gain, known, order) for channel in source), default=0.0)


def seam_figure(heard: Samples, at: int, known: Sequence[Samples], *, rate_hz: int) -> float:
    """Return how many times the local residual a seam departs from prediction.

    Parameters
    ----------
    heard : float32 array, shape (channels, frames)
        What is heard around the seam, which lies before frame ``at``.
    known : float32 arrays, shape (channels, …)
        The uncut source around both sides of the seam: one predictor is fitted to both, and its residual on them, four
        times its RMS or the largest near either side, is what is usual here.

    Returns
    -------
    float
        Times the local residual, of the worst channel.
    """
    order = _order(rate_hz)
    return max(_channel_seam(heard[c], at, [piece[c] for piece in known], order) for c in range(len(heard)))


def _order(rate_hz: int) -> int:
    return max(round(_FORETELLS_FROM_MS * rate_hz / 1000.0), _LEAST_ORDER)


def _channel_seam(heard: Samples, at: int, known: Sequence[Samples], order: int) -> float:
    pieces = [piece.astype(np.float64) for piece in known if len(piece) > 2 * order]
    if not pieces:
        return 0.0
    predictor = prediction_error_filter(pieces, order)
    residuals = [np.abs(prediction_error(predictor, piece))[order:] for piece in pieces]
    usual = CREST * float(np.sqrt(np.mean(np.square(np.concatenate(residuals)))))
    hidden = float(np.sqrt(np.mean(np.square(np.concatenate(pieces))))) * HIDDEN_UNDER
    surprise = np.abs(prediction_error(predictor, heard.astype(np.float64)))[max(at - order, order) : at + order + 2]
    return float(np.max(surprise, initial=0.0) / max(usual, hidden, LOWER_BOUND))


def _channel_figure(source: NDArray[np.float64], gain: NDArray[np.float64], known: slice, order: int) -> float:
    predictor = prediction_error_filter([source], order)
    start, stop, _ = known.indices(len(source))
    uncut = np.zeros(len(source))
    uncut[start + order : stop] = np.abs(prediction_error(predictor, source))[start + order : stop]
    changed = np.flatnonzero(gain < 1.0)
    if not len(changed):
        return 0.0
    inside = np.flatnonzero(gain > 0.0)
    if not len(inside):
        return 0.0
    low = max(inside[0] - 1, order) if gain[0] == 0.0 else max(changed[0] - 1, order)
    high = min((changed[-1] if gain[0] == 0.0 else inside[-1]) + order + 2, len(source))
    usual = CREST * float(np.sqrt(np.mean(np.square(uncut[order:])))) if len(uncut) > order else 0.0
    hidden = float(np.sqrt(np.mean(np.square(source)))) * HIDDEN_UNDER
    ahead, behind = max(low - order, 0), min(high + order, len(source))
    same_place = _running_maximum(uncut[ahead:behind], order)[low - ahead : high - ahead]
    heard = np.abs(prediction_error(predictor, source[ahead:high] * gain[ahead:high]))[low - ahead :]
    reference = np.maximum(same_place, max(usual, hidden, LOWER_BOUND))
    return float(np.max(heard / reference, initial=0.0))


def _running_maximum(values: NDArray[np.float64], reach: int) -> NDArray[np.float64]:
    return np.asarray(ndimage.maximum_filter1d(values, 2 * reach + 1, mode="constant"))
