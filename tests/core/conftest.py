"""Jobs to test with, over sources in memory."""

from __future__ import annotations

from collections.abc import Callable

import numpy as np
import pytest

from wemble.core.edges.envelope import Envelope, envelope
from wemble.core.edit.clips import add_source
from wemble.core.edit.model import Job, SourceUse
from wemble.core.signal.pyramid import bin_frames, reduce_samples
from wemble.core.signal.reader import ArrayReader

RATE = 48_000
Desk = tuple[Job, ArrayReader]


def enveloped(samples: np.ndarray, rate: int = RATE) -> Envelope:
    """Return the envelope of samples (channels, frames), as that of an imported file."""
    width = bin_frames(rate)
    taken = samples.astype(np.float32)
    bins = reduce_samples(taken, frames_per_bin=width, before=np.zeros((len(taken), 1), np.float32))
    return envelope(bins, rate_hz=rate, bin_frames=width, frames=samples.shape[1])


@pytest.fixture
def desk() -> Callable[..., Desk]:
    """Make a job of seeded noise sources, each a clip, and the reader for them."""

    def make(*frames: int, channels: int = 2) -> Desk:
        job, held = Job("test"), {}
        for number, length in enumerate(frames):
            noise = np.random.default_rng(number).uniform(-0.5, 0.5, (channels, length)).astype(np.float32)
            held[(f"s{number}", RATE)] = noise
            job = add_source(job, SourceUse(f"s{number}", f"source {number}", RATE, channels, length)).job
        return job, ArrayReader(held)

    return make
