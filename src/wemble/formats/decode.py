"""Audio files in: what a file is, and its samples block by block.

libsndfile reads WAV, RF64, AIFF, FLAC, Ogg and MP3; PyAV reads M4A/AAC. Both are used through one
interface; what a file claims is checked against what it holds. Where a file is damaged, decoding is taken up again behind
the damage if the format allows it: the hole is filled with silence, so that everything stays in its place, and is told.
"""

from __future__ import annotations

import os
from collections.abc import Iterator
from dataclasses import dataclass
from pathlib import Path
from typing import Any

import numpy as np
import soundfile
from numpy.typing import NDArray

from wemble.errors import InvalidInput, Unsupported
from wemble.formats.mp3 import UNTOLD_DELAY_FRAMES, breaks, says_its_delay
from wemble.formats.ogg import FileSlice, OggPages, pre_skip, read_pages
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
_LONGEST_HOLE_S = 600.0
_LONGEST_FIRST_PAGE_S = 5.0
OPUS_RATE_HZ = 48_000
_MOST_FAILURES = 1_000
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
    links: tuple[tuple[int, int], ...] = ()
    """The chained streams of an Ogg file, in bytes, if there are several."""
    broken_at: tuple[int, ...] = ()
    """Where the run of an MP3's frames is broken, in samples from its first frame."""


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


def decoded(path: Path, found: Probe, block_frames: int, damage: list[str] | None = None) -> Iterator[Interleaved]:
    """Yield the samples as float32 (frames, channels), skipping what `probe` said is coded silence.

    What is wrong with the file, and where, is added to ``damage`` as it is met.

    Raises
    ------
    InvalidInput
        If decoding fails before the first frame. A file that breaks off later yields what there is.
    """
    told = [] if damage is None else damage
    if found.decoder.startswith("PyAV"):
        blocks = _decoded_av(path)
    elif found.links:
        blocks = _decoded_links(path, found, block_frames, told)
    elif found.broken_at:
        blocks = _broken_mp3(path, found, told)
    else:
        blocks = _mended(path, found, block_frames, told)
    skip = found.skip_frames
    for block in blocks:
        if skip >= len(block):
            skip -= len(block)
            continue
        yield block[skip:]
        skip = 0


def _probe_sndfile(path: Path) -> Probe:
    try:
        info = soundfile.info(os.fsencode(path))
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
    links: tuple[tuple[int, int], ...] = ()
    if info.format == "OGG":
        pages = read_pages(path)
        if len(pages.links) > 1:
            links, frames = pages.links, None
            notes.append(f"the file is a chain of {len(links)} streams; they come one after the other")
        else:
            frames = max(frames or 0, _frames_of_pages(path, pages, info)) or None
        if not pages.is_whole:
            notes.append("the file breaks off before its end; what is there was imported")
    broken_at = tuple(breaks(path)) if info.format in ("MP3", "MPEG") else ()
    kind = f"{info.format} {info.subtype}"
    return Probe(kind, decoder, info.samplerate, info.channels, frames, skip, tuple(notes), links, broken_at)


def _frames_of_pages(path: Path, pages: OggPages, info: Any) -> int:
    """Return how long an Ogg stream is by its pages, which damaged ones inside do not change; 0 if it does not say."""
    opus = info.subtype == "OPUS"
    own_rate = OPUS_RATE_HZ if opus else info.samplerate
    if pages.first_frame > _LONGEST_FIRST_PAGE_S * own_rate:  # cut out of a longer stream, whose time it keeps
        return 0
    frames = pages.last_frame - (pre_skip(path) if opus else 0)
    return round(frames * int(info.samplerate) / int(own_rate))


def _decoded_sndfile(source: bytes | FileSlice, block_frames: int, breaks: list[str]) -> Iterator[Interleaved]:
    """Yield what libsndfile reads; why it broke off, if it did, is added to ``breaks``."""
    try:
        with soundfile.SoundFile(source) as file:
            while len(block := file.read(block_frames, dtype="float32", always_2d=True)):
                yield block
    except soundfile.LibsndfileError as error:
        breaks.append(error.error_string.strip())


def _decoded_links(path: Path, found: Probe, block_frames: int, damage: list[str]) -> Iterator[Interleaved]:
    """Yield the streams of a chained file one after the other, as far as they have the rate and channels of the first."""
    with path.open("rb") as file:
        for number, (start, end) in enumerate(found.links, 1):
            blocks = _decoded_sndfile(FileSlice(file, start, end), block_frames, [])
            info = soundfile.info(FileSlice(file, start, end))
            if (info.samplerate, info.channels) == (found.rate_hz, found.channels):
                yield from blocks
            else:
                damage.append(
                    f"stream {number} of the chain was left out: it has {info.samplerate:,} Hz and {info.channels} channels, "
                    f"not {found.rate_hz:,} Hz and {found.channels}; save it as a file of its own"
                )


def _mended(path: Path, found: Probe, block_frames: int, damage: list[str]) -> Iterator[Interleaved]:
    """Yield what libsndfile reads; where it gives up inside a FLAC file, go on behind the damage with PyAV."""
    frames, failures = 0, list[str]()
    for block in _decoded_sndfile(os.fsencode(path), block_frames, failures):
        frames += len(block)
        yield block
    if not frames and failures:
        raise InvalidInput(f"the file could not be decoded ({failures[0]}); it may be damaged")
    if frames and found.kind.startswith("FLAC") and found.frames is not None and frames < found.frames:
        yield from _behind_the_damage(path, found, frames, damage)


def _behind_the_damage(path: Path, found: Probe, frames: int, damage: list[str]) -> Iterator[Interleaved]:
    """Yield what comes after ``frames`` of a damaged file whose frames say where they belong, holes as silence."""
    at = 0
    for place, block in _placed_by_av(path, found):
        hole = place - at
        if 1 < hole < _LONGEST_HOLE_S * found.rate_hz:
            damage.append(_hole(hole, at, found))
            yield from _after(frames, at, np.zeros((hole, found.channels), np.float32))
            at += hole
        yield from _after(frames, at, block)
        at += len(block)


def _broken_mp3(path: Path, found: Probe, damage: list[str]) -> Iterator[Interleaved]:
    """Yield an MP3 whose run of frames is broken: what is missing from the length that it claims is silence there."""
    held = sum(len(block) for _, block in _placed_by_av(path, found))
    hole = max((found.frames or 0) - held, 0)
    place = max(found.broken_at[0] - UNTOLD_DELAY_FRAMES, 0)
    if 0 < hole < _LONGEST_HOLE_S * found.rate_hz:
        damage.append(f"about {_hole(hole, place, found)}")
    else:
        damage.append(f"the file is damaged at {place / found.rate_hz:.3f} s; what could be read was imported")
    at = 0
    for _, block in _placed_by_av(path, found):
        cut = min(max(place - at, 0), len(block))
        yield block[:cut]
        if at <= place < at + len(block) and 0 < hole < _LONGEST_HOLE_S * found.rate_hz:
            yield np.zeros((hole, found.channels), np.float32)
        yield block[cut:]
        at += len(block)


def _hole(frames: int, at: int, found: Probe) -> str:
    return f"{frames:,} frames at {at / found.rate_hz:.3f} s are damaged and were filled with silence"


def _after(frames: int, at: int, block: Interleaved) -> Iterator[Interleaved]:
    """Yield the part of a block at a place that lies behind ``frames``."""
    if at + len(block) > frames:
        yield block[max(frames - at, 0) :]


def _placed_by_av(path: Path, found: Probe) -> Iterator[tuple[int, Interleaved]]:
    """Yield (frame, samples) of what PyAV can decode, passing over what it cannot."""
    import av  # few files need it, and it takes its time to load

    failures = 0
    with path.open("rb") as file, av.open(file, mode="r") as container:
        stream = container.streams.audio[0]
        resampler = av.AudioResampler(format="fltp")
        at, moved = 0, False
        while failures < _MOST_FAILURES:
            try:
                for frame in container.decode(stream):
                    if frame.pts is not None and frame.time_base is not None:
                        at = max(round(frame.pts * frame.time_base * found.rate_hz), at + moved)
                    for piece in resampler.resample(frame):
                        block = np.ascontiguousarray(piece.to_ndarray().T, dtype=np.float32)
                        yield at, block
                        at, moved = at + len(block), False
                return
            except av.error.FFmpegError:
                failures, moved = failures + 1, True


def _is_adts(head: bytes) -> bool:
    return len(head) > 1 and head[0] == 0xFF and head[1] & 0xF6 == 0xF0


def _probe_av(path: Path) -> Probe:
    import av

    try:
        with path.open("rb") as file, av.open(file, mode="r") as container:
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
    import av

    left = _probe_av(path).frames
    try:
        with path.open("rb") as file, av.open(file, mode="r") as container:
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
