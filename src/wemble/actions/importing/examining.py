"""A file looked at before it is taken into a job: how long it is, how loud, and whether its peaks are flattened."""

from __future__ import annotations

from dataclasses import asdict, dataclass
from pathlib import Path

import numpy as np

from wemble.actions.library import Library
from wemble.actions.work.executor import Report
from wemble.actions.work.tasks import start_task
from wemble.core.signal.flat_tops import FlatTops, in_words
from wemble.formats.decode import decoded, probe

_BLOCK_FRAMES = 1 << 16


@dataclass(frozen=True, slots=True)
class Examined:
    """What is known of a file: length in seconds, rate, channels, peak in dB, and what is to be said of its peaks."""

    length_s: float
    rate_hz: int
    channels: int
    peak_db: float
    flattened: str


def start_examining(library: Library, job_id: str, path: Path, name: str) -> str:
    """Start looking at a file that was uploaded, and return the task; nothing of it is kept."""
    return start_task(library, job_id, "check", name, {"examined": name}, examine, (path,), asdict)


def examine(report: Report, work: Path, path: Path) -> Examined:
    """Decode a file once, and keep nothing. Runs in a worker. Raises as importing it would."""
    found = probe(path)
    tops, peak, frames = FlatTops(found.channels), 0.0, 0
    for block in decoded(path, found, _BLOCK_FRAMES, []):
        samples = np.nan_to_num(block.T, nan=0.0, posinf=0.0, neginf=0.0)
        tops.feed(samples)
        peak = max(peak, float(np.abs(samples).max(initial=0.0)))
        frames += samples.shape[1]
        if found.frames:
            report(min(frames / found.frames, 0.99), "looking at it")
    peak_db = round(float(20.0 * np.log10(max(peak, 1e-10))), 1)
    return Examined(frames / found.rate_hz, found.rate_hz, found.channels, peak_db, in_words(tops.count()))
