"""Sending a kit: one-shots at their own rate, depth and channels, a map of keys and strengths, and a report of every file."""

from __future__ import annotations

import csv
import json
from collections.abc import Sequence
from dataclasses import dataclass
from fractions import Fraction
from pathlib import Path
from typing import TypeVar

from wemble.actions.delivery.request import Request
from wemble.actions.delivery.sink import Sink
from wemble.actions.library import Library
from wemble.actions.searching.hit_search import strength_order
from wemble.actions.work.executor import Report
from wemble.core.briefs import record
from wemble.core.deliver.cells import plain
from wemble.core.deliver.kinds import FileKind
from wemble.core.deliver.names import Name, names, rate_field, told_apart
from wemble.core.deliver.shots import (
    KeyPlace,
    alone,
    joined,
    key_places,
    shared_keys,
    shot_fields,
    shot_loops,
    shots,
)
from wemble.core.edit.model import Clip, Job
from wemble.core.kit.strikes import missing_from, note_name
from wemble.core.render import RenderPlan
from wemble.core.signal.levels import to_db
from wemble.formats.encode import KINDS, rate_for
from wemble.formats.points import Point, append_points
from wemble.formats.sfz import Region, write_sfz
from wemble.store.files import FileReader, Home

BLOCK_FRAMES = 1 << 16
MISSING = "missing from the grid"
MAP_NAME, REPORT_NAMES = "kit.sfz", ("report.csv", "report.json")


@dataclass(frozen=True, slots=True)
class Shot:
    """One file to be: its clip, its kind, its name, what the report says of where it came from, and its place on a map."""

    clip: Clip
    kind: FileKind
    rate_hz: int
    name: str
    source_sha256: str
    place: KeyPlace


def kind_of_source(described: str) -> FileKind:
    """Return the kind of file that keeps a source's own depth: what libsndfile says of it, or 24 bits where that is coded.

    Examples
    --------
    >>> kind_of_source("WAV PCM_16"), kind_of_source("FLAC PCM_24"), kind_of_source("WAV FLOAT"), kind_of_source("MP3 MPEG")
    ('wav_16', 'flac_24', 'wav_float', 'wav_24')
    """
    container = "flac" if described.startswith("FLAC") else "wav"
    if "FLOAT" in described or "DOUBLE" in described or "PCM_32" in described:
        return "wav_float"
    if described.endswith(("PCM_16", "PCM_S8", "PCM_U8")):
        return "flac_16" if container == "flac" else "wav_16"
    return "flac_24" if container == "flac" else "wav_24"


Value = TypeVar("Value", str, str | int)


def _no_opcode(value: Value) -> Value:
    """Return a part of a name in which no reader of a map sees an opcode."""
    return value.replace("=", "-") if isinstance(value, str) else value


@dataclass(frozen=True, slots=True)
class Placed:
    """Where the map of a kit puts a clip, and what its key is called."""

    clip_id: str
    note: str
    place: KeyPlace


def map_of(library: Library, revision_id: int) -> list[Placed]:
    """Return the place of every one-shot in the map that would be sent, by key, from soft to hard, in turn."""
    job = library.job_at(revision_id)
    order = strength_order(library, job).order
    places = key_places(shots(job, order), order)
    in_order = sorted(places.items(), key=lambda item: (item[1].key, item[1].low_strength, item[1].turn))
    return [Placed(clip_id, note_name(place.key), place) for clip_id, place in in_order]


def shots_to_send(library: Library, job: Job, asked: Request) -> tuple[list[Shot], str, list[Name]]:
    """Return every one-shot to be, the pattern of the names, and each name. Raises `InvalidInput` for a wrong pattern."""
    wanted = set(asked.clip_ids)
    order = strength_order(library, job).order
    clips = [c for c in shots(job, order) if not wanted or wanted.intersection(part.id for part in joined(job, c))]
    kinds = [
        kind_of_source(library.source(clip.source_id).kind) if asked.kind == "as_source" else asked.kind
        for clip in clips
    ]
    own = [job.source(clip.source_id).rate_hz for clip in clips]
    rates = [rate_for(kind, asked.rate_hz or rate) for kind, rate in zip(kinds, own, strict=True)]
    rows: list[dict[str, str | int]] = [
        {field: _no_opcode(value) for field, value in {**row, "rate": rate_field(rate)}.items()}
        for row, rate in zip(shot_fields(job, clips), rates, strict=True)
    ]
    endings = [KINDS[one].ending for one in kinds]
    pattern = _no_opcode(asked.pattern) or told_apart(record(job.brief).send.patterns["one_shots"], rows)
    named = names(pattern, rows, endings, replace_this=asked.replace_this, replace_by=_no_opcode(asked.replace_by))
    places = key_places(clips, order)
    made = [
        Shot(clip, kind, rate, name.name, library.source(clip.source_id).file_sha256, places[clip.id])
        for clip, kind, rate, name in zip(clips, kinds, rates, named, strict=True)
    ]
    return made, pattern, named


def export_shots(
    report: Report, home: Home, folder: Path, job: Job, to_write: Sequence[Shot], asked: Request
) -> tuple[list[str], float, int]:
    """Write every one-shot, the map and the report into a folder; return the names, the peak, and samples over."""
    reader = FileReader(home, {source.id: source.channels for source in job.sources.values()})
    whole = asked.with_map == "offset"
    rows, files, highest, over = [], [], 0.0, 0
    for number, shot in enumerate(to_write):
        single = alone(job, shot.clip, whole=whole)
        peak, above = _write(folder / shot.name, single, shot, asked, reader)
        highest, over = max(highest, peak), over + above
        rows.append(_report_row(job, shot, peak, whole))
        files.append(shot.name)
        report(0.95 * (number + 1) / len(to_write), f"writing {shot.name}")
    if asked.with_map != "none":
        regions = [_region(job, shot, whole) for shot in to_write]
        (folder / MAP_NAME).write_text(write_sfz(regions, title=job.name), encoding="utf-8")
        files.append(MAP_NAME)
    if not asked.clip_ids:
        rows += [{**dict.fromkeys(rows[0]), "source": lacking, "reason": MISSING} for lacking in lacks(job)]
    _write_report(folder, rows)
    return [*files, *REPORT_NAMES], highest, over


def lacks(job: Job) -> tuple[str, ...]:
    """Return what a kit lacks, by what the names of its files said: strengths, microphones."""
    return missing_from([clip.strike for clip in shots(job) if clip.strike])


def on_one_key(job: Job) -> list[str]:
    """Say which different things a map would play in turn, as they have one note."""
    return [
        f"{' and '.join(f'“{name}”' for name in names)} have one note, {note_name(key)}: the map plays them in turn"
        for key, names in shared_keys(shots(job))
    ]


def _write(path: Path, single: Job, shot: Shot, asked: Request, reader: FileReader) -> tuple[float, int]:
    plan = RenderPlan(single)
    path.parent.mkdir(parents=True, exist_ok=True)
    with Sink(
        path, shot.kind, from_hz=single.rate_hz, to_hz=shot.rate_hz, channels=asked.channels or single.channels,
        frames=plan.end_frame, kbps=asked.kbps,
    ) as sink:  # fmt: skip
        for start, samples in plan.blocks(0, plan.end_frame, BLOCK_FRAMES, reader):
            sink.write(samples, start)
    if KINDS[shot.kind].format == "WAV":
        append_points(path, [Point(a, "Loop", b) for a, b in _loops(single, shot)], rate_hz=shot.rate_hz)
    return sink.peak, sink.over


def _loops(single: Job, shot: Shot) -> list[tuple[int, int]]:
    """Return the loops of a lone shot, in frames of the file to be."""
    return [(_in_file(a, single.rate_hz, shot), _in_file(b, single.rate_hz, shot)) for a, b in shot_loops(single)]


def _in_file(frame: int, rate_hz: int, shot: Shot) -> int:
    return round(Fraction(frame * shot.rate_hz, rate_hz))


def _region(job: Job, shot: Shot, whole: bool) -> Region:
    place = shot.place
    single = alone(job, shot.clip, whole=whole)
    loops = _loops(single, shot)
    kept_whole = whole and len(joined(job, shot.clip)) == 1
    head, tail = (_in_file(at, single.rate_hz, shot) for at in (shot.clip.head_frame, shot.clip.tail_frame))
    start, end = (head, tail) if kept_whole else (0, None)
    loop = loops[0] if loops else None
    return Region(
        shot.name, place.key, place.low_strength, place.high_strength, place.mic, start, end, loop, place.turn, place.turns
    )  # fmt: skip


def _report_row(job: Job, shot: Shot, peak: float, whole: bool) -> dict[str, str | int | float | None]:
    clip = shot.clip
    source = job.source(clip.source_id)
    loop = _loops(alone(job, clip, whole=whole), shot)
    return {
        "file": shot.name,
        "source": clip.file_name or source.name,
        "source_sha256": shot.source_sha256,
        "sample_rate_hz": source.rate_hz,
        "file_rate_hz": shot.rate_hz,
        "head_frame": clip.head_frame,
        "tail_frame": clip.tail_frame,
        "onset_frame": clip.sound_start_frame,
        "air_removed_ms": round(clip.head_frame * 1000.0 / source.rate_hz, 3),
        "tail_removed_ms": round((source.frames - clip.tail_frame) * 1000.0 / source.rate_hz, 3),
        "gain_db": round(clip.gain_db, 3),
        "peak_db": round(float(to_db(peak)), 2),
        "softened_ms": round(clip.fade_out.length_frames * 1000.0 / source.rate_hz, 3) if clip.fade_out else 0.0,
        "loop_start_frame": loop[0][0] if loop else None,
        "loop_end_frame": loop[0][1] if loop else None,
        "confidence": clip.confidence,
        "reason": clip.reason,
        "end_confidence": clip.end_confidence,
        "end_reason": clip.end_reason,
        "mic_set": clip.set_id,
    }


def _write_report(folder: Path, rows: list[dict[str, str | int | float | None]]) -> None:
    with (folder / REPORT_NAMES[0]).open("w", newline="", encoding="utf-8") as file:
        writer = csv.DictWriter(file, list(rows[0]) if rows else [])
        writer.writeheader()
        writer.writerows({name: plain(value) for name, value in row.items()} for row in rows)
    (folder / REPORT_NAMES[1]).write_text(json.dumps(rows, indent=1, ensure_ascii=False), encoding="utf-8")
