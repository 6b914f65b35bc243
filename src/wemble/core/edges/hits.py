"""Hits in a take: every onset of one recording, also where a hit falls into the ring-out of the one before.

A hit shows as a sudden rise in many bands at once. The rise is measured against the loudest that each band and its
neighbours were a moment ago, so that a wavering ring-out is no rise. A take is measured once, in long blocks: every
place at which a hit may begin, to the sample. Which of them count is then a choice that is quick enough to be dragged.
"""

from __future__ import annotations

from bisect import bisect_left
from collections.abc import Sequence
from dataclasses import dataclass
from itertools import pairwise

import numpy as np
from numpy.typing import NDArray
from scipy import fft, ndimage, signal

from wemble.core.edges.attack import attack_start
from wemble.core.edges.certainty import attack_within, ring_out_within
from wemble.core.edges.decay import follow
from wemble.core.edges.hit_doubts import CODING_NOISE, Doubt, coding_noise_ahead
from wemble.core.edges.hit_levels import BLOCK_MS, Levels, block_power, high_passed, prediction_residual
from wemble.core.edges.onset import back_while
from wemble.core.edges.recipe import HitRecipe
from wemble.core.edges.refine import Read
from wemble.core.signal.levels import ms_to_frames

# The numbers were set on the split `tune` of bench/hits_accuracy.py.
_HOP_MS = 3.0
_WINDOW_MS = 23.0
_LOWEST_HZ = 40.0
_BANDS_AN_OCTAVE = 6
_COMPRESSION = 1000.0
_LAG_HOPS = 4
_AROUND_MS = 100.0
_OVER_MEAN = 1.6
_LEAST_FLUX = 0.10
SOFTEST_DB = 48.0
"""How far under the loudest of a take a rise is looked at at all."""
_DULLER_DB = 6.0
_LEAST_STEP_DB = 2.5
_BARELY_DB = 1.5
_BRIGHT_HZ = 300.0
_BACK_MS = 25.0
_LEAD_MS = 12.0
_LEARN_MS = 60.0
_AFTER_MS = 12.0
_AFTER_BLOCKS = 5
_BEFORE_BLOCKS = 6
_WEIGHT = 0.5
_CLEAR = 6.0
_LOUD_PART, _SOFT_BEGINNING = 0.004, 0.0007
_NEW = 4.0
_SOFT_PART = 1e-5
_SOFT_BLOCKS = 4
_STEP_BLOCKS, _STEPS_UP, _SURPRISES, _JUST_BEFORE_BLOCKS = 7, 8.0, 6.0, 10
_BACK_BLOCKS = 3
_UNSURE_MS = 1.5
_SILENCE = 1e-20
_DIP_BLOCKS = 2
_PEAK_MS = 25.0
_BLOCK_S = 20.0
_EXTRA_GAP_S = 0.25
_ANOTHER_MS = 40.0
_END_SMOOTH_MS = 40.0
_SHORTEST_TAKE_S, _SEVERAL_HITS = 2.0, 4


@dataclass(frozen=True, slots=True)
class TakenHit:
    """A hit of a take, in its frames: where it speaks, and where it is over or the next one begins; between
    which frames either lies with nine in ten."""

    onset_frame: int
    end_frame: int
    confidence: float = 1.0
    reason: str = "clear start"
    onset_lo_frame: int = 0
    onset_hi_frame: int = 0
    end_lo_frame: int = 0
    end_hi_frame: int = 0


@dataclass(frozen=True, slots=True)
class TakenHits:
    """The hits of a take in order, how many were taken together with another, and how many were too soft to count."""

    hits: tuple[TakenHit, ...]
    together: int = 0
    too_soft: int = 0


@dataclass(frozen=True, slots=True, eq=False)
class Take:
    """What finding again reads while numbers are dragged: every place of a take at which a hit may begin.

    Places are in order: ``hops`` int64, every 3 ms, and ``flux`` at them; ``onsets`` int64, the frames at which they
    begin; ``loud_db``, how much louder it becomes there than before, relative to the loudest of the take, and
    ``step_db``, relative to what was before; ``doubts``, what makes a beginning unsure, if anything does; ``within`` int64
    (n, 2), between which frames it lies with nine in ten. ``power``
    float32 (blocks of 1 ms) is smooth over 40 ms.
    """

    rate_hz: int
    frames: int
    hops: NDArray[np.int64]
    flux: NDArray[np.float64]
    onsets: NDArray[np.int64]
    loud_db: NDArray[np.float64]
    step_db: NDArray[np.float64]
    doubts: tuple[Doubt | None, ...]
    within: NDArray[np.int64]
    power: NDArray[np.float32]


def measure_take(read: Read, frames: int, rate_hz: int, *, coded: bool = False) -> Take:
    """Look through a take once.

    Parameters
    ----------
    read : (start, frames) -> float32 array, shape (channels, frames)
    coded : bool
        Whether it was coded with loss, so that noise may spread ahead of an attack.

    References
    ----------
    Bello, Daudet, Abdallah, Duxbury, Davies, Sandler, *A tutorial on onset detection in music signals*, IEEE TSAP
    13(5), 2005 (spectral flux, adaptive threshold); Böck, Widmer, *Maximum filter vibrato suppression for onset
    detection*, DAFx-13, 2013 (the comparison with a maximum over neighbouring bands); from memory.
    """
    if frames < ms_to_frames(2 * _WINDOW_MS, rate_hz):
        none, nothing = np.zeros(0, np.int64), np.zeros(0)
        return Take(
            rate_hz, frames, none, nothing, none, nothing, nothing, (), none.reshape(0, 2), np.zeros(0, np.float32)
        )
    flux, power, bright = _measured(read, frames, rate_hz)
    hops = _peaks(flux)
    middles = hops * ms_to_frames(_HOP_MS, rate_hz)
    blocks = middles // max(ms_to_frames(BLOCK_MS, rate_hz), 1)
    (full, full_step), (upper, upper_step) = _rises(power, blocks), _rises(bright, blocks)
    loud, step = np.maximum(full, upper - _DULLER_DB), np.maximum(full_step, upper_step)
    heard = (loud >= -SOFTEST_DB) & (step >= _LEAST_STEP_DB)
    begins = [_begins(read, int(middle), frames, rate_hz, coded=coded) for middle in middles[heard]]
    smooth = ndimage.uniform_filter1d(power, round(_END_SMOOTH_MS / BLOCK_MS), mode="nearest").astype(np.float32)
    onsets, doubts = np.array([at for at, _, _ in begins], np.int64), tuple(doubt for _, _, doubt in begins)
    within = np.array([pair for _, pair, _ in begins], np.int64).reshape(-1, 2).clip(0, frames)
    return Take(
        rate_hz, frames, hops[heard], flux[hops[heard]], onsets, loud[heard], step[heard], doubts, within, smooth
    )


def find_hits(take: Take, recipe: HitRecipe) -> TakenHits:
    """Return the hits of a take that a recipe lets count.

    ``softest_under_peak_db`` says how far under the loudest a hit may lie, ``shortest_gap_ms`` the shortest time between
    two; ``over_floor_db`` when one is over.
    """
    gap = ms_to_frames(recipe.shortest_gap_ms, take.rate_hz)
    loud = np.flatnonzero(take.loud_db >= -recipe.softest_under_peak_db)
    peaks = loud[_apart(take.hops[loud], take.flux[loud], max(round(recipe.shortest_gap_ms / _HOP_MS / 2), 1))]
    kept = peaks[_apart(take.onsets[peaks], take.loud_db[peaks], gap)]
    kept = kept[np.argsort(take.onsets[kept], kind="stable")]
    onsets, ends = take.onsets[kept], _ends(take, take.onsets[kept], recipe)
    hits = [
        TakenHit(at, end, *_sure(take, n, recipe), int(take.within[n, 0]), int(take.within[n, 1]), *end_within)
        for n, at, (end, end_within) in zip(kept.tolist(), onsets.tolist(), ends, strict=True)
    ]
    another = ms_to_frames(_ANOTHER_MS, take.rate_hz)
    return TakenHits(
        tuple(hits),
        together=_count_away(take.onsets[loud], onsets, another),
        too_soft=_count_away(np.delete(take.onsets, loud), onsets, another),
    )


def holds_many(take: Take) -> bool:
    """Say whether a recording is a take and no one-shot: it is long enough, and holds several hits."""
    long_enough = take.frames >= _SHORTEST_TAKE_S * take.rate_hz
    return long_enough and len(find_hits(take, HitRecipe(many=True)).hits) >= _SEVERAL_HITS


def _count_away(places: NDArray[np.int64], onsets: NDArray[np.int64], apart: int) -> int:
    """Return how many places lie away from all onsets; those that lie at one place count once."""
    if not len(onsets):
        return 0
    right = np.searchsorted(onsets, places)
    nearest = np.minimum(
        np.abs(places - onsets[np.minimum(right, len(onsets) - 1)]), np.abs(places - onsets[np.maximum(right - 1, 0)])
    )
    away = np.sort(places[nearest >= apart])
    return int(np.count_nonzero(np.diff(away, prepend=-apart) >= apart))


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


def _sure(take: Take, n: int, recipe: HitRecipe) -> Doubt:
    """Return how sure a hit is, and why."""
    doubts = [doubt for doubt in take.doubts[n : n + 1] if doubt]
    if take.loud_db[n] < _BARELY_DB - recipe.softest_under_peak_db:
        doubts.append((0.4, "hardly loud enough to count"))
    if take.step_db[n] < _BARELY_DB + _LEAST_STEP_DB:
        doubts.append((0.45, "hardly stands out of what rings before it"))
    return min(doubts, default=(1.0, "clear start"))


def _apart(at: NDArray[np.int64], sizes: NDArray[np.float64], gap: int) -> NDArray[np.int64]:
    """Return which places stay, so that they are at least a gap apart: of two that are too close the larger one."""
    kept: list[int] = []
    taken: list[int] = []
    for n in np.argsort(-sizes, kind="stable"):
        place = bisect_left(taken, int(at[n]))
        near = taken[max(place - 1, 0) : place + 1]
        if all(abs(int(at[n]) - other) >= gap for other in near):
            taken.insert(place, int(at[n]))
            kept.append(int(n))
    return np.array(sorted(kept), np.int64)


def _measured(read: Read, frames: int, rate_hz: int) -> tuple[NDArray[np.float64], ...]:
    """Return the flux of every hop, and the power of every millisecond, in the full and the bright band."""
    hop, window = ms_to_frames(_HOP_MS, rate_hz), ms_to_frames(_WINDOW_MS, rate_hz)
    size = 1 << (window - 1).bit_length()
    bank = _bank(size, rate_hz)
    hann = np.hanning(window).astype(np.float32)
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
        spectra = np.abs(fft.rfft(views * hann, size, axis=2)) @ bank.T
        bands = np.log1p(_COMPRESSION * spectra)
        reach = ndimage.maximum_filter1d(bands, 3, axis=2)
        earlier = np.concatenate([np.repeat(reach[:, :1], _LAG_HOPS, axis=1), reach[:, :-_LAG_HOPS]], axis=1)
        rise = np.maximum(bands - earlier[:, : bands.shape[1]], 0.0).mean(axis=2).max(axis=0)
        flux[first : first + count] = rise[lead:]
    length = block * 1000 * round(_BLOCK_S)
    for at in range(0, frames, length):
        heard = read(at, min(length, frames - at))
        powers.append(block_power(high_passed(heard, rate_hz), block))
        brights.append(block_power(np.asarray(signal.lfilter(*bright, heard, axis=1), np.float32), block))
    return flux, np.concatenate(powers), np.concatenate(brights)


def _bank(size: int, rate_hz: int) -> NDArray[np.float32]:
    """Return triangular bands on a logarithmic axis, (bands, bins), each of unit area; those between two bins go."""
    highest = 0.45 * rate_hz
    edges = _LOWEST_HZ * 2.0 ** (np.arange(0.0, np.log2(highest / _LOWEST_HZ), 1.0 / _BANDS_AN_OCTAVE))
    bins = np.fft.rfftfreq(size, 1.0 / rate_hz)
    low, middle, high = edges[:-2, None], edges[1:-1, None], edges[2:, None]
    bank = np.maximum(np.minimum((bins - low) / (middle - low), (high - bins) / (high - middle)), 0.0)
    area = bank.sum(axis=1, keepdims=True)
    return np.asarray((bank / np.maximum(area, 1e-9))[area[:, 0] > 0.5], np.float32)


def _peaks(flux: NDArray[np.float64]) -> NDArray[np.int64]:
    """Return the hops at which the flux is highest around, and clearly over what is usual there."""
    around = max(round(_AROUND_MS / _HOP_MS), 3)
    mean = ndimage.uniform_filter1d(flux, 2 * around + 1, mode="nearest")
    median = ndimage.median_filter(flux, 2 * around + 1, mode="nearest")
    least = max(_LEAST_FLUX * float(np.percentile(flux, 99.5)), 0.02)
    over = flux > np.maximum(np.minimum(_OVER_MEAN * mean, mean + 0.3), median + least)
    found, _ = signal.find_peaks(np.where(over, flux, 0.0))
    if len(flux) and over[0]:
        found = np.append(0, found)
    return np.asarray(found, np.int64)


def _rises(power: Levels, at: NDArray[np.int64]) -> tuple[NDArray[np.float64], NDArray[np.float64]]:
    """Return how much louder it is after each of these blocks than before: in dB under the loudest, and over before.

    The loudest of some 25 ms on each side is compared, so that the slow swing of a deep drum is no rise.
    """
    smooth = ndimage.uniform_filter1d(power, 5, mode="nearest")
    reach, lead = round(_PEAK_MS / BLOCK_MS), round(_LEAD_MS / BLOCK_MS)
    after = np.array([smooth[max(k - lead, 0) : k + reach].max() for k in at])
    before = np.array([smooth[max(k - lead - reach, 0) : max(k - lead, 1)].max() for k in at])
    rise = np.maximum(after - before, _SILENCE) / max(float(smooth.max()), _SILENCE)
    step = np.maximum(after, _SILENCE) / np.maximum(before, _SILENCE)
    return np.asarray(10.0 * np.log10(rise)), np.asarray(10.0 * np.log10(step))


def _begins(
    read: Read, middle: int, frames: int, rate_hz: int, *, coded: bool
) -> tuple[int, tuple[int, int], Doubt | None]:
    """Return the frame at which the hit near a frame begins, between which it lies with nine in ten, and a doubt: what was
    before does not predict it."""
    back, learn, after = (ms_to_frames(ms, rate_hz) for ms in (_BACK_MS, _LEARN_MS, _AFTER_MS))
    start = max(middle - back - learn, 0)
    heard = high_passed(read(start, min(middle + after, frames) - start), rate_hz)
    block = max(ms_to_frames(BLOCK_MS, rate_hz), 1)
    lead = max(middle - back - start, 0) // block
    surprise = block_power(prediction_residual(heard, heard[:, : lead * block]), block)
    power = block_power(heard, block)
    steepest = _steepest(surprise, power, lead)
    first = _back(power, steepest, lead, times=_CLEAR, part=_LOUD_PART, dip=_DIP_BLOCKS)
    first = _softly_begun(power, surprise, first, lead)
    new = _back(surprise, first, lead, times=_NEW, part=_SOFT_PART, dip=1)
    led_into = first - new > _SOFT_BLOCKS  # longer than the soft beginning of a hit: another sound, which is left out
    rough = ((first if led_into else new) + 1) * block
    begin = attack_start(heard, min(rough, heard.shape[1] - 1), back=_BACK_BLOCKS * block, rate_hz=rate_hz)
    unsure_ms = begin.unsure_frames * 1000.0 / rate_hz
    first, last = attack_within("take_hit", begin, begin.frame, rate_hz)
    at, within = start + begin.frame, (start + first, start + last)
    if led_into:
        return at, within, (0.45, "a softer sound leads into it")
    if coded and coding_noise_ahead(power, begin.frame // block):
        return at, within, (0.45, CODING_NOISE)
    return at, within, (0.45, f"noise hides the first {unsure_ms:.1f} ms") if unsure_ms > _UNSURE_MS else None


def _back(power: Levels, start: int, lead: int, *, times: float, part: float, dip: int) -> int:
    """Return the first of the blocks up to ``start``, over short dips, that are louder than what was usual in the first
    ``lead`` blocks, and than a part of the loudest after them."""
    usual = float(np.percentile(power[1:lead], 90)) if lead > 2 else 0.0
    over = np.asarray(power >= max(times * usual, part * float(power[lead:].max(initial=0.0))))
    over[start], over[:lead] = True, False
    return back_while(over, start, dip)


def _softly_begun(power: Levels, surprise: Levels, start: int, lead: int) -> int:
    """Return the block, a few before ``start`` at most, at which a hit begins softly inside a ring-out that was louder a while
    ago: it became far louder at once than just before and stayed so, or nothing just before is nearly as surprising.

    What lies far under the hit is another's bleed.
    """
    least = _SOFT_BEGINNING * float(power[lead:].max(initial=0.0))
    for block in range(max(start - _STEP_BLOCKS, lead), start):
        just_before = slice(max(block - _JUST_BEFORE_BLOCKS, 0), block)
        stepped_up = power[block:start].min() >= _STEPS_UP * power[just_before].max(initial=_SILENCE)
        surprises = surprise[block] >= _SURPRISES * surprise[just_before].max(initial=_SILENCE)
        if power[block] >= least and (stepped_up or surprises):
            return block
    return start


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


def _ends(take: Take, onsets: NDArray[np.int64], recipe: HitRecipe) -> list[tuple[int, tuple[int, int]]]:
    """Return where hits are over: where the ring-out meets the floor, or where the next one begins; between which frames that
    lies with nine in ten."""
    block = max(ms_to_frames(BLOCK_MS, take.rate_hz), 1)
    floor = max(float(np.percentile(take.power, 2)), _SILENCE) if len(take.power) else _SILENCE
    ends = []
    for onset, following in pairwise([*onsets.tolist(), take.frames]):
        part = take.power[: -(-following // block)]
        loud = min(onset // block + 5, len(part) - 1)
        decay = follow(part, loud, floor=floor, block_s=BLOCK_MS / 1000.0, gap_s=_EXTRA_GAP_S)
        over = decay.ring_out(recipe.over_floor_db)
        end = max(min(over.end * block, following), onset + 1)
        first, last = ring_out_within(over.fall_db / BLOCK_MS, end, take.rate_hz) if over.fall_db else (end, end)
        ends.append((end, (max(first, onset + 1), min(last, following))))
    return ends
