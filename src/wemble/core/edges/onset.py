"""One-shots: where a hit speaks, where it is over, and how sure that is.

The level is followed in blocks of 1 ms. From the first loud block inside the search limit the search walks back to
where the rise leaves what lies before it; the sample is then found by `attack_start`. A softer sound before the hit,
a breath or the hand on the drum, is left out when the hit rises out of it steeply or when quiet lies between, and is
told.
"""

from __future__ import annotations

from collections.abc import Callable
from dataclasses import dataclass, field
from functools import lru_cache
from typing import Any, TypeVar

import numpy as np
from numpy.typing import NDArray
from scipy import ndimage, signal

from wemble.core.edges.attack import attack_start
from wemble.core.edges.decay import Decay, follow
from wemble.core.edges.envelope import Flags
from wemble.core.edges.recipe import DOUBTFUL, HitRecipe
from wemble.core.signal.levels import Samples, from_db, ms_to_frames
from wemble.core.signal.prediction import prediction_error, prediction_error_filter

BLOCK_MS = 1.0
_RUMBLE_HZ = 25.0
_LOUD_UNDER_PEAK_DB = 14.0
_TAIL_FLOOR_MS = 50.0
_FLOOR_UNDER_PEAK_DB = 20.0
_OVER_NOISE = 2.8
_HIDDEN_DB = 60.0
_DIP_MS = 20.0
_STEEP_DB = 15.0
_STEEP_MS = 6.0
_LEADS_IN_MS = 12.0
_LEAD_BLOCKS = 30
_AS_QUIET = 6.0
_SOFTER_MS = 50.0
_SWING_BLOCKS = 3
"""Between the swings of a deep tone a block or two are quiet."""
_SLOW_MS = 12.0
_SWELL_MS = 150.0
_LEAST_BACK_MS = 4.0
_UNSURE_MS = 1.5
_AROUND_ATTACK_MS = 20.0
_END_SMOOTH_MS = 40.0
_AHEAD_MS = 160.0
"""Up to so long before the attack the noise is heard alone, whatever the rise."""
_WANDERS, _MOST_WANDER = 0.7, 4.0
_SWELL_AHEAD = 0.06
"""Where a swell begins cannot be told closer than a part of its length; the head goes ahead by that."""
_FIRST_FRAMES, _AT_ONCE_DB, _OVER_NOISE_TOP = 2, -26.0, 1.5
_FLAT_FROM, _BOUND, _FLAT_TOPS = 0.9, 0.003, 2
_AGAIN_FROM_MS, _AGAIN_BEFORE_MS, _AGAIN_MS = 40.0, 40.0, 4.0
_AGAIN_TIMES, _AGAIN_UNDER_PEAK_DB, _AGAIN_OVER_FLOOR_DB = 2.5, 25.0, 15.0
_CLICK_BLOCKS, _CLICK_TIMES, _CLICK_UNDER_PEAK_DB, _CLICK_AHEAD_MS = 2, 4.0, 60.0, 4.0
_BEGINS_MS, _BEGINS_UNDER_DB, _NEAR_NOISE_DB = 4.0, 10.0, 36.0
_UNFORETOLD = 2
"""The first blocks of a file are foretold by nothing."""
_BUMP_MS = 12.0
_BUMP_OVER = 1.15
_END_GAP_S = 0.25
_SILENCE = 1e-20
_MOST_KNOWN = 64

T = TypeVar("T")

Levels = NDArray[np.floating[Any]]

CLEAR_START, CLEAR_END, SILENCE = "clear start", "clear end", "silence"
Doubt = tuple[float, str]
"""How sure something still is, and why."""


@dataclass(frozen=True, slots=True)
class Hit:
    """What was found in a one-shot, in its frames.

    ``confidence`` in 0…1 is that of its start, ``end_confidence`` that of its end: under `DOUBTFUL` somebody should look,
    and the reason beside it says why. ``rise_ms`` is how long the sound takes to come near its peak. ``end_frame`` has no
    room yet.
    """

    onset_frame: int
    end_frame: int
    confidence: float
    reason: str
    rise_ms: float
    end_confidence: float = 1.0
    end_reason: str = CLEAR_END

    @property
    def doubtful(self) -> bool:
        """Whether it should be looked at."""
        return min(self.confidence, self.end_confidence) < DOUBTFUL


@dataclass(frozen=True, slots=True, eq=False)
class HitLevels:
    """What finding again reads while numbers are dragged: block powers of a one-shot.

    ``power`` float32 (blocks,) is that over 1 ms, without rumble, up to the attack, and ``peak`` the largest of all;
    ``new`` bool says of each block up to the loud one whether it has what the noise, humming or rumbling, does not
    predict, ``clicks`` whether by far. The ring-out is followed without and with rumble in ``decays``: a rumble wavers too
    much to be followed alone, and may be all that is left of a drum. ``quiet_block`` begins the quietest 50 ms,
    ``loud_block`` is the first near the peak, ``again_block`` the one at which the ring-out is struck again, and ``known``
    keeps what was asked before: while one number is dragged the others stay.
    """

    rate_hz: int
    frames: int
    block_frames: int
    blocks: int
    power: Levels
    peak: float
    new: Flags
    clicks: Flags
    decays: tuple[Decay, ...]
    quiet_block: int
    loud_block: int
    again_block: int | None
    known: dict[tuple[str, float], Any] = field(default_factory=dict)

    @property
    def silent(self) -> bool:
        """Whether there is nothing at all."""
        return self.peak <= _SILENCE


def hit_levels(samples: Samples, rate_hz: int) -> HitLevels:
    """Measure a one-shot once: float32 (channels, frames) to its levels."""
    block = max(ms_to_frames(BLOCK_MS, rate_hz), 1)
    power = block_power(high_passed(samples, rate_hz), block)
    quiet = _quiet_means(power, _TAIL_FLOOR_MS)
    at = int(np.argmin(quiet)) if len(quiet) else 0
    noise = samples[:, at * block :][:, : ms_to_frames(_TAIL_FLOOR_MS, rate_hz)]
    loud = int(np.argmax(power >= 10.0 ** (-_LOUD_UNDER_PEAK_DB / 10.0) * power.max(initial=0.0))) if len(power) else 0
    risen = loud + round(_AROUND_ATTACK_MS / BLOCK_MS)
    rising = samples[:, : risen * block]
    surprise = block_power(prediction_residual(rising, noise), block)
    usual, ahead = block_power(prediction_residual(noise, noise), block)[1:], surprise[: max(loud - 2, 0)]
    if loud > _LEAD_BLOCKS and len(usual) and np.median(ahead) <= _AS_QUIET * np.median(usual):
        usual = ahead  # what lies right before the hit is its noise, unless a softer hit rings there
    decays = (
        _followed(power, loud, _END_SMOOTH_MS, keeps_later=True),
        _followed(block_power(samples, block), loud, _END_SMOOTH_MS),
        _followed(power, loud, _BUMP_MS),
    )
    top = _noise_top(surprise, usual)
    new, clicks = surprise[: loud + 1] > top, surprise[: loud + 1] > _CLICK_TIMES * top
    return HitLevels(
        rate_hz, samples.shape[1], block, len(power), power[:risen].astype(np.float32), float(power.max(initial=0.0)),
        new, clicks, decays, at, loud, _struck_again(power, loud),
    )  # fmt: skip


def _struck_again(power: Levels, loud: int) -> int | None:
    """Return the block at which a hit rises out of the ring-out of the one before: over all of the last 40 ms, so that no
    beating and no swing of a deep tone is taken for one."""
    before, after = round(_AGAIN_BEFORE_MS / BLOCK_MS), round(_AGAIN_MS / BLOCK_MS)
    start = loud + round(_AGAIN_FROM_MS / BLOCK_MS)
    if len(power) <= start + after:
        return None
    was = ndimage.maximum_filter1d(power, before, origin=(before - 1) // 2)[start - 2 : len(power) - 2]
    comes = ndimage.maximum_filter1d(power, after, origin=-(after // 2))[start:]
    floor = _quietest(power, _TAIL_FLOOR_MS) * 10.0 ** (_AGAIN_OVER_FLOOR_DB / 10.0)
    least = max(float(power.max()) * 10.0 ** (-_AGAIN_UNDER_PEAK_DB / 10.0), floor)
    over = np.flatnonzero((comes > _AGAIN_TIMES * was) & (comes > least))
    return start + int(over[0]) if len(over) else None


def prediction_residual(samples: Samples, noise: Samples) -> Samples:
    """Return what a predictor that was fitted to the noise of each channel does not predict."""
    if not samples.shape[1]:
        return samples
    pairs = zip(samples, noise, strict=True)
    return np.stack([prediction_error(prediction_error_filter([n.astype(np.float64)]), x) for x, n in pairs])


def _followed(power: Levels, loud: int, over_ms: float, *, keeps_later: bool = False) -> Decay:
    """Return the decay of a power smoothed over a while; that of a short while wavers, and its floor counts for more.

    What never falls far under its loudest has no floor that could be seen: it goes on to the end.
    """
    smooth = ndimage.uniform_filter1d(power, round(over_ms / BLOCK_MS), mode="nearest") if len(power) else power
    floor = _quietest(power, _TAIL_FLOOR_MS) * (1.0 if over_ms > _BUMP_MS else _BUMP_OVER)
    ahead = smooth[: max(loud - round(_AHEAD_MS / BLOCK_MS), 0)]
    if len(ahead) >= round(
        _TAIL_FLOOR_MS / BLOCK_MS
    ):  # noise that wanders is met where it wanders to, not at its quietest
        floor = min(max(floor, _WANDERS * float(ahead.max())), _MOST_WANDER * floor)
    floor = min(floor, float(smooth.max(initial=0.0)) * 10.0 ** (-_FLOOR_UNDER_PEAK_DB / 10.0))
    return follow(
        smooth, loud, floor=max(floor, _SILENCE), block_s=BLOCK_MS / 1000.0, gap_s=_END_GAP_S, keeps_later=keeps_later
    )


def high_passed(samples: Samples, rate_hz: int, offset: NDArray[np.float64] | None = None) -> Samples:
    """Return samples without what lies under 25 Hz and without their offset (their mean unless given), nothing moved ahead."""
    if not samples.shape[1]:
        return samples
    sos, at_rest = _rumble_filter(rate_hz)
    if offset is None:
        offset = samples.mean(axis=1, keepdims=True, dtype=np.float64)
    settled = at_rest[:, None, :] * offset[None]
    return np.asarray(signal.sosfilt(sos, samples, axis=1, zi=settled)[0], np.float32)


@lru_cache
def _rumble_filter(rate_hz: int) -> tuple[NDArray[np.float64], NDArray[np.float64]]:
    """Return the filter's sections, and their state after a long offset of 1."""
    sos = np.asarray(signal.butter(1, _RUMBLE_HZ, "highpass", fs=rate_hz, output="sos"))
    return sos, np.asarray(signal.sosfilt_zi(sos))


def block_power(samples: Samples, block: int) -> Levels:
    """Return the mean square of every block, of the loudest channel; the last block may be short."""
    starts = np.arange(0, samples.shape[1], block)
    if not len(starts):
        return np.zeros(0)
    sums = np.add.reduceat(np.square(samples, dtype=np.float64), starts, axis=1).max(axis=0)
    return np.asarray(sums / np.diff(np.append(starts, samples.shape[1])))


@dataclass(frozen=True, slots=True)
class Rough:
    """A hit to the block: first block, the block at which it is loud, its end, and the doubts about start and end."""

    first: int
    loud: int
    end: int
    doubts: tuple[Doubt, ...]
    end_doubts: tuple[Doubt, ...]


def rough_hit(levels: HitLevels, recipe: HitRecipe) -> Rough:
    """Find a hit to the block, from its levels alone: a draft that is quick enough to be dragged."""
    if levels.silent:
        return Rough(0, 0, levels.blocks, ((0.0, SILENCE),), ((0.0, SILENCE),))
    loud = levels.loud_block
    first, found = _known(levels, "start", recipe.start_under_peak_db, _walked_back)
    doubts = list(found)
    if first > round(recipe.within_ms / BLOCK_MS):
        doubts.append((0.2, f"nothing speaks within the first {recipe.within_ms:g} ms"))
    end, met_floor, followed = _known(levels, "end", recipe.over_floor_db, _rung_out)
    end_doubts: list[Doubt] = [] if met_floor else [(0.7, "still sounding where the file ends")]
    if followed:
        end_doubts.append((0.4, "another sound follows"))
    if levels.again_block is not None:
        after_ms = (levels.again_block - loud) * BLOCK_MS
        end_doubts.append((0.4, f"a second hit {after_ms:.0f} ms later"))
    return Rough(first, loud, end, tuple(doubts), tuple(end_doubts))


def _known(levels: HitLevels, what: str, number: float, find: Callable[[HitLevels, float], T]) -> T:
    """Return what depends on one number alone, looked up if it was asked before."""
    key = (what, number)
    if key not in levels.known:
        if len(levels.known) >= _MOST_KNOWN:
            levels.known.clear()
        levels.known[key] = find(levels, number)
    found: T = levels.known[key]
    return found


def _rung_out(levels: HitLevels, over_db: float) -> tuple[int, bool, bool]:
    """Return the block at which a hit is over, whether it met its floor, and whether another sound follows."""
    ends = [decay.ring_out(over_db) for decay in levels.decays]
    return max(end.end for end in ends), all(end.met_floor for end in ends), ends[0].followed


def find_hit(samples: Samples, rate_hz: int, recipe: HitRecipe, levels: HitLevels | None = None) -> Hit:
    """Find where a one-shot speaks and where it is over, to the sample.

    Parameters
    ----------
    samples : float32 array, shape (channels, frames)
    recipe : HitRecipe
        How far under its peak a sample speaks, how far in to look, when it is over.

    Returns
    -------
    Hit
        Silence and empty input give the whole, with confidence 0. What speaks behind the limit is cut no further in
        than that.
    """
    levels = levels or hit_levels(samples, rate_hz)
    rough = rough_hit(levels, recipe)
    frames = samples.shape[1]
    if levels.silent:
        return Hit(0, frames, 0.0, SILENCE, 0.0, 0.0, SILENCE)
    rise = (rough.loud - rough.first) * BLOCK_MS
    at = min((rough.first + 2) * levels.block_frames, frames)
    back = ms_to_frames(max(_LEAST_BACK_MS, 0.5 * rise), rate_hz) + 2 * levels.block_frames
    quiet = levels.quiet_block * levels.block_frames
    offset = samples.mean(axis=1, keepdims=True, dtype=np.float64)
    noise = high_passed(samples[:, quiet : quiet + ms_to_frames(_TAIL_FLOOR_MS, rate_hz)], rate_hz, offset)
    heard = high_passed(samples[:, : at + ms_to_frames(_AROUND_ATTACK_MS, rate_hz)], rate_hz, offset)
    start = attack_start(heard, at, back=back, rate_hz=rate_hz, quiet=noise)
    ahead = ms_to_frames(_SWELL_AHEAD * max(rise - _SLOW_MS, 0.0), rate_hz)
    onset = min(max(start.frame - ahead, 0), ms_to_frames(recipe.within_ms, rate_hz))
    unsure_ms = start.unsure_frames * 1000.0 / rate_hz
    end = min(rough.end * levels.block_frames, frames)
    doubts = [*rough.doubts, *_recorded_badly(samples, noise)]
    if rise > _SLOW_MS:
        doubts.append((0.9 - 0.45 * min(rise / _SWELL_MS, 1.0), f"rises slowly, over {rise:.0f} ms"))
    if _rises_out_of(levels, onset, noise):
        doubts.append((0.45, "rises out of the noise"))
    if unsure_ms > _UNSURE_MS:
        doubts.append((0.45, f"noise hides the first {unsure_ms:.1f} ms"))
    confidence, reason = min(doubts, default=(1.0, CLEAR_START))
    end_confidence, end_reason = min(rough.end_doubts, default=(1.0, CLEAR_END))
    return Hit(onset, max(end, onset + 1), confidence, reason, rise, end_confidence, end_reason)


def _rises_out_of(levels: HitLevels, onset: int, noise: Samples) -> bool:
    """Say whether a hit not far over its noise is far softer at first than later: what comes before may lie in the noise."""
    first = onset // levels.block_frames
    begins = levels.power[first : first + round(_BEGINS_MS / BLOCK_MS)]
    power = float(np.square(noise, dtype=np.float64).mean(axis=1).max(initial=0.0)) if noise.size else 0.0
    if not len(begins) or levels.peak > power * 10.0 ** (_NEAR_NOISE_DB / 10.0):
        return False
    return bool(begins.mean() < levels.peak * 10.0 ** (-_BEGINS_UNDER_DB / 10.0))


def _recorded_badly(samples: Samples, noise: Samples) -> list[Doubt]:
    """Return what is wrong with the recording itself: it begins too late, or its peaks are cut off."""
    peak = float(np.abs(samples).max(initial=0.0))
    first = np.abs(samples[:, :_FIRST_FRAMES] - samples.mean(axis=1, keepdims=True))
    stands = _OVER_NOISE_TOP * float(np.abs(noise).max(initial=0.0))
    doubts: list[Doubt] = []
    if float(first.max(initial=0.0)) > max(peak * from_db(_AT_ONCE_DB), stands):
        doubts.append((0.45, "the file starts inside the attack"))
    if any(_flat_tops(channel, peak) >= _FLAT_TOPS for channel in samples):
        doubts.append((0.45, "its peaks are clipped"))
    return doubts


def _flat_tops(channel: NDArray[np.float32], peak: float) -> int:
    """Return how often a wave stays at the same value for three frames near its peak, and comes to it in one bound."""
    near = np.flatnonzero(np.abs(channel[1:-2]) > _FLAT_FROM * peak) + 1
    flat = (channel[near] == channel[near + 1]) & (channel[near] == channel[near + 2])
    bound = np.abs(channel[near] - channel[near - 1]) > _BOUND * peak
    return int(np.count_nonzero(flat & bound))


def _walked_back(levels: HitLevels, start_under_peak_db: float) -> tuple[int, list[Doubt]]:
    """Return the block at which the rise to the loud block leaves its floor, and doubts."""
    loud = levels.loud_block
    speaks = levels.new & (levels.power[: loud + 1] > levels.peak * 10.0 ** (-start_under_peak_db / 10.0))
    first = back_while(speaks, loud, round(_DIP_MS / BLOCK_MS))
    steep = _steepest(levels.power, first, loud)
    if steep is not None:
        return steep, [(0.4, "a softer sound runs into it")]
    doubts: list[Doubt] = [(0.4, "a softer sound before it")] if np.count_nonzero(speaks[:first]) > 1 else []
    if (click := _click_before(levels, first)) is not None:
        doubts.append((0.45, f"a click {(first - click) * BLOCK_MS:.0f} ms before it"))
    if _leads_in(levels.power, first, loud):
        doubts.append((0.45, "a softer sound leads into it"))
    return back_while(levels.new, first, _SWING_BLOCKS), doubts


def _click_before(levels: HitLevels, first: int) -> int | None:
    """Return the block of a sound of no length that stands alone ahead of a hit; none if there is none."""
    ahead = max(first - round(_CLICK_AHEAD_MS / BLOCK_MS), 0)
    least = levels.peak * 10.0 ** (-_CLICK_UNDER_PEAK_DB / 10.0)
    stands = _UNFORETOLD + np.flatnonzero(
        (levels.clicks & (levels.power[: len(levels.clicks)] > least))[_UNFORETOLD:ahead]
    )
    if not 0 < len(stands) <= _CLICK_BLOCKS or stands[-1] - stands[0] >= _CLICK_BLOCKS:
        return None
    return int(stands[0])


def _noise_top(surprise: Levels, usual: Levels) -> float:
    """Return what the noise's usual surprise hardly passes in one block; under the attack's by 60 dB nothing is heard."""
    noise = float(np.median(usual)) if len(usual) else 0.0
    hidden = float(surprise.max(initial=0.0)) * 10.0 ** (-_HIDDEN_DB / 10.0)
    return float(max(_OVER_NOISE * noise, hidden, _SILENCE))


def _quiet_means(power: Levels, over_ms: float) -> Levels:
    """Return the mean power of the window that begins at each block; of the whole, where it is short."""
    width = min(round(over_ms / BLOCK_MS), len(power))
    sums = np.concatenate([[0.0], np.cumsum(power)])
    return np.maximum(sums[width:] - sums[:-width], 0.0) / width if width else power


def _quietest(power: Levels, over_ms: float) -> float:
    """Return the mean power of the quieter blocks: of windows near the quietest."""
    means = _quiet_means(power, over_ms)
    low = float(means.min(initial=np.inf))
    return float(means[means <= 2.0 * low].mean()) if low > _SILENCE and len(means) else 0.0


def back_while(flags: Flags, start: int, dip: int) -> int:
    """Return the first block of the run of true blocks that holds ``start``, over dips of a few blocks."""
    over = flags[: start + 1].nonzero()[0]
    if not len(over) or start - over[-1] > dip:
        return start
    gaps = (over[1:] - over[:-1] > dip).nonzero()[0]
    return int(over[gaps[-1] + 1] if len(gaps) else over[0])


def _leads_in(power: Levels, first: int, loud: int) -> bool:
    """Say whether a sound that is too short to be left out stands before a steep rise: it may belong to the hit, or not."""
    shortest = round(_LEADS_IN_MS / BLOCK_MS)
    if loud - first < shortest:
        return False
    before = float(np.percentile(power[first : loud - 1], 80))
    return bool(power[loud : loud + shortest].max() >= before * 10.0 ** (_STEEP_DB / 10.0))


def _steepest(power: Levels, first: int, loud: int) -> int | None:
    """Return where the hit rises steeply out of a softer sound that was there for a while; none if it does not."""
    wide, steps = round(_SOFTER_MS / BLOCK_MS), round(_STEEP_MS / BLOCK_MS)
    if loud - first <= wide:
        return None
    places = np.arange(first + wide, loud + 1)
    before = np.array([np.percentile(power[k - wide : k], 80) for k in places])
    after = np.array([power[k : k + steps].max() for k in places])
    jump = 10.0 * np.log10(after / np.maximum(before, _SILENCE))
    steep = np.flatnonzero(jump >= _STEEP_DB)
    if not len(steep):
        return None
    at = int(places[steep[np.argmax(jump[steep])]])
    level = float(np.percentile(power[at - wide : at], 90))
    return back_while(power > 2.0 * level, at + int(np.argmax(power[at : at + steps])), 1)
