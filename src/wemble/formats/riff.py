"""The chunks of a RIFF file: our own small reader.

Source: IBM/Microsoft, *Multimedia Programming Interface and Data Specifications 1.0*, 1991; EBU Tech 3306 for RF64's
sizes in ``ds64`` (both from memory).
"""

from __future__ import annotations

import struct
from collections.abc import Iterator
from dataclasses import dataclass
from pathlib import Path

_UNKNOWN_SIZE = 0xFFFFFFFF
_RIFF_MOST = (1 << 32) - 1


@dataclass(frozen=True, slots=True)
class Chunk:
    """One chunk: its name, where its content begins, and how long it says that is."""

    name: bytes
    offset: int
    size_bytes: int


def chunks(path: Path) -> Iterator[Chunk]:
    """Yield the chunks of a RIFF or RF64 file, as far as the file goes; nothing if it is neither."""
    length = path.stat().st_size
    long_data: int | None = None
    with path.open("rb") as file:
        head = file.read(12)
        if head[:4] not in (b"RIFF", b"RF64") or head[8:] != b"WAVE":
            return
        at = 12
        while at + 8 <= length:
            file.seek(at)
            name, size = struct.unpack("<4sI", file.read(8))
            if name == b"ds64":
                long_data = struct.unpack("<Q", file.read(16)[8:].ljust(8, b"\0"))[0]
            if size == _UNKNOWN_SIZE and name == b"data" and long_data is not None:
                size = long_data
            yield Chunk(name, at + 8, size)
            at += 8 + size + (size & 1)


def chunk_bytes(name: bytes, body: bytes) -> bytes:
    """Return a chunk whole, padded to an even length."""
    return struct.pack("<4sI", name, len(body)) + body + (b"\0" if len(body) & 1 else b"")


def append_chunk(path: Path, name: bytes, body: bytes) -> None:
    """Write a chunk into a finished WAV file, behind its samples. A file past 4 GiB (RF64) is left alone."""
    append_bytes(path, chunk_bytes(name, body))


def append_bytes(path: Path, tail: bytes) -> None:
    """Write whole chunks into a finished WAV file, behind its samples. A file past 4 GiB (RF64) is left alone."""
    with path.open("r+b") as file:
        head = file.read(4)
        end = file.seek(0, 2)
        if not tail or head != b"RIFF" or end + len(tail) + 1 > _RIFF_MOST:
            return
        if end & 1:
            file.write(b"\0")
        file.write(tail)
        size = file.tell() - 8
        file.seek(4)
        file.write(struct.pack("<I", size))


def promised_frames(path: Path) -> int | None:
    """Return how many frames the header of a WAV or AIFF file claims, whether or not they are there; None for others."""
    with path.open("rb") as file:
        if file.read(4) == b"FORM":
            return _aiff_frames(path)
    frame_bytes = 0
    for chunk in chunks(path):
        if chunk.name == b"fmt ":
            with path.open("rb") as file:
                file.seek(chunk.offset)
                frame_bytes = struct.unpack("<HHIIH", file.read(14).ljust(14, b"\0"))[4]
        if chunk.name == b"data" and frame_bytes:
            return chunk.size_bytes // frame_bytes
    return None


def _aiff_frames(path: Path) -> int | None:
    """Return the frames that the ``COMM`` chunk of an AIFF file claims (Apple, AIFF 1.3, 1989; from memory)."""
    length = path.stat().st_size
    at = 12
    with path.open("rb") as file:
        while at + 18 <= length:
            file.seek(at)
            name, size, _, frames = struct.unpack(">4sIHI", file.read(14))
            if name == b"COMM":
                return int(frames)
            at += 8 + size + (size & 1)
    return None
