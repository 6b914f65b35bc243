"""One file as loud as was asked, and under its ceiling, as whoever decodes it has it: written, heard, corrected.

A coder moves levels, a fold or another rate does, and so does a limiter. So loudness is measured before the limiter,
the file is decoded again, and what it misses by is taken off before it is written once more. What remains is told.
"""

from __future__ import annotations

from collections.abc import Iterable, Sequence
from dataclasses import dataclass, replace
from pathlib import Path

from wemble.actions.delivery.heard import HeardInFile, heard_in
from wemble.actions.delivery.request import Request
from wemble.actions.delivery.sink import Sink
from wemble.actions.work.executor import Report, part_of
from wemble.core.deliver.chapters import Chapter
from wemble.core.render import RenderPlan
from wemble.core.render.limiter import LimiterSettings
from wemble.core.signal.levels import Samples
from wemble.core.signal.loudness import NOTHING_LUFS, LoudnessMeter
from wemble.core.signal.reader import SampleReader
from wemble.formats.encode import KINDS

BLOCK_FRAMES = 1 << 16
MOST_PASSES = 4
_MOST_MEASURED, _LEAST_GIVEN, _MOST_GAIN_DB, _REACHED_LU = 5, 0.2, 40.0, 0.3
NEAR_LU, NEAR_DB = 0.05, 0.02
"""A file is as loud as asked within that, and a peak is under its ceiling (our choice: a tenth is what is shown)."""


@dataclass(frozen=True, slots=True)
class Written:
    """A file that was written: its peak before integers cut it off, samples over full scale, the limiter's lowest gain.

    ``heard`` is what it gives decoded again, if anything depended on that; ``remains`` says what it misses by.
    """

    peak: float
    over: int
    limited_db: float
    heard: HeardInFile | None = None
    remains: str = ""


@dataclass(frozen=True, slots=True)
class _Levels:
    """What is done to the samples of a file: a gain before the limiter, the limiter, a trim behind it, in dB."""

    gain_db: float = 0.0
    limiter: LimiterSettings | None = None
    trim_db: float = 0.0


class _Meter:
    """Takes the samples of a file, and measures them in its place."""

    def __init__(self, rate_hz: int, channels: int):
        self.meter = LoudnessMeter(rate_hz, channels)

    def write(self, samples: Samples, start_frame: int) -> None:
        self.meter.feed(samples)

    def close(self) -> None: ...


@dataclass(frozen=True, slots=True)
class Rendering:
    """What a file is rendered from, and how it is asked for."""

    plan: RenderPlan
    start: int
    end: int
    reader: SampleReader
    request: Request
    job_rate_hz: int
    job_channels: int
    chapters: Sequence[Chapter] = ()

    @property
    def rate_hz(self) -> int:
        """The rate of the file."""
        return self.request.rate_of(self.job_rate_hz)

    @property
    def channels(self) -> int:
        """The channels of the file."""
        return self.request.channels_of(self.job_channels)

    def blocks(self) -> Iterable[tuple[int, Samples]]:
        """Yield (frame, samples) of the whole."""
        return self.plan.blocks(self.start, self.end, BLOCK_FRAMES, self.reader)


def write_levelled(report: Report, path: Path, rendering: Rendering, *, listens: bool) -> Written:
    """Write a file; if it has a loudness or a ceiling to meet, or is coded and somebody ``listens``, until it meets them."""
    request, coded = rendering.request, KINDS[rendering.request.file_kind].coded
    levels, wanted, reached = _Levels(limiter=request.limiter), request.loudness_lufs, True
    if wanted is not None:
        gain_db, reached = _gain_for(part_of(report, 0.0, 0.4), rendering, wanted)
        levels = replace(levels, gain_db=gain_db)
        report(0.4, f"writing {path.name}")
    corrects = wanted is not None or (coded and (listens or request.limiter is not None))
    done = 0.4 if wanted is not None else 0.0
    for number in range(MOST_PASSES):
        ends = done + (1.0 - done) * (0.6 if corrects and number + 1 < MOST_PASSES else 1.0)
        written, rendered = _write(part_of(report, done, ends), path, rendering, levels)
        done = ends
        if not corrects:
            return written
        written = replace(written, heard=heard_in(path))
        misses_lu, over_db = _misses(written, wanted if wanted is not None else rendered, request.limiter)
        if (abs(misses_lu) <= NEAR_LU or not reached) and over_db <= NEAR_DB:
            break
        if number + 1 < MOST_PASSES:
            levels = _corrected(levels, misses_lu if reached else 0.0, over_db, by_gain=wanted is not None)
    return replace(written, remains=_in_words(written, wanted, misses_lu, over_db))


def _gain_for(report: Report, rendering: Rendering, wanted: float) -> tuple[float, bool]:
    """Return the gain before the limiter at which what comes out of it is as loud as asked, as nearly as that can be, and
    whether it is.

    The more a limiter works, the less a gain gives: each step goes by what the last one gave. 0 dB where nothing is loud
    enough to measure.
    """
    gain_db, tried = 0.0, list[tuple[float, float]]()
    for number in range(_MOST_MEASURED):
        part = part_of(report, number / _MOST_MEASURED, (number + 1) / _MOST_MEASURED)
        lufs = _loudness(part, rendering, gain_db)
        if lufs is None:
            return 0.0, False
        stuck = bool(tried) and tried[-1][0] == gain_db
        tried.append((gain_db, lufs))
        if stuck or abs(wanted - lufs) <= NEAR_LU:
            break
        gives = 1.0
        if number:
            (gain_before, lufs_before), _ = tried[-2:]
            gives = min(max((lufs - lufs_before) / (gain_db - gain_before), _LEAST_GIVEN), 1.0)
        gain_db = min(max(gain_db + (wanted - lufs) / gives, -_MOST_GAIN_DB), _MOST_GAIN_DB)
    gain_db, lufs = min(tried, key=lambda one: abs(wanted - one[1]))
    return gain_db, abs(wanted - lufs) <= _REACHED_LU


def _loudness(report: Report, rendering: Rendering, gain_db: float) -> float | None:
    """Return the loudness of what would be written with a gain, before any coder; none where nothing is loud enough."""
    meter = _Meter(rendering.rate_hz, rendering.channels)
    with _sink(Path(), rendering, _Levels(gain_db, rendering.request.limiter), writer=meter) as sink:
        for start, samples in rendering.blocks():
            sink.write(samples, start)
            report((start - rendering.start) / max(rendering.end - rendering.start, 1), "measuring loudness")
    lufs = meter.meter.result().integrated_lufs
    return None if lufs <= NOTHING_LUFS else lufs


def _write(report: Report, path: Path, rendering: Rendering, levels: _Levels) -> tuple[Written, float | None]:
    """Write a file once; return it, and the loudness of what came out of the limiter."""
    with _sink(path, rendering, levels) as sink:
        for start, samples in rendering.blocks():
            sink.write(samples, start)
            report((start - rendering.start) / max(rendering.end - rendering.start, 1), f"writing {path.name}")
    lufs = sink.meter.result().integrated_lufs if sink.meter else NOTHING_LUFS
    limited_db = sink.limiter.least_db if sink.limiter else 0.0
    return Written(sink.peak, sink.over, limited_db), None if lufs <= NOTHING_LUFS else lufs


def _sink(path: Path, rendering: Rendering, levels: _Levels, *, writer: _Meter | None = None) -> Sink:
    request = rendering.request
    return Sink(
        path, request.file_kind, from_hz=rendering.job_rate_hz, to_hz=rendering.rate_hz, channels=rendering.channels,
        frames=rendering.end - rendering.start, kbps=request.kbps, limiter=levels.limiter, writer=writer,
        gain_db=levels.gain_db, trim_db=levels.trim_db, metered=KINDS[request.file_kind].coded and writer is None,
        chapters=rendering.chapters,
    )  # fmt: skip


def _misses(written: Written, wanted: float | None, limiter: LimiterSettings | None) -> tuple[float, float]:
    """Return by how many LU a file is too soft, and by how many dB it is over its ceiling."""
    heard = written.heard
    assert heard is not None, "it was decoded again"
    misses = 0.0 if wanted is None or heard.integrated_lufs is None else wanted - heard.integrated_lufs
    if limiter is None:
        return misses, 0.0
    peak_db = heard.true_peak_db if limiter.true_peak else heard.sample_peak_db
    return misses, max(peak_db - limiter.ceiling_db, 0.0)


def _corrected(levels: _Levels, misses_lu: float, over_db: float, *, by_gain: bool) -> _Levels:
    """Return the levels that take off what a file misses by. A coder adds to peaks what it took from elsewhere, so that its
    trim moves the ceiling along."""
    limiter = levels.limiter
    trim_db = levels.trim_db if by_gain else levels.trim_db + misses_lu
    if limiter is not None and (over_db > 0.0 or trim_db > levels.trim_db):
        ceiling_db = limiter.ceiling_db - over_db - max(trim_db - levels.trim_db, 0.0)
        limiter = replace(limiter, ceiling_db=max(round(ceiling_db - NEAR_DB, 3), -40.0))
    return _Levels(levels.gain_db + misses_lu if by_gain else levels.gain_db, limiter, trim_db)


def _in_words(written: Written, wanted: float | None, misses_lu: float, over_db: float) -> str:
    """Say what a file still misses by, as far as it would be shown."""
    heard, told = written.heard, []
    if wanted is not None and heard is not None and heard.integrated_lufs is None:
        told.append("it is too soft for its loudness to be measured")
    elif wanted is not None and abs(misses_lu) >= 0.1:
        why = "; the ceiling of the limiter keeps it there" if misses_lu > 0 and written.limited_db < 0 else ""
        told.append(f"its loudness misses {wanted:.1f} LUFS by {abs(misses_lu):.1f} LU{why}")
    if over_db >= 0.1:
        told.append(f"decoded again, its peak is {over_db:.1f} dB over the ceiling")
    return "; ".join(told).replace("-", "−")
