"""One-shots: where a hit speaks, where it is over, and how sure that is.

The level is followed in blocks of 1 ms. From the first loud block inside the search limit the search walks back to
where the rise leaves what lies before it; the sample is then found by `attack_start`. A softer sound before the hit,
a breath or the hand on the drum, is left out when the hit rises out of it steeply or when quiet lies between, and is
told.
"""

from __future__ import annotations

from dataclasses import dataclass, field
from functools import lru_cache
from typing import Any

import numpy as np
from numpy.typing import NDArray
from scipy import ndimage, signal

from wemble.core.edges.attack import attack_start
from wemble.core.edges.decay import RingOut, ring_out
from wemble.core.edges.envelope import Flags
from wemble.core.edges.recipe import HitRecipe
from wemble.core.signal.levels import Samples, ms_to_frames
from wemble.core.signal.prediction import prediction_error_filter

BLOCK_MS = 1.0
_RUMBLE_HZ = 25.0
_LOUD_UNDER_PEAK_DB = 14.0
_TAIL_FLOOR_MS = 50.0
_OVER_NOISE = 2.8
_HIDDEN_DB = 60.0
_DIP_MS = 20.0
_STEEP_DB = 15.0
_STEEP_MS = 6.0
_LEADS_IN_MS = 12.0
_LEAD_BLOCKS = 30
_SOFTER_MS = 50.0
_SWING_BLOCKS = 3
"""Between the swings of a deep tone a block or two are quiet."""
_SLOW_MS = 12.0
_SWELL_MS = 150.0
_LEAST_BACK_MS = 4.0
_UNSURE_MS = 1.5
_AROUND_ATTACK_MS = 20.0
_END_SMOOTH_MS = 40.0
_BUMP_MS = 12.0
_BUMP_OVER = 1.15
_END_GAP_S = 0.25
_SILENCE = 1e-20

Levels = NDArray[np.floating[Any]]


@dataclass(frozen=True, slots=True)
class Hit:
    """What was found in a one-shot, in its frames.

    ``confidence`` in 0…1: under `DOUBTFUL` somebody should look, and ``reason`` says why; ``rise_ms`` is how long the
    sound takes to come near its peak. ``end_frame`` has no room yet.
    """

    onset_frame: int
    end_frame: int
    confidence: float
    reason: str
    rise_ms: float

    @property
    def doubtful(self) -> bool:
        """Whether somebody should look at it."""
        return self.confidence < DOUBTFUL


DOUBTFUL = 0.5


@dataclass(frozen=True, slots=True, eq=False)
class Fall:
    """A power that is followed down to its floor: ``power`` float32 (blocks,) over a while, ``floor`` that of its noise."""

    power: Levels
    floor: float


@dataclass(frozen=True, slots=True, eq=False)
class HitLevels:
    """What finding again reads while numbers are dragged: block powers of a one-shot.

    ``power`` float32 (blocks,) is that over 1 ms, without rumble; ``surprise``, up to the attack, is that of what the
    noise does not foretell, in which a humming or rumbling floor is steady. The ring-out is followed without and with
    rumble in ``falls``: a rumble wavers too much to be followed alone, and may be all that is left of a drum.
    ``quiet_block`` begins the quietest 50 ms, ``loud_block`` is the first near the peak, and ``noise_top`` what the
    noise's surprise hardly passes. ``ended`` keeps the ends that were asked for, by dB over the floor.
    """

    rate_hz: int
    frames: int
    block_frames: int
    power: Levels
    surprise: Levels
    falls: tuple[Fall, ...]
    quiet_block: int
    loud_block: int
    noise_top: float
    ended: dict[float, tuple[RingOut, ...]] = field(default_factory=dict)

    @property
    def silent(self) -> bool:
        """Whether there is nothing at all."""
        return not len(self.power) or float(self.power.max()) <= _SILENCE


def hit_levels(samples: Samples, rate_hz: int) -> HitLevels:
    """Measure a one-shot once: float32 (channels, frames) to its levels."""
    block = max(ms_to_frames(BLOCK_MS, rate_hz), 1)
    power = block_power(without_rumble(samples, rate_hz), block)
    quiet = _quiet_means(power, _TAIL_FLOOR_MS)
    at = int(np.argmin(quiet)) if len(quiet) else 0
    noise = samples[:, at * block :][:, : ms_to_frames(_TAIL_FLOOR_MS, rate_hz)]
    loud = int(np.argmax(power >= 10.0 ** (-_LOUD_UNDER_PEAK_DB / 10.0) * power.max(initial=0.0))) if len(power) else 0
    rising = samples[:, : (loud + round(_AROUND_ATTACK_MS / BLOCK_MS)) * block]
    surprise = block_power(unforetold(rising, noise), block)
    usual = surprise[: loud - 2] if loud > _LEAD_BLOCKS else block_power(unforetold(noise, noise), block)[1:]
    falls = (_fall(power, _END_SMOOTH_MS), _fall(block_power(samples, block), _END_SMOOTH_MS), _fall(power, _BUMP_MS))
    top = _noise_top(surprise, usual)
    return HitLevels(
        rate_hz, samples.shape[1], block, power.astype(np.float32), surprise.astype(np.float32), falls, at, loud, top
    )


def unforetold(samples: Samples, noise: Samples) -> Samples:
    """Return what a predictor that was fitted to the noise of each channel does not foretell."""
    if not samples.shape[1]:
        return samples
    pairs = zip(samples, noise, strict=True)
    return np.stack([signal.lfilter(prediction_error_filter([n.astype(np.float64)]), 1.0, x) for x, n in pairs])


def _fall(power: Levels, over_ms: float) -> Fall:
    """Return a power smoothed over a while, and its floor: that of a short while wavers, and its floor counts for more."""
    smooth = ndimage.uniform_filter1d(power, round(over_ms / BLOCK_MS), mode="nearest") if len(power) else power
    return Fall(
        smooth.astype(np.float32), _quietest(power, _TAIL_FLOOR_MS) * (1.0 if over_ms > _BUMP_MS else _BUMP_OVER)
    )


def without_rumble(samples: Samples, rate_hz: int, offset: NDArray[np.float64] | None = None) -> Samples:
    """Return samples without what lies under 25 Hz and without their offset (their mean unless given), nothing moved ahead."""
    if not samples.shape[1]:
        return samples
    sos = _rumble_filter(rate_hz)
    if offset is None:
        offset = samples.mean(axis=1, keepdims=True, dtype=np.float64)
    settled = signal.sosfilt_zi(sos)[:, None, :] * offset[None]
    return np.asarray(signal.sosfilt(sos, samples, axis=1, zi=settled)[0], np.float32)


@lru_cache
def _rumble_filter(rate_hz: int) -> NDArray[np.float64]:
    return np.asarray(signal.butter(1, _RUMBLE_HZ, "highpass", fs=rate_hz, output="sos"))


def block_power(samples: Samples, block: int) -> Levels:
    """Return the mean square of every block, of the loudest channel; the last block may be short."""
    starts = np.arange(0, samples.shape[1], block)
    if not len(starts):
        return np.zeros(0)
    sums = np.add.reduceat(np.square(samples, dtype=np.float64), starts, axis=1).max(axis=0)
    return np.asarray(sums / np.diff(np.append(starts, samples.shape[1])))


@dataclass(frozen=True, slots=True)
class Rough:
    """A hit to the block: first block, the block at which it is loud, blocks of its rise, its doubts."""

    first: int
    loud: int
    end: int
    met_floor: bool
    doubts: tuple[tuple[float, str], ...]


def rough_hit(levels: HitLevels, recipe: HitRecipe) -> Rough:
    """Find a hit to the block, from its levels alone: a draft that is quick enough to be dragged."""
    if levels.silent:
        return Rough(0, 0, len(levels.power), True, ((0.0, "silence"),))
    loud = levels.loud_block
    first, doubts = _walked_back(levels, loud, recipe.start_under_peak_db)
    if first > round(recipe.within_ms / BLOCK_MS):
        doubts.append((0.2, f"nothing speaks within the first {recipe.within_ms:g} ms"))
    ends = _ends(levels, recipe.over_floor_db)
    if ends[0].followed:
        doubts.append((0.4, "another sound follows"))
    return Rough(first, loud, max(end.end for end in ends), all(end.met_floor for end in ends), tuple(doubts))


def _ends(levels: HitLevels, over_db: float) -> tuple[RingOut, ...]:
    """Return where each fall has come within ``over_db`` of its floor; looked up if it was asked for before."""
    if over_db not in levels.ended:
        levels.ended[over_db] = tuple(
            ring_out(
                fall.power,
                levels.loud_block,
                floor=max(fall.floor, _SILENCE),
                over_db=over_db,
                block_s=BLOCK_MS / 1000.0,
                gap_s=_END_GAP_S,
            )
            for fall in levels.falls
        )
    return levels.ended[over_db]


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
        return Hit(0, frames, 0.0, "silence", 0.0)
    rise = (rough.loud - rough.first) * BLOCK_MS
    at = min((rough.first + 2) * levels.block_frames, frames)
    back = ms_to_frames(max(_LEAST_BACK_MS, 0.5 * rise), rate_hz) + 2 * levels.block_frames
    quiet = levels.quiet_block * levels.block_frames
    offset = samples.mean(axis=1, keepdims=True, dtype=np.float64)
    noise = without_rumble(samples[:, quiet : quiet + ms_to_frames(_TAIL_FLOOR_MS, rate_hz)], rate_hz, offset)
    heard = without_rumble(samples[:, : at + ms_to_frames(_AROUND_ATTACK_MS, rate_hz)], rate_hz, offset)
    start = attack_start(heard, at, back=back, rate_hz=rate_hz, quiet=noise)
    onset = min(start.frame, ms_to_frames(recipe.within_ms, rate_hz))
    unsure_ms = start.unsure_frames * 1000.0 / rate_hz
    end = min(rough.end * levels.block_frames, frames)
    doubts = [*rough.doubts]
    if rise > _SLOW_MS:
        doubts.append((0.9 - 0.45 * min(rise / _SWELL_MS, 1.0), f"rises slowly, over {rise:.0f} ms"))
    if not rough.met_floor:
        doubts.append((0.7, "still sounding where the file ends"))
    if unsure_ms > _UNSURE_MS:
        doubts.append((0.45, f"noise hides the first {unsure_ms:.1f} ms"))
    confidence, reason = min(doubts, default=(1.0, "clear start"))
    return Hit(onset, max(end, onset + 1), confidence, reason, rise)


def _walked_back(levels: HitLevels, loud: int, start_under_peak_db: float) -> tuple[int, list[tuple[float, str]]]:
    """Return the block at which the rise to ``loud`` leaves its floor, and doubts."""
    new = levels.surprise[: loud + 1] > levels.noise_top
    speaks = new & (levels.power[: loud + 1] > float(levels.power.max()) * 10.0 ** (-start_under_peak_db / 10.0))
    first = back_while(speaks, loud, round(_DIP_MS / BLOCK_MS))
    steep = _steepest(levels.power, first, loud)
    if steep is not None:
        return steep, [(0.4, "a softer sound runs into it")]
    doubts = [(0.4, "a softer sound before it")] if np.count_nonzero(speaks[:first]) > 1 else []
    if _leads_in(levels.power, first, loud):
        doubts.append((0.45, "a softer sound leads into it"))
    return back_while(new, first, _SWING_BLOCKS), doubts


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
