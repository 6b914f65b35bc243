"""When two recordings of one conversation started, and by how much one's clock is off, from what they hear of each other.

Generalised cross-correlation with phase transform says about when, in some longer parts, and then just when, wherever one
voice alone is loud and comes to the other microphone. A voice reaches its own microphone first, so the lags of the two
voices lie on either side of the truth, by the way between the microphones; a line through each, with one slope, gives lag,
drift and that way.

References
----------
C. H. Knapp, G. C. Carter, *The Generalized Correlation Method for Estimation of Time Delay*, IEEE TASSP 24(4), 1976 (from
memory).
"""

from __future__ import annotations

from collections.abc import Iterator
from dataclasses import dataclass

import numpy as np
from numpy.typing import NDArray
from scipy import fft

from wemble.core.edges.envelope import Envelope
from wemble.core.signal.lowered import lowered
from wemble.core.signal.reader import Read, cut
from wemble.errors import InvalidInput

Floats = NDArray[np.float64]

_LOWEST_RATE_HZ = 14_000
_COARSE_RATE_HZ = 7_000
_COARSE_BLOCK_S, _COARSE_BLOCKS, _COARSE_NEAR_S = 8.0, 24, 0.3
_COARSE_WITHIN_S = (45.0, 600.0)
_COARSE_TRIED, _COARSE_LONGEST_S = 4, 7_200.0
_BLOCK_S = 2.0
_WITHIN_S = 0.6
_BLOCKS_A_VOICE = 60
_LOUDER_DB = 9.0
_PEAK_OVER_NOISE, _COARSE_PEAK_OVER_NOISE = 9.0, 6.0
_NEAR_LINE_S = 0.004
_LEAST_BLOCKS = 6
_MOST_PPM = 300.0
_PHAT_HZ = (150.0, 5_000.0)


@dataclass(frozen=True, slots=True)
class Alignment:
    """How a second recording lies against a first.

    Its frame 0 lies ``lag_s`` after the first one's; its clock runs ``drift_ppm`` fast (its seconds are shorter), so that
    what is at t in it lies at ``lag_s + t·(1 − drift_ppm·1e−6)``. The microphones are ``apart_s`` of sound apart; of
    ``blocks`` measured places, ``agreeing`` lie on the line.
    """

    lag_s: float
    drift_ppm: float
    apart_s: float
    blocks: int
    agreeing: int


_NOTHING_IN_COMMON = "these recordings have nothing in common that could be measured; line them up by hand"


def align(first: Read, second: Read, levels: tuple[Envelope, Envelope], rate_hz: int) -> Alignment:
    """Measure how two recordings of the same conversation lie against each other.

    Parameters
    ----------
    first, second : Read
        ``read(start, frames)`` in frames of ``rate_hz``, of each recording's own time; zeros outside it.
    levels : (Envelope, Envelope)
        Of the two recordings.

    Raises
    ------
    InvalidInput
        If they have nothing in common that could be measured.
    """
    lengths_s = (levels[0].frames / levels[0].rate_hz, levels[1].frames / levels[1].rate_hz)
    if min(lengths_s) < _BLOCK_S:
        raise InvalidInput(_NOTHING_IN_COMMON)
    by = max(rate_hz // _LOWEST_RATE_HZ, 1)
    for coarse_s in _coarse_lags_s(first, second, lengths_s, rate_hz):
        measured = (
            (at, voice, _lag_at(first, second, at, coarse_s, rate_hz, by, _BLOCK_S, _WITHIN_S))
            for at, voice in _places(levels, coarse_s)
        )
        found = [(at, voice, lag_s) for at, voice, lag_s in measured if lag_s is not None]
        if len(found) >= _LEAST_BLOCKS and (fitted := _fit(found)) is not None:
            break
    else:
        raise InvalidInput(_NOTHING_IN_COMMON)
    lag_s, slope, apart_s, agreeing = fitted
    # At t of the first a lag of t − (t − lag)·(1 + drift) is measured: at its start not the lag, but lag·(1 + drift).
    return Alignment(lag_s / (1.0 - slope), -slope * 1e6, apart_s, len(found), agreeing)


def _coarse_lags_s(first: Read, second: Read, lengths_s: tuple[float, float], rate_hz: int) -> Iterator[float]:
    """Yield about when the second recording may begin in the first, what most longer parts agree on first; near ones first."""
    by = max(rate_hz // _COARSE_RATE_HZ, 1)
    rate = rate_hz // by
    frames = int(min(lengths_s[1], _COARSE_LONGEST_S) * rate)
    step = 60 * rate
    whole = np.concatenate([lowered(second, at, min(step, frames - at), by) for at in range(0, frames, step)])[None]
    begins = np.unique(np.linspace(0.0, max(lengths_s[0] - _COARSE_BLOCK_S, 0.0), _COARSE_BLOCKS).round(2))

    def lag_at(at: float, within_s: float) -> float | None:
        return _lag_at(
            lambda start, n: lowered(first, start, n, by)[None], lambda start, n: cut(whole, start, n), at, 0.0, rate, 1,
            _COARSE_BLOCK_S, within_s, _COARSE_PEAK_OVER_NOISE,
        )  # fmt: skip

    for most_s in _COARSE_WITHIN_S:
        within_s = min(most_s, max(lengths_s))
        found = (lag_at(at, within_s) for at in begins.tolist())
        lags = np.array([lag_s for lag_s in found if lag_s is not None])
        for _ in range(_COARSE_TRIED):
            if not len(lags):
                break
            near = np.abs(lags[:, None] - lags[None]) < _COARSE_NEAR_S
            best = near[int(near.sum(axis=1).argmax())]
            yield float(np.median(lags[best]))
            lags = lags[~best]
        if within_s < most_s:
            break


def _places(levels: tuple[Envelope, Envelope], lag_s: float) -> list[tuple[float, int]]:
    """Return moments of the first recording at which one voice alone is loud for a block: (seconds, whose)."""
    step = _BLOCK_S / 2
    ends = [len(one.power) * one.bin_s for one in levels]
    begin, end = max(0.0, lag_s), min(ends[0], ends[1] + lag_s) - _BLOCK_S
    if end <= begin:
        return []
    moments = np.arange(begin, end, step)
    loud = np.stack([_block_db(one, moments - shift) for one, shift in zip(levels, (0.0, lag_s), strict=True)])
    loud -= np.percentile(loud, 95, axis=1)[:, None]
    places: list[tuple[float, int]] = []
    for voice in (0, 1):
        alone = np.flatnonzero((loud[voice] > loud[1 - voice] + _LOUDER_DB) & (loud[voice] > -12.0))
        chosen = alone[:: max(-(-len(alone) // _BLOCKS_A_VOICE), 1)]
        places += [(float(moments[n]), voice) for n in chosen]
    return sorted(places)


def _block_db(one: Envelope, starts_s: Floats) -> Floats:
    total = np.concatenate([[0.0], np.cumsum(one.power, dtype=np.float64)])
    low = np.clip((starts_s / one.bin_s).astype(int), 0, len(one.power))
    high = np.clip(((starts_s + _BLOCK_S) / one.bin_s).astype(int), 0, len(one.power))
    return np.asarray(10.0 * np.log10(np.maximum((total[high] - total[low]) / np.maximum(high - low, 1), 1e-20)))


def _lag_at(
    first: Read,
    second: Read,
    at_s: float,
    coarse_s: float,
    rate_hz: int,
    by: int,
    block_s: float,
    within_s: float,
    least: float = _PEAK_OVER_NOISE,
) -> float | None:
    """Return the lag of the second recording, measured in a block at a moment of the first; none where nothing stands out."""
    rate = rate_hz / by
    margin, frames = round(within_s * rate), round(block_s * rate)
    start = round(at_s * rate)
    there = start - round(coarse_s * rate) - margin
    one = lowered(first, start, frames, by)
    other = lowered(second, there, frames + 2 * margin, by)
    size = fft.next_fast_len(frames + len(other), real=True)
    cross = fft.rfft(other, size) * np.conj(fft.rfft(one, size))
    hz = fft.rfftfreq(size, 1 / rate)
    weight = ((hz > _PHAT_HZ[0]) & (hz < _PHAT_HZ[1])) / np.maximum(np.abs(cross), 1e-20)
    together = fft.irfft(cross * weight, size)[: 2 * margin + 1]
    peak = int(np.argmax(together))
    noise = float(np.sqrt(np.mean(np.square(together))))
    if not 0 < peak < 2 * margin or together[peak] < least * noise:
        return None
    before, here, after = together[peak - 1 : peak + 2]
    exact = peak + 0.5 * (before - after) / min(before - 2 * here + after, -1e-20)
    return float((start - (there + exact)) / rate)


def _fit(found: list[tuple[float, int, float]]) -> tuple[float, float, float, int] | None:
    """Return (lag, slope, half of the way apart, how many agree) of two lines with one slope through (moment, voice, lag)."""
    at, voice, lag = (np.array(column, np.float64) for column in zip(*found, strict=True))
    best: NDArray[np.bool_] = np.zeros(len(at), np.bool_)
    rng = np.random.default_rng(0)
    for _ in range(400):
        a, b = rng.choice(len(at), 2, replace=False)
        if voice[a] != voice[b] or abs(at[a] - at[b]) < 1.0:
            slope, middle = 0.0, lag[a]
        else:
            slope = (lag[b] - lag[a]) / (at[b] - at[a])
            middle = lag[a] - slope * at[a]
        if abs(slope) * 1e6 > _MOST_PPM:
            continue
        near = np.abs(lag - middle - slope * at) < 0.02
        agree = near.copy()
        for one in (0.0, 1.0):
            mine = near & (voice == one)
            if mine.any():
                off = lag - slope * at
                agree &= (voice != one) | (np.abs(off - np.median(off[mine])) < _NEAR_LINE_S)
        if agree.sum() > best.sum():
            best = agree
    if best.sum() < max(_LEAST_BLOCKS, 0.5 * len(at)):
        return None
    both = len(set(voice[best])) == 2
    side = voice[best] * 2.0 - 1.0 if both else np.zeros(int(best.sum()))
    columns = np.stack([np.ones(int(best.sum())), at[best], side], axis=1)
    lag_s, slope, apart = np.linalg.lstsq(columns, lag[best], rcond=None)[0]
    return float(lag_s), float(slope), abs(float(apart)), int(best.sum())
