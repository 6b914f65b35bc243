"""The first sample of an attack: where a rise leaves what was there before it, noise or an earlier ring-out.

What lies before is made white by a linear predictor fitted to it, so that a hum, a rumble or a ringing drum is
foretold and only what is new stands out. The change from one to the other is then the most likely place at which the
variance of the prediction error changed. A thump may be as predictable as the floor: its start is where it outgrows it.
"""

from __future__ import annotations

from dataclasses import dataclass, field

import numpy as np
from numpy.typing import NDArray

from wemble.core.signal.levels import Floats, Samples, from_db, ms_to_frames
from wemble.core.signal.prediction import ORDER, prediction_error, prediction_error_filter

_LEARN_MS = 40.0
_LEAST_LEARN_MS = 4.0
_TIMES_LOUDER = 8.0
_TIMES_AT_FIRST = 2.0
"""A slow rise is so much louder than what lies before it for a while, before it is `_TIMES_LOUDER`."""
_FIRST_CERTAIN = 9.0
"""Log likelihood ratio for what a slow rise adds in front: once in some eight thousand by chance."""
_STANDS_OUT_DB = -66.0
_ATTACK_MS = 6.0
_OUTGROWS = 1.5
_OUTGROWS_FROM_DB = -45.0
_AS_LIKELY = 1.5
"""Log likelihood ratio of places that are nearly as likely: the earliest of them is taken, late cuts the attack."""
_CERTAIN = 16.0
"""Log likelihood ratio: once in some nine million by chance."""


@dataclass(frozen=True, slots=True)
class Start:
    """The first frame of an attack, and how many frames it takes from there until chance is ruled out.

    ``score`` float64, from frame ``score_from`` on, rises: how much less likely a place is than the likeliest, as a log
    likelihood, negative before it and positive behind.
    """

    frame: int
    unsure_frames: int
    score_from: int = 0
    score: Floats = field(default_factory=lambda: np.zeros(1), compare=False)


def attack_start(samples: Samples, rough: int, *, back: int, rate_hz: int, quiet: Samples | None = None) -> Start:
    """Return where an attack begins, at most ``back`` frames before a rough place inside it.

    Parameters
    ----------
    samples : float32 array, shape (channels, frames)
    rough : int
        A frame of the attack: the sound is there already.
    back : int
        How far the search goes back.
    quiet : float32 array, shape (channels, frames), optional
        The noise without the sound, from another place: it stands in where too little lies before the attack.

    Returns
    -------
    Start
        In frames of ``samples``: of the channel that speaks first, among those at most 20 dB softer than the loudest.
    """
    loud = np.abs(samples[:, rough : rough + ms_to_frames(_ATTACK_MS, rate_hz)]).max(axis=1, initial=0.0)
    starts = [
        _channel_start(channel.astype(np.float64), rough, back, rate_hz, noise.astype(np.float64))
        for channel, noise, peak in zip(samples, samples[:, :0] if quiet is None else quiet, loud, strict=True)
        if peak >= 0.1 * loud.max(initial=0.0)
    ]
    return min(starts, key=lambda start: start.frame, default=Start(rough, 0))


def _channel_start(
    channel: NDArray[np.float64], rough: int, back: int, rate_hz: int, quiet: NDArray[np.float64]
) -> Start:
    low = max(rough - back, 0)
    high = min(rough + ms_to_frames(_ATTACK_MS, rate_hz), len(channel))
    before = channel[max(low - ms_to_frames(_LEARN_MS, rate_hz), 0) : low]
    if high <= low:
        return Start(rough, 0)
    known = len(before) >= max(ms_to_frames(_LEAST_LEARN_MS, rate_hz), 4 * ORDER)
    learn = before if known else quiet
    learn = learn if len(learn) > ORDER else np.zeros(ORDER + 1)
    predictor = prediction_error_filter([learn])
    error = prediction_error(predictor, channel[low - len(before) : high])[len(before) :]
    foretold = prediction_error(predictor, learn)[ORDER:]
    at, unsure, score = _change(error, foretold, rough - low, softly=known)
    outgrown = _outgrown(channel[low:high], learn, min(rough - low, at))
    return Start(low + outgrown, unsure + at - outgrown, low, score)


def _outgrown(values: NDArray[np.float64], noise: NDArray[np.float64], rough: int) -> int:
    """Return where a swing that clearly outgrows all of the noise begins, if there is one before ``rough``, else that.

    A thump may be as predictable as a rumble.
    """
    size = np.abs(values[:rough])
    top = max(
        _OUTGROWS * float(np.abs(noise).max(initial=0.0)), float(np.abs(values).max()) * from_db(_OUTGROWS_FROM_DB)
    )
    over = np.flatnonzero(size > top)
    if not len(over):
        return rough
    small = np.flatnonzero(size[: over[0]] <= top / (3.0 * _OUTGROWS))
    return int(small[-1]) + 1 if len(small) else 0


def _change(
    values: NDArray[np.float64], noise: NDArray[np.float64], rough: int, *, softly: bool
) -> tuple[int, int, Floats]:
    """Return the most likely place, up to ``rough``, from which on the variance is `_TIMES_LOUDER` that of before, and
    the frames it takes from there until that is certain, and the score of every place (`Start`).

    What lies 66 dB under the attack is not heard as its start, whatever the floor. If it may begin ``softly``, it begins
    where it is `_TIMES_AT_FIRST` as loud as before already: only noise that lies right before it is known that well.

    References
    ----------
    Page, *Continuous inspection schemes*, Biometrika 41, 1954; Basseville, Nikiforov, *Detection of Abrupt Changes*,
    1993, ch. 2 (the maximum likelihood estimate of the change time); from memory.
    """
    before = float(np.sqrt(np.mean(np.square(noise)))) if len(noise) else 0.0
    sigma = max(before, float(np.abs(values).max(initial=0.0)) * from_db(_STANDS_OUT_DB), 1e-9)
    power = np.square(values / sigma)
    behind = _likelihood(power, _TIMES_LOUDER)
    at = rough - int(np.argmin(behind[rough::-1]))
    softer = _likelihood(power[:at], _TIMES_AT_FIRST)
    first = at - int(np.argmin(softer[::-1]))
    if softly and softer[at] - softer[first] >= _FIRST_CERTAIN:
        at, behind = first, _likelihood(power, _TIMES_AT_FIRST)
    unlikely = np.flatnonzero(behind[:at] > behind[at] + _AS_LIKELY)
    at = int(unlikely[-1]) + 1 if len(unlikely) else 0
    certain = np.flatnonzero(behind[at:] - behind[at] >= _CERTAIN)
    unsure = int(certain[0]) if len(certain) else len(values) - at
    less = behind - behind[at]
    return at, unsure, np.maximum.accumulate(np.concatenate([-np.minimum.accumulate(less[:at]), less[at:]]))


def _likelihood(power: NDArray[np.float64], times: float) -> NDArray[np.float64]:
    """Return the log likelihood, summed up to before each frame, that its power is ``times`` that of the noise against 1."""
    gain = (power * (1.0 - 1.0 / times) - np.log(times)) * 0.5
    return np.concatenate([[0.0], np.cumsum(gain)])
