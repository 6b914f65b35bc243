"""A release out: the image with its cue sheet, files of its tracks, and lists of them, from one pass of the renderer.

The image is rendered once, brought to the disc's rate and to two channels once, and dithered once, keyed by the sample of the
image; files of tracks are cut from the same samples. So those that keep the gaps, joined, equal the image bit for bit.
"""

from __future__ import annotations

from dataclasses import asdict, dataclass
from pathlib import Path
from typing import Any, Literal

import numpy as np

from wemble.actions.delivery.sink import Sink, pack
from wemble.actions.library import Library
from wemble.actions.work.executor import Report
from wemble.actions.work.tasks import EXPORT, start_task
from wemble.core.check.disc import DiscFault, TrackHeard, disc_faults, end_over_floor_db, heard_faults
from wemble.core.deliver.disc import (
    DISC_RATE_HZ,
    DiscTrack,
    cue_sheet_of,
    disc_tracks,
    image_samples,
    list_as_csv,
    list_as_page,
    list_as_text,
    on_image,
)
from wemble.core.deliver.kinds import FileKind
from wemble.core.deliver.names import safe_name
from wemble.core.deliver.tags import Tags
from wemble.core.deliver.words import clock
from wemble.core.edit.model import Clip, Job
from wemble.core.edit.placement import end_of, start_of
from wemble.core.edit.tracks import Track, tracks_of
from wemble.core.render import RenderPlan
from wemble.core.signal.levels import Samples, ms_to_frames
from wemble.core.signal.loudness import NOTHING_LUFS, Loudness, LoudnessMeter
from wemble.errors import InvalidInput
from wemble.formats.cue_sheet import cue_text
from wemble.formats.encode import KINDS, Writer, check_kbps, rate_for
from wemble.formats.tags import write_tags
from wemble.store import jobs, records
from wemble.store.files import FileReader, Home, settle

BLOCK_FRAMES = 1 << 16
_WINDOW_MS = 10.0
_SILENT = 10.0 ** (-70.0 / 20.0)


@dataclass(frozen=True, slots=True)
class ReleaseRequest:
    """What goes out: the image with its cue sheet, a file for each track, lists; and what is said of the release.

    ``gaps`` says what becomes of the gap between two tracks in their files: it ends the file before it, or is left out.
    ``first_pause`` says whether the image begins with the pause before track 1, or with track 1.
    """

    image: bool = True
    files: FileKind | Literal["none"] = "none"
    gaps: Literal["before", "left_out"] = "before"
    first_pause: Literal["left_out", "in_image"] = "left_out"
    lists: bool = True
    kbps: int = 192
    title: str = ""
    performer: str = ""
    catalog: str = ""
    year: str = ""
    genre: str = ""
    cover: str = ""
    capacity_s: float = 79 * 60 + 57.0
    ceiling_db: float = -1.0

    def __post_init__(self) -> None:
        if not (self.image or self.lists or self.files != "none"):
            raise InvalidInput("there is nothing to send: choose the image, files of the tracks, or lists")
        if self.files != "none":
            check_kbps(self.files, self.kbps)
            if rate_for(self.files, DISC_RATE_HZ) != DISC_RATE_HZ:
                raise InvalidInput(f"{KINDS[self.files].format} has no 44.1 kHz; choose another format for the tracks")


@dataclass(frozen=True, slots=True)
class TrackRow:
    """A track as it is listed: places and lengths in seconds, of the disc."""

    number: int
    mark_id: str
    title: str
    performer: str
    isrc: str
    start_s: float
    length_s: float
    gap_s: float
    shared: bool
    heard: TrackHeard | None


@dataclass(frozen=True, slots=True)
class ReleasePreview:
    """What will be sent in words, every track, the checks, and every name; figures of listening, where that was done."""

    words: str
    tracks: list[TrackRow]
    total_s: float
    faults: list[DiscFault]
    names: list[str]
    integrated_lufs: float | None
    true_peak_db: float | None


@dataclass(frozen=True, slots=True)
class ReleaseHeard:
    """What listening to all tracks found, each and together."""

    tracks: list[TrackHeard]
    integrated_lufs: float | None
    true_peak_db: float


@dataclass(frozen=True, slots=True)
class ReleaseSent:
    """What was written, into which folder, and how far its loudest sample is under full scale, in dB."""

    files: list[str]
    folder_name: str
    peak_db: float
    over: int


def release_preview(library: Library, revision_id: int, request: ReleaseRequest) -> ReleasePreview:
    """Say what would be sent, with the checks. Raises `InvalidInput` for a wrong EAN."""
    job = library.job_at(revision_id)
    tracks, (on_disc, _) = tracks_of(job), on_image(disc_tracks(job), pause=request.first_pause == "in_image")
    heard = _known(library, revision_id)
    faults = disc_faults(job, capacity_s=request.capacity_s, pause=request.first_pause == "in_image")
    if on_disc:
        cue_sheet_of(on_disc[:99], "image.wav", catalog=request.catalog)
    if heard is not None and len(heard.tracks) == len(tracks):
        faults += heard_faults(tracks, heard.tracks, ceiling_db=request.ceiling_db, rate_hz=job.rate_hz)
    rows = [
        TrackRow(
            one.number, track.mark.id, one.title, one.performer, one.isrc, one.start / DISC_RATE_HZ,
            (one.end - one.start) / DISC_RATE_HZ, one.gap / DISC_RATE_HZ, track.shared,
            heard.tracks[n] if heard is not None and n < len(heard.tracks) else None,
        )
        for n, (track, one) in enumerate(zip(tracks, on_disc, strict=True))
    ]  # fmt: skip
    total_s = image_samples(on_disc) / DISC_RATE_HZ
    return ReleasePreview(
        _words(job, request, len(rows), total_s),
        rows,
        total_s,
        faults,
        _names(job, request, on_disc) if on_disc else [],
        heard.integrated_lufs if heard else None,
        heard.true_peak_db if heard else None,
    )


def _words(job: Job, request: ReleaseRequest, count: int, total_s: float) -> str:
    pause = "with the pause before track 1" if request.first_pause == "in_image" else "from track 1 on"
    what = [
        *([f"the image, 44.1 kHz, 16-bit, stereo, {pause}, with its cue sheet"] if request.image else []),
        *([f"{count} files of the tracks, {_kind(request)}"] if request.files != "none" else []),
        *(["the track list as text, CSV and a page"] if request.lists else []),
    ]
    rate = (
        ""
        if job.rate_hz in (0, DISC_RATE_HZ)
        else f"; the sample rate will be converted from {job.rate_hz:,} to 44,100 Hz"
    )
    mono = "; both channels will have the one that there is, at its level" if job.channels == 1 else ""
    return f"{'; '.join(what)}: {clock(total_s)}{rate}{mono}"


def _kind(request: ReleaseRequest) -> str:
    if request.files == "none":
        return ""
    kind = KINDS[request.files]
    coded = f" at {request.kbps} kb/s" if request.files in ("mp3", "m4a") else ""
    bits = f" {kind.bits}-bit" if kind.bits else ""
    gaps = "each gap at the end of the file before it" if request.gaps == "before" else "gaps left out"
    return f"{kind.format}{bits}{coded}, {gaps}"


def _names(job: Job, request: ReleaseRequest, tracks: list[DiscTrack]) -> list[str]:
    stem = safe_name(request.title or job.name)
    images = [f"{stem}.wav", f"{stem}.cue"] if request.image else []
    lists = [f"{stem} tracks.txt", f"{stem} tracks.csv", f"{stem} tracks.html"] if request.lists else []
    return [*images, *_track_names(request, tracks), *lists]


def _track_names(request: ReleaseRequest, tracks: list[DiscTrack]) -> list[str]:
    if request.files == "none":
        return []
    return [f"{one.number:02d} {safe_name(one.title)}{KINDS[request.files].ending}" for one in tracks]


def start_release(library: Library, job_id: str, revision_id: int, request: ReleaseRequest) -> str:
    """Start sending a release and return the task. Raises `InvalidInput` if a check stops it."""
    before = release_preview(library, revision_id, request)
    if stopping := [fault for fault in before.faults if fault.stops]:
        raise InvalidInput(stopping[0].text, code="stopped_by_check")
    args = (library.home.root, library.job_at(revision_id), request)
    row = {"revision": revision_id, "release": asdict(request)}
    return start_task(library, job_id, "export", before.words, row, send_release, args, asdict)


def send_release(report: Report, work: Path, root: Path, job: Job, request: ReleaseRequest) -> ReleaseSent:
    """Render once, and write everything into a folder that becomes a delivery. Runs in a worker."""
    home = Home(root)
    tracks, from_sample = on_image(disc_tracks(job), pause=request.first_pause == "in_image")
    reader = FileReader(home, {source.id: source.channels for source in job.sources.values()})
    folder, stem = work / EXPORT, safe_name(request.title or job.name)
    total = image_samples(tracks)
    home.check_space(3 * total * 4 + (total * 8 if request.files != "none" else 0))
    folder.mkdir()
    parts = [_Part(folder / f"{stem}.wav", "wav_16", 0, total, request.kbps)] if request.image else []
    if request.files != "none":
        for n, (one, name) in enumerate(zip(tracks, _track_names(request, tracks), strict=True)):
            start = one.start if n or request.gaps == "left_out" else 0
            end = tracks[n + 1].start if n + 1 < len(tracks) and request.gaps == "before" else one.end
            parts.append(_Part(folder / name, request.files, start, end, request.kbps))
    plan, rendered = RenderPlan(job), -(-total * job.rate_hz // DISC_RATE_HZ)
    first = -(-from_sample * job.rate_hz // DISC_RATE_HZ)
    with _Parts(parts) as split:
        sink = Sink(
            folder, "wav_16", from_hz=job.rate_hz, to_hz=DISC_RATE_HZ, channels=2, frames=rendered, writer=split
        )
        with sink:
            for start, samples in plan.blocks(first, first + rendered, BLOCK_FRAMES, reader) if parts else ():
                sink.write(samples, start - first)
                report(0.95 * (start - first) / max(rendered, 1), "writing the release")
    reader.close()
    _describe(folder, home, stem, request, tracks)
    written = sorted(path.name for path in folder.iterdir())
    if len(written) > 1:
        report(0.97, "packing")
        pack(folder, written)
    settle(folder)
    return ReleaseSent(written, work.name, round(float(20 * np.log10(max(sink.peak, 1e-10))), 2), sink.over)


def _describe(folder: Path, home: Home, stem: str, request: ReleaseRequest, tracks: list[DiscTrack]) -> None:
    """Write what goes beside the samples: cue sheet, lists, and the tags of every track's file."""
    if request.image:
        sheet = cue_sheet_of(
            tracks, f"{stem}.wav", title=request.title, performer=request.performer, catalog=request.catalog
        )
        (folder / f"{stem}.cue").write_bytes(cue_text(sheet).encode())
    if request.lists:
        texts = {
            "txt": list_as_text(tracks, request.title, request.performer),
            "csv": list_as_csv(tracks),
            "html": list_as_page(tracks, request.title, request.performer, request.catalog),
        }
        for ending, text in texts.items():
            (folder / f"{stem} tracks.{ending}").write_text(text, encoding="utf-8")
    pictures = {request.cover: home.picture(request.cover)} if request.cover else {}
    for one, name in zip(tracks, _track_names(request, tracks), strict=False):
        by = one.performer or request.performer
        number = f"{one.number}/{len(tracks)}"
        tags = Tags(
            one.title, by, request.title, number, request.year, request.genre, "", request.cover, isrc=one.isrc,
            barcode=request.catalog,
        )  # fmt: skip
        write_tags(folder / name, tags, (), pictures)


@dataclass(frozen=True, slots=True)
class _Part:
    """A file to be: which samples of the image it holds."""

    path: Path
    kind: FileKind
    start: int
    end: int
    kbps: int


class _Parts:
    """A writer of several files at once: each takes its part of the image, with the image's own dither."""

    def __init__(self, parts: list[_Part]):
        self._writers = [
            (
                part,
                Writer(
                    part.path, part.kind, rate_hz=DISC_RATE_HZ, channels=2, frames=part.end - part.start, kbps=part.kbps
                ),
            )
            for part in parts
        ]
        self._written = 0

    def write(self, samples: Samples, start_frame: int) -> None:
        """Write float32 (channels, frames) that begin at this sample of the image."""
        end = start_frame + samples.shape[1]
        for part, writer in self._writers:
            low, high = max(part.start, start_frame), min(part.end, end)
            if low < high:
                writer.write(samples[:, low - start_frame : high - start_frame], low)
        self._written = max(self._written, end)

    def close(self) -> None:
        """Fill what a conversion of the rate left open of the last disc frame with silence."""
        longest = max((part.end for part, _ in self._writers), default=0)
        if self._written < longest:
            self.write(np.zeros((2, longest - self._written), np.float32), self._written)

    def __enter__(self) -> _Parts:
        return self

    def __exit__(self, *failed: object) -> None:
        for _, writer in self._writers:
            writer.close()


def start_hearing(library: Library, job_id: str, revision_id: int) -> str:
    """Start listening to every track, and return the task."""
    job = library.job_at(revision_id)
    if not tracks_of(job):
        raise InvalidInput("there are no tracks: make them of the pieces")
    floors = {key: library.source(key).floors.floor.level_db for key in job.sources}
    args = (library.home.root, job, floors)
    row = {"revision": revision_id, "tracks_heard": True}
    return start_task(library, job_id, "check", "listening to the tracks", row, hear_release, args, asdict)


def hear_release(report: Report, work: Path, root: Path, job: Job, floors_db: dict[str, float]) -> ReleaseHeard:
    """Measure every track and the whole, in one pass at the job's rate. Runs in a worker."""
    reader = FileReader(Home(root), {source.id: source.channels for source in job.sources.values()})
    plan, tracks = RenderPlan(job), tracks_of(job)
    whole = LoudnessMeter(job.rate_hz, job.channels)
    meters = [LoudnessMeter(job.rate_hz, job.channels) for _ in tracks]
    last_sound = [track.start for track in tracks]
    end = tracks[-1].end
    for start, samples in plan.blocks(0, end, BLOCK_FRAMES, reader):
        whole.feed(samples)
        for n, track in enumerate(tracks):
            low, high = max(track.start, start), min(track.end, start + samples.shape[1])
            if low >= high:
                continue
            part = samples[:, low - start : high - start]
            meters[n].feed(part)
            heard = np.flatnonzero(np.abs(part).max(axis=0) > _SILENT)
            last_sound[n] = low + int(heard[-1]) + 1 if len(heard) else last_sound[n]
        report(start / max(end, 1), "listening to the tracks")
    rows = []
    for track, meter, last in zip(tracks, meters, last_sound, strict=True):
        measured = meter.result()
        rows.append(
            TrackHeard(
                _lufs(measured),
                round(measured.true_peak_db, 2),
                round((track.end - last) / job.rate_hz, 2),
                _over_floor(job, plan, reader, floors_db, track.end),
                _before_attack(job, reader, floors_db, track),
            )
        )
    reader.close()
    together = whole.result()
    return ReleaseHeard(rows, _lufs(together), round(together.true_peak_db, 2))


def _lufs(measured: Loudness) -> float | None:
    return None if measured.integrated_lufs <= NOTHING_LUFS else round(measured.integrated_lufs, 2)


def _over_floor(job: Job, plan: RenderPlan, reader: FileReader, floors_db: dict[str, float], at: int) -> float:
    """Return how far the 10 ms before a place lie over the loudest floor of the clips there, in dB."""
    window = ms_to_frames(_WINDOW_MS, job.rate_hz)
    there = [c for c in job.clips.values() if start_of(job, c) < at <= end_of(job, c)]
    floor_db = max((floors_db[c.source_id] + c.gain_db + job.lane(c.lane_id).gain_db for c in there), default=0.0)
    return end_over_floor_db(plan.render(at - window, window, reader), floor_db) if there else 0.0


def _before_attack(job: Job, reader: FileReader, floors_db: dict[str, float], track: Track) -> float:
    """Return how far the recording lies over its floor in the 10 ms before a track's first clip begins, in dB."""
    first: Clip | None = min(
        (c for c in job.clips.values() if abs(start_of(job, c) - track.start) <= job.rate_hz // 10),
        key=lambda c: abs(start_of(job, c) - track.start),
        default=None,
    )
    if first is None or first.head_frame == 0:
        return 0.0
    source = job.source(first.source_id)
    window = ms_to_frames(_WINDOW_MS, source.rate_hz)
    samples = reader.read(source.id, source.rate_hz, first.head_frame - window, window)
    return end_over_floor_db(samples, floors_db[source.id])


def _known(library: Library, revision_id: int) -> ReleaseHeard | None:
    """Return what listening found, if that was done and nothing changed since."""
    with library.database.read() as db:
        rows = records.list_tasks(db, jobs.get_revision(db, revision_id).job_id)
    wanted: dict[str, Any] = {"revision": revision_id, "tracks_heard": True}
    found = next((row for row in rows if row.kind == "check" and row.state == "done" and row.request == wanted), None)
    if found is None or found.result is None:
        return None
    result = found.result
    tracks = [TrackHeard(**one) for one in result["tracks"]]
    return ReleaseHeard(tracks, result["integrated_lufs"], result["true_peak_db"])
