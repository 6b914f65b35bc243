"""Jobs to test with, over sources in memory."""

from __future__ import annotations

from collections.abc import Callable

import numpy as np
import pytest

from wemble.core.edit.clips import add_source
from wemble.core.edit.model import Job, SourceUse
from wemble.core.signal.reader import ArrayReader

RATE = 48_000
Desk = tuple[Job, ArrayReader]


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
