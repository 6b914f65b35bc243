"""The floor of a recording: the level of the noise under everything."""

from __future__ import annotations

from dataclasses import dataclass

import numpy as np
from scipy import ndimage

from wemble.core.edges.envelope import Envelope, Flags, Levels
from wemble.core.signal.levels import SILENCE_DB

_SMOOTH_MS = 100.0
_LOW_PERCENTILE = 4.0
_UPPER_PERCENTILE = 25.0
_NEAR_DB = 3.0
_SUSTAINED_OVER_DB = 2.5
_DIGITAL_SILENCE_DB = -120.0
_ENDS_UNDER_DB, _PAUSE_MS = 22.0, 200.0
_FALL_MS, _FALL_MEAN_MS = 60.0, 20.0
_USUAL_FALL_DB_S, _LEAST_FALL_DB_S = 400.0, 10.0
_CLEAR_DB, _CLEAR_OVER_TOP_DB = 10.0, 3.0
_LEAST_CLEAR_DB = -90.0
"""What is quieter than that is no sound, however quiet the room (our choice)."""


@dataclass(frozen=True, slots=True)
class Floor:
    """What was measured under and over the silence, in dB relative to full scale.

    ``level_db`` and ``upper_db`` are the floors of the two bands of an envelope, ``level_top_db`` and
    ``upper_top_db`` what the noise alone passes in one bin of a thousand. ``confidence`` in 0…1 is low where
    the recording has no pause, or where it is nearly all pause. ``fall_db_s`` is how fast the level falls where sound ends:
    in a dry room as fast as the voice, in another as fast as the room lets it.
    """

    level_db: float
    upper_db: float
    level_top_db: float
    upper_top_db: float
    sustained_top_db: float
    sound_db: float
    peak_db: float
    confidence: float
    fall_db_s: float = _USUAL_FALL_DB_S

    @property
    def clear_db(self) -> float:
        """The least level that is clear of the noise, and of what it passes by itself."""
        return max(self.level_db + _CLEAR_DB, self.level_top_db + _CLEAR_OVER_TOP_DB, _LEAST_CLEAR_DB)


def measure_floor(envelope: Envelope, lowest_db: float | None = None) -> Floor:
    """Measure floor and sound level from the low and the high end of the short-term level distribution.

    Where there is so little quiet that these are sound, the floor is no higher than the noise is known to be (``lowest_db``).
    Where the noise moves, the floor is where it is lowest (`Envelope.steadied_db`); sound is as loud as it is.

    Bins are averaged over 100 ms, so that a dip inside a sound is not taken for the floor; digital silence does not
    count. The floor is the mean power of the quietest windows (those near the 4th percentile); a steady hum is part
    of it. Sound is what lies clearly above.

    A source of nothing but digital silence has its floor at `SILENCE_DB`, with confidence 0.
    """
    alive = envelope.level_db > _DIGITAL_SILENCE_DB
    if not alive.any():
        return Floor(SILENCE_DB, SILENCE_DB, SILENCE_DB, SILENCE_DB, SILENCE_DB, SILENCE_DB, SILENCE_DB, 0.0)
    level, upper, heard = envelope.steadied_db[alive], envelope.steadied_upper_db[alive], envelope.level_db[alive]
    quiet, spread_db = _quiet_bins(level, envelope, lowest_db)
    floor_db, top_db = _mean_db(level[quiet]), _top(level[quiet])
    bright = upper[quiet & _near(_smoothed_db(upper, envelope), quiet)]
    loud = level > floor_db + 10.0
    sound_db = _mean_db(heard[loud]) if loud.any() else floor_db
    lift = np.clip((sound_db - floor_db - 6.0) / 12.0, 0.0, 1.0)
    steady = np.clip(1.0 - (spread_db - 2.0) / 8.0, 0.0, 1.0)
    plenty = np.clip(quiet.sum() * envelope.bin_s / 1.0, 0.0, 1.0)
    return Floor(
        level_db=floor_db,
        upper_db=_mean_db(bright),
        level_top_db=top_db,
        upper_top_db=_top(bright),
        sustained_top_db=max(_top(envelope.steadied_sustained_db[alive][quiet]), floor_db + _SUSTAINED_OVER_DB),
        sound_db=sound_db,
        peak_db=float(heard.max()),
        confidence=round(float(lift * steady * plenty), 2),
        fall_db_s=_fall_db_s(level, max(floor_db + 10.0, sound_db - _ENDS_UNDER_DB), envelope),
    )


def _fall_db_s(level: Levels, ends_at_db: float, envelope: Envelope) -> float:
    """Return how fast the level falls at most around the ends of sounds, in the median over them."""
    power = ndimage.uniform_filter1d(
        np.power(10.0, level / 10.0, dtype=np.float64), max(envelope.bins(_FALL_MEAN_MS), 1)
    )
    smooth = 10.0 * np.log10(np.maximum(power, 1e-20))
    pause, before, after, step = (max(envelope.bins(ms), 1) for ms in (_PAUSE_MS, 100.0, 300.0, _FALL_MS))
    loud = level > ends_at_db
    ends = np.flatnonzero(loud[:-1] & ~loud[1:])
    nexts = np.append(np.flatnonzero(~loud[:-1] & loud[1:]) + 1, len(level))
    ends = ends[nexts[np.searchsorted(nexts, ends, "right")] - ends > pause]
    falls = [
        float((smooth[low:high] - smooth[low + step : high + step]).max())
        for low, high in ((max(end - before, 0), min(end + after, len(level) - step)) for end in ends.tolist())
        if high > low
    ]
    return (
        max(round(float(np.median(falls)) / (step * envelope.bin_s), 1), _LEAST_FALL_DB_S)
        if falls
        else _USUAL_FALL_DB_S
    )


def _quiet_bins(level: Levels, envelope: Envelope, lowest_db: float | None) -> tuple[Flags, float]:
    smooth = _smoothed_db(level, envelope)
    low = np.percentile(smooth, _LOW_PERCENTILE)
    if lowest_db is not None and lowest_db + _NEAR_DB < low and (smooth <= lowest_db + _NEAR_DB).any():
        low = np.float32(lowest_db)
    quiet = smooth <= low + _NEAR_DB
    return quiet, float(np.percentile(level[quiet], 90) - np.percentile(level[quiet], 10))


def _near(smooth_upper: Levels, quiet: Flags) -> Flags:
    """Say which bins are quiet in the upper band too: in a dark room a breath hides in the full band, not in that."""
    return np.asarray(smooth_upper <= np.percentile(smooth_upper[quiet], _UPPER_PERCENTILE) + _NEAR_DB)


def _smoothed_db(level: Levels, envelope: Envelope) -> Levels:
    power = np.power(10.0, level / 10.0, dtype=np.float64)
    mean = ndimage.uniform_filter1d(power, max(envelope.bins(_SMOOTH_MS), 1), mode="nearest")
    # A running sum of next to nothing may come out under nothing: the upper band of a constant has no power at all.
    return np.asarray(10.0 * np.log10(np.maximum(mean, 1e-20)), np.float32)


def _mean_db(levels: Levels) -> float:
    return float(10.0 * np.log10(np.mean(np.power(10.0, levels / 10.0, dtype=np.float64))))


def _top(levels: Levels) -> float:
    return float(np.percentile(levels, 99.9))
