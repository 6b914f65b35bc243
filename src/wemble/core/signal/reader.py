"""How the core asks for samples: a protocol that the store implements."""

from __future__ import annotations

from collections.abc import Callable, Mapping
from typing import Protocol

import numpy as np

from wemble.core.signal.levels import Samples

Read = Callable[[int, int], Samples]
"""Reads one recording: ``read(start, frames)`` gives float32 (channels, frames), zeros outside it."""


class SampleReader(Protocol):
    """Reads sources by position, at a rate that a working copy exists for."""

    def read(self, source_id: str, rate_hz: int, start: int, frames: int) -> Samples:
        """Return float32 (channels, frames); what lies outside the source is zero.

        The same frame has the same bits from any ``start``.
        """
        ...


class ArrayReader:
    """A reader over arrays in memory: for tests, the shell, and whatever was just decoded."""

    def __init__(self, sources: Mapping[tuple[str, int], Samples]):
        self._sources = dict(sources)

    def read(self, source_id: str, rate_hz: int, start: int, frames: int) -> Samples:
        """Return float32 (channels, frames); what lies outside the source is zero."""
        samples = self._sources[(source_id, rate_hz)]
        return cut(samples, start, frames)


def cut(samples: Samples, start: int, frames: int) -> Samples:
    """Return ``samples[:, start : start + frames]`` with zeros where there is nothing.

    Examples
    --------
    >>> cut(np.array([[1.0, 2.0]], np.float32), -1, 4).tolist()
    [[0.0, 1.0, 2.0, 0.0]]
    """
    out = np.zeros((samples.shape[0], frames), np.float32)
    low, high = max(start, 0), min(start + frames, samples.shape[1])
    if low < high:
        out[:, low - start : high - start] = samples[:, low:high]
    return out
