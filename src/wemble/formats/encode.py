"""Audio files out: WAV 16/24/float, AIFF and FLAC 16/24, MP3 at a constant bit rate, Ogg Vorbis and Opus, M4A."""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass
from fractions import Fraction
from pathlib import Path
from typing import Any

import av
import numpy as np
import soundfile
from numpy.typing import NDArray

from wemble.core.deliver.chapters import Chapter
from wemble.core.deliver.kinds import FileKind
from wemble.core.shape.dither import Bits, to_integers
from wemble.core.signal.levels import Samples
from wemble.errors import InvalidInput

MP3_KBPS = (128, 160, 192, 224, 256, 320)
_AAC_FRAMES = 1024
_MOST_AT_ONCE = 1 << 14
"""libsndfile 1.2.2 crashes where its Vorbis encoder is given millions of frames at once."""
_LONGEST_WAV_BYTES = (1 << 32) - (1 << 16)
MP3_RATES_HZ = (32_000, 44_100, 48_000)
_RATES_HZ: dict[FileKind, tuple[int, ...]] = {
    "mp3": MP3_RATES_HZ,
    "opus": (8_000, 12_000, 16_000, 24_000, 48_000),
    "m4a": (8_000, 11_025, 16_000, 22_050, 32_000, 44_100, 48_000, 96_000),
}
"""The rates of kinds that do not take any."""
_VORBIS_LEVEL = 0.3
"""As libsndfile counts it, 0 the best. What it comes to depends on the sound: 209 kb/s for two voices over noise, 40 for slow
chords, both in stereo (measured)."""
_OPUS_MOST, _OPUS_LEAST = 256_000, 6_000
"""Bits a second and channel at libsndfile's levels 0 and 1."""


@dataclass(frozen=True, slots=True)
class Encoding:
    """How one kind of file is written: ending, the bits it rounds to (None: float), the most channels."""

    ending: str
    format: str
    subtype: str
    bits: Bits | None
    most_channels: int

    @property
    def coded(self) -> bool:
        """Whether samples come back changed: from a coder that leaves out what is not heard."""
        return self.format in ("MP3", "OGG", "M4A")


KINDS: dict[FileKind, Encoding] = {
    "wav_16": Encoding(".wav", "WAV", "PCM_16", 16, 32),
    "wav_24": Encoding(".wav", "WAV", "PCM_24", 24, 32),
    "wav_float": Encoding(".wav", "WAV", "FLOAT", None, 32),
    "flac_16": Encoding(".flac", "FLAC", "PCM_16", 16, 8),
    "flac_24": Encoding(".flac", "FLAC", "PCM_24", 24, 8),
    "aiff_16": Encoding(".aiff", "AIFF", "PCM_16", 16, 32),
    "aiff_24": Encoding(".aiff", "AIFF", "PCM_24", 24, 32),
    "mp3": Encoding(".mp3", "MP3", "MPEG_LAYER_III", None, 2),
    "ogg": Encoding(".ogg", "OGG", "VORBIS", None, 8),
    "opus": Encoding(".opus", "OGG", "OPUS", None, 2),
    "m4a": Encoding(".m4a", "M4A", "AAC", None, 2),
}


def rate_for(kind: FileKind, rate_hz: int) -> int:
    """Return the rate a kind of file will have: some take a few, of which it is the nearest above; the others any.

    Examples
    --------
    >>> rate_for("mp3", 96_000), rate_for("mp3", 22_050), rate_for("flac_16", 96_000)
    (48000, 32000, 96000)
    """
    taken = _RATES_HZ.get(kind, (rate_hz,))
    return next((rate for rate in taken if rate >= rate_hz), taken[-1])


def check_kbps(kind: FileKind, kbps: int) -> None:
    """Raise `InvalidInput` for a bit rate that a kind of file does not have."""
    if kind == "mp3" and kbps not in MP3_KBPS:
        raise InvalidInput(f"an MP3 can have {', '.join(map(str, MP3_KBPS))} kb/s, not {kbps}")
    for coded, name, most in (("m4a", "an M4A", 320), ("opus", "an Opus file", 256)):
        if kind == coded and not 32 <= kbps <= most:
            raise InvalidInput(f"{name} can have 32 to {most} kb/s, not {kbps}")


class Writer:
    """Writes one file, block by block. ``frames`` decides between WAV and RF64, which goes past 4 GiB.

    ``chapters`` go into an M4A as it is written; other kinds get theirs afterwards (`formats.tags`).

    Raises `InvalidInput` for more channels than the kind takes or a bit rate that it does not have.
    """

    def __init__(
        self, path: Path, kind: FileKind, *, rate_hz: int, channels: int, frames: int, kbps: int = 192,
        chapters: Sequence[Chapter] = (),
    ):  # fmt: skip
        self._kind = KINDS[kind]
        if channels > self._kind.most_channels:
            raise InvalidInput(
                f"{self._kind.format} holds {self._kind.most_channels} channels, the job has {channels}; mix it down first"
            )
        check_kbps(kind, kbps)
        if kind == "m4a":
            self._file: soundfile.SoundFile | _AacFile = _AacFile(path, rate_hz, channels, kbps, chapters)
            return
        options: dict[str, Any] = {}
        if kind == "mp3":
            options = {"bitrate_mode": "CONSTANT", "compression_level": (320 - kbps) / 288}
        elif kind == "ogg":
            options = {"compression_level": _VORBIS_LEVEL}
        elif kind == "opus":
            wanted = (1000 * kbps / channels - _OPUS_LEAST) / (_OPUS_MOST - _OPUS_LEAST)
            options = {"compression_level": min(max(1.0 - wanted, 0.0), 1.0)}
        container = self._kind.format
        if container == "WAV" and frames * channels * 4 >= _LONGEST_WAV_BYTES:
            container = "RF64"
        self._file = soundfile.SoundFile(
            str(path), "w", rate_hz, channels, subtype=self._kind.subtype, format=container, **options
        )

    def write(self, samples: Samples, start_frame: int) -> None:
        """Write float32 (channels, frames); ``start_frame`` keys the dither."""
        bits = self._kind.bits
        if bits is None:
            for at in range(0, samples.shape[1], _MOST_AT_ONCE):
                self._file.write(np.ascontiguousarray(samples[:, at : at + _MOST_AT_ONCE].T))
            return
        integers = to_integers(samples, bits=bits, start_frame=start_frame).T
        if bits == 16:
            self._file.write(np.ascontiguousarray(integers, dtype=np.int16))
        else:
            self._file.write(np.ascontiguousarray(integers << 8, dtype=np.int32))

    def close(self) -> None:
        """Finish the file."""
        self._file.close()


class _AacFile:
    """An M4A file, written by PyAV in the frames of 1,024 samples that AAC has."""

    def __init__(self, path: Path, rate_hz: int, channels: int, kbps: int, chapters: Sequence[Chapter]):
        self._container = av.open(str(path), "w", format="ipod")
        milli = Fraction(1, 1000)
        self._container.set_chapters(
            [
                {
                    "id": n,
                    "start": one.start_ms,
                    "end": one.end_ms,
                    "time_base": milli,
                    "metadata": {"title": one.title},
                }
                for n, one in enumerate(chapters)
            ]
        )
        self._stream = self._container.add_stream("aac", rate=rate_hz, layout="mono" if channels == 1 else "stereo")
        self._stream.bit_rate = 1000 * kbps
        self._rate_hz, self._layout = rate_hz, "mono" if channels == 1 else "stereo"
        self._left = np.zeros((channels, 0), np.float32)
        self._at = 0

    def write(self, interleaved: NDArray[np.float32]) -> None:
        """Write (frames, channels)."""
        samples = np.concatenate([self._left, interleaved.T], axis=1)
        whole = samples.shape[1] // _AAC_FRAMES * _AAC_FRAMES
        for at in range(0, whole, _AAC_FRAMES):
            self._encode(samples[:, at : at + _AAC_FRAMES])
        self._left = samples[:, whole:]

    def close(self) -> None:
        """Write what is left, and finish the file."""
        if self._left.shape[1]:
            self._encode(self._left)
        self._container.mux(self._stream.encode(None))
        self._container.close()

    def _encode(self, samples: Samples) -> None:
        frame = av.AudioFrame.from_ndarray(np.ascontiguousarray(samples), format="fltp", layout=self._layout)
        frame.sample_rate, frame.pts = self._rate_hz, self._at
        self._at += samples.shape[1]
        self._container.mux(self._stream.encode(frame))
