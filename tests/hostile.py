"""Files that mean no good, made by a seeded script: damaged, cut off, chained, lying about themselves."""

from __future__ import annotations

import json
import random
import struct
import zipfile
from collections.abc import Callable
from hashlib import sha256
from io import BytesIO
from pathlib import Path
from typing import Any

import numpy as np
import soundfile

RATE = 48_000
CODED: dict[str, dict[str, Any]] = {
    "flac": {"format": "FLAC", "subtype": "PCM_16"},
    "mp3": {"format": "MP3", "subtype": "MPEG_LAYER_III", "bitrate_mode": "CONSTANT", "compression_level": 0.6},
    "ogg": {"format": "OGG", "subtype": "VORBIS"},
    "opus": {"format": "OGG", "subtype": "OPUS"},
    "aiff": {"format": "AIFF", "subtype": "PCM_16"},
    "wav": {"format": "WAV", "subtype": "PCM_16"},
}


def steps(seconds: float = 8.0) -> np.ndarray:
    """Return (frames, 1): a tone that rises a semitone every half second, so that every place sounds like no other."""
    t = np.arange(round(seconds * RATE)) / RATE
    noise = 0.001 * np.random.default_rng(3).standard_normal(len(t))
    return (0.3 * np.sin(2 * np.pi * 220.0 * 2.0 ** (np.floor(t * 2) / 12.0) * t) + noise).astype(np.float32)[:, None]


def coded(kind: str, samples: np.ndarray | None = None) -> bytes:
    """Return a sound as a file of a kind."""
    out = BytesIO()
    soundfile.write(out, steps() if samples is None else samples, RATE, **CODED[kind])
    return out.getvalue()


def with_hole(data: bytes, size: int = 3_000) -> bytes:
    """Return a file with bytes missing in its middle."""
    return data[: len(data) // 2] + data[len(data) // 2 + size :]


def wav_with(*chunks: tuple[bytes, bytes], samples: np.ndarray | None = None) -> bytes:
    """Return a WAV file with more chunks behind its samples."""
    data = coded("wav", samples) + b"".join(
        struct.pack("<4sI", name, len(body)) + body + b"\0" * (len(body) & 1) for name, body in chunks
    )
    return data[:4] + struct.pack("<I", len(data) - 8) + data[8:]


def cue_chunk(points: int) -> bytes:
    """Return a ``cue `` chunk with so many points, one every ten frames."""
    return struct.pack("<I", points) + b"".join(
        struct.pack("<II4sIII", n, 10 * n, b"data", 0, 0, 10 * n) for n in range(points)
    )


def repacked(archive: Path, to: Path, change: Callable[[dict[str, bytes]], None]) -> Path:
    """Write a saved job again with its files changed, and checksums that fit."""
    with zipfile.ZipFile(archive) as held:
        files = {name: held.read(name) for name in held.namelist()}
    change(files)
    sums = {name: sha256(data).hexdigest() for name, data in files.items() if name != "checksums.json"}
    files.setdefault("checksums.json", b"")
    files["checksums.json"] = json.dumps(sums).encode()
    with zipfile.ZipFile(to, "w") as out:
        for name, data in files.items():
            out.writestr(name, data)
    return to


WILD: tuple[Any, ...] = (
    None, "", "x" * 5_000, -1, 0, 1, 2**31, 2**62, -(2**62), 10**40, 1e308, -1e308, 0.5, True, [], {}, [[0, 0]], "../x", "linear",
)  # fmt: skip


def mutated(job: dict[str, Any], seed: int) -> dict[str, Any]:
    """Return the content of a saved job with one to three of its values made wild, dropped, swapped or doubled."""
    rng = random.Random(seed)
    job = json.loads(json.dumps(job))
    for _ in range(rng.randint(1, 3)):
        holder, key = rng.choice(list(_places(job)))
        what = rng.random()
        if what < 0.75:
            holder[key] = rng.choice(WILD)
        elif what < 0.85 and isinstance(holder, dict):
            del holder[key]
        elif isinstance(holder, dict):
            other, name = rng.choice(list(_places(job)))
            holder[key] = json.loads(json.dumps(other[name]))
    return job


def _places(value: Any) -> list[tuple[Any, Any]]:
    items = value.items() if isinstance(value, dict) else enumerate(value) if isinstance(value, list) else ()
    found: list[tuple[Any, Any]] = []
    for key, one in list(items):
        found += [(value, key), *_places(one)]
    return found
