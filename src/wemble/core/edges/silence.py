"""Sound and silence, from the envelope alone: the pass that is run again while a number is dragged.

1. *Active* is what stands out of the floor in the full or the upper band; *seeds* are what passes the threshold.
2. A run of active bins with a seed in it is a candidate. It is dropped as a click if its seeds are shorter than the
   shortest sound, and as a breath if nothing in it is voiced (a low mean frequency; breath is bright all through), it is
   not long, and not as loud as speech. Where hardly anything is voiced there is no telling, and nothing is a breath. What
   is unvoiced and kept all the same is told, with the reason.
3. Runs without a seed that lie next to a sound are its quiet consonants, and join it.
4. Sounds closer than the shortest gap become one; each is given its rooms, which share a gap that is too short for
   both and stop short of a dropped click or breath.

A recipe whose sounds reach to the threshold alone knows neither breaths nor quiet consonants: what is under way ends
`HYSTERESIS_DB` under the threshold, whatever else stands out of the floor.
"""

from __future__ import annotations

from bisect import bisect_left, bisect_right
from dataclasses import dataclass, field, replace
from typing import Any

import numpy as np
from numpy.typing import NDArray

from wemble.core.edges.envelope import Envelope, Flags, Levels, counts_in, merged, runs
from wemble.core.edges.floor import Floor
from wemble.core.edges.recipe import Recipe

Spans = NDArray[np.int64]
Floats = NDArray[np.float64]

HYSTERESIS_DB = 6.0
_ACTIVE_OVER_FLOOR_DB = 4.0
_ACTIVE_OVER_TOP_DB = 1.0
_DIP_MS = 40.0
_FAINT_REACH_MS = 96.0
_DROPPED_REACH_MS = 72.0
_DROPPED_REACH_BEFORE_MS = 60.0
_RELEASE_REACH_MS, _SHORT_RELEASE_REACH_MS = 220.0, 150.0
_LONGEST_CLICK_MS, _LONGEST_BURST_MS = 22.0, 90.0
_LONGEST_RELEASE_MS = 150.0
_SHUT_MS, _SHUT_WITHIN_MS, _SHUT_DB = 20.0, 80.0, 16.0
_CONSONANT_MS = 350.0
_CLICK_MS = 40.0
_SWELL_MS = 20.0
_LONGEST_SWELL_MS = 80.0
_VOICED_BELOW_HZ = 1100.0
_VOICED_MS = 30.0
_VOICED_PART = 0.2
_LONGEST_BREATH_MS = 900.0


@dataclass(frozen=True, slots=True, eq=False)
class Found:
    """What a pass found, in source frames, int64 (n, 2) each.

    ``sounds`` are without rooms, ``spans`` with them, one for one. ``clicks`` and ``breaths`` were dropped.
    ``bridged_gaps`` were shorter than the shortest gap; ``in_the_way`` is all that rooms stop short of. Of
    ``kept_breaths``, which could be breaths and are sound all the same, ``kept_reasons`` says why.
    Found to the sample, ``within`` and ``confidence`` say of each sound how far that is certain (`Located`).
    """

    sounds: Spans
    spans: Spans
    clicks: Spans
    breaths: Spans
    bridged_gaps: Spans
    in_the_way: Spans
    kept_breaths: Spans
    kept_reasons: tuple[str, ...] = ()
    within: Spans = field(default_factory=lambda: np.zeros((0, 4), np.int64))
    confidence: NDArray[np.floating[Any]] = field(default_factory=lambda: np.zeros((0, 2)))

    def shifted(self, frames: int) -> Found:
        """Return the same, found so many frames later."""
        told = ("kept_reasons", "confidence")
        spans = {name: getattr(self, name) + frames for name in self.__slots__ if name not in told}
        return replace(self, **spans)

    def clipped(self, head_frame: int, tail_frame: int) -> Found:
        """Return the same, as far as it lies in ``[head_frame, tail_frame)``: bins reach a little beyond."""
        spans = {name: getattr(self, name).clip(head_frame, tail_frame) for name in ("sounds", "spans", "within")}
        return replace(self, **spans)


def find_sounds(envelope: Envelope, floor: Floor, recipe: Recipe) -> Found:
    """Find the sounds of an envelope at bin precision.

    Parameters
    ----------
    envelope : Envelope
    floor : Floor
        Of the whole recording, also when the envelope is a part of it.
    recipe : Recipe

    Returns
    -------
    Found
        In frames from the start of the envelope; empty spans where there is nothing over the threshold.
    """
    candidates, faint, seeds = _candidates(envelope, floor, recipe)
    clicks, breaths, grown, unsure = _sort_out(envelope, floor, recipe, candidates, seeds)
    dropped = np.concatenate([clicks, breaths])
    if recipe.reach == "floor":
        grown = _with_consonants(envelope, floor, grown, faint, dropped)
    gap = envelope.bins(recipe.shortest_gap_ms)
    sounds = merged(grown, gap)
    bridged = _bridged(grown, gap)
    alone = _not_inside(np.concatenate([dropped, faint]), sounds)
    if recipe.reach == "floor":
        alone = _with_swell(envelope, alone, sounds)
    width, frames = envelope.bin_frames, envelope.frames
    in_frames = np.minimum(sounds * width, frames)
    left_out = _not_inside(breaths, sounds)
    run_in = breaths[~np.isin(breaths[:, 0], left_out[:, 0])]
    kept = sorted([*unsure, *((start, end, "it runs into a word") for start, end in run_in.tolist())])
    return Found(
        sounds=in_frames,
        spans=with_rooms(in_frames, alone * width, recipe, rate_hz=envelope.rate_hz, frames=frames),
        clicks=_not_inside(clicks, sounds) * width,
        breaths=left_out * width,
        bridged_gaps=bridged * width,
        in_the_way=alone * width,
        kept_breaths=np.array([span[:2] for span in kept], np.int64).reshape(-1, 2) * width,
        kept_reasons=tuple(why for _, _, why in kept),
    )


def with_rooms(sounds: Spans, dropped: Spans, recipe: Recipe, *, rate_hz: int, frames: int) -> Spans:
    """Return the spans to keep: sounds with their rooms.

    Rooms never overlap: two that would meet share the gap. A room ends where a dropped sound begins, and everything
    is clamped to ``[0, frames)``.

    Parameters
    ----------
    sounds, dropped : int64 (n, 2)
        In frames, in order.
    """
    if not len(sounds):
        return sounds
    before = round(recipe.room_before_ms * rate_hz / 1000.0)
    after = round(recipe.room_after_ms * rate_hz / 1000.0)
    low = np.concatenate([[0], sounds[:-1, 1]])
    high = np.concatenate([sounds[1:, 0], [frames]])
    if len(dropped):
        ends, starts = np.sort(dropped[:, 1]), np.sort(dropped[:, 0])
        last_end = np.searchsorted(ends, sounds[:, 0], "right") - 1
        low = np.maximum(low, np.where(last_end >= 0, ends[np.maximum(last_end, 0)], 0))
        next_start = np.searchsorted(starts, sounds[:, 1], "left")
        high = np.minimum(
            high, np.where(next_start < len(starts), starts[np.minimum(next_start, len(starts) - 1)], frames)
        )
    heads = np.minimum(np.maximum(sounds[:, 0] - before, low), sounds[:, 0])
    tails = np.maximum(np.minimum(sounds[:, 1] + after, high), sounds[:, 1])
    over = np.flatnonzero(tails[:-1] > heads[1:])
    gap = sounds[over + 1, 0] - sounds[over, 1]
    middle = sounds[over, 1] + (gap * after // max(before + after, 1))
    tails[over] = middle
    heads[over + 1] = middle
    return np.stack([heads, tails], axis=1)


def clean_quiet(envelope: Envelope, floor: Floor, gaps: Spans) -> Spans:
    """Return the parts of gaps in which nothing stands out of the floor: no breath, no click, no far-off sound.

    Parameters
    ----------
    gaps : int64 (n, 2)
        In source frames.
    """
    level_db, upper_db = _active_over_db(floor)
    quiet = (envelope.steadied_db <= level_db) & (envelope.steadied_upper_db <= upper_db)
    inside = np.zeros(len(quiet), np.bool_)
    width = envelope.bin_frames
    for start, end in gaps.tolist():
        inside[-(-start // width) : end // width] = True
    return runs(quiet & inside) * width


def passes(envelope: Envelope, floor: Floor, recipe: Recipe) -> Flags:
    """Say which bins pass the threshold of a recipe; where that counts from the speech, they are clear of the noise as well,
    wherever it lies at the moment."""
    over = _counted_db(envelope, recipe) >= recipe.threshold_dbfs(floor)
    if recipe.threshold_from == "speech" and envelope.noise_moves:
        over &= envelope.steadied_db >= floor.clear_db
    return np.asarray(over)


def _counted_db(envelope: Envelope, recipe: Recipe) -> Levels:
    """Return the level that is held against a threshold: what counts from the noise moves with it."""
    return envelope.steadied_db if recipe.threshold_from == "floor" else envelope.level_db


def _candidates(envelope: Envelope, floor: Floor, recipe: Recipe) -> tuple[Spans, Spans, Flags]:
    """Return the active runs with a seed, those without that may be consonants, and the seeds."""
    threshold, level = recipe.threshold_dbfs(floor), _counted_db(envelope, recipe)
    seeds = passes(envelope, floor, recipe)
    if recipe.reach == "threshold":
        spans = runs(level >= threshold - HYSTERESIS_DB)
        return spans[counts_in(seeds, spans) > 0], spans[:0], seeds
    level_db, upper_db = _active_over_db(floor)
    active = (envelope.steadied_db > min(level_db, threshold)) | (envelope.steadied_upper_db > upper_db)
    active |= envelope.steadied_sustained_db > floor.sustained_top_db
    spans = merged(runs(active), envelope.bins(_DIP_MS) + 1)
    seeded = counts_in(seeds, spans) > 0
    return spans[seeded], spans[~seeded], seeds


def _active_over_db(floor: Floor) -> tuple[float, float]:
    """Return over which levels of the full and the upper band something stands out of the floor."""
    return (
        max(floor.level_db + _ACTIVE_OVER_FLOOR_DB, floor.level_top_db + _ACTIVE_OVER_TOP_DB),
        max(floor.upper_db + _ACTIVE_OVER_FLOOR_DB, floor.upper_top_db + _ACTIVE_OVER_TOP_DB),
    )


def _sort_out(
    envelope: Envelope, floor: Floor, recipe: Recipe, candidates: Spans, seeds: Flags
) -> tuple[Spans, Spans, Spans, list[tuple[int, int, str]]]:
    """Return candidates that are clicks, that are breaths, and that are sounds; and of the sounds those that could be
    breaths, with the reason why they are kept."""
    longest = max(envelope.bins(recipe.shortest_sound_ms), 1)
    short = counts_in(seeds, candidates) < longest
    clicks, rest = candidates[short], candidates[~short]
    if recipe.breaths_are_sound or not len(rest):
        return clicks, rest[:0], rest, []
    loud = counts_in(seeds, rest)
    voiced = counts_in(seeds & _voiced(envelope, floor), rest)
    if voiced.sum() < _VOICED_PART * loud.sum():
        return clicks, rest[:0], rest, []
    peaks = np.maximum.reduceat(envelope.level_db, np.minimum(rest, len(seeds) - 1).ravel())[::2]
    unvoiced = voiced < envelope.bins(_VOICED_MS)
    as_loud = peaks >= floor.sound_db - recipe.breath_under_db
    too_long = rest[:, 1] - rest[:, 0] > envelope.bins(_LONGEST_BREATH_MS)
    breathy = unvoiced & ~as_loud & ~too_long
    kept = [
        (start, end, "it is as loud as the speech" if is_loud else "it is too long for a breath")
        for (start, end), is_loud in zip(
            rest[unvoiced & ~breathy].tolist(), as_loud[unvoiced & ~breathy].tolist(), strict=True
        )
    ]
    return clicks, rest[breathy], rest[~breathy], kept


def _voiced(envelope: Envelope, floor: Floor) -> Flags:
    """Say of each bin whether its energy, floor taken off, lies low.

    For a sine of frequency f the first difference multiplies the amplitude by 2 sin(πf/rate); the ratio of the two
    powers is compared with that of `_VOICED_BELOW_HZ`.
    """
    most = np.float32((2.0 * np.sin(np.pi * _VOICED_BELOW_HZ / envelope.rate_hz)) ** 2)
    level = envelope.power - _power(floor.level_db, envelope.lift_db)
    upper = envelope.upper_power - _power(floor.upper_db, envelope.upper_lift_db)
    return np.asarray(upper < most * level)


def _power(floor_db: float, lift_db: Levels) -> Levels:
    """Return the power of the noise."""
    return np.asarray(np.power(np.float32(10.0), (np.float32(floor_db) + lift_db) / np.float32(10.0)))


def _with_consonants(envelope: Envelope, floor: Floor, mains: Spans, faint: Spans, dropped: Spans) -> Spans:
    """Return the sounds with the quiet runs next to them taken in: their consonants.

    A faint run may lie a little farther off than one that could be a click or a breath. After a sound, the release
    of a stop ("t", "ts") may come later still: it is longer than a click, or the sound before it was shut off at once.
    """
    beside = np.concatenate([faint, dropped])
    reach = np.concatenate([np.full(len(faint), _FAINT_REACH_MS), np.full(len(dropped), _DROPPED_REACH_MS)])
    order = np.argsort(beside[:, 0], kind="stable")
    order = order[(beside[:, 1] - beside[:, 0])[order] <= envelope.bins(_CONSONANT_MS)]
    beside, reach = beside[order], reach[order]
    bin_ms = 1000.0 * envelope.bin_s
    held_ms = _held_ms(envelope, floor, beside)
    burst = (held_ms <= _LONGEST_BURST_MS) & (beside[:, 1] - beside[:, 0] <= envelope.bins(_LONGEST_RELEASE_MS))
    after = np.where(burst & (held_ms >= _LONGEST_CLICK_MS), _RELEASE_REACH_MS, reach) / bin_ms
    after_stop = np.maximum(after, np.where(burst, _SHORT_RELEASE_REACH_MS, reach) / bin_ms)
    before = np.where(reach < _FAINT_REACH_MS, _DROPPED_REACH_BEFORE_MS, reach) / bin_ms
    starts, ends = beside[:, 0].tolist(), beside[:, 1].tolist()
    before_bins, after_bins, after_stop_bins = before.tolist(), after.tolist(), after_stop.tolist()
    out: list[tuple[int, int]] = []
    for (start, end), shut in zip(mains.tolist(), _shut(envelope, mains).tolist(), strict=True):
        reach_bins = after_stop_bins if shut else after_bins
        at = bisect_left(starts, end)
        while at < len(starts) and starts[at] - end < reach_bins[at]:
            end = max(end, ends[at])
            at += 1
        at = bisect_right(ends, start) - 1
        while at >= 0 and start - ends[at] < before_bins[at]:
            start = min(start, starts[at])
            at -= 1
        out.append((start, end))
    return merged(np.array(out, np.int64).reshape(-1, 2), 1)


def _shut(envelope: Envelope, sounds: Spans) -> Flags:
    """Say of each sound whether it ends at once, as before a stop whose release is still to come."""
    falls, within = max(envelope.bins(_SHUT_MS), 1), envelope.bins(_SHUT_WITHIN_MS)
    last = len(envelope.level_db) - 1
    at = sounds[:, 1, None] - np.arange(within + 1)
    fall_db = envelope.level_db[np.clip(at - falls, 0, last)] - envelope.level_db[np.clip(at, 0, last)]
    return np.asarray(fall_db.max(axis=1, initial=0.0) >= _SHUT_DB)


def _held_ms(envelope: Envelope, floor: Floor, spans: Spans) -> Floats:
    """Return how long each span has its power, (Σp)²/Σp² with the floor taken off, in ms: a click's two bursts of a few
    milliseconds stay short however far apart they are."""
    if not len(spans):
        return np.zeros(0)
    power = np.maximum(envelope.power.astype(np.float64) - _power(floor.level_db, envelope.lift_db), 0.0)
    bounds = np.minimum(spans, len(power) - 1).ravel()
    total, squares = np.add.reduceat(power, bounds)[::2], np.add.reduceat(np.square(power), bounds)[::2]
    return np.asarray(np.square(total) / np.maximum(squares, 1e-30) * envelope.bin_s * 1000.0)


def _with_swell(envelope: Envelope, alone: Spans, sounds: Spans) -> Spans:
    """Return what was dropped with its soft start, which lies under the floor's reach: a breath swells for a while."""
    swell = np.maximum((alone[:, 1] - alone[:, 0]) // 2, envelope.bins(_SWELL_MS))
    swell = np.minimum(swell, envelope.bins(_LONGEST_SWELL_MS))
    before = np.searchsorted(sounds[:, 1], alone[:, 0], "right") - 1
    free_from = np.where(before >= 0, sounds[np.maximum(before, 0), 1], 0) if len(sounds) else 0
    return np.stack([np.maximum(alone[:, 0] - swell, free_from), alone[:, 1]], axis=1)


def _bridged(spans: Spans, gap: int) -> Spans:
    if len(spans) < 2:
        return spans[:0]
    gaps = np.stack([spans[:-1, 1], spans[1:, 0]], axis=1)
    return gaps[gaps[:, 1] - gaps[:, 0] < max(gap, 1)]


def _not_inside(spans: Spans, sounds: Spans) -> Spans:
    if not len(spans) or not len(sounds):
        return spans
    at = np.maximum(np.searchsorted(sounds[:, 0], spans[:, 0], "right") - 1, 0)
    inside = (spans[:, 0] >= sounds[at, 0]) & (spans[:, 1] <= sounds[at, 1])
    return np.asarray(spans[~inside])
