"""The noise of a recording as it moves: what a level returns to after something else.

A long steady sound cannot be told from noise by how long it lasts, nor by how quiet it is among other things. But a sound is
foretold by its own past, noise by its level alone: only noise is *the same again after something else*. So every moment is
one of three kinds (noise alone, lively sound, steady sound) over a noise of some level, which drifts slowly and jumps rarely,
and both are inferred together, forwards and backwards (a hidden Markov model: Rabiner 1989; the idea of a floor that moves:
Martin 2001). Where the answer is wide, the noise is *unknown*: it goes on from the nearest moments at which it is known.
"""

from __future__ import annotations

from dataclasses import dataclass, replace

import numpy as np
from numpy.typing import NDArray
from scipy import ndimage

from wemble.core.edges.envelope import Envelope, Levels, runs
from wemble.core.signal.levels import Floats

Likelihoods = NDArray[np.float32]

_BLOCK_S = 0.1
_DEAD_DB = -115.0
"""A block that touches what is quieter is digital silence, and says nothing of the noise."""
_STEP_DB = 1.0
_WIDE_DB = 6.0
"""Noise that may lie further apart than this, with 90 %, is unknown."""
_DRIFT_DB_S = 0.3
_JUMP_EVERY_S = 300.0
_LIVELY_AFTER_S, _NOISE_AFTER_S, _STEADY_AFTER_S, _STEADY_FOR_S = 1.5, 1.5, 60.0, 8.0
"""How long each kind lasts on average until it gives way to the other. Rough: the levels decide."""
_RANGE_DB = 60.0
_SLOWLY_DB, _QUICKLY_DB, _ANYWHERE = 1.5, 6.0, 0.2
"""How lively sound moves from block to block: half of the time by little, half by much, now and then to anywhere."""
_OVER_NOISE_DB, _STEADY_OVER_NOISE_DB = 0.5, 3.0
_MEMORY_BLOCKS = 6
_LEAST_SPREAD_DB, _MOST_SPREAD_DB = 0.35, 2.0
_STEADY_BLOCKS, _OF_STEADIEST = 5, 1.8
"""The steadiest of many waver by less than all do: by a little more than half."""
_WARM_UP_S, _MOST_AT_ONCE = 40.0, 1200
_LEAST = 1e-12
_FINE_DB = 0.05
_OVER_AT_DB = np.arange(-70.0, 90.0, _FINE_DB)
"""Levels over the noise for which likelihoods are tabled."""
_STAYS_WITHIN_DB, _LINE_WITHIN_DB, _STEPS_DB, _STEP_REACH_BLOCKS = 2.5, 0.7, 3.0, 3


@dataclass(frozen=True, slots=True)
class Noise:
    """How the noise of a recording moves: straight lines between frames, in dB over where it is lowest, in both bands.

    Noise that stays has one place and no lift. ``lowest_db`` is the level of the full band where it is lowest, as far as that
    is known.
    """

    frames: tuple[int, ...] = (0,)
    full_db: tuple[float, ...] = (0.0,)
    upper_db: tuple[float, ...] = (0.0,)
    lowest_db: float | None = None

    @property
    def moves(self) -> bool:
        """Whether it does not stay."""
        return any(self.full_db) or any(self.upper_db)

    def lift_at(self, frame: int) -> tuple[float, float]:
        """Return how far the noise of the full and the upper band lies over where it is lowest, at a frame, in dB."""
        if not self.moves:
            return 0.0, 0.0
        return float(np.interp(frame, self.frames, self.full_db)), float(np.interp(frame, self.frames, self.upper_db))


STAYS = Noise()


def measure_noise(envelope: Envelope) -> Noise:
    """Follow the noise of both bands of an envelope; what wavers by less than `_STAYS_WITHIN_DB` stays."""
    tracks = []
    for power in (envelope.power, envelope.upper_power):
        levels = block_levels(power, envelope.bin_s)
        tracks.append(track(levels, spread_db=spread_of(levels)))
    if not all(one.known.any() for one in tracks):
        return STAYS
    full, upper = (_filled(one) for one in tracks)
    lines = [_line(full), _line(_stepping_with(upper, tracks[1].known, full))]
    width = max(round(_BLOCK_S / envelope.bin_s), 1)
    places = sorted(set().union(*(nodes for nodes, _ in lines)))
    full_db, upper_db = (
        tuple(round(float(v), 2) for v in np.interp(places, nodes, levels) - min(levels)) for nodes, levels in lines
    )
    lowest_db = round(float(full[tracks[0].known].min()), 2)
    frames = tuple(round((block + 0.5) * width * envelope.bin_frames) for block in places)
    return Noise(frames, full_db, upper_db, lowest_db)


def over_noise(envelope: Envelope, noise: Noise) -> Envelope:
    """Return an envelope that knows how its noise moves."""
    if not noise.moves:
        return envelope
    middles = (np.arange(len(envelope.level_db)) + 0.5) * envelope.bin_frames
    full, upper = (
        np.interp(middles, noise.frames, line).astype(np.float32) for line in (noise.full_db, noise.upper_db)
    )
    return replace(envelope, lift_db=full, upper_lift_db=upper)


def _filled(followed: Track) -> Floats:
    """Return a track's level; where it is not known it lies between the nearest blocks where it is."""
    known = np.flatnonzero(followed.known)
    behind = np.searchsorted(known, np.arange(len(followed.level_db)))
    ends = followed.level_db[known[[np.maximum(behind - 1, 0), np.minimum(behind, len(known) - 1)]]]
    return np.where(followed.known, followed.level_db, followed.level_db.clip(ends.min(axis=0), ends.max(axis=0)))


def _stepping_with(level_db: Floats, known: NDArray[np.bool_], other_db: Floats) -> Floats:
    """Return a band's level with its steps where the other band has them, as far as it does not know them itself: a machine
    is switched on in all bands at once."""
    out = level_db.copy()
    for start, end in runs(~known).tolist():
        before, behind = max(start - 1, 0), min(end, len(known) - 1)
        steps, other_steps = level_db[behind] - level_db[before], other_db[behind] - other_db[before]
        if min(abs(steps), abs(other_steps)) > _STEPS_DB:
            part = (other_db[start:end] - other_db[before]) / other_steps
            out[start:end] = level_db[before] + steps * part.clip(0.0, 1.0)
    return out


def _line(level: Floats) -> tuple[list[int], list[float]]:
    """Return the blocks between which straight lines are near enough to a level, and its values there, in dB.

    A step counts from a little before to a little behind, as if it were as loud: noise that just began is no sound.
    """
    level = ndimage.maximum_filter1d(level, _STEP_REACH_BLOCKS, mode="nearest")
    if np.ptp(level) <= _STAYS_WITHIN_DB:
        return [0], [0.0]
    nodes = [0, len(level) - 1]
    at_node = 0
    while at_node < len(nodes) - 1:
        first, last = nodes[at_node], nodes[at_node + 1]
        off = np.abs(level[first : last + 1] - np.linspace(level[first], level[last], last - first + 1))
        worst = int(np.argmax(off))
        if off[worst] > _LINE_WITHIN_DB:
            nodes.insert(at_node + 1, first + worst)
        else:
            at_node += 1
    return nodes, level[nodes].tolist()


@dataclass(frozen=True, slots=True)
class Track:
    """A level as it moves, in dB, in every block of 0.1 s, and where it is known; float64 and bool (blocks,).

    Where it is not known, the level is as likely to lie higher as lower.
    """

    level_db: Floats
    known: NDArray[np.bool_]


def track(block_db: Floats, *, spread_db: float) -> Track:
    """Follow the noise under block levels of 0.1 s, in dB; ``spread_db`` is how much noise alone wavers from one to the next."""
    blocks = len(block_db)
    if not blocks:
        return Track(np.zeros(0), np.zeros(0, np.bool_))
    alive = ndimage.minimum_filter1d(block_db, 3, mode="nearest") > _DEAD_DB
    if not alive.any():
        return Track(block_db.astype(np.float64), np.zeros(blocks, np.bool_))
    grid = np.arange(np.floor(block_db[alive].min()) - 3.0, np.ceil(np.percentile(block_db[alive], 98)) + 1.0, _STEP_DB)
    likely = _likelihoods(block_db, alive, grid, spread_db)
    return _answer(_posterior(likely), grid)


def _answer(posterior: Likelihoods, grid: Floats) -> Track:
    below = np.cumsum(posterior, axis=1)
    low, middle, high = (grid[np.argmax(below >= part, axis=1)] for part in (0.05, 0.5, 0.95))
    known = high - low <= _WIDE_DB
    return Track(np.where(known, posterior @ grid, middle), known)


def _likelihoods(block_db: Floats, alive: NDArray[np.bool_], grid: Floats, spread_db: float) -> Likelihoods:
    """Return how likely each block's level is of each kind over each level of the noise, (blocks, 3, levels)."""
    # Noise between two levels of the grid must not be less likely than steady sound, which no grid holds up.
    shape = (10.0 / np.log(10.0) / np.hypot(spread_db, _STEP_DB / 2.0)) ** 2
    sharp = np.sqrt(shape) * 0.6
    as_noise = _gamma_db(_OVER_AT_DB, shape)
    with_sound, with_steady = (
        1.0 / (1.0 + np.exp(np.clip(-(_OVER_AT_DB - least_db) * sharp, -60, 60)))
        for least_db in (_OVER_NOISE_DB, _STEADY_OVER_NOISE_DB)
    )
    at = np.rint((block_db[:, None] - grid - _OVER_AT_DB[0]) / _FINE_DB).astype(np.int32).clip(0, len(_OVER_AT_DB) - 1)
    likely = np.empty((len(block_db), 3, len(grid)), np.float32)
    likely[:, 0] = as_noise.astype(np.float32)[at]
    likely[:, 1] = with_sound.astype(np.float32)[at]
    likely[:, 2] = with_steady.astype(np.float32)[at]
    likely[:, 1] *= _lively(block_db, alive).astype(np.float32)[:, None]
    likely[:, 2] *= _steady(block_db, alive, shape).astype(np.float32)[:, None]
    likely += np.float32(_LEAST)
    likely[~alive] = 1.0
    return likely


def _lively(block_db: Floats, alive: NDArray[np.bool_]) -> Floats:
    step = np.abs(np.diff(block_db, prepend=block_db[:1]))
    moved = 0.5 * sum(np.exp(-step / s) / (2.0 * s) for s in (_SLOWLY_DB, _QUICKLY_DB))
    follows = alive & np.concatenate([[False], alive[:-1]])
    return np.where(follows, _ANYWHERE / _RANGE_DB + (1.0 - _ANYWHERE) * moved, 1.0 / _RANGE_DB)


def _steady(block_db: Floats, alive: NDArray[np.bool_], shape: float) -> Floats:
    power = np.where(alive, 10.0 ** (block_db / 10.0), 0.0)
    total, count = (np.concatenate([[0.0], np.cumsum(values)]) for values in (power, alive.astype(float)))
    at = np.arange(len(block_db))
    first = np.maximum(at - _MEMORY_BLOCKS, 0)
    seen = count[at] - count[first]
    mean = np.maximum(total[at] - total[first], 1e-30) / np.maximum(seen, 1.0)
    over = block_db - 10.0 * np.log10(mean)
    likely = _gamma_db(over, shape * _MEMORY_BLOCKS / (_MEMORY_BLOCKS + 1))
    return np.where(alive & (seen > 0), likely, 1.0 / _RANGE_DB)


def _gamma_db(over_db: Floats, shape: float) -> Floats:
    """Return the density, per dB, of a power's level over its mean, for a Gamma distribution of some shape."""
    r = np.clip(over_db, -60.0, 20.0) * (np.log(10.0) / 10.0)
    # Stirling: the shapes of blocks of 0.1 s lie far over 1.
    log_density = 0.5 * np.log(shape / (2.0 * np.pi)) + shape * (1.0 + r - np.exp(r)) + np.log(np.log(10.0) / 10.0)
    return np.asarray(np.exp(np.maximum(log_density, -80.0)))


def _posterior(likely: Likelihoods) -> Likelihoods:
    """Return how probable each level of the noise is at every block, (blocks, levels): forwards and backwards.

    Long recordings are cut into pieces that are followed side by side, each from `_WARM_UP_S` before to as long behind.
    """
    blocks, kinds, levels = likely.shape
    warm_up = round(_WARM_UP_S / _BLOCK_S) if blocks > _MOST_AT_ONCE else 0
    length = max(warm_up, round(np.sqrt(blocks))) if warm_up else blocks
    starts = np.arange(0, blocks, length)
    reach = np.arange(-warm_up, length + warm_up)[:, None] + starts
    reach[(reach < 0) | (reach > blocks)] = blocks  # beyond the ends nothing is heard, and all is as likely
    likely = np.concatenate([likely, np.ones((1, kinds, levels), np.float32)])
    kind_moves, level_moves = _moves(levels)

    def moved(states: Likelihoods) -> Likelihoods:  # one product for all pieces, and not one for each
        return np.asarray((states.reshape(-1, levels) @ level_moves).reshape(states.shape))

    forward = np.empty((len(reach), len(starts), kinds, levels), np.float32)
    now = np.full((len(starts), kinds, levels), 1.0 / (kinds * levels), np.float32)
    for step, places in enumerate(reach):
        now = np.matmul(kind_moves.T, moved(now))
        now *= likely[places]
        now /= now.sum(axis=(1, 2), keepdims=True)
        forward[step] = now
    behind = np.ones((len(starts), kinds, levels), np.float32)
    out = np.empty((len(starts), length, levels), np.float32)
    for step in range(len(reach) - 1, -1, -1):
        if warm_up <= step < warm_up + length:
            both = (forward[step] * behind).sum(axis=1)
            out[:, step - warm_up] = both / both.sum(axis=1, keepdims=True)
        behind = np.matmul(kind_moves, moved(behind * likely[reach[step]]))
        behind /= behind.max(axis=(1, 2), keepdims=True)
    return out.reshape(-1, levels)[:blocks]


def _moves(levels: int) -> tuple[Likelihoods, Likelihoods]:
    """Return how the kinds follow each other from block to block, (3, 3), and how the noise moves, (levels, levels)."""
    lively, noise, steady, over = (
        _BLOCK_S / seconds for seconds in (_LIVELY_AFTER_S, _NOISE_AFTER_S, _STEADY_AFTER_S, _STEADY_FOR_S)
    )
    kinds = np.array(
        [
            [1.0 - lively - steady, lively, steady],
            [noise, 1.0 - noise - 2.0 * steady, 2.0 * steady],
            [over / 2.0, over / 2.0, 1.0 - over],
        ]
    )
    drift = min(2.0 * _DRIFT_DB_S * _BLOCK_S / _STEP_DB, 0.4) / 2.0
    at = np.arange(levels)
    walk = np.eye(levels) * (1.0 - 2.0 * drift)
    for side in (-1, 1):
        walk[at, np.clip(at + side, 0, levels - 1)] += drift
    jump = _BLOCK_S / _JUMP_EVERY_S
    return kinds.astype(np.float32), ((1.0 - jump) * walk + jump / levels).astype(np.float32)


def block_levels(power: Levels, bin_s: float) -> Floats:
    """Return the mean power of blocks of 0.1 s, in dB; what is left at the end joins the last block."""
    width = max(round(_BLOCK_S / bin_s), 1)
    starts = np.arange(0, max(len(power) - width + 1, 1), width)
    total = np.add.reduceat(power.astype(np.float64), starts)
    count = np.diff(np.append(starts, len(power)))
    return np.asarray(10.0 * np.log10(np.maximum(total / count, 1e-20)))


def spread_of(block_db: Floats) -> float:
    """Return how much noise alone wavers from block to block, in dB: as among the steadiest half seconds."""
    alive = block_db[block_db > _DEAD_DB]
    if len(alive) < _STEADY_BLOCKS:
        return _MOST_SPREAD_DB
    windows = np.lib.stride_tricks.sliding_window_view(alive, _STEADY_BLOCKS)
    wavers = np.sqrt(np.mean(np.square(np.diff(windows, axis=1)), axis=1) / 2.0)
    return float(np.clip(_OF_STEADIEST * np.percentile(wavers, 5), _LEAST_SPREAD_DB, _MOST_SPREAD_DB))
