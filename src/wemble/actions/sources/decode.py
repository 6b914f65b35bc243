"""Decoding a file into a source: its working copy, its pyramid and its floors, in a folder beside its place."""

from __future__ import annotations

import contextlib
import hashlib
import os
import queue
import shutil
import threading
from collections.abc import Iterator
from dataclasses import replace
from pathlib import Path, PurePosixPath, PureWindowsPath

import numpy as np

from wemble.actions.work.executor import Report
from wemble.core.deliver.names import safe_name
from wemble.core.edges.envelope import envelope
from wemble.core.edges.noise import over_noise
from wemble.core.edges.search import Measured, measure
from wemble.core.signal.levels import Samples
from wemble.core.signal.pyramid import Bins, bin_frames
from wemble.errors import InvalidInput, NotFound
from wemble.formats.decode import ENDINGS, Interleaved, Probe, decoded, probe
from wemble.store.files import Home, SourceWriter, copy_path, read_energy
from wemble.store.rows import Floors, SourceRow

BLOCK_FRAMES = 1 << 17
FAR_OVER_FULL_SCALE = 64.0
_HASH_BYTES = 1 << 20
_BLOCKS_AHEAD = 4
_SPACE_EVERY_FRAMES = 1 << 22
_COPY_AND_PYRAMID = 1.1


def display_name(file_name: str) -> str:
    """Return what to call a source: the file's own name, without folder or ending, safe to show."""
    last = PureWindowsPath(PurePosixPath(file_name).name).name
    stem = PurePosixPath(last).stem or last
    return safe_name(stem)[:120]


def decode_source(
    report: Report, home: Home, folder: Path, path: Path, name: str, *, owned: bool = False, kept: bool = True
) -> SourceRow:
    """Build a source's folder of a file, beside its place: original, working copy, pyramid.

    The hash is computed in a thread beside. What is not ``kept`` is neither identified by its bytes nor made ready to
    draw. ``owned`` files (uploads) are linked and not copied: nobody else writes to them.

    Raises
    ------
    Unsupported, InvalidInput, TooLarge
        If the file is not for us, with the reason.
    """
    if not path.exists():
        raise NotFound(f"the file {path.name} is no longer there; import it again")
    report(0.0, "reading")
    found = probe(path)
    decoded_bytes = round(_COPY_AND_PYRAMID * 4 * (found.frames or 0) * found.channels)
    home.check_space(max(3 * path.stat().st_size, decoded_bytes))
    digest = hashlib.sha256()
    hashing = threading.Thread(target=_hash, args=(path, digest)) if kept else None
    if hashing is not None:
        hashing.start()
    folder.mkdir()
    damage: list[str] = []
    with SourceWriter(folder, rate_hz=found.rate_hz, channels=found.channels, pictured=kept) as writer:
        for block in _ahead(decoded(path, found, BLOCK_FRAMES, damage)):
            writer.write(block)
            if writer.frames // _SPACE_EVERY_FRAMES != (writer.frames - len(block)) // _SPACE_EVERY_FRAMES:
                home.check_space(0)  # what the file says of its length need not be true
            if found.frames:
                report(min(0.9 * writer.frames / found.frames, 0.9), "decoding")
        if not writer.frames:
            raise InvalidInput("this file holds no audio (0 frames)")
        bins = writer.finish()
    if hashing is not None:
        hashing.join()
    ending = next((e for e in ENDINGS if name.lower().endswith(e)), ".audio")
    _keep_original(path, folder / f"original{ending}", owned)
    return described(folder, digest.hexdigest(), replace(found, notes=(*found.notes, *damage)), writer, bins)


def _keep_original(path: Path, place: Path, owned: bool) -> None:
    if owned:
        with contextlib.suppress(OSError):  # another file system
            os.link(path, place)
            return
    shutil.copyfile(path, place)


def _hash(path: Path, digest: hashlib._Hash) -> None:
    with path.open("rb") as file:
        while data := file.read(_HASH_BYTES):
            digest.update(data)


def _ahead(blocks: Iterator[Interleaved]) -> Iterator[Interleaved]:
    """Decode in a thread beside, a few blocks ahead: both cores are used."""
    ahead: queue.Queue[Interleaved | BaseException | None] = queue.Queue(_BLOCKS_AHEAD)

    def run() -> None:
        try:
            for block in blocks:
                ahead.put(block)
            ahead.put(None)
        except BaseException as error:
            ahead.put(error)

    threading.Thread(target=run, daemon=True).start()
    while (item := ahead.get()) is not None:
        if isinstance(item, BaseException):
            raise item
        yield item


def source_id(file_sha256: str, decoder: str, frames: int) -> str:
    """Return the name of a source: the file, what decoded it, and the frames that came of it."""
    return hashlib.sha256(f"{file_sha256} {decoder} {frames}".encode()).hexdigest()[:32]


def described(folder: Path, sha256: str, found: Probe, writer: SourceWriter, bins: Bins) -> SourceRow:
    """Return the row of a source whose working copy lies finished in a folder, its floors measured."""
    width = bin_frames(found.rate_hz)
    levels = envelope(bins, rate_hz=found.rate_hz, bin_frames=width, frames=writer.frames)
    path = copy_path(folder, found.rate_hz)
    measured = measure(_OneFile(path, found.channels).read, levels)
    notes = list(found.notes)
    promised = None if found.frames is None else found.frames - found.skip_frames
    if promised is not None and writer.frames < promised - 1:
        notes.append(f"the file claims {promised:,} frames but holds {writer.frames:,}; those were imported")
    if writer.not_numbers:
        notes.append(f"{writer.not_numbers:,} samples were not numbers (NaN or infinite) and were set to zero")
    if writer.peak > FAR_OVER_FULL_SCALE:
        notes.append(
            f"its loudest sample is {20 * np.log10(writer.peak):,.0f} dB over full scale; turn it down before you send"
        )
    return SourceRow(
        id=source_id(sha256, found.decoder, writer.frames),
        file_sha256=sha256,
        decoder=found.decoder,
        kind=found.kind,
        rate_hz=found.rate_hz,
        channels=found.channels,
        frames=writer.frames,
        peak=writer.peak,
        floors=Floors(measured.floor, measured.band_floors, measured.noise),
        notes=tuple(notes),
    )


def measured_source(home: Home, row: SourceRow) -> Measured:
    """Return the envelope and floors of a source that lies in its place."""
    bins = read_energy(home.source(row.id), row.channels)
    levels = envelope(bins, rate_hz=row.rate_hz, bin_frames=bin_frames(row.rate_hz), frames=row.frames)
    return Measured(over_noise(levels, row.floors.noise), row.floors.floor, row.floors.bands, row.floors.noise)


class _OneFile:
    """Reads one working copy that is not in place yet."""

    def __init__(self, path: Path, channels: int):
        self._samples = np.memmap(path, np.float32, "r").reshape(-1, channels)

    def read(self, start: int, frames: int) -> Samples:
        low = max(start, 0)
        out = np.zeros((self._samples.shape[1], frames), np.float32)
        got = np.asarray(self._samples[low : max(start + frames, 0)]).T
        out[:, low - start : low - start + got.shape[1]] = got
        return out
