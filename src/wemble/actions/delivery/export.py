"""Sending: what will be sent in words, the checks before it, and the files."""

from __future__ import annotations

import zipfile
from collections.abc import Sequence
from dataclasses import asdict, dataclass
from fractions import Fraction
from pathlib import Path

import numpy as np

from wemble.actions.delivery.heard import HeardInFile, heard_in
from wemble.actions.delivery.one_shots import Shot, export_shots, lacks, on_one_key, shots_to_send
from wemble.actions.delivery.request import Request
from wemble.actions.delivery.sink import Sink
from wemble.actions.library import Library
from wemble.actions.verdicts import programme_doubts, verdicts
from wemble.actions.work.executor import Report
from wemble.actions.work.tasks import start_task
from wemble.core.briefs import record
from wemble.core.deliver.chapters import as_json, as_webvtt, chapter_faults, chapters_in
from wemble.core.deliver.names import Name, names, rate_field, told_apart
from wemble.core.deliver.shots import joined
from wemble.core.deliver.tags import Tags
from wemble.core.deliver.words import (
    Piece,
    clock,
    files_to_send,
    points_in,
    range_in_words,
    sentence,
    stretches_of_nothing,
)
from wemble.core.edit.model import Job, Side
from wemble.core.edit.placement import end_of, start_of
from wemble.core.render import RenderPlan
from wemble.core.render.plan import audible_lanes
from wemble.errors import InvalidInput, NotFound
from wemble.formats.encode import KINDS, check_kbps
from wemble.formats.points import Point, append_points
from wemble.formats.tags import write_tags
from wemble.store import jobs, records
from wemble.store.files import FileReader, Home, move_into_place, settle

BLOCK_FRAMES = 1 << 16
LONG_SILENCE_S = 3.0
"""Listeners look whether it still plays (our choice)."""


@dataclass(frozen=True, slots=True)
class Doubt:
    """Something to know before sending; one that ``stops`` must be mended first."""

    text: str
    stops: bool = False
    clip_id: str | None = None
    side: Side | None = None
    job_frame: int | None = None


@dataclass(frozen=True, slots=True)
class Preview:
    """What will be sent: the sentence, the pattern and every name that it makes, and the checks."""

    words: str
    pattern: str
    names: list[Name]
    seconds: list[float]
    doubts: list[Doubt]


def preview(library: Library, revision_id: int, request: Request) -> Preview:
    """Say what would be sent, without sending. Raises `InvalidInput` for a wrong pattern or bit rate."""
    job = library.job_at(revision_id)
    if request.what == "one_shots":
        return _preview_of_shots(library, revision_id, job, request)
    pieces = files_to_send(job, request.what, request.clip_ids)
    pattern, named = file_names(job, pieces, request)
    channels, rate = _channels(job, request), request.rate_of(job.rate_hz)
    doubts = _doubts(library, revision_id, job, pieces, named, request)
    words = sentence(pieces, job_rate_hz=job.rate_hz, file_rate_hz=rate, channels=channels, kind=_kind_words(request))
    if request.what != "each_clip" and pieces:
        words = f"{words}: {range_in_words(job)}"
    return Preview(words, pattern, named, [round((p.end - p.start) / max(job.rate_hz, 1), 3) for p in pieces], doubts)


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

    ``heard`` is what a single file gives when it is decoded again, ``limited_db`` how far a limiter went.
    """

    files: list[str]
    folder_name: str
    peak_db: float
    over: int
    heard: HeardInFile | None = None
    limited_db: float = 0.0


def export_files(
    report: Report,
    work: Path,
    root: Path,
    job: Job,
    request: Request,
    to_write: list[str],
    chosen: Sequence[Shot] = (),
) -> Sent:
    """Render and write every file beside, then move the folder into place, under the task's name. Runs in a worker."""
    home = Home(root)
    if request.what == "one_shots":
        return _export_shots(report, work, home, job, request, chosen)
    reader = FileReader(home, {source.id: source.channels for source in job.sources.values()})
    plan = RenderPlan(job)
    pieces = files_to_send(job, request.what, request.clip_ids)
    total = sum(piece.end - piece.start for piece in pieces)
    home.check_space(2 * total * job.channels * 4)
    folder = work / "export"
    folder.mkdir()
    done, peak, over, limited_db = 0, 0.0, 0, 0.0
    beside: list[str] = []
    cover = home.picture(request.tags.cover) if request.tags and request.tags.cover else b""
    for piece, name in zip(pieces, to_write, strict=True):
        path, frames, rate = folder / name, piece.end - piece.start, request.rate_of(job.rate_hz)
        path.parent.mkdir(parents=True, exist_ok=True)
        with Sink(
            path, request.file_kind, from_hz=job.rate_hz, to_hz=rate, channels=_channels(job, request), frames=frames,
            kbps=request.kbps, limiter=request.limiter,
        ) as sink:  # fmt: skip
            for start, samples in plan.blocks(piece.start, piece.end, BLOCK_FRAMES, reader):
                sink.write(samples, start)
                done += samples.shape[1]
                report(0.95 * done / total, f"writing {name}")
        peak, over = max(peak, sink.peak), over + sink.over
        if KINDS[request.file_kind].format == "WAV":
            append_points(path, _points(job, piece, request), rate_hz=rate)
        limited_db = min(limited_db, sink.limiter.least_db if sink.limiter else 0.0)
        chapters = chapters_in(job, piece) if request.chapters else []
        write_tags(path, request.tags or Tags(), chapters, cover)
        if chapters:
            for ending, text in ((".vtt", as_webvtt(chapters)), (".chapters.json", as_json(chapters))):
                path.with_suffix(ending).write_text(text, encoding="utf-8")
                beside.append(str(path.with_suffix(ending).relative_to(folder)))
    heard = None
    if len(to_write) == 1 and request.what == "one":
        report(0.96, "listening to what the encoder made of it")
        heard = heard_in(folder / to_write[0])
    to_write = [*to_write, *beside]
    if len(to_write) > 1:
        report(0.98, "packing")
        _pack(folder, to_write)
    settle(folder)
    move_into_place(folder, home.exports / work.name)
    return Sent(
        to_write, work.name, round(float(20 * np.log10(max(peak, 1e-10))), 2), over, heard, round(limited_db, 2)
    )


def _export_shots(report: Report, work: Path, home: Home, job: Job, request: Request, chosen: Sequence[Shot]) -> Sent:
    total = sum(job.source(shot.clip.source_id).frames * job.source(shot.clip.source_id).channels for shot in chosen)
    home.check_space(2 * total * 4)
    folder = work / "export"
    folder.mkdir()
    files, peak, over = export_shots(report, home, folder, job, chosen, request)
    report(0.96, "packing")
    _pack(folder, files)
    settle(folder)
    move_into_place(folder, home.exports / work.name)
    return Sent(files, work.name, round(float(20 * np.log10(max(peak, 1e-10))), 2), over)


def _preview_of_shots(library: Library, revision_id: int, job: Job, request: Request) -> Preview:
    chosen, pattern, named = shots_to_send(library, job, request)
    kinds = sorted({KINDS[shot.kind].ending[1:].upper() for shot in chosen})
    rates = sorted({shot.rate_hz for shot in chosen})
    depth = "at their own depth" if request.kind == "as_source" else _kind_words(request)
    with_map = {"none": "", "cut": ", with a map", "offset": ", whole, with a map that starts them at their onsets"}
    rate_words = " and ".join(f"{rate / 1000:g} kHz" for rate in rates)
    counted = "1 one-shot" if len(chosen) == 1 else f"{len(chosen)} one-shots"
    words = f"{counted}, {depth} ({'/'.join(kinds)}, {rate_words}){with_map[request.with_map]}, and a report"
    frames = [sum(part.frames for part in joined(job, shot.clip)) for shot in chosen]
    seconds = [round(n / job.source(s.clip.source_id).rate_hz, 3) for n, s in zip(frames, chosen, strict=True)]
    return Preview(
        words if chosen else "nothing",
        pattern,
        named,
        seconds,
        _doubts(library, revision_id, job, [*chosen], named, request),
    )


def _points(job: Job, piece: Piece, request: Request) -> list[Point]:
    """Return the marks of a file to be, in frames of that file."""
    factor = Fraction(request.rate_of(job.rate_hz), job.rate_hz)
    return [
        Point(round(p.frame * factor), p.name, None if p.end_frame is None else round(p.end_frame * factor))
        for p in points_in(job, piece)
    ]


def sent_file(library: Library, task_id: str, name: str) -> Path:
    """Return the path of a file that was sent; ``name`` empty is the zip. Raises `NotFound`."""
    with library.database.read() as db:
        task = records.get_task(db, task_id)
    if task.kind != "export" or task.result is None:
        raise NotFound("nothing has been sent yet")
    files: list[str] = task.result["files"]
    wanted = name or ("all.zip" if len(files) > 1 else files[0])
    path = library.home.exports / str(task.result["folder_name"]) / wanted
    if wanted not in [*files, "all.zip"] or not path.is_file():
        raise NotFound("this file is no longer there; send it again")
    return path


def _pack(folder: Path, file_names: list[str]) -> None:
    with zipfile.ZipFile(folder / "all.zip", "w", zipfile.ZIP_STORED, allowZip64=True) as archive:
        for name in file_names:
            archive.write(folder / name, name)


def _channels(job: Job, request: Request) -> int:
    return request.channels or job.channels


def file_names(job: Job, pieces: list[Piece], request: Request) -> tuple[str, list[Name]]:
    """Return the pattern, and the name of every file to be."""
    rate = rate_field(request.rate_of(job.rate_hz))
    rows: list[dict[str, str | int]] = [
        {"clip": p.name, "job": job.name, "source": p.source, "lane": p.lane, "number": n, "rate": rate}
        for n, p in enumerate(pieces, 1)
    ]
    pattern = request.pattern or told_apart(record(job.brief).send.patterns[request.what], rows)
    ending = KINDS[request.file_kind].ending
    return pattern, names(pattern, rows, ending, replace_this=request.replace_this, replace_by=request.replace_by)


def _kind_words(request: Request) -> str:
    kind = KINDS[request.file_kind]
    check_kbps(request.file_kind, request.kbps)
    match request.file_kind:
        case "mp3":
            return f"MP3 at a constant {request.kbps} kb/s"
        case "m4a":
            return f"M4A at about {request.kbps} kb/s"
        case "opus":
            return f"Ogg Opus at about {request.kbps} kb/s"
        case "ogg":
            return "Ogg Vorbis"
    return f"{kind.format} {'32-bit float' if kind.bits is None else f'{kind.bits}-bit'}"


def _doubts(
    library: Library, revision_id: int, job: Job, pieces: Sequence[Piece | Shot], named: list[Name], request: Request
) -> list[Doubt]:
    doubts: list[Doubt] = []
    if not pieces:
        doubts.append(Doubt("there is nothing to send: import a recording first", True))
    if colliding := [name.name for name in named if name.collides]:
        example = colliding[0]
        doubts.append(
            Doubt(f"{len(colliding)} names are the same, such as “{example}”; add {{number}} to the pattern", True)
        )
    if _channels(job, request) > KINDS[request.file_kind].most_channels:
        doubts.append(
            Doubt(
                f"{KINDS[request.file_kind].format} cannot hold {_channels(job, request)} channels; choose mono", True
            )
        )
    doubts += [Doubt(text) for text in _rates_converted(job, pieces, request)]
    whole = [piece for piece in pieces if isinstance(piece, Piece)]
    if request.what == "one" and whole:
        doubts += _doubts_of_whole(job, whole[0], request)
    if request.channels and request.channels < job.channels:
        doubts.append(
            Doubt("the channels will be mixed to mono: their mean, so that what is the same in all keeps its level")
        )
    loud = [source for source in job.sources.values() if library.source(source.id).peak > 1.0]
    doubts += [
        Doubt(f"“{source.name}” has samples over full scale; they will clip in 16- and 24-bit files") for source in loud
    ]
    if request.what == "one_shots" and not request.clip_ids and (lacking := lacks(job)):
        more = f" and {len(lacking) - 6} more" if len(lacking) > 6 else ""
        doubts.append(Doubt(f"missing from the grid: {', '.join(lacking[:6])}{more}"))
    if request.what == "one_shots" and request.with_map != "none":
        doubts += [Doubt(text) for text in on_one_key(job)]
    if request.what != "one_shots" and (
        muted := [lane.name for lane in job.lanes.values() if lane.id not in audible_lanes(job)]
    ):
        doubts.append(Doubt(f"muted lanes are not sent: {', '.join(muted)}"))
    if request.what in ("one", "each_section"):
        doubts += [
            Doubt(d.text, job_frame=d.job_frame, clip_id=d.clip_id) for d in programme_doubts(library, revision_id)
        ]
    doubtful = [
        row
        for row in verdicts(library, revision_id)
        if row.doubtful and (not request.clip_ids or row.clip_id in request.clip_ids)
    ]
    for row in doubtful[:50]:
        verdict = next(v for v in row.verdicts if v.state != "fine")
        clip = job.clips[row.clip_id]
        at = start_of(job, clip) if verdict.side == "head" else end_of(job, clip)
        words = f"“{clip.name}”, {verdict.side}: {verdict.text}"
        doubts.append(Doubt(words, clip_id=clip.id, side=verdict.side, job_frame=at))
    return doubts


def _doubts_of_whole(job: Job, piece: Piece, request: Request) -> list[Doubt]:
    """Return what to know of one file: faults of its chapters, and stretches in which nothing lies."""
    doubts = []
    if request.chapters:
        chapters = chapters_in(job, piece)
        if not chapters:
            doubts.append(Doubt("there are no chapters: a section mark makes one"))
        for fault in chapter_faults(chapters, request.shortest_chapter_s):
            doubts.append(Doubt(fault.text, job_frame=piece.start + round(fault.start_ms * job.rate_hz / 1000)))
    for start, end in stretches_of_nothing(job, piece, round(LONG_SILENCE_S * job.rate_hz)):
        seconds = (end - start) / job.rate_hz
        doubts.append(
            Doubt(f"{seconds:.1f} s of silence at {clock((start - piece.start) / job.rate_hz)}", job_frame=start)
        )
    return doubts


def _rates_converted(job: Job, pieces: Sequence[Piece | Shot], request: Request) -> list[str]:
    """Say which rates will be converted to which, and why."""
    changes = sorted(
        {
            (job.source(piece.clip.source_id).rate_hz, piece.rate_hz)
            if isinstance(piece, Shot)
            else (job.rate_hz, request.rate_of(job.rate_hz))
            for piece in pieces
        }
    )
    return [
        f"the sample rate will be converted from {own:,} to {to:,} Hz"
        + ("" if to == request.rate_hz else ", which this format needs")
        for own, to in changes
        if own != to
    ]
