"""The pages of an Ogg file: whether it ends as it should, and where further streams begin in a chained one.

Source: RFC 3533, *The Ogg Encapsulation Format Version 0*, section 6 (from memory): a page has "OggS", a version, flags (2:
the first page of a stream, 4: its last), a granule position, a serial, a sequence number, a checksum, and a table of
segment lengths.
"""

from __future__ import annotations

import struct
from dataclasses import dataclass
from pathlib import Path
from typing import BinaryIO

_FIRST, _LAST = 2, 4
_HEADER = struct.Struct("<4sBBqIII B".replace(" ", ""))


@dataclass(frozen=True, slots=True)
class OggPages:
    """Where each chained stream lies, in bytes; whether the last page says that it is the last; and where the first and the
    last page that end a packet say that they are, in frames of the codec's own rate."""

    links: tuple[tuple[int, int], ...]
    is_whole: bool
    first_frame: int
    last_frame: int


def read_pages(path: Path) -> OggPages:
    """Walk through the pages of an Ogg file. Streams that begin together are one link; what is no page ends the walk."""
    starts: list[int] = []
    at, flags, after_data = 0, 0, True
    places: list[int] = []
    with path.open("rb") as file:
        length = file.seek(0, 2)
        while (page := _page(file, at)) is not None:
            flags, size, place = page
            if place > 0:
                places.append(place)
            if flags & _FIRST and after_data:
                starts.append(at)
            after_data = not flags & _FIRST
            at += size
    ends = [*starts[1:], length]
    links, is_whole = tuple(zip(starts, ends, strict=True)), bool(flags & _LAST) and at == length
    return OggPages(links, is_whole, places[0] if places else 0, places[-1] if places else 0)


def pre_skip(path: Path) -> int:
    """Return how many frames of 48 kHz an Opus stream begins before its sound. Source: RFC 7845, section 5.1 (from memory)."""
    with path.open("rb") as file:
        head = file.read(512)
    at = head.find(b"OpusHead")
    return struct.unpack_from("<H", head, at + 10)[0] if 0 <= at <= len(head) - 12 else 0


def _page(file: BinaryIO, at: int) -> tuple[int, int, int] | None:
    """Return the flags, the length and the granule position of the page at a place; none if there is no whole page."""
    file.seek(at)
    header = file.read(_HEADER.size)
    if len(header) < _HEADER.size or header[:4] != b"OggS":
        return None
    flags, segments = header[5], header[26]
    table = file.read(segments)
    if len(table) < segments:
        return None
    return flags, _HEADER.size + segments + sum(table), struct.unpack_from("<q", header, 6)[0]


class FileSlice:
    """A part of a file, read as if it were one: what a chained stream is decoded from."""

    def __init__(self, file: BinaryIO, start: int, end: int):
        self._file, self._start, self._length = file, start, end - start
        self._at = 0

    def seek(self, offset: int, whence: int = 0) -> int:
        """Go to a place: from the start, from here, or from the end."""
        self._at = max(offset + {0: 0, 1: self._at, 2: self._length}[whence], 0)
        return self._at

    def tell(self) -> int:
        """Return where reading goes on."""
        return self._at

    def read(self, size: int = -1) -> bytes:
        """Return up to so many bytes."""
        left = max(self._length - self._at, 0)
        self._file.seek(self._start + self._at)
        data = self._file.read(left if size < 0 else min(size, left))
        self._at += len(data)
        return data

    def readinto(self, buffer: bytearray) -> int:
        """Fill a buffer as far as there is something."""
        data = self.read(len(buffer))
        buffer[: len(data)] = data
        return len(data)

    def write(self, data: bytes) -> int:
        """Refuse: this is for reading."""
        raise OSError("this part of a file is for reading")
