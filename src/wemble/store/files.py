"""Files on disk: where everything lies, working copies, pyramids, and how they come to be complete.

A source has a folder of its own, named by its id and built beside its place and moved into it when whole:

- ``original`` + its ending: the file, byte for byte
- ``copy-<rate>.f32``: the samples, float32, interleaved
- ``level-<frames a bin>.f16``: lowest and highest sample of each bin, float16, (bins, channels, 2)
- ``energy.f16``: RMS and difference RMS of each level-1 bin, float16, (bins, channels, 2)
"""

from __future__ import annotations

import os
import secrets
import shutil
import threading
from collections import OrderedDict
from contextlib import suppress
from pathlib import Path
from types import TracebackType
from typing import BinaryIO, Literal, Self

import numpy as np
from numpy.typing import NDArray

from wemble.core.signal.levels import Samples
from wemble.core.signal.loudness import Loudness
from wemble.core.signal.pyramid import STEP, Bins, Halves, bin_frames, coarser, reduce_samples
from wemble.errors import InvalidInput, NotFound, TooLarge, Unavailable

Room = Literal["sources", "uploads", "exports", "pictures", "heard"]
"""A folder of the data folder whose files belong to rows, or can be made again (what is heard)."""
SPARE_BYTES = 64 << 20
PICTURED_TO = 3e4
"""Samples beyond it, 90 dB over full scale, are drawn as if they ended there: half floats reach little further."""
_OPEN_FILES = 64
_LOUDNESS = "loudness.npy"


class Home:
    """The one folder with all of Wemble's data."""

    def __init__(self, root: Path):
        self.root = root
        self._arriving: dict[tuple[Room, str], Path] = {}
        self._uncommitted: list[tuple[Room, str, Path]] = []
        self._clearing = threading.Lock()
        try:
            for folder in (
                self.sources, self.uploads, self.exports, self.pictures, self.scratch, self.arriving, self.aside,
            ):  # fmt: skip
                folder.mkdir(parents=True, exist_ok=True)
        except OSError as error:
            raise Unavailable(
                f"the data folder {root} cannot be used ({error.strerror}); choose another with --home or WEMBLE_HOME"
            ) from None

    @property
    def database(self) -> Path:
        """The SQLite file."""
        return self.root / "wemble.db"

    @property
    def sources(self) -> Path:
        """A folder for each source."""
        return self.root / "sources"

    @property
    def uploads(self) -> Path:
        """Files on their way in."""
        return self.root / "uploads"

    @property
    def exports(self) -> Path:
        """What was sent, a folder for each time."""
        return self.root / "exports"

    @property
    def heard(self) -> Path:
        """What lanes hear of each other: it could be measured again."""
        return self.root / "heard"

    def older_than(self, room: Room, before: float) -> list[str]:
        """Return the names of what lies in a room and was last written before a time, in seconds since 1970.

        What was heard of lanes counts as written when it is read (`store.heard`).
        """
        folder = self.root / room
        kept = folder.iterdir() if folder.is_dir() else ()
        return [path.name for path in kept if path.stat().st_mtime < before]

    @property
    def pictures(self) -> Path:
        """Covers and pictures of chapters, named by their hash."""
        return self.root / "pictures"

    def has_picture(self, name: str) -> bool:
        """Whether a picture of this name is kept."""
        return _is_a_name(name) and self.path_of("pictures", name).is_file()

    def picture(self, name: str) -> bytes:
        """Return a picture. Raises `NotFound`."""
        if not self.has_picture(name):
            raise NotFound("the picture is no longer there; choose it again")
        return self.path_of("pictures", name).read_bytes()

    @property
    def scratch(self) -> Path:
        """What is not whole yet; emptied at start."""
        return self.root / "scratch"

    @property
    def arriving(self) -> Path:
        """What is whole and about to get its place; at start what nobody committed is removed."""
        return self.root / "arriving"

    @property
    def aside(self) -> Path:
        """What was removed, and whose space is about to be given back."""
        return self.root / "aside"

    def new_work(self, name: str) -> Path:
        """Make a scratch folder. Raises `Unavailable` if the disk refuses."""
        work = self.scratch / name
        try:
            work.mkdir()
        except OSError as error:
            raise Unavailable(
                f"nothing can be written to {self.scratch} ({error.strerror}); free some space, or check its permissions",
                code="disk_full",
            ) from None
        return work

    def source(self, source_id: str) -> Path:
        """The folder of one source."""
        if not _is_a_name(source_id):
            raise NotFound(f"there is no source {source_id[:80]!r}")
        return self.path_of("sources", source_id)

    def place_of(self, room: Room, name: str) -> Path:
        """Where a file or folder of a room belongs."""
        return self.root / room / name

    def path_of(self, room: Room, name: str) -> Path:
        """Where a file or folder of a room is now: where it arrives, until it is in its place."""
        return self._arriving.get((room, name)) or self.place_of(room, name)

    def expect(self, room: Room, name: str, finished: Path) -> None:
        """Read what lies finished as if it were in its place already."""
        self._arriving[room, name] = finished

    def arrive(self, room: Room, name: str, finished: Path) -> Path:
        """Take what lies finished out of the hands of whoever made it, and return where it waits for its place."""
        waits = self.arriving / f"{secrets.token_hex(8)}-{name}"
        finished.rename(waits)
        self.expect(room, name, waits)
        self._uncommitted.append((room, name, finished))
        return waits

    def has_arrived(self, room: Room, name: str) -> None:
        """Read something in its place from now on."""
        self._arriving.pop((room, name), None)

    def turn_back(self) -> None:
        """Give what arrived in a transaction that was not committed back to its task; what no task made goes."""
        for room, name, finished in reversed(self._uncommitted):
            waits = self._arriving.pop((room, name))
            if finished.parent == self.scratch:
                waits.rename(self.aside / waits.name)
            else:
                finished.parent.mkdir(exist_ok=True)
                waits.rename(finished)
        self._uncommitted.clear()

    def stay(self) -> None:
        """Note that the transaction in which things arrived was committed."""
        self._uncommitted.clear()

    def move_aside(self, room: Room, name: str) -> None:
        """Take something out of its place in one step; it need not be there."""
        with suppress(FileNotFoundError):
            self.place_of(room, name).rename(self.aside / f"{secrets.token_hex(8)}-{name}")

    def clear_aside(self) -> int:
        """Remove what was moved aside, and return how many bytes that gives back."""
        freed = 0
        with self._clearing:
            for path in list(self.aside.iterdir()) if self.aside.is_dir() else ():
                freed += folder_bytes(path)
                _remove(path)
        return freed

    def empty_scratch(self) -> None:
        """Remove what earlier runs left unfinished."""
        for folder in (self.scratch, self.arriving, self.aside):
            for left in folder.iterdir():
                _remove(left)

    def check_space(self, needed_bytes: int) -> None:
        """Raise `TooLarge` if that much would not fit with something to spare."""
        free = shutil.disk_usage(self.root).free
        if needed_bytes + SPARE_BYTES > free:
            raise TooLarge(
                f"this needs {needed_bytes / 1e6:,.0f} MB and {free / 1e6:,.0f} MB are free in {self.root}; free some space and try again"
            )


def move_into_place(folder: Path, place: Path) -> None:
    """Make a finished folder appear under its name at once. Being there already is fine.

    A killed process loses nothing by it. A power cut could, until `settle` has run.
    """
    try:
        folder.rename(place)
    except OSError:
        if not place.is_dir():
            raise
        shutil.rmtree(folder, ignore_errors=True)
    _sync(place.parent)


def place_files(finished: Path, place: Path) -> None:
    """Give a file or folder its place; done already is fine. A folder that is there gets the files that it lacks."""
    if place.is_dir() and finished.is_dir():
        for path in finished.iterdir():
            if not (place / path.name).exists():
                path.rename(place / path.name)
        _remove(finished)
    elif finished.exists():
        finished.rename(place)
    if not place.exists():
        raise FileNotFoundError(f"{finished} is gone")
    _sync(place.parent)


def _is_a_name(name: str) -> bool:
    """Say whether a name can be one that we gave."""
    return name.isalnum() and len(name) <= 64


def _remove(path: Path) -> None:
    shutil.rmtree(path, ignore_errors=True) if path.is_dir() else path.unlink(missing_ok=True)


def settle(folder: Path) -> None:
    """Wait until everything in a folder is on the disk itself."""
    for path in folder.rglob("*"):
        if path.is_file():
            _sync(path)
    _sync(folder)


def settle_later(folder: Path) -> None:
    """Settle a folder while others go on; it may be removed meanwhile."""

    def settle_what_is_there() -> None:
        with suppress(FileNotFoundError):
            settle(folder)

    threading.Thread(target=settle_what_is_there, daemon=True).start()


def _sync(path: Path) -> None:
    descriptor = os.open(path, os.O_RDONLY)
    try:
        os.fsync(descriptor)
    finally:
        os.close(descriptor)


def folder_bytes(path: Path) -> int:
    """Return how much room a file, or a folder with all that is in it, takes. What is not there takes none."""
    if path.is_file():
        return path.stat().st_size
    return sum(file.stat().st_size for file in path.rglob("*") if file.is_file()) if path.is_dir() else 0


def copy_path(folder: Path, rate_hz: int) -> Path:
    """The working copy of a source at a rate."""
    return folder / f"copy-{rate_hz}.f32"


class SourceWriter:
    """Writes a working copy and its pyramid, block by block, into a folder that is not in place yet.

    What nobody will look at is not ``pictured``: it has its levels, and nothing that could be drawn.
    """

    def __init__(self, folder: Path, *, rate_hz: int, channels: int, pictured: bool = True):
        self.frames = 0
        self.peak = 0.0
        self.not_numbers = 0
        self._channels, self._rate_hz, self._width = channels, rate_hz, bin_frames(rate_hz)
        self._folder, self._pictured = folder, pictured
        self._copy: BinaryIO = copy_path(folder, rate_hz).open("wb", buffering=0)
        self._levels: list[Halves] = []
        self._energy: list[Halves] = []
        self._left = np.zeros((channels, 0), np.float32)
        self._before = np.zeros((channels, 1), np.float32)

    def write(self, block: NDArray[np.float32]) -> None:
        """Take float32 (frames, channels). NaN and infinities become zero and are counted."""
        if not np.isfinite(block.sum()):  # one cheap pass: a sum is finite only if every term is
            bad = ~np.isfinite(block)
            self.not_numbers += int(bad.sum())
            block = np.where(bad, np.float32(0.0), block)
        self._copy.write(np.ascontiguousarray(block).data)
        self.frames += len(block)
        planar = np.ascontiguousarray(block.T)
        if self._left.shape[1]:
            planar = np.concatenate([self._left, planar], axis=1)
        whole = planar.shape[1] // self._width * self._width
        self._reduce(planar[:, :whole])
        self._left = planar[:, whole:].copy()

    def finish(self) -> Bins:
        """Write the pyramid and return its level 1."""
        self._reduce(self._left)
        self._copy.close()
        level = np.concatenate(self._levels, axis=1)
        energy = np.concatenate(self._energy, axis=1)
        energy.transpose(1, 0, 2).tofile(self._folder / "energy.f16")
        bins, width = Bins(level, energy[..., 0], energy[..., 1]), self._width
        while self._pictured:
            level.transpose(1, 0, 2).tofile(self._folder / f"level-{width}.f16")
            if level.shape[1] <= STEP:
                return bins
            level, width = coarser(level), width * STEP
        return bins

    def _reduce(self, samples: Samples) -> None:
        if not samples.shape[1]:
            return
        largest = float(max(samples.max(), -samples.min()))
        self.peak = max(self.peak, largest)
        if largest > PICTURED_TO:
            samples = np.clip(samples, -PICTURED_TO, PICTURED_TO)
        bins = reduce_samples(samples, frames_per_bin=self._width, before=self._before, pictured=self._pictured)
        self._levels.append(bins.min_max)
        self._energy.append(np.stack([bins.rms, bins.difference_rms], axis=-1))
        self._before = samples[:, -1:].copy()

    def __enter__(self) -> Self:
        return self

    def __exit__(
        self, kind: type[BaseException] | None, error: BaseException | None, trace: TracebackType | None
    ) -> None:
        self._copy.close()


class FileReader:
    """Reads working copies by position: the `SampleReader` of the renderer."""

    def __init__(self, home: Home, channels_of: dict[str, int] | None = None):
        self._home = home
        self._channels = dict(channels_of or {})
        self._open: OrderedDict[Path, int] = OrderedDict()
        self._lock = threading.Lock()

    def know(self, source_id: str, channels: int) -> None:
        """Tell the reader how many channels a source has."""
        self._channels[source_id] = channels

    def read(self, source_id: str, rate_hz: int, start: int, frames: int) -> Samples:
        """Return float32 (channels, frames); what lies outside the source is zero.

        Raises `NotFound` if there is no working copy at that rate.
        """
        channels = self._channels[source_id]
        skip = max(-start, 0)
        raw = b""
        if frames > skip:
            raw = self._pread(
                copy_path(self._home.source(source_id), rate_hz), start + skip, frames - skip, channels * 4
            )
        got = np.frombuffer(raw, np.float32).reshape(-1, channels).T
        if got.shape[1] == frames:
            return got
        out = np.zeros((channels, frames), np.float32)
        out[:, skip : skip + got.shape[1]] = got
        return out

    def close(self) -> None:
        """Close every file."""
        with self._lock:
            while self._open:
                os.close(self._open.popitem()[1])

    def _pread(self, path: Path, start: int, frames: int, frame_bytes: int) -> bytes:
        with self._lock:
            descriptor = self._open.pop(path, None)
            if descriptor is None:
                try:
                    descriptor = os.open(path, os.O_RDONLY)
                except FileNotFoundError:
                    raise NotFound(f"the working copy {path.name} is missing; import the recording again") from None
            self._open[path] = descriptor
            if len(self._open) > _OPEN_FILES:
                os.close(self._open.popitem(last=False)[1])
            return os.pread(descriptor, frames * frame_bytes, start * frame_bytes)


def read_energy(folder: Path, channels: int) -> Bins:
    """Return RMS and difference RMS of level 1, without the pictures. Raises `NotFound` if a recording's folder is gone."""
    try:
        stored = np.fromfile(folder / "energy.f16", np.float16)
    except FileNotFoundError:
        raise NotFound(
            "a recording is missing from the data folder; import it again, or put another under it"
        ) from None
    energy = stored.reshape(-1, channels, 2).transpose(1, 0, 2)
    return Bins(np.zeros((channels, 0, 2), np.float16), energy[..., 0], energy[..., 1])


def read_level(folder: Path, frames_per_bin: int, channels: int, first: int, bins: int) -> bytes:
    """Return bins of a stored level, float16 (bins, channels, 2). Raises `InvalidInput` for a level there is not."""
    row = channels * 4
    try:
        with (folder / f"level-{frames_per_bin}.f16").open("rb") as file:
            file.seek(first * row)
            return file.read(bins * row)
    except FileNotFoundError:
        raise InvalidInput(f"there is no level of {frames_per_bin} frames a bin") from None


def write_loudness(work: Path, folder: Path, loudness: Loudness) -> None:
    """Put what was measured of a source beside it; ``work`` is for the part."""
    part = work / f"{folder.name}.loudness.npy"
    figures = np.concatenate([[loudness.sample_peak_db, loudness.true_peak_db], loudness.powers])
    np.save(part, figures.astype(np.float32))
    part.rename(folder / _LOUDNESS)


def read_loudness(folder: Path) -> Loudness | None:
    """Return what was measured of a source; none if it has not been."""
    if not (folder / _LOUDNESS).is_file():
        return None
    figures = np.load(folder / _LOUDNESS).astype(np.float64)
    return Loudness(figures[2:], float(figures[0]), float(figures[1]))
