"""Covers and pictures of chapters: JPEG and PNG, looked at by decoding them. By PyAV.

References
----------
The first bytes of JPEG (ITU-T T.81) and PNG (ISO/IEC 15948), from memory.
"""

from __future__ import annotations

from dataclasses import dataclass
from io import BytesIO

import av

from wemble.errors import InvalidInput

LARGEST_BYTES = 8 << 20
MOST_PIXELS = 64_000_000
"""More would need a quarter of a gigabyte to look at; a cover of 8,000 × 8,000 is larger than any that is asked for."""


@dataclass(frozen=True, slots=True)
class Picture:
    """What a picture is: its MIME type and size in pixels."""

    kind: str
    width: int
    height: int


def picture_kind(data: bytes) -> str:
    """Return the MIME type that a picture begins like. Raises `InvalidInput` for what is neither JPEG nor PNG."""
    if data.startswith(b"\xff\xd8\xff"):
        return "image/jpeg"
    if data.startswith(b"\x89PNG\r\n\x1a\n"):
        return "image/png"
    raise InvalidInput("a picture must be a JPEG or a PNG")


def picture_ending(data: bytes) -> str:
    """Return the ending of a picture's file. Raises `InvalidInput` for what is neither JPEG nor PNG."""
    return ".png" if picture_kind(data) == "image/png" else ".jpg"


def decoded_picture(data: bytes) -> Picture:
    """Decode a picture whole, and say what it is. For a worker: it is a native decoder at work on what came from outside.

    Raises
    ------
    InvalidInput
        If it is neither JPEG nor PNG, cannot be decoded, or is too large.
    """
    kind = picture_kind(data)
    if len(data) > LARGEST_BYTES:
        raise InvalidInput(f"a picture may have up to {LARGEST_BYTES >> 20} MB; make it smaller")
    try:
        with av.open(BytesIO(data), "r", format="jpeg_pipe" if kind == "image/jpeg" else "png_pipe") as file:
            size = file.streams.video[0].codec_context
            if size.width * size.height > MOST_PIXELS:
                raise InvalidInput(f"this picture has {size.width} × {size.height} pixels; make it smaller")
            frame = next(file.decode(video=0))
    except (av.FFmpegError, StopIteration, IndexError, ValueError) as error:
        raise InvalidInput("this picture cannot be read; save it again as a JPEG or a PNG") from error
    return Picture(kind, frame.width, frame.height)
