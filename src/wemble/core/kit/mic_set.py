"""Mic sets: one hit heard by several microphones, cut together so that their spacing never changes.

Files of one recording begin together, and a microphone that stands further away hears later: that spacing is kept. Where
files do not begin together the lag between them is found from the sound; one that nothing explains is refused.
"""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass, replace

import numpy as np
from numpy.typing import NDArray
from scipy import signal

from wemble.core.edges.hit_levels import HitLevels, block_power, high_passed
from wemble.core.edges.onset import Hit, find_hit
from wemble.core.edges.recipe import DOUBTFUL, HitRecipe
from wemble.core.signal.levels import Samples
from wemble.errors import InvalidInput

FURTHEST_S = 0.060
"""Twenty metres of air: what two microphones of one hit may lie apart by their places alone (our choice)."""
_STEP_S = 0.0005
_MOST_LAG_S = 5.0
_ALIKE = 0.35
_CLEARER = 1.25


@dataclass(frozen=True, slots=True, eq=False)
class Heard:
    """One microphone's file: float32 (channels, frames) at its rate; its levels, if they were measured before; whether it was
    coded with loss."""

    samples: Samples
    rate_hz: int
    levels: HitLevels | None = None
    coded: bool = False


@dataclass(frozen=True, slots=True)
class SetFound:
    """The hit of each microphone in its own frames, its lag behind the first file in seconds, and which one decided.

    All begin and end at the same moment of the recording.
    """

    hits: tuple[Hit, ...]
    lags_s: tuple[float, ...]
    decided_by: int


def find_in_set(
    heard: Sequence[Heard], recipe: HitRecipe, *, decided_by: int | None = None, lags: Sequence[float] | None = None
) -> SetFound:
    """Find a hit in all of its microphones: the head from the one that hears it first, the tail from the longest.

    Parameters
    ----------
    heard : one or more files of one hit
    decided_by : int, optional
        The microphone whose onset counts, instead of the first to hear it.
    lags : seconds, optional
        How much later the same moment lies in each file, if that is known already.

    Raises
    ------
    InvalidInput
        If files do not begin together and no lag explains it.
    """
    found = [find_hit(one.samples, one.rate_hz, recipe, one.levels, coded=one.coded) for one in heard]
    lags = [0.0, *[lag_s(heard[0], other) for other in heard[1:]]] if lags is None else lags
    starts = [hit.onset_frame / one.rate_hz - lag for hit, one, lag in zip(found, heard, lags, strict=True)]
    ends = [hit.end_frame / one.rate_hz - lag for hit, one, lag in zip(found, heard, lags, strict=True)]
    # A start that noise may hide comes late rather than early: where it is the first all the same, it is believed.
    decides = first_to_hear(starts, [1.0 if hit.hidden else hit.confidence for hit in found], decided_by)
    hear = hearing([hit.confidence for hit in found])
    end_confidence, end_reason = min((found[n].end_confidence, found[n].end_reason) for n in hear)
    last = max(hear, key=lambda n: ends[n])
    end = ends[last]

    def shifted(within: tuple[int, int], of: int, to: int) -> tuple[int, int]:
        """Return the frames of one file at which the same moments lie in another."""
        moments = [frame / heard[of].rate_hz - lags[of] + lags[to] for frame in within]
        first, latest = (min(max(round(at * heard[to].rate_hz), 0), heard[to].samples.shape[1]) for at in moments)
        return first, latest

    together = tuple(
        replace(
            found[decides],
            end_confidence=end_confidence,
            end_reason=end_reason,
            onset_frame=min(max(round((starts[decides] + lag) * one.rate_hz), 0), one.samples.shape[1] - 1),
            end_frame=min(max(round((end + lag) * one.rate_hz), 1), one.samples.shape[1]),
            onset_within=shifted(found[decides].onset_within, decides, n),
            end_within=shifted(found[last].end_within, last, n),
        )
        for n, (one, lag) in enumerate(zip(heard, lags, strict=True))
    )
    return SetFound(together, tuple(lags), decides)


def hearing(confidences: Sequence[float]) -> list[int]:
    """Return which microphones hear anything at all; if none does, all of them."""
    return [n for n, confidence in enumerate(confidences) if confidence > 0.0] or list(range(len(confidences)))


def first_to_hear(starts_s: Sequence[float], confidences: Sequence[float], named: int | None = None) -> int:
    """Return which microphone decides: the one named, if it hears anything; else the first of those sure of the hit."""
    if named is not None and named in hearing(confidences):
        return named
    sure = [n for n, confidence in enumerate(confidences) if confidence >= DOUBTFUL] or hearing(confidences)
    return min(sure, key=lambda n: starts_s[n])


def lag_s(first: Heard, other: Heard) -> float:
    """Return how much later the same moment lies in another file, in seconds; 0 if they begin together.

    Raises
    ------
    InvalidInput
        If the two lie further apart than air explains, and no one lag fits clearly.
    """
    if first.samples.shape[1] * other.rate_hz == other.samples.shape[1] * first.rate_hz:
        return 0.0
    a, b = _rises(first), _rises(other)
    size = float(np.sqrt(np.sum(np.square(a)) * np.sum(np.square(b))))
    if size <= 0.0:
        return 0.0
    match = signal.correlate(b, a, "full", method="fft") / size
    lags = np.arange(-len(a) + 1, len(b)) * _STEP_S
    match[np.abs(lags) > _MOST_LAG_S] = 0.0
    best = int(np.argmax(match))
    if abs(lags[best]) <= FURTHEST_S:
        return 0.0
    far = np.abs(lags - lags[best]) > FURTHEST_S
    if match[best] < _ALIKE or match[best] < _CLEARER * float(match[far].max(initial=0.0)):
        raise InvalidInput(
            f"two files of one hit are {abs(lags[best]):.3f} s apart and nothing in the sound explains it; "
            "check that they are the same hit, or remove one of them"
        )
    return float(lags[best])


def _rises(heard: Heard) -> NDArray[np.float64]:
    """Return how fast the level rises, every half millisecond, whatever the rate: positive changes of its logarithm."""
    block = max(round(heard.rate_hz * _STEP_S), 1)
    power = block_power(high_passed(heard.samples, heard.rate_hz), block)
    times = np.arange(0.0, heard.samples.shape[1] / heard.rate_hz, _STEP_S)
    level = np.sqrt(np.interp(times, np.arange(len(power)) * block / heard.rate_hz, power))
    return np.asarray(np.maximum(np.diff(level, prepend=level[:1]), 0.0))
