"""What makes a one-shot doubtful that nobody hears in where it was cut: how it was recorded, and what stands before it."""

from __future__ import annotations

import numpy as np
from numpy.typing import NDArray

from wemble.core.edges.hit_levels import BLOCK_MS, HitLevels, Levels
from wemble.core.signal.levels import Samples, from_db

CLEAR_START, CLEAR_END, SILENCE = "clear start", "clear end", "silence"
CODING_NOISE = "may begin with coding noise"
STEEP_DB = 15.0
_LEADS_IN_MS = 12.0
_FIRST_FRAMES, _AT_ONCE_DB, _OVER_NOISE_TOP = 2, -26.0, 1.5
_FLAT_FROM, _BOUND, _FLAT_TOPS = 0.9, 0.003, 2
_CLICK_BLOCKS, _CLICK_UNDER_PEAK_DB, _CLICK_AHEAD_MS = 2, 60.0, 4.0
_BEGINS_MS, _BEGINS_UNDER_DB = 4.0, 10.0
_SPREADS_MS, _JUMPS_MS, _JUMPS_TIMES = (2, 20), 3, 100.0
_UNFORETOLD = 2
"""The first blocks of a file are foretold by nothing."""

Doubt = tuple[float, str]
"""How sure something still is, and why."""


def recorded_badly(samples: Samples, noise: Samples) -> list[Doubt]:
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


def rises_out_of(levels: HitLevels, onset: int, noise: Samples, *, within_db: float) -> bool:
    """Say whether a hit no more than so many dB over its noise is far softer at first than later: what comes before may lie
    in the noise."""
    first = onset // levels.block_frames
    begins = levels.power[first : first + round(_BEGINS_MS / BLOCK_MS)]
    power = float(np.square(noise, dtype=np.float64).mean(axis=1).max(initial=0.0)) if noise.size else 0.0
    if not len(begins) or levels.peak > power * 10.0 ** (within_db / 10.0):
        return False
    return bool(begins.mean() < levels.peak * 10.0 ** (-_BEGINS_UNDER_DB / 10.0))


def is_coded(kind: str) -> bool:
    """Say whether a source of this kind was coded with loss: the noise of that spreads ahead of an attack.

    Examples
    --------
    >>> is_coded("MP3 MPEG_LAYER_III"), is_coded("OGG VORBIS"), is_coded("WAV PCM_16"), is_coded("FLAC PCM_24")
    (True, True, False, False)
    """
    return any(name in kind.upper() for name in ("MP3", "MPEG", "VORBIS", "OPUS", "AAC", "M4A"))


def coding_noise_ahead(power: Levels, first: int) -> bool:
    """Say whether what begins at a block may be coding noise, which lies ahead of an attack: soft, and then a jump."""
    jumps = range(first + _SPREADS_MS[0], min(first + _SPREADS_MS[1], len(power) - _JUMPS_MS))
    return any(power[at : at + _JUMPS_MS].max() > _JUMPS_TIMES * np.median(power[first:at]) for at in jumps)


def click_before(levels: HitLevels, first: int) -> int | None:
    """Return the block of a sound of no length that stands alone ahead of a hit; none if there is none."""
    ahead = max(first - round(_CLICK_AHEAD_MS / BLOCK_MS), 0)
    least = levels.peak * 10.0 ** (-_CLICK_UNDER_PEAK_DB / 10.0)
    stands = _UNFORETOLD + np.flatnonzero(
        (levels.clicks & (levels.power[: len(levels.clicks)] > least))[_UNFORETOLD:ahead]
    )
    if not 0 < len(stands) <= _CLICK_BLOCKS or stands[-1] - stands[0] >= _CLICK_BLOCKS:
        return None
    return int(stands[0])


def leads_in(power: Levels, first: int, loud: int) -> bool:
    """Say whether a sound that is too short to be left out stands before a steep rise: it may belong to the hit, or not."""
    shortest = round(_LEADS_IN_MS / BLOCK_MS)
    if loud - first < shortest:
        return False
    before = float(np.percentile(power[first : loud - 1], 80))
    return bool(power[loud : loud + shortest].max() >= before * 10.0 ** (STEEP_DB / 10.0))
