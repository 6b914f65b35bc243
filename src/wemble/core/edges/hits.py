"""Hits in a take: every onset of one recording, also where a hit falls into the ring-out of the one before.

A hit shows as a sudden rise in many bands at once. The rise is measured against the loudest that each band and its
neighbours were a moment ago, so that a wavering ring-out is no rise. A take is read in long blocks; the memory needed
is that of its flux, one number every 3 ms.
"""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass

import numpy as np
from numpy.typing import NDArray
from scipy import ndimage, signal

from wemble.core.edges.attack import attack_start
from wemble.core.edges.decay import ring_out
from wemble.core.edges.onset import BLOCK_MS, Levels, back_while, block_power, unforetold, without_rumble
from wemble.core.edges.recipe import HitRecipe
from wemble.core.edges.refine import Read
from wemble.core.signal.levels import ms_to_frames

_HOP_MS = 3.0
_WINDOW_MS = 23.0
_LOWEST_HZ = 40.0
_BANDS_AN_OCTAVE = 6
_COMPRESSION = 1000.0
_LAG_HOPS = 4
_AROUND_MS = 100.0
_OVER_MEAN = 1.6
_LEAST_FLUX = 0.10
_SOFTEST_UNDER_PEAK_DB = 22.0
_DULLEST_UNDER_PEAK_DB = 16.0
_BRIGHT_HZ = 300.0
_BACK_MS = 25.0
_LEAD_MS = 12.0
_LEARN_MS = 60.0
_AFTER_MS = 12.0
_AFTER_BLOCKS = 3
_BEFORE_BLOCKS = 6
_WEIGHT = 0.5
_CLEAR = 6.0
_LOUD_PART = 0.004
_DIP_BLOCKS = 2
_PEAK_MS = 25.0
_BLOCK_S = 20.0
_EXTRA_GAP_S = 0.25


@dataclass(frozen=True, slots=True)
class TakenHit:
    """A hit of a take, in its frames: where it speaks, and where it is over or the next one begins."""

    onset_frame: int
    end_frame: int


def find_hits(read: Read, frames: int, rate_hz: int, recipe: HitRecipe) -> list[TakenHit]:
    """Return every hit of a take, in order.

    Parameters
    ----------
    read : (start, frames) -> float32 array, shape (channels, frames)
    recipe : HitRecipe
        ``shortest_gap_ms`` is the shortest time between two hits; ``over_floor_db`` says when one is over.

    References
    ----------
    Bello, Daudet, Abdallah, Duxbury, Davies, Sandler, *A tutorial on onset detection in music signals*, IEEE TSAP
    13(5), 2005 (spectral flux, adaptive threshold); Böck, Widmer, *Maximum filter vibrato suppression for onset
    detection*, DAFx-13, 2013 (the comparison with a maximum over neighbouring bands); from memory.
    """
    if frames < ms_to_frames(2 * _WINDOW_MS, rate_hz):
        return []
    flux, power, bright = _measured(read, frames, rate_hz)
    peaks = _peaks(flux, max(round(recipe.shortest_gap_ms / _HOP_MS), 1))
    middles = peaks * ms_to_frames(_HOP_MS, rate_hz)
    blocks = middles // max(ms_to_frames(BLOCK_MS, rate_hz), 1)
    full, upper = _rises(power, blocks), _rises(bright, blocks)
    strong = np.maximum(full + _SOFTEST_UNDER_PEAK_DB, upper + _DULLEST_UNDER_PEAK_DB) >= 0.0
    onsets = np.array([_refined(read, int(middle), frames, rate_hz) for middle in middles[strong]], np.int64)
    kept = _apart(onsets, np.maximum(full, upper)[strong], ms_to_frames(recipe.shortest_gap_ms, rate_hz))
    return _ended(kept, power, frames, rate_hz, recipe)


def with_rooms(hits: Sequence[TakenHit], frames: int, rate_hz: int, recipe: HitRecipe) -> list[tuple[int, int]]:
    """Return the spans that hits keep, with their rooms: none reaches into the next, nor out of ``[0, frames)``."""
    before, keep = ms_to_frames(recipe.before_ms, rate_hz), ms_to_frames(recipe.keep_ms, rate_hz)
    spans: list[tuple[int, int]] = []
    for number, hit in enumerate(hits):
        last = number + 1 == len(hits)
        limit = frames if last else hits[number + 1].onset_frame - before
        head = max(hit.onset_frame - before, spans[-1][1] if spans else 0)
        spans.append((head, max(min(hit.end_frame + keep, limit), hit.onset_frame + 1)))
    return spans


def _apart(onsets: NDArray[np.int64], jumps: NDArray[np.float64], gap: int) -> list[int]:
    """Return the onsets in order, at least a gap apart: of two that are too close the one that rises more stays."""
    kept: list[int] = []
    for at in np.argsort(-jumps):
        if all(abs(int(onsets[at]) - other) >= gap for other in kept):
            kept.append(int(onsets[at]))
    return sorted(kept)


def _measured(read: Read, frames: int, rate_hz: int) -> tuple[NDArray[np.float64], ...]:
    """Return the flux of every hop, and the power of every millisecond, in the full and the bright band."""
    hop, window = ms_to_frames(_HOP_MS, rate_hz), ms_to_frames(_WINDOW_MS, rate_hz)
    size = 1 << (window - 1).bit_length()
    bank = _bank(size, rate_hz)
    hann = np.hanning(window)
    hops = -(-frames // hop)
    step = max(round(_BLOCK_S * rate_hz / hop), _LAG_HOPS + 1)
    flux = np.zeros(hops)
    powers, brights = [], []
    bright = signal.butter(2, min(_BRIGHT_HZ, 0.4 * rate_hz), "highpass", fs=rate_hz)
    block = max(ms_to_frames(BLOCK_MS, rate_hz), 1)
    for first in range(0, hops, step):
        count = min(step, hops - first)
        lead = min(_LAG_HOPS, first)
        start = (first - lead) * hop - window // 2
        heard = read(start, (count + lead - 1) * hop + window)
        views = np.lib.stride_tricks.sliding_window_view(heard, window, axis=1)[:, ::hop][:, : count + lead]
        spectra = np.abs(np.fft.rfft(views * hann, size, axis=2)) @ bank.T
        bands = np.log1p(_COMPRESSION * spectra)
        reach = ndimage.maximum_filter1d(bands, 3, axis=2)
        earlier = np.concatenate([np.repeat(reach[:, :1], _LAG_HOPS, axis=1), reach[:, :-_LAG_HOPS]], axis=1)
        rise = np.maximum(bands - earlier[:, : bands.shape[1]], 0.0).mean(axis=2).max(axis=0)
        flux[first : first + count] = rise[lead:]
    length = block * 1000 * round(_BLOCK_S)
    for at in range(0, frames, length):
        heard = read(at, min(length, frames - at))
        powers.append(block_power(without_rumble(heard, rate_hz), block))
        brights.append(block_power(np.asarray(signal.lfilter(*bright, heard, axis=1), np.float32), block))
    return flux, np.concatenate(powers), np.concatenate(brights)


def _bank(size: int, rate_hz: int) -> NDArray[np.float64]:
    """Return triangular bands on a logarithmic axis, (bands, bins), each of unit area; those between two bins go."""
    highest = 0.45 * rate_hz
    edges = _LOWEST_HZ * 2.0 ** (np.arange(0.0, np.log2(highest / _LOWEST_HZ), 1.0 / _BANDS_AN_OCTAVE))
    bins = np.fft.rfftfreq(size, 1.0 / rate_hz)
    low, middle, high = edges[:-2, None], edges[1:-1, None], edges[2:, None]
    bank = np.maximum(np.minimum((bins - low) / (middle - low), (high - bins) / (high - middle)), 0.0)
    area = bank.sum(axis=1, keepdims=True)
    return np.asarray((bank / np.maximum(area, 1e-9))[area[:, 0] > 0.5])


def _peaks(flux: NDArray[np.float64], apart: int) -> NDArray[np.int64]:
    """Return the hops at which the flux is highest around, and clearly over what is usual there."""
    around = max(round(_AROUND_MS / _HOP_MS), 3)
    mean = ndimage.uniform_filter1d(flux, 2 * around + 1, mode="nearest")
    median = ndimage.median_filter(flux, 2 * around + 1, mode="nearest")
    least = max(_LEAST_FLUX * float(np.percentile(flux, 99.5)), 0.02)
    over = flux > np.maximum(np.minimum(_OVER_MEAN * mean, mean + 0.3), median + least)
    found, _ = signal.find_peaks(np.where(over, flux, 0.0), distance=max(apart // 2, 1))
    if len(flux) and over[0]:
        found = np.append(0, found)
    return np.asarray(found, np.int64)


def _rises(power: NDArray[np.float64], at: NDArray[np.int64]) -> NDArray[np.float64]:
    """Return how much louder it is after each of these blocks than before, in dB under the loudest of the take.

    The loudest of some 25 ms on each side is compared, so that the slow swing of a deep drum is no rise.
    """
    smooth = ndimage.uniform_filter1d(power, 5, mode="nearest")
    reach, lead = round(_PEAK_MS / BLOCK_MS), round(_LEAD_MS / BLOCK_MS)
    after = np.array([smooth[max(k - lead, 0) : k + reach].max() for k in at])
    before = np.array([smooth[max(k - lead - reach, 0) : max(k - lead, 1)].max() for k in at])
    rise = np.maximum(after - before, 1e-20) / max(float(smooth.max()), 1e-20)
    return np.asarray(10.0 * np.log10(rise))


def _refined(read: Read, middle: int, frames: int, rate_hz: int) -> int:
    """Return the frame at which the hit near a frame begins: the first block that what was before does not foretell."""
    back, learn, after = (ms_to_frames(ms, rate_hz) for ms in (_BACK_MS, _LEARN_MS, _AFTER_MS))
    start = max(middle - back - learn, 0)
    heard = without_rumble(read(start, min(middle + after, frames) - start), rate_hz)
    block = max(ms_to_frames(BLOCK_MS, rate_hz), 1)
    lead = max(middle - back - start, 0) // block
    surprise = block_power(unforetold(heard, heard[:, : lead * block]), block)
    power = block_power(heard, block)
    steepest = _steepest(surprise, power, lead)
    usual = float(np.percentile(power[1:lead], 90)) if lead > 2 else 0.0
    clear = power >= max(_CLEAR * usual, _LOUD_PART * float(power[lead:].max()))
    clear[steepest], clear[:lead] = True, False
    rough = (back_while(clear, steepest, _DIP_BLOCKS) + 1) * block
    return start + attack_start(heard, min(rough, heard.shape[1] - 1), back=3 * block, rate_hz=rate_hz).frame


def _steepest(surprise: Levels, power: Levels, lead: int) -> int:
    """Return the block, from ``lead`` on, at which the hit rises most; a rise that stays far under it counts less."""
    best = np.full(len(power) - lead, -np.inf)
    for track in (surprise, power):
        sums = np.concatenate([[0.0], np.cumsum(track)])
        at = np.arange(lead, len(track))
        after = 0.5 * track[at] + 0.5 * (sums[np.minimum(at + _AFTER_BLOCKS, len(track))] - sums[at]) / _AFTER_BLOCKS
        early = np.maximum(at - _BEFORE_BLOCKS, 0)
        before = (sums[at] - sums[early]) / np.maximum(at - early, 1)
        jump = np.log(np.maximum(after, 1e-20) / np.maximum(before, 1e-20))
        best = np.maximum(best, jump + _WEIGHT * np.log(np.maximum(after, 1e-20) / max(float(after.max()), 1e-20)))
    return lead + int(np.argmax(best))


def _ended(
    onsets: list[int], power: NDArray[np.float64], frames: int, rate_hz: int, recipe: HitRecipe
) -> list[TakenHit]:
    """Return the hits with their ends: where the ring-out meets the floor, or where the next one begins."""
    block = max(ms_to_frames(BLOCK_MS, rate_hz), 1)
    smooth = ndimage.uniform_filter1d(power, 40, mode="nearest")
    floor = max(float(np.percentile(smooth, 2)), 1e-20)
    hits = []
    for onset, following in zip(onsets, [*onsets[1:], frames], strict=True):
        part = smooth[: -(-following // block)]
        ring = ring_out(
            part, min(onset // block + 5, len(part) - 1), floor=floor, over_db=recipe.over_floor_db,
            block_s=BLOCK_MS / 1000.0, gap_s=_EXTRA_GAP_S,
        )  # fmt: skip
        hits.append(TakenHit(onset, max(min(ring.end * block, following), onset + 1)))
    return hits
