"""What files say of themselves, against bytes put together by hand and another library's reading."""

from __future__ import annotations

import struct
from itertools import product
from pathlib import Path

import mutagen.mp3
import numpy as np
import pytest
import soundfile
from wavinfo import WavInfoReader

from wemble.errors import InvalidInput
from wemble.formats.encode import KINDS, MP3_KBPS, Writer, rate_for
from wemble.formats.mp3 import breaks, frame_header, says_its_delay
from wemble.formats.riff import chunks, promised_frames


@pytest.mark.parametrize(
    ("header", "rate", "kbps", "length"),
    [
        # ISO/IEC 11172-3 and 13818-3 (from memory): 144 · bit rate / rate bytes for MPEG-1, half of that for MPEG-2.
        (b"\xff\xfb\x90\x00", 44_100, 128, 417),
        (b"\xff\xfb\x92\x00", 44_100, 128, 418),
        (b"\xff\xfb\xb4\x00", 48_000, 192, 576),
        (b"\xff\xf3\x80\xc0", 22_050, 64, 208),
    ],
)
def test_mp3_frame_headers(header: bytes, rate: int, kbps: int, length: int) -> None:
    frame = frame_header(header)
    assert frame is not None and (frame.rate_hz, frame.kbps, frame.length_bytes) == (rate, kbps, length)


@pytest.mark.parametrize(
    "header", [b"", b"\xff\xfb", b"\xff\xff\x90\x00", b"\xff\xfb\xf0\x00", b"\xff\xfb\x9c\x00", b"RIFF"]
)
def test_what_is_no_mp3_frame(header: bytes) -> None:
    assert frame_header(header) is None


@pytest.mark.parametrize("kbps", MP3_KBPS)
@pytest.mark.parametrize("channels", [1, 2])
def test_mp3_files_are_of_the_constant_rate_asked(tmp_path: Path, kbps: int, channels: int) -> None:
    path = tmp_path / "a.mp3"
    samples = np.random.default_rng(1).uniform(-0.3, 0.3, (channels, 96_000)).astype(np.float32)
    writer = Writer(path, "mp3", rate_hz=48_000, channels=channels, frames=96_000, kbps=kbps)
    writer.write(samples, 0)
    writer.close()
    info = mutagen.mp3.MP3(path).info  # another library's reading
    assert info.bitrate_mode == mutagen.mp3.BitrateMode.CBR and round(info.bitrate / 1000) == kbps
    assert info.channels == channels and says_its_delay(path)


def test_riff_chunks_are_what_another_reader_sees(tmp_path: Path) -> None:
    path = tmp_path / "a.wav"
    soundfile.write(path, np.zeros((1000, 3)), 48_000, subtype="PCM_24")
    assert promised_frames(path) == 1000 == WavInfoReader(str(path)).data.frame_count
    assert [chunk.name for chunk in chunks(path)][-1] == b"data"
    soundfile.write(path, np.zeros((1000, 2)), 48_000, format="RF64", subtype="FLOAT")
    assert promised_frames(path) == 1000
    (tmp_path / "no.wav").write_bytes(b"RIFF\0\0")
    assert promised_frames(tmp_path / "no.wav") is None
    lies = path.read_bytes()[:12] + b"data" + struct.pack("<I", 0xFFFFFF00)
    (tmp_path / "lies.wav").write_bytes(b"RIFF" + lies[4:])
    assert promised_frames(tmp_path / "lies.wav") is None  # no format before the data


def test_writers_refuse_what_their_kind_does_not_take(tmp_path: Path) -> None:
    with pytest.raises(InvalidInput, match="holds 2 channels"):
        Writer(tmp_path / "a.mp3", "mp3", rate_hz=48_000, channels=3, frames=1)
    with pytest.raises(InvalidInput, match="kb/s"):
        Writer(tmp_path / "a.mp3", "mp3", rate_hz=48_000, channels=2, frames=1, kbps=200)
    assert {kind: rate_for(kind, 96_000) for kind in KINDS}["mp3"] == 48_000


@pytest.mark.parametrize("version", [3, 2, 0])
def test_every_mp3_header_is_read_as_another_library_reads_it(tmp_path: Path, version: int) -> None:
    """All rates, bit rates, paddings and channel modes of MPEG 1, 2 and 2.5, held against mutagen."""
    for rate, kbps, padding, mode in product(range(3), range(1, 15), (0, 1), (0, 3)):
        head = bytes([0xFF, 0xE0 | version << 3 | 1 << 1 | 1, kbps << 4 | rate << 2 | padding << 1, mode << 6])
        found = frame_header(head)
        assert found is not None
        path = tmp_path / "a.mp3"
        path.write_bytes((head + bytes(found.length_bytes - 4)) * 4 + head)
        info = mutagen.mp3.MP3(path).info
        assert (found.rate_hz, 1000 * found.kbps, found.samples) == (
            info.sample_rate,
            info.bitrate,
            1152 if version == 3 else 576,
        )
        assert breaks(path) == []
