"""What a file gives when it is decoded again: a coder moves levels, and that is what is heard."""

from __future__ import annotations

from dataclasses import dataclass
from pathlib import Path

import numpy as np

from wemble.core.signal.loudness import NOTHING_LUFS, LoudnessMeter
from wemble.formats.decode import decoded, probe

BLOCK_FRAMES = 1 << 16


@dataclass(frozen=True, slots=True)
class HeardInFile:
    """Loudness in LUFS (none where nothing is loud enough), peaks in dB, how many samples are at full scale or over it."""

    integrated_lufs: float | None
    true_peak_db: float
    sample_peak_db: float
    clipped: int
    seconds: float


def heard_in(path: Path) -> HeardInFile:
    """Decode a file and measure it."""
    found = probe(path)
    meter = LoudnessMeter(found.rate_hz, found.channels)
    clipped = frames = 0
    for block in decoded(path, found, BLOCK_FRAMES, []):
        meter.feed(np.ascontiguousarray(block.T))
        clipped += int(np.count_nonzero(np.abs(block) >= 1.0))
        frames += len(block)
    measured = meter.result()
    lufs = measured.integrated_lufs
    return HeardInFile(
        None if lufs <= NOTHING_LUFS else round(lufs, 2),
        round(measured.true_peak_db, 2),
        round(measured.sample_peak_db, 2),
        clipped,
        round(frames / found.rate_hz, 3),
    )
