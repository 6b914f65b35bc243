"""One-shots: where a hit speaks, where it is over, and how sure that is.

The level is followed in blocks of 1 ms. From the first loud block inside the search limit the search walks back to
where the rise leaves what lies before it; the sample is then found by `attack_start`. A softer sound before the hit,
a breath or the hand on the drum, is left out when the hit rises out of it steeply or when quiet lies between, and is
told.
"""

from __future__ import annotations

from collections.abc import Callable
from dataclasses import dataclass, replace
from typing import TypeVar

import numpy as np

from wemble.core.edges.attack import Start, attack_start
from wemble.core.edges.certainty import attack_within, ring_out_within
from wemble.core.edges.decay import RingOut
from wemble.core.edges.envelope import Flags
from wemble.core.edges.hit_doubts import (
    CLEAR_END,
    CLEAR_START,
    CODING_NOISE,
    SILENCE,
    STEEP_DB,
    Doubt,
    click_before,
    coding_noise_ahead,
    leads_in,
    recorded_badly,
    rises_out_of,
)
from wemble.core.edges.hit_levels import (
    AROUND_ATTACK_MS,
    BLOCK_MS,
    QUIET_MS,
    SILENCE_POWER,
    HitLevels,
    Levels,
    high_passed,
    hit_levels,
)
from wemble.core.edges.recipe import DOUBTFUL, HitRecipe
from wemble.core.signal.levels import Samples, ms_to_frames

_DIP_MS = 20.0
_STEEP_MS = 6.0
_SOFTER_MS = 50.0
_SWING_BLOCKS = 3
"""Between the swings of a deep tone a block or two are quiet."""
_SLOW_MS = 12.0
_SWELL_MS = 150.0
_SWELL_AHEAD = 0.06
"""Where a swell begins cannot be told closer than a part of its length; the head goes ahead by that."""
_HIDDEN_AHEAD = 0.15
"""Of what rises out of noise not far under it, more lies hidden."""
_FROM_NOISE_DB, _IN_NOISE_DB = 45.0, 36.0
"""How far a hit is over its noise at most, to be hidden by it in part; nearer than the second nobody can say how much."""
_LEAST_BACK_MS = 4.0
_UNSURE_MS = 1.5
_MOST_KNOWN = 64

T = TypeVar("T")


@dataclass(frozen=True, slots=True)
class Hit:
    """What was found in a one-shot, in its frames.

    ``onset_within`` and ``end_within`` hold them with nine in ten.
    ``confidence`` in 0…1 is that of its start, ``end_confidence`` that of its end: under `DOUBTFUL` somebody should look,
    and the reason beside it says why. ``rise_ms`` is how long the sound takes to come near its peak. ``end_frame`` has no
    room yet. ``hidden`` says that noise may hide an earlier start, and nothing else is
    doubtful about it.
    """

    onset_frame: int
    end_frame: int
    confidence: float
    reason: str
    rise_ms: float
    end_confidence: float = 1.0
    end_reason: str = CLEAR_END
    hidden: bool = False
    onset_within: tuple[int, int] = (0, 0)
    end_within: tuple[int, int] = (0, 0)

    @property
    def doubtful(self) -> bool:
        """Whether it should be looked at."""
        return min(self.confidence, self.end_confidence) < DOUBTFUL


@dataclass(frozen=True, slots=True)
class Rough:
    """A hit to the block: first block, the block at which it is loud, its end, and the doubts about start and end; the dB by
    which it falls at its end, a block, 0 where nobody can say."""

    first: int
    loud: int
    end: int
    doubts: tuple[Doubt, ...]
    end_doubts: tuple[Doubt, ...]
    fall_db: float = 0.0


def rough_hit(levels: HitLevels, recipe: HitRecipe) -> Rough:
    """Find a hit to the block, from its levels alone: a draft that is quick enough to be dragged."""
    if levels.silent:
        return Rough(0, 0, levels.blocks, ((0.0, SILENCE),), ((0.0, SILENCE),))
    loud = levels.loud_block
    first, found = _known(levels, "start", recipe.start_under_peak_db, _walked_back)
    doubts = list(found)
    if first > round(recipe.within_ms / BLOCK_MS):
        doubts.append((0.2, f"nothing speaks within the first {recipe.within_ms:g} ms"))
    over = _known(levels, "end", recipe.over_floor_db, _rung_out)
    end_doubts: list[Doubt] = [] if over.met_floor else [(0.7, "still sounding where the file ends")]
    if over.followed:
        end_doubts.append((0.4, "another sound follows"))
    if levels.again_block is not None:
        after_ms = (levels.again_block - loud) * BLOCK_MS
        end_doubts.append((0.4, f"a second hit {after_ms:.0f} ms later"))
    return Rough(first, loud, over.end, tuple(doubts), tuple(end_doubts), over.fall_db)


def _known(levels: HitLevels, what: str, number: float, find: Callable[[HitLevels, float], T]) -> T:
    """Return what depends on one number alone, looked up if it was asked before."""
    key = (what, number)
    if key not in levels.known:
        if len(levels.known) >= _MOST_KNOWN:
            levels.known.clear()
        levels.known[key] = find(levels, number)
    found: T = levels.known[key]
    return found


def _rung_out(levels: HitLevels, over_db: float) -> RingOut:
    """Return where a hit is over in all of its bands, whether all met their floors, and whether another sound follows."""
    ends = [decay.ring_out(over_db) for decay in levels.decays]
    last = max(ends, key=lambda end: end.end)
    return replace(last, met_floor=all(end.met_floor for end in ends), followed=ends[0].followed)


def find_hit(
    samples: Samples, rate_hz: int, recipe: HitRecipe, levels: HitLevels | None = None, *, coded: bool = False
) -> Hit:
    """Find where a one-shot speaks and where it is over, to the sample.

    Parameters
    ----------
    samples : float32 array, shape (channels, frames)
    recipe : HitRecipe
        How far under its peak a sample speaks, how far in to look, when it is over.
    coded : bool
        Whether the samples were coded with loss, so that noise may spread ahead of an attack.

    Returns
    -------
    Hit
        Silence and empty input give the whole, with confidence 0. What speaks behind the limit is cut no further in
        than that.
    """
    levels = levels or hit_levels(samples, rate_hz)
    frames = samples.shape[1]
    if levels.silent:
        return Hit(0, frames, 0.0, SILENCE, 0.0, 0.0, SILENCE, onset_within=(0, frames), end_within=(0, frames))
    hit, start, fall_db_ms = hit_as_found(samples, rate_hz, recipe, levels, coded=coded)
    first, last = attack_within("hit_start", start, hit.onset_frame, rate_hz)
    end_first, end_last = ring_out_within(fall_db_ms, hit.end_frame, rate_hz) if fall_db_ms else (hit.end_frame, frames)
    return replace(
        hit,
        onset_within=(max(first, 0), min(last, hit.end_frame)),
        end_within=(max(end_first, hit.onset_frame), min(end_last, frames)),
    )


def hit_as_found(
    samples: Samples, rate_hz: int, recipe: HitRecipe, levels: HitLevels, *, coded: bool
) -> tuple[Hit, Start, float]:
    """Return a hit as `find_hit` finds it, and what says how certain it is: its attack, and how fast it falls where it is over,
    in dB/ms (0: nobody can say)."""
    rough, frames = rough_hit(levels, recipe), samples.shape[1]
    rise = (rough.loud - rough.first) * BLOCK_MS
    at = min((rough.first + 2) * levels.block_frames, frames)
    back = ms_to_frames(max(_LEAST_BACK_MS, 0.5 * rise), rate_hz) + 2 * levels.block_frames
    quiet = levels.quiet_block * levels.block_frames
    offset = samples.mean(axis=1, keepdims=True, dtype=np.float64)
    noise = high_passed(samples[:, quiet : quiet + ms_to_frames(QUIET_MS, rate_hz)], rate_hz, offset)
    heard = high_passed(samples[:, : at + ms_to_frames(AROUND_ATTACK_MS, rate_hz)], rate_hz, offset)
    start = attack_start(heard, at, back=back, rate_hz=rate_hz, quiet=noise)
    from_noise, in_noise = (
        rises_out_of(levels, start.frame, noise, within_db=within) for within in (_FROM_NOISE_DB, _IN_NOISE_DB)
    )
    swell = _HIDDEN_AHEAD * rise if from_noise and not in_noise else max(_SWELL_AHEAD * (rise - _SLOW_MS), 0.0)
    ahead = ms_to_frames(swell, rate_hz)
    onset = min(max(start.frame - ahead, 0), ms_to_frames(recipe.within_ms, rate_hz))
    unsure_ms = start.unsure_frames * 1000.0 / rate_hz
    end = min(rough.end * levels.block_frames, frames)
    doubts = [*rough.doubts, *recorded_badly(samples, noise)]
    if rise > _SLOW_MS:
        doubts.append((0.9 - 0.45 * min(rise / _SWELL_MS, 1.0), f"rises slowly, over {rise:.0f} ms"))
    if coded and coding_noise_ahead(levels.power, onset // levels.block_frames):
        doubts.append((0.45, CODING_NOISE))
    hidden: list[Doubt] = []
    if in_noise:
        hidden.append((0.45, "rises out of the noise"))
    if unsure_ms > _UNSURE_MS:
        hidden.append((0.45, f"noise hides the first {unsure_ms:.1f} ms"))
    confidence, reason = min([*doubts, *hidden], default=(1.0, CLEAR_START))
    end_confidence, end_reason = min(rough.end_doubts, default=(1.0, CLEAR_END))
    only_hidden = bool(hidden) and min(doubts, default=(1.0, CLEAR_START))[0] >= DOUBTFUL
    end = max(end, onset + 1)
    hit = Hit(onset, end, confidence, reason, rise, end_confidence, end_reason, hidden=only_hidden)
    return hit, start, rough.fall_db / BLOCK_MS


def _walked_back(levels: HitLevels, start_under_peak_db: float) -> tuple[int, list[Doubt]]:
    """Return the block at which the rise to the loud block leaves its floor, and doubts."""
    loud = levels.loud_block
    speaks = levels.new & (levels.power[: loud + 1] > levels.peak * 10.0 ** (-start_under_peak_db / 10.0))
    first = back_while(speaks, loud, round(_DIP_MS / BLOCK_MS))
    steep = _steepest(levels.power, first, loud)
    if steep is not None:
        return steep, [(0.4, "a softer sound runs into it")]
    doubts: list[Doubt] = [(0.4, "a softer sound before it")] if np.count_nonzero(speaks[:first]) > 1 else []
    if (click := click_before(levels, first)) is not None:
        doubts.append((0.45, f"a click {(first - click) * BLOCK_MS:.0f} ms before it"))
    if leads_in(levels.power, first, loud):
        doubts.append((0.45, "a softer sound leads into it"))
    return back_while(levels.new, first, _SWING_BLOCKS), doubts


def back_while(flags: Flags, start: int, dip: int) -> int:
    """Return the first block of the run of true blocks that holds ``start``, over dips of a few blocks."""
    over = flags[: start + 1].nonzero()[0]
    if not len(over) or start - over[-1] > dip:
        return start
    gaps = (over[1:] - over[:-1] > dip).nonzero()[0]
    return int(over[gaps[-1] + 1] if len(gaps) else over[0])


def _steepest(power: Levels, first: int, loud: int) -> int | None:
    """Return where the hit rises steeply out of a softer sound that was there for a while; none if it does not."""
    wide, steps = round(_SOFTER_MS / BLOCK_MS), round(_STEEP_MS / BLOCK_MS)
    if loud - first <= wide:
        return None
    places = np.arange(first + wide, loud + 1)
    before = np.array([np.percentile(power[k - wide : k], 80) for k in places])
    after = np.array([power[k : k + steps].max() for k in places])
    jump = 10.0 * np.log10(after / np.maximum(before, SILENCE_POWER))
    steep = np.flatnonzero(jump >= STEEP_DB)
    if not len(steep):
        return None
    at = int(places[steep[np.argmax(jump[steep])]])
    level = float(np.percentile(power[at - wide : at], 90))
    return back_while(power > 2.0 * level, at + int(np.argmax(power[at : at + steps])), 1)
