"""What a microphone hears of the others: the way from each to each is measured, and what comes by it is taken off.

Each pair of lanes has a path, a filter with the delay and the colour of the room. It is found by weighted least squares
on blocks in which one lane is loud and another is not, and again every few minutes, because people move. What a
lane has left after that is its own, and a rest that grows with what was taken off.

References
----------
J. J. Shynk, *Frequency-domain and multirate adaptive filtering*, IEEE Signal Processing Magazine 9(1), 1992: overlap-save
and the constraint on the filter's length (from memory). Here all blocks of a part are solved together, and blocks with a
large rest, in which somebody else speaks, weigh less.
"""

from __future__ import annotations

from collections.abc import Callable, Sequence
from dataclasses import dataclass

import numpy as np
from numpy.typing import NDArray
from scipy import fft, ndimage, signal

from wemble.core.signal.lowered import Mono, lowered
from wemble.core.signal.reader import Read

Powers = NDArray[np.float32]
Powers64 = NDArray[np.float64]
Paths = NDArray[np.complex64]

_LOWEST_RATE_HZ = 14_000
_PART_S = 150.0
_BLOCK_S = 0.4
_STEP_S = 0.005
_EARLIER_S = 0.001
_LOUDER_DB = 6.0
_FIRST_ROUNDS, _ROUNDS = 12, 5
"""Rounds of the search for a path that nothing is known of, and for one that was much the same a moment ago."""
_LEAST_BLOCKS = 12
_LEAST_ALONE_S = 1.0
_RELEASE_S = 0.12
_REST_PERCENTILE = 90.0
_QUIET = 1e-12


@dataclass(frozen=True, slots=True, eq=False)
class Heard:
    """How much of a lane is its own, at every step of `step_s` from the first frame on.

    Powers, float32 (2, steps): of all bands, and of the first difference, which weighs the upper ones. ``whole`` is what was
    recorded, ``own`` what is left of it without the others, and ``rest`` what that may still hold of them.
    """

    step_s: float
    whole: Powers
    own: Powers
    rest: Powers


def heard_of_each_other(
    reads: Sequence[Read],
    frames: int,
    rate_hz: int,
    speech_db: Sequence[float],
    report: Callable[[float], None] = lambda part: None,
) -> list[Heard]:
    """Measure what each lane has of its own.

    Parameters
    ----------
    reads : one of each lane
        ``read(start, frames)`` gives float32 (channels, frames) of one common time; zeros where there is nothing.
    speech_db : one of each lane
        How loud its own speech is, so that a microphone that is turned up counts no more than another.
    """
    by = max(rate_hz // _LOWEST_RATE_HZ, 1)
    rate = rate_hz / by
    step = max(round(_STEP_S * rate), 1)
    half = round(_BLOCK_S * rate / step) * step
    length = max(round(_PART_S * rate / half), 1) * half
    levels = np.power(10.0, np.asarray(speech_db) / 10.0)
    paths = np.zeros((len(reads), len(reads), half + 1), np.complex64)
    parts: list[list[Powers]] = [[] for _ in reads]
    for start in range(0, max(-(-frames // by), 1), length):
        low = np.stack([lowered(read, start - half, length + half, by) for read in reads])
        spectra = _spectra(low, half, round(_EARLIER_S * rate))
        own = low[:, half:].reshape(len(low), -1, half)
        paths = _learned(spectra, own, paths, levels)
        for lane, powers in enumerate(parts):
            powers.append(_powers(lane, spectra, own, paths[lane], levels, step, rate))
        report(min((start + length) * by / max(frames, 1), 1.0))
    return [Heard(step / rate, *np.concatenate(one, axis=2)) for one in parts]


def _spectra(low: Mono, half: int, earlier: int) -> Paths:
    """Return the spectra of blocks of two halves, one half apart, (blocks, lanes, bins), a moment ahead of the others'."""
    ahead = np.concatenate([low[:, earlier:], np.zeros((len(low), earlier), np.float32)], axis=1)
    windows = np.lib.stride_tricks.sliding_window_view(ahead, 2 * half, axis=1)[:, ::half]
    return np.asarray(fft.rfft(windows, axis=2).transpose(1, 0, 2))


def _learned(spectra: Paths, own: Mono, paths: Paths, levels: Powers64) -> Paths:
    """Return the paths as this part has them; where nobody is heard alone for long enough, they stay as they were."""
    lanes = len(own)
    power: Powers64 = np.asarray(np.mean(np.square(own), axis=2, dtype=np.float64))
    loud: Powers64 = power / levels[:, None]
    learned = paths.copy()
    for lane in range(lanes):
        others = [other for other in range(lanes) if other != lane]
        speaks = loud[others].max(axis=0)
        chosen = np.flatnonzero((speaks > 10 ** (_LOUDER_DB / 10) * loud[lane]) & (speaks > 1e-3))
        if len(chosen) >= _LEAST_BLOCKS:
            learned[lane, others] = _solved(
                spectra[chosen][:, others], own[lane, chosen], power[lane, chosen], paths[lane, others]
            )
    return learned


def _solved(spectra: Paths, own: Mono, power: Powers64, start: Paths) -> Paths:
    """Return the filters by which other lanes, (blocks, others, bins), come nearest to a lane's blocks."""
    half = own.shape[1]
    paths = start
    for _ in range(_ROUNDS if start.any() else _FIRST_ROUNDS):
        left = own - _through(spectra, paths, half).sum(axis=1)
        weights = 1.0 / (np.mean(np.square(left), axis=1, dtype=np.float64) + 1e-3 * power + _QUIET)
        scale = np.sqrt(weights / weights.sum()).astype(np.float32)[:, None]
        weighted = spectra * scale[:, :, None]
        spectrum = fft.rfft(np.concatenate([np.zeros_like(left), left * scale], axis=1), axis=1)
        gram = np.einsum("bjf,bkf->fjk", weighted.conj(), weighted, optimize=True)
        right = np.einsum("bjf,bf->fj", weighted.conj(), spectrum, optimize=True)
        evened = np.trace(gram, axis1=1, axis2=2).real
        most = np.maximum(1e-2 * evened, 1e-4 * evened.mean()) + _QUIET
        step = np.linalg.solve(gram + most[:, None, None] * np.eye(gram.shape[1]), right[:, :, None])[:, :, 0]
        paths = _shortened(paths + 1.6 * step.T.astype(np.complex64), half)
    return paths


def _shortened(paths: Paths, half: int) -> Paths:
    """Return filters as short as a half of a block."""
    taps = fft.irfft(paths, axis=1)
    taps[:, half:] = 0.0
    return np.asarray(fft.rfft(taps, axis=1).astype(np.complex64))


def _through(spectra: Paths, paths: Paths, half: int) -> Mono:
    """Return what comes by each path, (blocks, paths, half)."""
    return np.asarray(fft.irfft(spectra * paths[None], axis=2)[:, :, half:], np.float32)


def _powers(
    lane: int,
    spectra: Paths,
    own: Mono,
    paths: Paths,
    levels: Powers64,
    step: int,
    rate: float,
) -> Mono:
    """Return whole, own and rest of a lane in a part, float32 (3, 2, steps)."""
    others = [other for other in range(len(own)) if other != lane]
    came = _through(spectra[:, others], paths[others], own.shape[2])
    left = own[lane] - came.sum(axis=1)
    whole, alone = _by_step(own[lane].ravel(), step), _by_step(left.ravel(), step)
    said = [_by_step(one.ravel(), step) for one in own]
    loud = [power[0] / level for power, level in zip(said, levels, strict=True)]
    rest = np.zeros_like(whole)
    for at, other in enumerate(others):
        rivals = np.stack([one for n, one in enumerate(loud) if n != other])
        only = (loud[other] > rivals.max(axis=0) * 10 ** (_LOUDER_DB / 10)) & (loud[other] > 1e-2)
        if only.sum() * step / rate > _LEAST_ALONE_S:
            by_path, by_level = (
                _rest_after(power, alone, only, step / rate)
                for power in (_by_step(came[:, at].ravel(), step), said[other])
            )
            rest += by_path if by_path[0].mean() < by_level[0].mean() else by_level
    return np.stack([whole, alone, rest]).astype(np.float32)


def _rest_after(power: Powers64, alone: Powers64, only: NDArray[np.bool_], step_s: float) -> Powers64:
    """Return what stays of another at the most, nearly always, by what was heard while only that one spoke.

    It follows the other's ``power`` for as long as a room rings on.
    """
    slope = float(np.exp(-step_s / _RELEASE_S))
    late = signal.lfilter([1.0 - slope], [1.0, -slope], power, axis=1)
    spread = np.maximum(ndimage.maximum_filter1d(power, 5, axis=1), late)
    parts = alone[:, only] / np.maximum(spread[:, only], _QUIET)
    return np.asarray(np.percentile(parts, _REST_PERCENTILE, axis=1)[:, None] * spread)


def _by_step(samples: Mono, step: int) -> Powers64:
    """Return the power of samples and of their first difference, (2, steps)."""
    both = np.stack([samples, np.diff(samples, prepend=samples[:1])])
    return np.asarray(np.square(both).reshape(2, -1, step).mean(axis=2, dtype=np.float64))
