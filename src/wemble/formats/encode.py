"""Audio files out: WAV 16/24/float, FLAC 16/24, MP3 at a constant bit rate."""

from __future__ import annotations

from dataclasses import dataclass
from pathlib import Path

import numpy as np
import soundfile

from wemble.core.deliver.kinds import FileKind
from wemble.core.shape.dither import Bits, to_integers
from wemble.core.signal.levels import Samples
from wemble.errors import InvalidInput

MP3_KBPS = (128, 160, 192, 224, 256)
_LONGEST_WAV_BYTES = (1 << 32) - (1 << 16)
MP3_RATES_HZ = (32_000, 44_100, 48_000)


@dataclass(frozen=True, slots=True)
class Encoding:
    """How one kind of file is written: ending, the bits it rounds to (None: float), the most channels."""

    ending: str
    format: str
    subtype: str
    bits: Bits | None
    most_channels: int


KINDS: dict[FileKind, Encoding] = {
    "wav_16": Encoding(".wav", "WAV", "PCM_16", 16, 32),
    "wav_24": Encoding(".wav", "WAV", "PCM_24", 24, 32),
    "wav_float": Encoding(".wav", "WAV", "FLOAT", None, 32),
    "flac_16": Encoding(".flac", "FLAC", "PCM_16", 16, 8),
    "flac_24": Encoding(".flac", "FLAC", "PCM_24", 24, 8),
    "mp3": Encoding(".mp3", "MP3", "MPEG_LAYER_III", None, 2),
}


def rate_for(kind: FileKind, rate_hz: int) -> int:
    """Return the rate a kind of file will have: MP3 takes three, the nearest above; the others any.

    Examples
    --------
    >>> rate_for("mp3", 96_000), rate_for("mp3", 22_050), rate_for("flac_16", 96_000)
    (48000, 32000, 96000)
    """
    if kind != "mp3" or rate_hz in MP3_RATES_HZ:
        return rate_hz
    return next((rate for rate in MP3_RATES_HZ if rate >= rate_hz), MP3_RATES_HZ[-1])


class Writer:
    """Writes one file, block by block. ``frames`` decides between WAV and RF64, which goes past 4 GiB.

    Raises `InvalidInput` for more channels than the kind takes or a bit rate that it does not have.
    """

    def __init__(self, path: Path, kind: FileKind, *, rate_hz: int, channels: int, frames: int, kbps: int = 192):
        self._kind = KINDS[kind]
        if channels > self._kind.most_channels:
            raise InvalidInput(
                f"{self._kind.format} holds {self._kind.most_channels} channels, the job has {channels}; mix it down first"
            )
        options = {}
        if kind == "mp3":
            if kbps not in MP3_KBPS:
                raise InvalidInput(f"an MP3 can have {', '.join(map(str, MP3_KBPS))} kb/s, not {kbps}")
            options = {"bitrate_mode": "CONSTANT", "compression_level": (320 - kbps) / 288}
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
            self._file.write(np.ascontiguousarray(samples.T))
            return
        integers = to_integers(samples, bits=bits, start_frame=start_frame).T
        if bits == 16:
            self._file.write(np.ascontiguousarray(integers, dtype=np.int16))
        else:
            self._file.write(np.ascontiguousarray(integers << 8, dtype=np.int32))

    def close(self) -> None:
        """Finish the file."""
        self._file.close()
