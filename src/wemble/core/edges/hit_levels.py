"""What is measured of a one-shot once, so that it can be found again while a number is dragged: block powers and decays."""

from __future__ import annotations

from dataclasses import dataclass, field
from functools import lru_cache
from typing import Any

import numpy as np
from numpy.typing import NDArray
from scipy import ndimage, signal

from wemble.core.edges.decay import Decay, follow
from wemble.core.edges.envelope import Flags
from wemble.core.signal.levels import Samples, ms_to_frames
from wemble.core.signal.prediction import prediction_error, prediction_error_filter

BLOCK_MS = 1.0
QUIET_MS = 50.0
AROUND_ATTACK_MS = 20.0
SILENCE_POWER = 1e-20
_RUMBLE_HZ = 25.0
_LOUD_UNDER_PEAK_DB = 14.0
_FLOOR_UNDER_PEAK_DB = 20.0
_OVER_NOISE, _CLICK_TIMES = 2.8, 4.0
_HIDDEN_DB = 60.0
_LEAD_BLOCKS = 30
_AS_QUIET = 6.0
_END_SMOOTH_MS = 40.0
_AHEAD_MS = 160.0
"""Up to so long before the attack the noise is heard alone, whatever the rise."""
_WANDERS, _MOST_WANDER = 0.7, 4.0
_RESTS_OVER_DB, _COMES_DOWN_DB, _RESTS_MS, _FLATTER = 3.0, 12.0, 50.0, 0.3
_BUMP_MS = 12.0
_BUMP_OVER = 1.15
_END_GAP_S = 0.25
_AGAIN_FROM_MS, _AGAIN_BEFORE_MS, _AGAIN_MS = 40.0, 40.0, 4.0
_AGAIN_TIMES, _AGAIN_UNDER_PEAK_DB, _AGAIN_OVER_FLOOR_DB = 2.5, 25.0, 15.0

Levels = NDArray[np.floating[Any]]


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
        return self.peak <= SILENCE_POWER


def hit_levels(samples: Samples, rate_hz: int) -> HitLevels:
    """Measure a one-shot once: float32 (channels, frames) to its levels."""
    block = max(ms_to_frames(BLOCK_MS, rate_hz), 1)
    power = block_power(high_passed(samples, rate_hz), block)
    quiet = _quiet_means(power, QUIET_MS)
    at = int(np.argmin(quiet)) if len(quiet) else 0
    noise = samples[:, at * block :][:, : ms_to_frames(QUIET_MS, rate_hz)]
    loud = int(np.argmax(power >= 10.0 ** (-_LOUD_UNDER_PEAK_DB / 10.0) * power.max(initial=0.0))) if len(power) else 0
    risen = loud + round(AROUND_ATTACK_MS / BLOCK_MS)
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
    floor = _quietest(power, QUIET_MS) * 10.0 ** (_AGAIN_OVER_FLOOR_DB / 10.0)
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

    What never falls far under its loudest has no floor that could be seen, nor has what still falls where the file ends: it
    goes on to the end.
    """
    smooth = ndimage.uniform_filter1d(power, round(over_ms / BLOCK_MS), mode="nearest") if len(power) else power
    floor = _quietest(power, QUIET_MS) * (1.0 if over_ms > _BUMP_MS else _BUMP_OVER)
    ahead = smooth[: max(loud - round(_AHEAD_MS / BLOCK_MS), 0)]
    if len(ahead) >= round(QUIET_MS / BLOCK_MS):  # noise that wanders is met where it wanders to, not at its quietest
        floor = min(max(floor, _WANDERS * float(ahead.max())), _MOST_WANDER * floor)
    elif not _levels_off(smooth[loud:], floor):
        floor = SILENCE_POWER
    floor = min(floor, float(smooth.max(initial=0.0)) * 10.0 ** (-_FLOOR_UNDER_PEAK_DB / 10.0))
    return follow(
        smooth,
        loud,
        floor=max(floor, SILENCE_POWER),
        block_s=BLOCK_MS / 1000.0,
        gap_s=_END_GAP_S,
        keeps_later=keeps_later,
    )


def _levels_off(power: Levels, floor: float) -> bool:
    """Say whether a decay rests on its floor, for longer than it takes to come down to it or far flatter: what only falls has
    its quietest at its end, and no floor is seen."""
    near, above = (np.flatnonzero(power > floor * 10.0 ** (over / 10.0)) for over in (_RESTS_OVER_DB, _COMES_DOWN_DB))
    if not len(above) or not len(near):
        return True
    comes_down, rests = near[-1] - above[-1], len(power) - 1 - near[-1]
    least = round(_RESTS_MS / BLOCK_MS)
    if rests < least or rests >= comes_down + least:
        return bool(rests >= least)
    level_db = 10.0 * np.log10(np.maximum(power[near[-1] + 1 :], SILENCE_POWER))
    falls = -float(np.polyfit(np.arange(rests), level_db, 1)[0])
    return bool(falls * comes_down < _FLATTER * (_COMES_DOWN_DB - _RESTS_OVER_DB))


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


def _noise_top(surprise: Levels, usual: Levels) -> float:
    """Return what the noise's usual surprise hardly passes in one block; under the attack's by 60 dB nothing is heard."""
    noise = float(np.median(usual)) if len(usual) else 0.0
    hidden = float(surprise.max(initial=0.0)) * 10.0 ** (-_HIDDEN_DB / 10.0)
    return float(max(_OVER_NOISE * noise, hidden, SILENCE_POWER))


def _quiet_means(power: Levels, over_ms: float) -> Levels:
    """Return the mean power of the window that begins at each block; of the whole, where it is short."""
    width = min(round(over_ms / BLOCK_MS), len(power))
    sums = np.concatenate([[0.0], np.cumsum(power)])
    return np.maximum(sums[width:] - sums[:-width], 0.0) / width if width else power


def _quietest(power: Levels, over_ms: float) -> float:
    """Return the mean power of the quieter blocks: of windows near the quietest."""
    means = _quiet_means(power, over_ms)
    low = float(means.min(initial=np.inf))
    return float(means[means <= 2.0 * low].mean()) if low > SILENCE_POWER and len(means) else 0.0
