"""A limiter with look-ahead: never over its ceiling, an identity where nothing is over, the same bits in any blocks.

For every frame the gain is known that brings its peak down to the ceiling. What is less than that anywhere in the
look-ahead counts; it comes back so many dB a second; and two means over half of the look-ahead each make of that a curve
without steps. A mean of gains, none of which lets a peak through, lets none through. Gains are whole numbers of
`_UNITS_A_DB` until the end, so sums are exact and depend neither on where blocks end nor on where they began.

References
----------
The scheme is common practice; true peaks after ITU-R BS.1770-5, annex 2 (from memory).
"""

from __future__ import annotations

from dataclasses import dataclass

import numpy as np
from numpy.typing import NDArray
from scipy import ndimage

from wemble.core.signal.levels import Samples, from_db
from wemble.core.signal.loudness import FINE_TAPS, between_samples
from wemble.errors import InvalidInput

_UNITS_A_DB = 1_000_000_000
_MOST_DB = 120.0
_BETWEEN_MARGIN_DB = 0.3
"""By how much a peak between samples may be larger than it is measured at eight times the rate, and by how much a gain that
moves can raise it."""
Gains = NDArray[np.int64]


@dataclass(frozen=True, slots=True)
class LimiterSettings:
    """A ceiling in dB, of samples or (``true_peak``) of what lies between them too; times in milliseconds.

    The gain is down ``look_ahead_ms`` before a peak; after it, it comes back by 6 dB in each ``release_ms``.
    """

    ceiling_db: float = -4.0
    true_peak: bool = False
    look_ahead_ms: float = 5.0
    release_ms: float = 100.0

    def __post_init__(self) -> None:
        for name, low, high in (("ceiling_db", -40.0, 0.0), ("look_ahead_ms", 0.5, 50.0), ("release_ms", 5.0, 5000.0)):
            if not low <= getattr(self, name) <= high:
                raise InvalidInput(f"{name} must be between {low:g} and {high:g}, not {getattr(self, name):g}")


class Limiter:
    """Takes blocks and gives back as much, later by the look-ahead; `finish` gives the rest.

    ``room`` is the amplitude that it stays further below its ceiling, for what is added afterwards, such as dither.
    ``least_db`` is the lowest gain so far, ``steps_db`` the lowest of every tenth of a second, ``limited_frames`` how many
    frames were turned down at all.
    """

    def __init__(self, settings: LimiterSettings, rate_hz: int, channels: int, *, room: float = 0.0):
        margin_db = _BETWEEN_MARGIN_DB if settings.true_peak else 0.0
        self._ceiling = _at_most(from_db(settings.ceiling_db - margin_db) - room)
        self._ceiling_db = 20.0 * float(np.log10(np.float64(self._ceiling)))
        self._true_peak = settings.true_peak
        self._half = max(round(settings.look_ahead_ms * rate_hz / 2000.0), 1)
        self._slope = max(round(6.0 * _UNITS_A_DB / (settings.release_ms * rate_hz / 1000.0)), 1)
        self._ahead = 2 * self._half + (FINE_TAPS // 2 if settings.true_peak else 0)
        self._waiting = np.zeros((channels, 0), np.float32)
        self._heard = np.zeros((channels, FINE_TAPS), np.float32)
        self._wanted: Gains = np.zeros(2 * self._half, np.int64)
        self._held: Gains = np.zeros(2 * self._half - 1, np.int64)
        self._lowest = np.iinfo(np.int64).max
        self._at = 0
        self._dropped = 0
        self._step_frames = max(rate_hz // 10, 1)
        self._given = 0
        self.least_db = 0.0
        self.limited_frames = 0
        self.steps_db: list[float] = []

    def feed(self, samples: Samples) -> Samples:
        """Take float32 (channels, frames), and return as many frames as are ready."""
        if not samples.shape[1]:
            return samples
        self._waiting = np.concatenate([self._waiting, samples], axis=1)
        gains = self._curve(self._wanted_of(samples))
        late = min(max(self._ahead - self._dropped, 0), len(gains))  # the first ones lie before the first frame
        self._dropped += late
        gains = gains[late:]
        ready, self._waiting = self._waiting[:, : len(gains)], self._waiting[:, len(gains) :]
        return self._turned_down(ready, gains)

    def finish(self) -> Samples:
        """Return the frames that are left."""
        left = self._waiting.shape[1]
        return (
            self.feed(np.zeros((self._waiting.shape[0], self._ahead), np.float32))[:, :left] if left else self._waiting
        )

    def _wanted_of(self, samples: Samples) -> Gains:
        """Return the gain that brings every frame's peak to the ceiling; with true peaks half an interpolator late."""
        peaks = np.abs(samples).max(axis=0)
        if self._true_peak:
            heard = np.concatenate([self._heard, samples], axis=1)
            self._heard = heard[:, -FINE_TAPS:]
            half = FINE_TAPS // 2
            own = np.abs(heard[:, half : half + samples.shape[1]]).max(axis=0)
            between = between_samples(heard, float(self._ceiling))
            peaks = np.maximum(own, np.maximum(between[:-1], between[1:]))
        wanted = np.zeros(len(peaks), np.int64)
        over = np.flatnonzero(peaks > self._ceiling)
        if len(over):
            down_db = np.minimum(20.0 * np.log10(peaks[over].astype(np.float64)) - self._ceiling_db, _MOST_DB)
            wanted[over] = -np.ceil(down_db * _UNITS_A_DB).astype(np.int64) - 1
        return wanted

    def _curve(self, wanted: Gains) -> Gains:
        """Return the gains, in units times the square of half the look-ahead, of frames that lie the look-ahead back."""
        width, half = 2 * self._half, self._half
        line = np.concatenate([self._wanted, wanted])
        self._wanted = line[-width:]
        low = (
            ndimage.minimum_filter1d(line, width + 1, origin=0)[half : half + len(wanted)]
            if line.any()
            else line[width:]
        )
        places = np.arange(self._at, self._at + len(low), dtype=np.int64) * self._slope
        falling = np.minimum.accumulate(np.minimum(low - places, self._lowest))
        self._lowest = int(falling[-1])
        self._at += len(low)
        held = np.concatenate([self._held, falling + places])
        self._held = held[-(width - 1) :]
        return _sums(_sums(held, half), half + 1)[: len(wanted)] if held.any() else np.zeros(len(wanted), np.int64)

    def _turned_down(self, samples: Samples, gains: Gains) -> Samples:
        if not gains.any():
            self._note(np.zeros(len(gains)))
            return samples
        down_db = gains / (_UNITS_A_DB * self._half * (self._half + 1))
        self._note(down_db)
        changed = np.asarray(samples * np.power(10.0, down_db / 20.0), np.float32)
        return np.where(gains < 0, changed, samples)

    def _note(self, down_db: NDArray[np.float64]) -> None:
        self.least_db = min(self.least_db, float(down_db.min(initial=0.0)))
        self.limited_frames += int(np.count_nonzero(down_db))
        at = 0
        while at < len(down_db):
            step = self._given // self._step_frames
            frames = min((step + 1) * self._step_frames - self._given, len(down_db) - at)
            least = round(float(down_db[at : at + frames].min()), 2)
            if step < len(self.steps_db):
                self.steps_db[step] = min(self.steps_db[step], least)
            else:
                self.steps_db.append(least)
            at, self._given = at + frames, self._given + frames


def _at_most(value: float) -> np.float32:
    """Return the largest sample that is not over a value."""
    nearest = np.float32(value)
    return nearest if float(nearest) <= value else np.nextafter(nearest, np.float32(0.0))


def _sums(values: Gains, width: int) -> Gains:
    """Return the sum of every run of so many values."""
    total = np.concatenate([[0], np.cumsum(values)])
    return np.asarray(total[width:] - total[:-width])
