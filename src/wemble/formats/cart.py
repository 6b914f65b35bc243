"""The ``cart`` chunk of a WAV file: what a broadcaster's playout reads of a song, with eight timers.

Source: AES46-2002 (memory): 2,048 bytes, then tag text; text in fixed fields, timers as a usage of four characters and
a sample, those that are not used zero.
"""

from __future__ import annotations

import struct
from dataclasses import dataclass, field
from pathlib import Path

from wemble.formats.riff import append_chunk, chunks

_LAYOUT = struct.Struct("<4s64s64s64s64s64s64s64s10s8s10s8s64s64s64si64s276s1024s")
_VERSION = b"0101"
_TIMERS = 8
_FULL_SCALE = 32_768


@dataclass(frozen=True, slots=True)
class Cart:
    """Titles of a song and its timers: (usage of four characters, sample)."""

    title: str = ""
    artist: str = ""
    cut_id: str = ""
    category: str = ""
    timers: tuple[tuple[str, int], ...] = field(default=())


def append_cart(path: Path, cart: Cart) -> None:
    """Write a ``cart`` chunk into a finished WAV file, behind its samples."""
    append_chunk(path, b"cart", packed(cart))


def packed(cart: Cart) -> bytes:
    """Return the content of the chunk."""
    timers = b"".join(struct.pack("<4sI", use.encode("ascii"), at) for use, at in cart.timers[:_TIMERS])
    text = [_field(one) for one in (cart.title, cart.artist, cart.cut_id, "", cart.category, "", "")]
    dates = (b"1900-01-01", b"00:00:00", b"2099-12-31", b"23:59:59")
    return _LAYOUT.pack(_VERSION, *text, *dates, b"Wemble", b"", b"", _FULL_SCALE, timers.ljust(64, b"\0"), b"", b"")


def read_cart(path: Path) -> Cart | None:
    """Return what a file's ``cart`` chunk says, or none; half a chunk is none."""
    with path.open("rb") as file:
        for chunk in chunks(path):
            if chunk.name == b"cart" and chunk.size_bytes >= _LAYOUT.size:
                file.seek(chunk.offset)
                data = file.read(_LAYOUT.size)
                return _unpacked(data) if len(data) == _LAYOUT.size else None
    return None


def _unpacked(data: bytes) -> Cart:
    fields = _LAYOUT.unpack(data)
    rows = (struct.unpack_from("<4sI", fields[16], 8 * n) for n in range(_TIMERS))
    timers = tuple((use.decode("ascii", "replace"), at) for use, at in rows if use.strip(b"\0 "))
    title, artist, cut_id, category = (_text(fields[n]) for n in (1, 2, 3, 5))
    return Cart(title, artist, cut_id, category, timers)


def _field(text: str) -> bytes:
    """Return text for a field of 64 bytes; what is not Latin-1 is written as it can be."""
    return text.encode("latin-1", "replace")[:63]


def _text(raw: bytes) -> str:
    return raw.split(b"\0")[0].decode("latin-1").strip()
