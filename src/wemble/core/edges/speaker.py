"""Whose sound it is: of lanes that hear each other, each keeps what is said on it.

What a lane has of the others is taken off (`wemble.core.signal.bleed`); its envelope is turned down to what is its own, and
in that sound and silence are told apart as in any recording. So talk over each other stays on both.
"""

from __future__ import annotations

from dataclasses import dataclass, replace

import numpy as np
from numpy.typing import NDArray

from wemble.core.edges.envelope import Envelope, counts_in, from_powers
from wemble.core.edges.floor import Floor
from wemble.core.edges.recipe import Recipe
from wemble.core.edges.search import propose
from wemble.core.edges.silence import Found, find_sounds, with_rooms
from wemble.core.signal.bleed import Heard

_OVER_REST_DB, _SURELY_OVER_REST_DB, _BEYOND_DOUBT_DB = 3.0, 9.0, 18.0
_UNDER_WHOLE_DB = 8.0
_SURE_FOR_S = 0.03
_HIDDEN_BEFORE_MS, _HIDDEN_AFTER_MS = 90.0, 60.0


@dataclass(frozen=True, slots=True, eq=False)
class Said:
    """What is said on a lane, and of each sound how far it stands over what may be left of the others, in dB."""

    found: Found
    margins_db: NDArray[np.float64]


def propose_for_speaker(floor: Floor) -> Recipe:
    """Propose how what is said on a lane is found: pauses for breath stay, as the others may speak in longer ones.

    The rooms are longer than alone: a soft beginning hides in what is left of the others.
    """
    alone = propose(floor)
    return replace(
        alone,
        own_only=True,
        shortest_gap_ms=350.0,
        room_before_ms=alone.room_before_ms + _HIDDEN_BEFORE_MS,
        room_after_ms=alone.room_after_ms + _HIDDEN_AFTER_MS,
    )


def find_said(envelope: Envelope, floor: Floor, heard: Heard, recipe: Recipe, *, starts_s: float = 0.0) -> Said:
    """Find what is said on a lane, at the precision of a bin, in frames from the start of the envelope.

    Parameters
    ----------
    envelope : Envelope
        Of the lane's recording, or a part of it.
    heard : Heard
        What the lane has of its own, in the lanes' common time; ``starts_s`` is where in that the envelope starts.
    """
    own, surely = (
        _own_envelope(envelope, heard, starts_s, over_rest_db) for over_rest_db in (_OVER_REST_DB, _SURELY_OVER_REST_DB)
    )
    found = find_sounds(own, floor, recipe)
    threshold = recipe.threshold_dbfs(floor_db=floor.level_db, peak_db=floor.peak_db)
    bins = np.minimum(-(-found.sounds // own.bin_frames), len(own.power))
    sure = counts_in(surely.level_db >= threshold, bins) * own.bin_s >= _SURE_FOR_S
    sounds = found.sounds[sure]
    # What is faint may be the others', and what is short the end of a word: rooms stop short of breaths alone.
    spans = with_rooms(sounds, found.breaths, recipe, rate_hz=own.rate_hz, frames=own.frames)
    return Said(
        replace(found, sounds=sounds, spans=spans, in_the_way=found.breaths),
        _margins_db(envelope, heard, starts_s, bins[sure]),
    )


def doubt(margin_db: float) -> tuple[float, str]:
    """Return how sure it is that a sound is the lane's own, 0…1, and why.

    Examples
    --------
    >>> doubt(30.0)
    (1.0, 'clearly its own')
    """
    confidence = float(
        np.clip((margin_db - _SURELY_OVER_REST_DB) / (_BEYOND_DOUBT_DB - _SURELY_OVER_REST_DB), 0.0, 1.0)
    )
    if confidence >= 1.0:
        return 1.0, "clearly its own"
    return round(confidence, 2), f"only {margin_db:.0f} dB over what may be left of the others"


def _own_envelope(envelope: Envelope, heard: Heard, starts_s: float, over_rest_db: float) -> Envelope:
    """Return a lane's envelope without what it hears of the others: nothing where it is not that much over the rest of it,
    or so far under them that they mask it."""
    clear = heard.own > np.maximum(heard.rest * 10 ** (over_rest_db / 10), heard.whole * 10 ** (-_UNDER_WHOLE_DB / 10))
    share = np.where(clear, np.minimum((heard.own - heard.rest) / np.maximum(heard.whole, 1e-20), 1.0), 0.0)
    level, upper = (_at_bins(envelope, heard, starts_s, row) for row in share)
    return from_powers(envelope, envelope.power * level, envelope.upper_power * upper)


def _margins_db(envelope: Envelope, heard: Heard, starts_s: float, bins: NDArray[np.int64]) -> NDArray[np.float64]:
    """Return how far own stands over rest, in dB, in the clearest `_SURE_FOR_S` of each run of bins."""
    over = 10.0 * np.log10(np.maximum(heard.own[0], 1e-20) / np.maximum(heard.rest[0], 1e-20))
    at_bins = _at_bins(envelope, heard, starts_s, over)
    count = max(round(_SURE_FOR_S / envelope.bin_s), 1)
    return np.array([np.sort(at_bins[start:end])[-count:][0] for start, end in bins.tolist()])


def _at_bins(envelope: Envelope, heard: Heard, starts_s: float, values: NDArray[np.floating]) -> NDArray[np.float32]:
    moments = starts_s + (np.arange(len(envelope.power)) + 0.5) * envelope.bin_s
    steps = (np.arange(len(values)) + 0.5) * heard.step_s
    return np.asarray(np.interp(moments, steps, values), np.float32)
