"""Pictures to test with: a PNG taken together by hand (ISO/IEC 15948, from memory)."""

from __future__ import annotations

import struct
import zlib


def png_of(width: int, height: int) -> bytes:
    """Return a PNG of one colour."""
    rows = b"".join(b"\0" + b"\x80\x40\x20" * width for _ in range(height))

    def chunk(kind: bytes, data: bytes) -> bytes:
        return struct.pack(">I", len(data)) + kind + data + struct.pack(">I", zlib.crc32(kind + data))

    header = struct.pack(">IIBBBBB", width, height, 8, 2, 0, 0, 0)
    return b"\x89PNG\r\n\x1a\n" + chunk(b"IHDR", header) + chunk(b"IDAT", zlib.compress(rows)) + chunk(b"IEND", b"")
