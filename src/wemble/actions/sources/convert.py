"""A working copy at another rate: converted whole, once."""

from __future__ import annotations

import secrets
from pathlib import Path

import numpy as np
import soxr

from wemble.store.files import Home, copy_path
from wemble.store.rows import SourceRow

BLOCK_FRAMES = 1 << 16


def convert_copy(home: Home, work: Path, source: SourceRow, rate_hz: int) -> None:
    """Convert a source's working copy to another rate, whole, once; fine if it is there. ``work`` is for the part."""
    folder = home.source(source.id)
    if copy_path(folder, rate_hz).exists():
        return
    part = work / f"copy-{secrets.token_hex(8)}.f32"
    stream = soxr.ResampleStream(source.rate_hz, rate_hz, source.channels, dtype="float32", quality="HQ")
    with copy_path(folder, source.rate_hz).open("rb") as there, part.open("wb") as out:
        while raw := there.read(BLOCK_FRAMES * source.channels * 4):
            block = np.frombuffer(raw, np.float32).reshape(-1, source.channels)
            out.write(np.ascontiguousarray(stream.resample_chunk(block)).data)
        out.write(
            np.ascontiguousarray(stream.resample_chunk(np.zeros((0, source.channels), np.float32), last=True)).data
        )
    part.rename(copy_path(folder, rate_hz))
