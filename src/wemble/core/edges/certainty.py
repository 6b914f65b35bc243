"""An edge as a distribution over time: the interval that holds it with 90 %, and how likely it is that too much is cut.

A search walks along a score that only rises from outside a sound to inside it, and puts the edge where the score passes a
level of its own. Where on that score the *true* edge lies was measured on material whose edges are known: usually near that
level, sometimes far below it, where a faint sound comes first. Those scores, laid along the score of an edge at hand, are its
distribution over time: steep where the sound is sudden, wide where it swells out of its noise.

What was measured stands in ``measured.json``, which `bench/certainty.py` writes; nothing of it is set by hand.

References
----------
Papadopoulos et al., *Inductive confidence machines for regression*, 2002, and Lei et al., *Distribution-free predictive
inference for regression*, 2018 (intervals that hold what their measure of strangeness held before; here that is the score at
the true edge); Zadrozny, Elkan, 2002, and Guo et al., *On calibration of modern neural networks*, 2017 (a monotone map from a
stated to an observed probability). From memory.
"""

from __future__ import annotations

import json
from collections.abc import Sequence
from dataclasses import dataclass
from functools import cache, lru_cache
from importlib import resources
from typing import Literal

import numpy as np
from numpy.typing import NDArray

from wemble.core.edges.attack import Start
from wemble.core.signal.levels import Floats

EdgeKind = Literal["phrase_start", "phrase_end", "hit_start", "hit_end", "take_hit", "programme_start", "programme_end"]
Scores = NDArray[np.float32]

Spans = NDArray[np.int64]

HELD = 0.9
"""The part of all true edges that an interval holds."""
HOP_MS = 1.0
OUTSIDE, INSIDE = 120, 60
"""How many steps of `HOP_MS` are looked at outside an edge and inside it: nothing that belongs to a word lies farther off."""
_CLEAR_MS = 5.0
"""What is known as well is clear: a phrase is hurt by more than that."""
NOTHING = np.float32(-60.0)
"""The score of what was not looked at, since it is another's."""
_EVIDENCE_A_DB = 0.4
"""Log odds for sound for each dB over where it stands out, every millisecond. Found on ``tune``, with one voice left out: half of
it makes starts known within 14 ms and not 11, twice within 8.5 ms, but holds other voices less often."""
_MOST_EVIDENCE = 8.0
_AT_ONCE_MS, _HARDLY_MS = 1.0, 50.0
_FAR_MS = np.concatenate([np.arange(0.0, 20.0, 0.5), 20.0 * 1.05 ** np.arange(130)])
_SILENCE_LASTS, _SOUND_LASTS = 600.0, 250.0
"""In steps: how long a pause and a word last in the mean (a guess, as in a model of two states; nothing was fitted)."""


@dataclass(frozen=True, slots=True, eq=False)
class Spread:
    """Where true edges of a kind lay, in ``scores`` at ``parts`` of all; ``stated`` probabilities that no more than
    ``may_cut_ms`` is cut, and how often that was ``observed``."""

    parts: Floats
    scores: Floats
    may_cut_ms: float
    stated: Floats
    observed: Floats

    def score_at(self, parts: Floats) -> Floats:
        """Return the score under which that part of all true edges lay."""
        return np.asarray(np.interp(parts, self.parts, self.scores))

    def part_at(self, scores: Floats) -> Floats:
        """Return what part of all true edges lay under a score."""
        return np.asarray(np.interp(scores, self.scores, self.parts, left=0.0, right=1.0))


@cache
def spread_of(kind: EdgeKind) -> Spread:
    """Return what was measured of a kind of edge."""
    told = json.loads(resources.files("wemble.core.edges").joinpath("measured.json").read_text("utf-8"))
    one = told["edges"][kind]
    return Spread(
        np.array(told["parts"]),
        np.array(one["scores"]),
        one["may_cut_ms"],
        *map(np.array, (one["stated"], one["observed"])),
    )


@dataclass(frozen=True, slots=True, eq=False)
class Located:
    """Sounds, int64 (n, 2); where each start and each end lies with `HELD`, ``within`` int64 (n, 4): earliest and latest start,
    earliest and latest end; and how likely it is that no more is cut than may be, ``confidence`` float64 (n, 2)."""

    sounds: Spans
    within: Spans
    confidence: Floats

    @classmethod
    def exactly(cls, sounds: Spans) -> Located:
        """Return sounds whose edges are where they are by definition."""
        return cls(sounds, np.repeat(sounds, 2, axis=1), np.ones(sounds.shape))

    @classmethod
    def joined(cls, parts: Sequence[Located]) -> Located:
        """Return all parts as one."""
        return cls(*(np.concatenate([getattr(part, name) for part in parts]) for name in cls.__slots__))

    def only(self, those: NDArray[np.bool_]) -> Located:
        """Return those sounds alone."""
        return Located(self.sounds[those], self.within[those], self.confidence[those])

    def clip(self, head_frame: int, tail_frame: int) -> Located:
        """Return the same, as far as it lies in ``[head_frame, tail_frame)``."""
        sounds, within = (spans.clip(head_frame, tail_frame) for spans in (self.sounds, self.within))
        return Located(sounds, within, self.confidence)


def why(outside_ms: float, inside_ms: float) -> str:
    """Return what keeps an edge from being known better: how far it may lie outside and inside of where it was found, in ms.

    Examples
    --------
    >>> why(2.0, 1.0), why(24.0, 3.0), why(4.0, 20.0)
    ('clear', 'something faint up to 24 ms beyond it', 'it comes slowly out of the noise, over 20 ms')
    """
    if max(outside_ms, inside_ms) < _CLEAR_MS:
        return "clear"
    if outside_ms >= inside_ms:
        return f"something faint up to {outside_ms:.0f} ms beyond it"
    return f"it comes slowly out of the noise, over {inside_ms:.0f} ms"


def located_sounds(sounds: Spans, over_db: Scores, rate_hz: int) -> Located:
    """Return where the edges of sounds lie that stand out of their noise; ``over_db`` (n, 2, steps) as for `sound_scores`."""
    within, confidence = np.repeat(sounds, 2, axis=1), np.ones(sounds.shape)
    offsets_ms = HOP_MS * np.arange(-OUTSIDE, INSIDE)
    frames = rate_hz / 1000.0
    kinds: tuple[EdgeKind, EdgeKind] = ("phrase_start", "phrase_end")
    for side, kind in enumerate(kinds):
        lo, hi, confidence[:, side] = laid_along(offsets_ms, sound_scores(over_db[:, side]), spread_of(kind))
        bounds = np.stack([lo, hi] if side == 0 else [-hi, -lo], axis=1)
        within[:, 2 * side : 2 * side + 2] += np.rint(bounds * frames).astype(np.int64)
    return Located(sounds, within, confidence)


def attack_within(kind: EdgeKind, start: Start, onset_frame: int, rate_hz: int) -> tuple[int, int]:
    """Return between which frames an attack lies with `HELD`; ``onset_frame`` is what was made of its start."""
    offsets_ms, scores = attack_scores(start, onset_frame, rate_hz)
    lo, hi, _ = laid_along(offsets_ms, scores[None], spread_of(kind))
    return onset_frame + round(lo[0] * rate_hz / 1000.0), onset_frame + round(hi[0] * rate_hz / 1000.0)


def attack_scores(start: Start, onset_frame: int, rate_hz: int) -> tuple[Floats, Floats]:
    """Return offsets from an onset in ms, from outside to inside, and the score of the attack at each."""
    return (start.score_from + np.arange(len(start.score)) - onset_frame) * 1000.0 / rate_hz, start.score


def scaled_scores(unit_ms: float) -> tuple[Floats, Floats]:
    """Return offsets in ms, from outside to inside, and the score at each of an edge of which only its pace is known: how many
    units of time it lies away."""
    offsets_ms = np.concatenate([-_FAR_MS[:0:-1], _FAR_MS])
    return offsets_ms, offsets_ms / unit_ms


def ring_out_unit_ms(fall_db_ms: float) -> float:
    """Return the pace of the end of a ring-out: how long it takes to fall by 1 dB. What ends at once takes `_AT_ONCE_MS`; slower
    than `_HARDLY_MS` nobody can tell from its noise.

    Examples
    --------
    >>> ring_out_unit_ms(0.1)
    10.0
    """
    return 1.0 / min(max(fall_db_ms, 1.0 / _HARDLY_MS), 1.0 / _AT_ONCE_MS)


def ring_out_within(fall_db_ms: float, end_frame: int, rate_hz: int) -> tuple[int, int]:
    """Return between which frames a ring-out ends with `HELD`, from how fast it falls there."""
    inside, outside = paced_within("hit_end", ring_out_unit_ms(fall_db_ms), rate_hz)
    return end_frame - inside, end_frame + outside


@lru_cache(maxsize=8192)  # the ends of a take are asked for again while numbers are dragged
def paced_within(kind: EdgeKind, unit_ms: float, rate_hz: int) -> tuple[int, int]:
    """Return how many frames an edge may lie further inside and further outside, with `HELD`, from its pace."""
    offsets_ms, scores = scaled_scores(unit_ms)
    lo, hi, _ = laid_along(offsets_ms, scores[None], spread_of(kind))
    return round(hi[0] * rate_hz / 1000.0), round(-lo[0] * rate_hz / 1000.0)


def laid_along(
    offsets_ms: Floats, scores: Floats, spread: Spread, *, calibrated: bool = True
) -> tuple[Floats, Floats, Floats]:
    """Return the bounds of edges in ms, negative outside the frame that was found, and the confidence of each.

    Parameters
    ----------
    offsets_ms : float array, shape (points,)
        Rising, from outside to inside.
    scores : float array, shape (edges, points)
        Rising along each edge.
    calibrated
        Whether the stated probability is mapped to the observed one.

    Returns
    -------
    lo_ms, hi_ms, confidence : float64 (edges,) each
        The frame that was found lies between the bounds.
    """
    last = len(offsets_ms) - 1
    found = spread.part_at(scores[:, min(int(np.searchsorted(offsets_ms, 0.0)), last)])
    earliest = np.clip(
        (1.0 - HELD) / 2.0, found - HELD, found
    )  # the middle nine in ten, or those next to the frame found
    low, high = (spread.score_at(part)[:, None] for part in (earliest, earliest + HELD))
    lo = np.minimum((scores < low).sum(axis=1), last)
    hi = np.minimum((scores <= high).sum(axis=1), last)
    at = int(np.searchsorted(offsets_ms, -spread.may_cut_ms))
    stated = 1.0 - spread.part_at(scores[:, min(at, last)])
    confidence = np.interp(stated, spread.stated, spread.observed) if calibrated else stated
    return np.minimum(offsets_ms[lo], 0.0), np.maximum(offsets_ms[hi], 0.0), np.asarray(confidence)


def sound_scores(over_db: Scores) -> Floats:
    """Return how sure it is that the sound has begun, as the log odds of two states, rising from outside to inside.

    Parameters
    ----------
    over_db : float32 array, shape (edges, OUTSIDE + INSIDE)
        How far the level lies over where a sound stands out of its noise, every `HOP_MS` from outside to inside; `NOTHING`
        where it is another's.

    References
    ----------
    Rabiner, *A tutorial on hidden Markov models*, Proc. IEEE 77, 1989 (forwards and backwards); from memory.
    """
    for_sound = np.exp(np.clip(_EVIDENCE_A_DB * over_db.astype(np.float64), -_MOST_EVIDENCE, _MOST_EVIDENCE))
    starts, stops = 1.0 / _SILENCE_LASTS, 1.0 / _SOUND_LASTS
    edges, steps = for_sound.shape
    forward, odds = np.empty((steps, edges)), np.full(edges, starts / stops)
    for step in range(steps):
        sounds = odds / (1.0 + odds)
        ahead = sounds * (1.0 - stops) + (1.0 - sounds) * starts
        odds = for_sound[:, step] * ahead / (1.0 - ahead)
        forward[step] = odds
    behind = np.ones(edges)
    both = np.empty((edges, steps))
    for step in range(steps - 1, -1, -1):
        both[:, step] = forward[step] * behind
        heard = for_sound[:, step] * behind
        behind = (stops + (1.0 - stops) * heard) / (1.0 - starts + starts * heard)
    return np.maximum.accumulate(np.log(np.maximum(np.where(over_db > NOTHING, both, 0.0), 1e-26)), axis=1)
