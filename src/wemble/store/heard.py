"""What lanes hear of each other, on disk: a folder for each arrangement, a file for each lane.

Powers are kept as dB in half floats: their error, 0.03 dB down to −128 dB, is less than anything here is decided by.
"""

from __future__ import annotations

import contextlib
import json
import os
from collections.abc import Sequence
from pathlib import Path

import numpy as np

from wemble.core.signal.bleed import Heard

_LEAST = 1e-20


def write_heard(folder: Path, heard: Sequence[Heard]) -> None:
    """Write what was measured into a new folder."""
    folder.mkdir()
    for number, one in enumerate(heard):
        powers = np.stack([one.whole, one.own, one.rest])
        np.save(folder / f"lane-{number}.npy", (10.0 * np.log10(np.maximum(powers, _LEAST))).astype(np.float16))
    (folder / "about.json").write_text(json.dumps({"step_s": heard[0].step_s}))


def read_heard(folder: Path, number: int) -> Heard:
    """Return what was measured of one lane."""
    with contextlib.suppress(OSError):
        os.utime(folder)  # read lately: `Home.older_than`
    step_s = float(json.loads((folder / "about.json").read_text())["step_s"])
    levels = np.load(folder / f"lane-{number}.npy").astype(np.float32)
    whole, own, rest = np.power(np.float32(10.0), levels / np.float32(10.0))
    return Heard(step_s, whole, own, rest)
