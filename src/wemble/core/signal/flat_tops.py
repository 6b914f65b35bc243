"""Flattened peaks: where a recording was driven into a limit, its tops are flat. Common practice; the figures are our choice."""

from __future__ import annotations

import numpy as np

from wemble.core.signal.levels import Samples

_LEAST_RUN = 3
_LEAST_LEVEL = 0.25
_UNDER_PEAK_DB = 0.5
_STEP_DB = 0.1
_STEPS = 130
"""From 0.25 to far over full scale."""
MANY = 5
"""So many flat tops are no accident."""


class FlatTops:
    """Counts runs of at least three equal samples near a recording's peak, block by block."""

    def __init__(self, channels: int):
        self._counts = np.zeros(_STEPS * 2, np.int64)
        self._last: Samples = np.zeros((channels, 0), np.float32)
        self._peak = 0.0

    def feed(self, samples: Samples) -> None:
        """Take float32 (channels, frames) that follow the last."""
        joined = np.concatenate([self._last, samples], axis=1)
        self._peak = max(self._peak, float(np.abs(samples).max(initial=0.0)))
        same = (joined[:, 1:] == joined[:, :-1]) & (np.abs(joined[:, 1:]) >= _LEAST_LEVEL)
        long = same[:, 1:] & same[:, :-1]
        begins = long.copy()
        begins[:, 1:] &= ~long[:, :-1]
        levels = np.abs(joined[:, 2:][begins])
        np.add.at(self._counts, self._step(levels), 1)
        self._last = joined[:, -_LEAST_RUN:]

    def count(self) -> int:
        """Return how many flat tops lie within `_UNDER_PEAK_DB` of the peak."""
        if self._peak < _LEAST_LEVEL:
            return 0
        top = int(self._step(np.array([self._peak]))[0])
        low = max(top - round(_UNDER_PEAK_DB / _STEP_DB), 0)
        return int(self._counts[low : top + 1].sum())

    @staticmethod
    def _step(levels: Samples) -> np.ndarray[tuple[int, ...], np.dtype[np.int64]]:
        steps = np.floor(20.0 * np.log10(np.maximum(levels, _LEAST_LEVEL) / _LEAST_LEVEL) / _STEP_DB)
        return np.clip(steps, 0, 2 * _STEPS - 1).astype(np.int64)


def in_words(count: int) -> str:
    """Say that peaks are flattened; nothing where they are not."""
    return f"its peaks are flattened in {count:,} places: ask for a cleaner copy" if count >= MANY else ""
