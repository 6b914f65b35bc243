"""Importing a file: decoded once in a worker into a source, and one revision when it is there."""

from __future__ import annotations

import contextlib
import hashlib
import os
import queue
import shutil
import threading
from collections.abc import Iterator
from dataclasses import dataclass, replace
from functools import partial
from pathlib import Path, PurePosixPath, PureWindowsPath

import numpy as np

from wemble.actions.importing.convert import convert_copy
from wemble.actions.library import Library, measured_source
from wemble.actions.revisions import edit_newest
from wemble.actions.work.executor import Report
from wemble.actions.work.tasks import start_task
from wemble.core.briefs import record
from wemble.core.deliver.names import safe_name
from wemble.core.edges.envelope import envelope
from wemble.core.edges.floor import measure_floor
from wemble.core.edges.programme import falls_for_good, find_programme
from wemble.core.edges.refine import measure_band_floors
from wemble.core.edit.clips import Edited, SourcePoint, add_source
from wemble.core.edit.cues import cues_of_clips
from wemble.core.edit.model import Job, SourceUse, set_clips
from wemble.core.edit.on_air import NEXT_UNDER_DB, Proposed, from_timers, propose_points
from wemble.core.signal.flat_tops import FlatTops, in_words
from wemble.core.signal.levels import Samples
from wemble.core.signal.pyramid import Bins, bin_frames
from wemble.errors import InvalidInput, NotFound
from wemble.formats.cart import read_cart
from wemble.formats.decode import ENDINGS, Interleaved, Probe, decoded, probe
from wemble.formats.points import read_points
from wemble.store import jobs, records
from wemble.store.files import FileReader, Home, SourceWriter, copy_path, move_into_place, settle

BLOCK_FRAMES = 1 << 16
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


def start_import(library: Library, job_id: str, path: Path, name: str, *, upload_id: str | None = None) -> str:
    """Start importing a file into a job and return the task."""
    with library.database.read() as db:
        job = library.job_at(jobs.get_job_row(db, job_id).head_revision)
    brief = record(job.brief)

    def brought_in(result: Imported) -> dict[str, object]:
        source = result.source
        use = SourceUse(source.id, display_name(name), source.rate_hz, source.channels, source.frames)

        def bring_in(newest: Job) -> Edited:
            library.reader.know(source.id, source.channels)
            if newest.rate_hz and newest.rate_hz != source.rate_hz:
                convert_copy(library.home, library.home.scratch, source, newest.rate_hz)
            edited = add_source(newest, use, result.points)
            (clip_id,) = edited.job.clips.keys() - newest.clips.keys()
            return replace(edited, job=_for_the_brief(edited.job, clip_id, result.proposed))

        with library.database.write() as db:
            records.add_source(db, source, now=library.now())
            answer = edit_newest(library, job_id, f"import {use.name}", bring_in)
            if upload_id is not None:
                records.delete_upload(db, upload_id)
        if upload_id is not None:
            path.unlink(missing_ok=True)
        threading.Thread(target=settle, args=(library.home.source(source.id),), daemon=True).start()
        return {"source_id": source.id, "revision": answer.revision, "notes": [*source.notes, *result.notes]}

    return start_task(
        library,
        job_id,
        "import",
        name,
        {"name": name, "upload_id": upload_id},
        import_file,
        (library.home.root, path, name, job.rate_hz, upload_id is not None, brief.on_air or brief.cue_a_file),
        brought_in,
        in_turn=True,
    )


def _for_the_brief(job: Job, clip_id: str, found: Proposed | None) -> Job:
    """Return a job with what its brief makes of a clip that came in: proposed on-air points, or a cue that knows its sound."""
    brief = record(job.brief)
    if brief.on_air and found is not None:
        job = propose_points(job, clip_id, found)
    if brief.cue_a_file:
        if found is not None:
            clip = job.clip(clip_id)
            job = set_clips(job, replace(clip, sound_start_frame=found.begins, sound_end_frame=found.ends))
        job = cues_of_clips(job, (clip_id,)).job
    return job


@dataclass(frozen=True, slots=True)
class Imported:
    """What a worker hands back when a source lies in its place."""

    source: records.SourceRow
    points: tuple[SourcePoint, ...] = ()
    notes: tuple[str, ...] = ()
    proposed: Proposed | None = None


def import_file(
    report: Report,
    work: Path,
    root: Path,
    path: Path,
    name: str,
    job_rate_hz: int,
    owned: bool = False,
    find_ends: bool = False,
    identify: bool = True,
) -> Imported:
    """Decode a file once into a working copy, its pyramid and its floors, and move all of it into place.

    The hash is computed in a thread beside. ``owned`` files (uploads) are linked and not copied: nobody else writes to
    them. With ``find_ends`` it is found where its programme begins and ends, and whether its peaks are flattened. What nobody
    keeps need not be identified by its bytes. Runs in a worker.

    Raises
    ------
    Unsupported, InvalidInput, TooLarge
        If the file is not for us, with the reason.
    """
    home = Home(root)
    folder = work / "source"
    source = decode_source(report, home, folder, path, name, owned=owned, identify=identify)
    report(0.95, "storing")
    move_into_place(folder, home.source(source.id))
    if job_rate_hz and job_rate_hz != source.rate_hz:
        report(0.97, "converting the rate")
        convert_copy(home, work, source, job_rate_hz)
    read = read_points(path, source.frames)
    left_out = (f"{read.left_out:,} cue points or loops make no sense and were left out",) if read.left_out else ()
    points = [SourcePoint(p.frame, p.name, p.end_frame) for p in read.points]
    cart = read_cart(path)
    timed = from_timers(cart.timers, source.frames) if cart else []
    proposed = _proposed(home, source) if find_ends else None
    flat = _flattened(home, source) if find_ends else ""
    return Imported(source, (*points, *timed), (*left_out, *([flat] if flat else [])), proposed)


def _flattened(home: Home, source: records.SourceRow) -> str:
    """Say whether the peaks of a recording are flattened; nothing where they are not."""
    reader, tops = FileReader(home, {source.id: source.channels}), FlatTops(source.channels)
    for at in range(0, source.frames, BLOCK_FRAMES):
        tops.feed(reader.read(source.id, source.rate_hz, at, min(BLOCK_FRAMES, source.frames - at)))
    reader.close()
    return in_words(tops.count())


def _proposed(home: Home, source: records.SourceRow) -> Proposed | None:
    """Return where the programme of a recording begins, may be followed, and ends."""
    reader, levels = FileReader(home, {source.id: source.channels}), measured_source(home, source).envelope
    found = find_programme(partial(reader.read, source.id, source.rate_hz), levels)
    reader.close()
    if found is None:
        return None
    return Proposed(found.start_frame, falls_for_good(levels, found, NEXT_UNDER_DB), found.end_frame)


def decode_source(
    report: Report, home: Home, folder: Path, path: Path, name: str, *, owned: bool = False, identify: bool = True
) -> records.SourceRow:
    """Build a source's folder of a file, beside its place: original, working copy, pyramid. Raises as `import_file`."""
    if not path.exists():
        raise NotFound(f"the file {path.name} is no longer there; import it again")
    report(0.0, "reading")
    found = probe(path)
    decoded_bytes = round(_COPY_AND_PYRAMID * 4 * (found.frames or 0) * found.channels)
    home.check_space(max(3 * path.stat().st_size, decoded_bytes))
    digest = hashlib.sha256()
    hashing = threading.Thread(target=_hash, args=(path, digest)) if identify else None
    if hashing is not None:
        hashing.start()
    folder.mkdir()
    damage: list[str] = []
    with SourceWriter(folder, rate_hz=found.rate_hz, channels=found.channels) as writer:
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


def described(folder: Path, sha256: str, found: Probe, writer: SourceWriter, bins: Bins) -> records.SourceRow:
    """Return the row of a source whose working copy lies finished in a folder, its floors measured."""
    width = bin_frames(found.rate_hz)
    levels = envelope(bins, rate_hz=found.rate_hz, bin_frames=width, frames=writer.frames)
    floor = measure_floor(levels)
    path = copy_path(folder, found.rate_hz)
    reader = _OneFile(path, found.channels)
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
    return records.SourceRow(
        id=source_id(sha256, found.decoder, writer.frames),
        file_sha256=sha256,
        decoder=found.decoder,
        kind=found.kind,
        rate_hz=found.rate_hz,
        channels=found.channels,
        frames=writer.frames,
        peak=writer.peak,
        floors=records.Floors(floor, measure_band_floors(reader.read, levels, floor)),
        notes=tuple(notes),
    )


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
