"""Points inside a WAV file: ``cue `` points with their names, and ``smpl`` loops, in and out.

Sources: IBM/Microsoft, *Multimedia Programming Interface and Data Specifications 1.0*, 1991 (``cue ``: 24 bytes a point,
frame offset last; ``adtl``/``labl``: a name by the point's number) and its revision of 1994 (``smpl``: 36 bytes, then 24
a loop; the end of a loop is *played*). From memory.
"""

from __future__ import annotations

import struct
from collections.abc import Iterator, Sequence
from dataclasses import dataclass
from pathlib import Path

from wemble.formats.riff import append_bytes, chunk_bytes, chunks

_MOST_POINTS = 10_000
_LONGEST_CHUNK = 1 << 22


@dataclass(frozen=True, slots=True)
class Point:
    """A named point of a file, or a loop: ``end_frame`` is the frame after its last one, none for a point."""

    frame: int
    name: str = ""
    end_frame: int | None = None


@dataclass(frozen=True, slots=True)
class PointsRead:
    """The points of a file, and how many points and chunks of points were left out."""

    points: list[Point]
    left_out: int = 0


def read_points(path: Path, frames: int) -> PointsRead:
    """Return the points and loops of a WAV file that lie inside its ``frames``, in order; none for other files.

    What contradicts itself is left out: a point past the end, a loop that ends before it starts, a chunk too large to be
    read, and what is over `_MOST_POINTS` in the whole file.
    """
    cues: dict[int, int] = {}
    names: dict[int, str] = {}
    loops: list[Point] = []
    too_large = 0
    with path.open("rb") as file:
        for chunk in chunks(path):
            if chunk.name in (b"cue ", b"smpl") and chunk.size_bytes > _LONGEST_CHUNK:
                too_large += 1
            elif chunk.name in (b"cue ", b"LIST", b"smpl") and chunk.size_bytes <= _LONGEST_CHUNK:
                file.seek(chunk.offset)
                data = file.read(chunk.size_bytes)
                if chunk.name == b"cue ":
                    cues.update(_cues(data))
                elif chunk.name == b"LIST":
                    names.update(_labels(data))
                else:
                    loops += _loops(data)
    points = [Point(frame, names.get(number, "")) for number, frame in cues.items() if frame < frames]
    kept = [loop for loop in loops if loop.end_frame is not None and loop.frame < loop.end_frame <= frames]
    found = sorted([*points, *kept], key=lambda point: (point.frame, point.end_frame or 0))
    return PointsRead(found[:_MOST_POINTS], len(cues) + len(loops) - min(len(found), _MOST_POINTS) + too_large)


def append_points(path: Path, points: Sequence[Point], *, rate_hz: int) -> None:
    """Write points and loops into a finished WAV file, behind its samples. A file past 4 GiB (RF64) is left alone."""
    cues = [point for point in points if point.end_frame is None]
    loops = [point for point in points if point.end_frame is not None]
    tail = b"".join([*_cue_chunks(cues), *([_smpl_chunk(loops, rate_hz)] if loops else [])])
    append_bytes(path, tail)


def _cues(data: bytes) -> dict[int, int]:
    count = min(struct.unpack_from("<I", data)[0] if len(data) >= 4 else 0, (len(data) - 4) // 24)
    rows = (struct.unpack_from("<II4sIII", data, 4 + 24 * n) for n in range(max(count, 0)))
    return {number: frame for number, _, _, _, _, frame in rows}


def _labels(data: bytes) -> Iterator[tuple[int, str]]:
    if data[:4] != b"adtl":
        return
    at = 4
    while at + 8 <= len(data):
        name, size = struct.unpack_from("<4sI", data, at)
        body = data[at + 8 : at + 8 + size]
        if name == b"labl" and len(body) >= 4:
            text = body[4:].split(b"\0")[0]
            yield struct.unpack_from("<I", body)[0], text.decode("utf-8", "replace")[:200].strip()
        at += 8 + size + (size & 1)


def _loops(data: bytes) -> list[Point]:
    if len(data) < 36:
        return []
    count = min(struct.unpack_from("<I", data, 28)[0], (len(data) - 36) // 24)
    rows = (struct.unpack_from("<IIIIII", data, 36 + 24 * n) for n in range(count))
    return [Point(start, "Loop", end + 1) for _, _, start, end, _, _ in rows]


def _cue_chunks(points: Sequence[Point]) -> list[bytes]:
    if not points:
        return []
    rows = [struct.pack("<II4sIII", n, point.frame, b"data", 0, 0, point.frame) for n, point in enumerate(points, 1)]
    labels = [
        chunk_bytes(b"labl", struct.pack("<I", n) + point.name.encode() + b"\0") for n, point in enumerate(points, 1)
    ]
    return [
        chunk_bytes(b"cue ", struct.pack("<I", len(rows)) + b"".join(rows)),
        chunk_bytes(b"LIST", b"adtl" + b"".join(labels)),
    ]


def _smpl_chunk(loops: Sequence[Point], rate_hz: int) -> bytes:
    head = struct.pack("<IIIIIIIII", 0, 0, round(1e9 / rate_hz), 60, 0, 0, 0, len(loops), 0)
    rows = [struct.pack("<IIIIII", n, 0, loop.frame, (loop.end_frame or 0) - 1, 0, 0) for n, loop in enumerate(loops)]
    return chunk_bytes(b"smpl", head + b"".join(rows))
