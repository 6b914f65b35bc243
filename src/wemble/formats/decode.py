"""Audio files in: what a file is, and its samples block by block.

libsndfile reads WAV, RF64, AIFF, FLAC, Ogg and MP3; PyAV reads M4A/AAC. Everything is taken off the file by one
interface, `Decoder`; what a file promises is checked against what it holds.
"""

from __future__ import annotations

from collections.abc import Iterator
from dataclasses import dataclass
from pathlib import Path

import av
import numpy as np
import soundfile
from numpy.typing import NDArray

from wemble.errors import InvalidInput, Unsupported
from wemble.formats.mp3 import UNTOLD_DELAY_FRAMES, says_its_delay
from wemble.formats.riff import promised_frames

Interleaved = NDArray[np.float32]

ENDINGS = (
    ".wav",
    ".wave",
    ".rf64",
    ".aif",
    ".aiff",
    ".aifc",
    ".flac",
    ".ogg",
    ".oga",
    ".opus",
    ".mp3",
    ".m4a",
    ".mp4",
    ".aac",
)
RATES_HZ = (8_000, 192_000)
MOST_CHANNELS = 32
_KINDS = "WAV, RF64, AIFF, FLAC, Ogg Vorbis or Opus, MP3, and M4A/AAC"


@dataclass(frozen=True, slots=True)
class Probe:
    """What a file says of itself. ``frames`` is a promise, or None where the format makes none."""

    kind: str
    decoder: str
    rate_hz: int
    channels: int
    frames: int | None
    skip_frames: int = 0
    notes: tuple[str, ...] = ()


def probe(path: Path) -> Probe:
    """Return what an audio file says of itself.

    Raises
    ------
    Unsupported
        If it is not audio of a kind that is taken, or has a rate or channel count outside the limits.
    InvalidInput
        If it is empty.
    """
    if path.stat().st_size == 0:
        raise InvalidInput("the file is empty (0 bytes); copy it again from where it was")
    with path.open("rb") as file:
        head = file.read(12)
    found = _probe_av(path) if head[4:8] == b"ftyp" or _is_adts(head) else _probe_sndfile(path)
    low, high = RATES_HZ
    if not low <= found.rate_hz <= high:
        raise Unsupported(
            f"Wemble takes sample rates from {low:,} to {high:,} Hz and this file has {found.rate_hz:,}; convert it first"
        )
    if not 1 <= found.channels <= MOST_CHANNELS:
        raise Unsupported(f"Wemble takes 1 to {MOST_CHANNELS} channels and this file has {found.channels:,}")
    return found


def decoded(path: Path, found: Probe, block_frames: int) -> Iterator[Interleaved]:
    """Yield the samples as float32 (frames, channels), skipping what `probe` said is coded silence.

    Raises
    ------
    InvalidInput
        If decoding fails before the first frame. A file that breaks off later yields what there is.
    """
    blocks = _decoded_av(path) if found.decoder.startswith("PyAV") else _decoded_sndfile(path, block_frames)
    skip = found.skip_frames
    for block in blocks:
        if skip >= len(block):
            skip -= len(block)
            continue
        yield block[skip:]
        skip = 0


def _probe_sndfile(path: Path) -> Probe:
    try:
        info = soundfile.info(str(path))
    except soundfile.LibsndfileError as error:
        raise Unsupported(
            f"this cannot be read as audio ({error.error_string.strip().rstrip('.')}); Wemble takes {_KINDS}"
        ) from None
    notes: list[str] = []
    skip = 0
    if info.format in ("MP3", "MPEG") and not says_its_delay(path):
        skip = UNTOLD_DELAY_FRAMES
        notes.append(
            f"the file does not say how much silence MP3 coding added at its start; {skip:,} frames were removed as an estimate"
        )
    decoder = f"libsndfile {soundfile.__libsndfile_version__}"
    frames = promised_frames(path) or (info.frames if 0 < info.frames < 1 << 62 else None)
    return Probe(f"{info.format} {info.subtype}", decoder, info.samplerate, info.channels, frames, skip, tuple(notes))


def _decoded_sndfile(path: Path, block_frames: int) -> Iterator[Interleaved]:
    started = False
    try:
        with soundfile.SoundFile(str(path)) as file:
            while len(block := file.read(block_frames, dtype="float32", always_2d=True)):
                started = True
                yield block
    except soundfile.LibsndfileError as error:
        if not started:
            raise InvalidInput(
                f"the file could not be decoded ({error.error_string.strip()}); it may be damaged"
            ) from None


def _is_adts(head: bytes) -> bool:
    return len(head) > 1 and head[0] == 0xFF and head[1] & 0xF6 == 0xF0


def _probe_av(path: Path) -> Probe:
    try:
        with av.open(str(path)) as container:
            stream = next(iter(container.streams.audio), None)
            if stream is None:
                raise Unsupported(f"there is no audio in this file; Wemble takes {_KINDS}")
            rate, channels = stream.codec_context.sample_rate, stream.codec_context.channels
            frames = None
            if stream.duration is not None and stream.time_base is not None:
                frames = round(stream.duration * stream.time_base * rate)
            return Probe(f"M4A {stream.codec_context.name}", f"PyAV {av.__version__}", rate, channels, frames)
    except (av.error.FFmpegError, ValueError) as error:
        why = getattr(error, "strerror", None) or error  # without the path, which tells a user nothing
        raise Unsupported(f"this cannot be read as audio ({why}); Wemble takes {_KINDS}") from None


def _decoded_av(path: Path) -> Iterator[Interleaved]:
    """Decode and cut to the stream's duration: the end of an AAC stream carries padding."""
    left = _probe_av(path).frames
    try:
        with av.open(str(path)) as container:
            resampler = av.AudioResampler(format="fltp")
            for frame in container.decode(audio=0):
                for piece in resampler.resample(frame):
                    block = np.ascontiguousarray(piece.to_ndarray().T, dtype=np.float32)
                    if left is not None:
                        block = block[:left]
                        left -= len(block)
                    if len(block):
                        yield block
    except (av.error.FFmpegError, ValueError):
        return
