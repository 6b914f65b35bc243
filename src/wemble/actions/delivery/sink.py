"""Where rendered sound goes: the fold to fewer channels, another rate, and the file."""

from __future__ import annotations

import zipfile
from collections.abc import Sequence
from pathlib import Path
from typing import Protocol

import numpy as np
import soxr

from wemble.core.deliver.chapters import Chapter
from wemble.core.deliver.kinds import FileKind
from wemble.core.render.limiter import Limiter, LimiterSettings
from wemble.core.render.plan import fold
from wemble.core.signal.levels import Samples, from_db
from wemble.core.signal.loudness import LoudnessMeter
from wemble.formats.encode import KINDS, Writer


def _dither(kind: FileKind) -> float:
    """Return by how much rounding and dither may raise a sample: two steps of the file's integers."""
    bits = KINDS[kind].bits
    return 0.0 if bits is None else 2.0 / (1 << (bits - 1))


class SampleWriter(Protocol):
    """Takes the samples of a file, block by block."""

    def write(self, samples: Samples, start_frame: int) -> None:
        """Write float32 (channels, frames); ``start_frame`` keys the dither."""

    def close(self) -> None:
        """Finish."""


class Sink:
    """A writer behind the fold and the rate conversion that its file needs.

    ``peak`` is that of what was written, before integers cut it off; ``over`` says how many samples lay over full scale.
    ``frames`` and ``from_hz`` are those of what is rendered, ``to_hz`` and ``channels`` those of the file. Another ``writer``
    takes the samples of the file in its place. ``gain_db`` comes before the limiter, ``trim_db`` behind it; ``metered``
    measures the loudness of what comes out of the limiter.
    """

    def __init__(
        self, path: Path, kind: FileKind, *, from_hz: int, to_hz: int, channels: int, frames: int, kbps: int = 192,
        limiter: LimiterSettings | None = None, writer: SampleWriter | None = None, gain_db: float = 0.0,
        trim_db: float = 0.0, metered: bool = False, chapters: Sequence[Chapter] = (),
    ):  # fmt: skip
        self._channels = channels
        self._writer = writer or Writer(
            path,
            kind,
            rate_hz=to_hz,
            channels=channels,
            frames=frames * to_hz // max(from_hz, 1),
            kbps=kbps,
            chapters=chapters,
        )
        self._stream = None
        self._written = 0
        self.peak, self.over = 0.0, 0
        self.limiter = Limiter(limiter, to_hz, channels, room=_dither(kind)) if limiter else None
        self._limited = 0
        self._gain, self._trim = np.float32(from_db(gain_db)), np.float32(from_db(trim_db))
        self.meter = LoudnessMeter(to_hz, channels) if metered else None
        if to_hz != from_hz:
            self._stream = soxr.ResampleStream(from_hz, to_hz, channels, dtype="float32", quality="HQ")

    def write(self, samples: Samples, start: int) -> None:
        """Write float32 (channels, frames) that begin at this frame of the file, before any other rate."""
        folded = np.asarray(fold(samples, self._channels))
        if self._stream is None:
            self._put(folded, start)
        else:
            self._put_converted(self._stream.resample_chunk(np.ascontiguousarray(folded.T)))

    def _put_converted(self, block: Samples) -> None:
        self._put(block.T, self._written)
        self._written += len(block)

    def _put(self, samples: Samples, start: int) -> None:
        if self._gain != 1.0:
            samples = samples * self._gain
        if self.limiter is None:
            self._encode(samples, start)
        else:
            self._put_limited(self.limiter.feed(samples))

    def _put_limited(self, samples: Samples) -> None:
        self._encode(samples, self._limited)
        self._limited += samples.shape[1]

    def _encode(self, samples: Samples, start: int) -> None:
        if self.meter is not None:
            self.meter.feed(samples)
        if self._trim != 1.0:
            samples = samples * self._trim
        size = np.abs(samples)
        self.peak = max(self.peak, float(size.max(initial=0.0)))
        self.over += int(np.count_nonzero(size > 1.0))
        self._writer.write(samples, start)

    def __enter__(self) -> Sink:
        return self

    def __exit__(self, kind: type[BaseException] | None, *rest: object) -> None:
        if self._stream is not None and kind is None:
            rest_of_it = np.zeros((0, self._channels), np.float32)
            self._put_converted(self._stream.resample_chunk(rest_of_it, last=True))
        if self.limiter is not None and kind is None:
            self._put_limited(self.limiter.finish())
        self._writer.close()


def pack(folder: Path, file_names: list[str]) -> None:
    """Put files of a folder into one archive beside them, as they are."""
    with zipfile.ZipFile(folder / "all.zip", "w", zipfile.ZIP_STORED, allowZip64=True) as archive:
        for name in file_names:
            archive.write(folder / name, name)
