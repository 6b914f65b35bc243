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
from wemble.core.edges.silence import Found, find_sounds, passes, with_rooms
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


@dataclass(frozen=True, slots=True, eq=False)
class OwnSound:
    """A lane made ready for finding what is said on it: its envelope without what it hears of the others, and with what
    surely is its own alone; ``over_rest_db`` (bins,) says how far own stands over what may be left of the others."""

    shown: Envelope
    surely: Envelope
    over_rest_db: NDArray[np.float32]


def own_sound(envelope: Envelope, heard: Heard, *, starts_s: float = 0.0) -> OwnSound:
    """Make a lane ready for finding.

    Parameters
    ----------
    envelope : Envelope
        Of the lane's recording, or a part of it.
    heard : Heard
        What the lane has of its own, in the lanes' common time; ``starts_s`` is where in that the envelope starts.
    """
    over = 10.0 * np.log10(np.maximum(heard.own[0], 1e-20) / np.maximum(heard.rest[0], 1e-20))
    return OwnSound(
        _own_envelope(envelope, heard, starts_s, _OVER_REST_DB),
        _own_envelope(envelope, heard, starts_s, _SURELY_OVER_REST_DB),
        _at_bins(envelope, heard, starts_s, over),
    )


def find_said(own: OwnSound, floor: Floor, recipe: Recipe) -> Said:
    """Find what is said on a lane, at the precision of a bin, in frames from the start of its envelope."""
    shown = own.shown
    found = find_sounds(shown, floor, recipe)
    bins = np.minimum(-(-found.sounds // shown.bin_frames), len(shown.power))
    sure = counts_in(passes(own.surely, floor, recipe), bins) * shown.bin_s >= _SURE_FOR_S
    sounds = found.sounds[sure]
    # What is faint may be the others', and what is short the end of a word: rooms stop short of breaths alone.
    spans = with_rooms(sounds, found.breaths, recipe, rate_hz=shown.rate_hz, frames=shown.frames)
    clearest = max(round(_SURE_FOR_S / shown.bin_s), 1)
    margins_db = [np.sort(own.over_rest_db[start:end])[-clearest:][0] for start, end in bins[sure].tolist()]
    return Said(replace(found, sounds=sounds, spans=spans, in_the_way=found.breaths), np.array(margins_db, np.float64))


def doubt(margin_db: float) -> tuple[float, str]:
    """Return how sure it is that a sound is the lane's own, 0…1, and why.

    Examples
    --------
    >>> doubt(30.0)
    (1.0, 'clearly its own')
    """
    confidence = max((margin_db - _SURELY_OVER_REST_DB) / (_BEYOND_DOUBT_DB - _SURELY_OVER_REST_DB), 0.0)
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


def _at_bins(envelope: Envelope, heard: Heard, starts_s: float, values: NDArray[np.floating]) -> NDArray[np.float32]:
    moments = starts_s + (np.arange(len(envelope.power)) + 0.5) * envelope.bin_s
    steps = (np.arange(len(values)) + 0.5) * heard.step_s
    return np.asarray(np.interp(moments, steps, values), np.float32)
