"""What the front of an MP3 says of the silence that coding put there.

Sources: ISO/IEC 11172-3 and 13818-3 for the frame header, the common ``Xing``/``Info`` tag with its encoder delay
field for the rest (both from memory).
"""

from __future__ import annotations

import mmap
from dataclasses import dataclass
from pathlib import Path

UNTOLD_DELAY_FRAMES = 1105
"""Encoder delay 576 + decoder delay 529: what coding usually puts in front where the file does not say."""

_RATES = {3: (44_100, 48_000, 32_000), 2: (22_050, 24_000, 16_000), 0: (11_025, 12_000, 8_000)}
_KBPS = {
    1: (0, 32, 40, 48, 56, 64, 80, 96, 112, 128, 160, 192, 224, 256, 320),
    2: (0, 8, 16, 24, 32, 40, 48, 56, 64, 80, 96, 112, 128, 144, 160),
}


@dataclass(frozen=True, slots=True)
class FrameHeader:
    """One MPEG audio layer III frame."""

    rate_hz: int
    kbps: int
    length_bytes: int
    side_info_bytes: int
    samples: int


def frame_header(data: bytes) -> FrameHeader | None:
    """Return the layer III frame that starts at the first byte, if one does."""
    if len(data) < 4 or data[0] != 0xFF or data[1] & 0xE0 != 0xE0:
        return None
    version, layer = data[1] >> 3 & 3, data[1] >> 1 & 3
    rate_index, kbps_index = data[2] >> 2 & 3, data[2] >> 4
    if version == 1 or layer != 1 or rate_index == 3 or not 0 < kbps_index < 15:
        return None
    rate, kbps = _RATES[version][rate_index], _KBPS[1 if version == 3 else 2][kbps_index]
    mono = data[3] >> 6 == 3
    side_info = (17 if mono else 32) if version == 3 else (9 if mono else 17)
    length = (144 if version == 3 else 72) * 1000 * kbps // rate + (data[2] >> 1 & 1)
    return FrameHeader(rate, kbps, length, side_info, 1152 if version == 3 else 576)


def says_its_delay(path: Path) -> bool:
    """Say whether the first frame carries a tag with the encoder's delay, which decoders then take off exactly."""
    with path.open("rb") as file:
        data = file.read(10)
        if data[:3] == b"ID3" and len(data) == 10:
            size = data[6] << 21 | data[7] << 14 | data[8] << 7 | data[9]
            file.seek(10 + size)
        else:
            file.seek(0)
        data = file.read(4096)
    start = next((at for at in range(len(data) - 4) if frame_header(data[at:]) is not None), None)
    if start is None:
        return False
    header = frame_header(data[start:])
    assert header is not None
    at = start + 4 + header.side_info_bytes
    tag = data[at : at + 144]
    if tag[:4] not in (b"Xing", b"Info") or len(tag) < 144:
        return False
    return any(tag[141:144])


def breaks(path: Path) -> list[int]:
    """Return where the run of frames is broken, in samples from the first frame: a hole, or bytes that are no frame.

    What follows the last frame (tags) is no break.
    """
    found: list[int] = []
    with path.open("rb") as file, mmap.mmap(file.fileno(), 0, access=mmap.ACCESS_READ) as data:
        at = _next_frame(data, 0)
        samples = 0
        while at is not None:
            header = frame_header(data[at : at + 4])
            if header is None:
                at = _next_frame(data, at)
                if at is not None:
                    found.append(samples)
                continue
            samples += header.samples
            at += header.length_bytes
            if at + 4 > len(data):
                break
    return found


def _next_frame(data: mmap.mmap, start: int) -> int | None:
    """Return where the next frame begins that another follows; none if there is none."""
    at = data.find(b"\xff", start)
    while at >= 0:
        header = frame_header(data[at : at + 4])
        if (
            header is not None
            and frame_header(data[at + header.length_bytes : at + header.length_bytes + 4]) is not None
        ):
            return at
        at = data.find(b"\xff", at + 1)
    return None
