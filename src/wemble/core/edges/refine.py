"""From the bin to the sample: where exactly a sound stands out of its floor.

Reads samples only within a few hundredths of a second of each edge.
"""

from __future__ import annotations

from collections.abc import Callable
from dataclasses import dataclass

import numpy as np
from numpy.typing import NDArray

from wemble.core.edges.envelope import Envelope, merged, runs
from wemble.core.edges.floor import Floor
from wemble.core.edges.silence import Spans
from wemble.core.signal.levels import SILENCE_DB, Samples, moving_rms, to_db, upper_band

Read = Callable[[int, int], Samples]
"""Reads (start, frames) of one source as float32 (channels, frames), zeros outside."""

WINDOW_MS = 10.0
_REACH_MS = 80.0
_CONTEXT_MS = 30.0
_DIP_MS = 40.0
_AUDIBLE_OVER_DB = 3.0
_QUIET_PIECES = 40
_QUIET_PIECE_MS = 150.0


@dataclass(frozen=True, slots=True)
class BandFloors:
    """The floor at sample precision, in the full and the upper band, and what its 10 ms RMS hardly ever passes."""

    full_db: float
    upper_db: float
    full_top_db: float
    upper_top_db: float

    @property
    def full_audible_db(self) -> float:
        """A sound as loud as the floor adds 3 dB to it; a restless floor asks for more."""
        return max(self.full_db + _AUDIBLE_OVER_DB, self.full_top_db)

    @property
    def upper_audible_db(self) -> float:
        """The same in the upper band."""
        return max(self.upper_db + _AUDIBLE_OVER_DB, self.upper_top_db)


def band_levels_db(samples: Samples, rate_hz: int) -> tuple[NDArray[np.float64], NDArray[np.float64]]:
    """Return the 10 ms RMS around every frame, loudest channel, in dB: (full band, upper band), each (frames,)."""
    window = max(round(WINDOW_MS * rate_hz / 1000.0), 1)
    full = moving_rms(samples, window).max(axis=0)
    upper = moving_rms(upper_band(samples, rate_hz), window).max(axis=0)
    return to_db(full), to_db(upper)


def measure_band_floors(read: Read, envelope: Envelope, floor: Floor) -> BandFloors:
    """Measure the floors on pieces of quiet spread over the source; at most `_QUIET_PIECES` of them are read.

    Without a quiet piece of 150 ms the floors of the envelope stand in, with an upper band far below.
    """
    quiet = runs(envelope.level_db < max(floor.level_db + 3.0, floor.level_top_db))
    length = envelope.bins(_QUIET_PIECE_MS)
    pieces = quiet[quiet[:, 1] - quiet[:, 0] >= length + 4]
    if not len(pieces) or floor.level_db <= SILENCE_DB:
        return BandFloors(floor.level_db, floor.level_db - 20.0, floor.level_top_db, floor.level_db - 17.0)
    chosen = pieces[np.linspace(0, len(pieces) - 1, min(len(pieces), _QUIET_PIECES)).round().astype(int)]
    full, upper = [], []
    skip = round(_CONTEXT_MS * envelope.rate_hz / 1000.0)
    for start, end in chosen.tolist():
        middle = (start + end - length) // 2
        samples = read(middle * envelope.bin_frames, length * envelope.bin_frames)
        levels = band_levels_db(samples, envelope.rate_hz)
        full.append(levels[0][skip:-skip])
        upper.append(levels[1][skip:-skip])
    (full_db, full_top_db), (upper_db, upper_top_db) = _mean_and_top(full), _mean_and_top(upper)
    return BandFloors(full_db, upper_db, full_top_db, upper_top_db)


def refine_sounds(read: Read, sounds: Spans, *, rate_hz: int, frames: int, floors: BandFloors) -> Spans:
    """Return the sounds with both ends moved to where they stand out of the floor.

    A start goes back as long as the sound stands out, over dips of at most 40 ms, and forward if nothing stands out
    where the bin began; an end likewise, mirrored. Neither moves more than 80 ms, sounds stay apart and in order.

    Parameters
    ----------
    sounds : int64 (n, 2)
        In source frames, at bin precision, in order.
    """
    reach = round(_REACH_MS * rate_hz / 1000.0)
    out = sounds.copy()
    for at, (start, end) in enumerate(sounds.tolist()):
        lowest = max(start - reach, int(out[at - 1, 1]) if at else 0)
        highest = min(end + reach, int(sounds[at + 1, 0]) if at + 1 < len(sounds) else frames)
        out[at, 0] = _first_audible(read, start, lowest, min(start + reach, end), rate_hz, floors)
        out[at, 1] = _last_audible(read, end, max(end - reach, int(out[at, 0]) + 1), highest, rate_hz, floors)
    return out


def _audible(read: Read, low: int, high: int, rate_hz: int, floors: BandFloors) -> NDArray[np.int64]:
    """Return the runs in ``[low, high)`` that stand out, dips bridged, relative to ``low``."""
    context = round(_CONTEXT_MS * rate_hz / 1000.0)
    full, upper = band_levels_db(read(low - context, high - low + 2 * context), rate_hz)
    stands_out = (full >= floors.full_audible_db) | (upper >= floors.upper_audible_db)
    return merged(runs(stands_out[context : context + high - low]), round(_DIP_MS * rate_hz / 1000.0))


def _first_audible(read: Read, start: int, low: int, high: int, rate_hz: int, floors: BandFloors) -> int:
    if high <= low:
        return start
    standing = _audible(read, low, high, rate_hz, floors)
    reached = standing[standing[:, 1] > start - low]
    return low + int(reached[0, 0]) if len(reached) else start


def _last_audible(read: Read, end: int, low: int, high: int, rate_hz: int, floors: BandFloors) -> int:
    if high <= low:
        return end
    standing = _audible(read, low, high, rate_hz, floors)
    reached = standing[standing[:, 0] < end - low]
    return low + int(reached[-1, 1]) if len(reached) else end


def _mean_and_top(levels: list[NDArray[np.float64]]) -> tuple[float, float]:
    together = np.concatenate(levels)
    mean = 10.0 * np.log10(np.mean(np.power(10.0, together / 10.0)))
    return float(mean), float(np.percentile(together, 99.8))
