"""Sending: the files, and beforehand what the encoder gives back of one."""

from __future__ import annotations

import csv
import io
from collections.abc import Sequence
from dataclasses import asdict, dataclass, replace
from fractions import Fraction
from pathlib import Path

import numpy as np

from wemble.actions.delivery.heard import HeardInFile, heard_in
from wemble.actions.delivery.levelled import Rendering, write_levelled
from wemble.actions.delivery.one_shots import Shot, export_shots, shots_to_send
from wemble.actions.delivery.preview import preview
from wemble.actions.delivery.request import Request
from wemble.actions.delivery.sink import pack
from wemble.actions.library import Library
from wemble.actions.work.executor import Report, part_of
from wemble.actions.work.tasks import EXPORT, delivered, start_task
from wemble.core.deliver.cells import plain
from wemble.core.deliver.chapters import as_json, as_webvtt, chapters_in
from wemble.core.deliver.tags import Tags
from wemble.core.deliver.words import (
    Piece,
    files_to_send,
    points_in,
)
from wemble.core.edit.marks import place_of
from wemble.core.edit.model import Job, Mark
from wemble.core.edit.on_air import POINTS, points_of, timers
from wemble.core.render import RenderPlan
from wemble.errors import InvalidInput, NotFound
from wemble.formats.cart import Cart, append_cart
from wemble.formats.encode import KINDS
from wemble.formats.pictures import picture_ending
from wemble.formats.points import Point, append_points
from wemble.formats.tags import write_tags
from wemble.store import jobs, records
from wemble.store.files import FileReader, Home, settle

_ON_AIR = "on-air points.csv"


def start_export(library: Library, job_id: str, revision_id: int, request: Request) -> str:
    """Start sending and return the task. Raises `InvalidInput` if a check stops it."""
    before = preview(library, revision_id, request)
    if stopping := [doubt for doubt in before.doubts if doubt.stops]:
        raise InvalidInput(stopping[0].text, code="stopped_by_check")
    with library.database.read() as db:
        row = jobs.get_job_row(db, job_id)
    job = library.job_at(revision_id)
    chosen = shots_to_send(library, job, request)[0] if request.what == "one_shots" else []
    args = (library.home.root, job, request, [name.name for name in before.names], chosen)
    request_row = {**asdict(request), "revision": revision_id}
    return start_task(library, row.id, "export", before.words, request_row, export_files, args, asdict)


@dataclass(frozen=True, slots=True)
class Sent:
    """What was written, into which folder; the loudest sample in dB, and how many samples were over full scale.

    ``heard`` is what a single file gives when it is decoded again, ``limited_db`` how far a limiter went, ``remains`` what
    files miss their loudness or ceiling by, in words.
    """

    files: list[str]
    folder_name: str
    peak_db: float
    over: int
    heard: HeardInFile | None = None
    limited_db: float = 0.0
    remains: tuple[str, ...] = ()


def export_files(
    report: Report,
    work: Path,
    root: Path,
    job: Job,
    request: Request,
    to_write: list[str],
    chosen: Sequence[Shot] = (),
) -> Sent:
    """Render and write every file into a folder that becomes a delivery. Runs in a worker."""
    home = Home(root)
    if request.what == "one_shots":
        return _export_shots(report, work, home, job, request, chosen)
    folder = work / EXPORT
    pieces = files_to_send(job, request.what, request.clip_ids)
    sent = _write_files(report, folder, home, job, request, pieces, to_write)
    if len(sent.files) > 1:
        report(0.98, "packing")
        pack(folder, sent.files)
    settle(folder)
    return replace(sent, folder_name=work.name)


def start_trial(library: Library, job_id: str, revision_id: int, request: Request) -> str:
    """Start finding out what the encoder would give back of one file, without sending it, and return the task.

    Raises `InvalidInput` for anything but one file.
    """
    if request.what != "one":
        raise InvalidInput("what the encoder gives back can be heard beforehand for one file; choose that")
    before = preview(library, revision_id, request)
    job = library.job_at(revision_id)
    if not before.names:
        raise InvalidInput("there is nothing to send: import a recording first")
    request_row = {"revision": revision_id, "send": request.sound}
    args = (library.home.root, job, request, before.names[0].name)
    return start_task(
        library, job_id, "check", "hearing what the encoder gives back", request_row, try_out, args, asdict
    )


def try_out(report: Report, work: Path, root: Path, job: Job, request: Request, name: str) -> Sent:
    """Write one file into scratch, which goes with the task, and listen to it. Runs in a worker."""
    pieces = files_to_send(job, "one")
    return _write_files(report, work / EXPORT, Home(root), job, request, pieces, [name])


def _write_files(
    report: Report, folder: Path, home: Home, job: Job, request: Request, pieces: list[Piece], to_write: list[str]
) -> Sent:
    """Render and write every file into a folder, with what goes beside; one file alone is listened to again."""
    reader = FileReader(home, {source.id: source.channels for source in job.sources.values()})
    plan = RenderPlan(job)
    total = sum(piece.end - piece.start for piece in pieces)
    home.check_space(2 * total * job.channels * 4)
    folder.mkdir()
    done, peak, over, limited_db = 0, 0.0, 0, 0.0
    beside: list[str] = []
    remains: list[str] = []
    heard = None
    for piece, name in zip(pieces, to_write, strict=True):
        path, frames, rate = folder / name, piece.end - piece.start, request.rate_of(job.rate_hz)
        path.parent.mkdir(parents=True, exist_ok=True)
        chapters = chapters_in(job, piece) if request.chapters else []
        rendering = Rendering(plan, piece.start, piece.end, reader, request, job.rate_hz, job.channels, chapters)
        part = part_of(report, 0.95 * done / total, 0.95 * (done + frames) / total)
        written = write_levelled(part, path, rendering, listens=request.what == "one")
        done += frames
        peak, over = max(peak, written.peak), over + written.over
        limited_db = min(limited_db, written.limited_db)
        if written.remains:
            remains.append(f"“{name}”: {written.remains}" if len(to_write) > 1 else written.remains)
        if KINDS[request.file_kind].format == "WAV":
            append_points(path, _points(job, piece, request), rate_hz=rate)
            if timers := _timers(job, piece, rate):
                tags = request.tags or Tags()
                append_cart(path, Cart(tags.title or piece.name, tags.artist, tags.number, tags.genre, timers))
        beside += [str(one.relative_to(folder)) for one in _describe(path, home, job, piece, request)]
    if any(points_of(job, piece.clip_id) for piece in pieces if piece.clip_id):
        (folder / _ON_AIR).write_text(_on_air_list(job, pieces, to_write), encoding="utf-8")
        beside.append(_ON_AIR)
    if len(to_write) == 1 and request.what == "one":
        report(0.96, "listening to what the encoder made of it")
        heard = written.heard or heard_in(folder / to_write[0])
    peak_db = round(float(20 * np.log10(max(peak, 1e-10))), 2)
    return Sent([*to_write, *beside], "", peak_db, over, heard, round(limited_db, 2), tuple(remains))


def _describe(path: Path, home: Home, job: Job, piece: Piece, request: Request) -> list[Path]:
    """Write tags and chapters into a file, and chapters and their pictures beside it; return the files beside."""
    tags, chapters = request.tags or Tags(), chapters_in(job, piece) if request.chapters else []
    shown = {one.picture for one in chapters if one.picture}
    pictures = {name: home.picture(name) for name in {*shown, tags.cover} if name}
    write_tags(path, tags, chapters, pictures)
    if not chapters:
        return []
    files = {
        name: path.with_suffix(f".{number}{picture_ending(pictures[name])}")
        for number, name in enumerate(dict.fromkeys(one.picture for one in chapters if one.picture), 1)
    }
    for name, beside in files.items():
        beside.write_bytes(pictures[name])
    texts = {
        path.with_suffix(".vtt"): as_webvtt(chapters),
        path.with_suffix(".chapters.json"): as_json(chapters, {name: file.name for name, file in files.items()}),
    }
    for beside, text in texts.items():
        beside.write_text(text, encoding="utf-8")
    return [*texts, *files.values()]


def _export_shots(report: Report, work: Path, home: Home, job: Job, request: Request, chosen: Sequence[Shot]) -> Sent:
    total = sum(job.source(shot.clip.source_id).frames * job.source(shot.clip.source_id).channels for shot in chosen)
    home.check_space(2 * total * 4)
    folder = work / EXPORT
    folder.mkdir()
    files, peak, over = export_shots(report, home, folder, job, chosen, request)
    report(0.96, "packing")
    pack(folder, files)
    settle(folder)
    return Sent(files, work.name, round(float(20 * np.log10(max(peak, 1e-10))), 2), over)


def _points(job: Job, piece: Piece, request: Request) -> list[Point]:
    """Return the marks of a file to be, in frames of that file."""
    factor = Fraction(request.rate_of(job.rate_hz), job.rate_hz)
    return [
        Point(round(p.frame * factor), p.name, None if p.end_frame is None else round(p.end_frame * factor))
        for p in points_in(job, piece)
    ]


def _timers(job: Job, piece: Piece, rate_hz: int) -> tuple[tuple[str, int], ...]:
    """Return the timers of a file of one clip; of others none, since points count from their own clip."""
    return tuple(timers(job, job.clip(piece.clip_id), rate_hz=rate_hz)) if piece.clip_id else ()


def _on_air_list(job: Job, pieces: list[Piece], names: list[str]) -> str:
    """Return the on-air points of all files as CSV, in seconds from the start of each."""
    out = io.StringIO()
    writer = csv.writer(out, lineterminator="\n")
    writer.writerow(["file", *POINTS[:3], "hook_end", *POINTS[3:]])
    for piece, name in zip(pieces, names, strict=True):
        points = points_of(job, piece.clip_id) if piece.clip_id else {}
        ends = {"hook_end": replace(points["hook"], frame=points["hook"].end_frame or 0)} if "hook" in points else {}
        found: dict[str, Mark] = {**{str(point): mark for point, mark in points.items()}, **ends}
        row = [
            f"{(place_of(job, found[key]) - piece.start) / job.rate_hz:.3f}" if key in found else ""
            for key in (*POINTS[:3], "hook_end", *POINTS[3:])
        ]
        writer.writerow([plain(name), *row])
    return out.getvalue()


def sent_file(library: Library, task_id: str, name: str) -> Path:
    """Return the path of a file that was sent; ``name`` empty is the zip. Raises `NotFound`."""
    with library.database.read() as db:
        task = records.get_task(db, task_id)
    if task.kind != "export" or task.result is None:
        raise NotFound("nothing has been sent yet")
    if task.deleted_at is not None:
        raise NotFound("what was sent is in the bin; restore it on the start page")
    files: list[str] = task.result["files"]
    wanted = name or ("all.zip" if len(files) > 1 else files[0])
    path = delivered(library, str(task.result["folder_name"])) / wanted
    if wanted not in [*files, "all.zip"] or not path.is_file():
        raise NotFound("this file is no longer there; send it again")
    return path
