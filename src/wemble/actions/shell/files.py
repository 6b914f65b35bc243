"""What the shell does with files, in a scratch folder of its own and without a library."""

from __future__ import annotations

import tempfile
from collections.abc import Iterator, Sequence
from contextlib import ExitStack, contextmanager
from dataclasses import asdict, dataclass
from fractions import Fraction
from functools import partial
from pathlib import Path
from typing import Any, cast

from wemble.actions.delivery.export import export_files
from wemble.actions.delivery.preview import file_names
from wemble.actions.delivery.request import Request
from wemble.actions.importing.import_file import display_name, import_file
from wemble.actions.library import measured_source
from wemble.actions.searching.sound_search import as_sounds
from wemble.actions.shell.placing import check_output_folder, move_into, shown_name
from wemble.actions.work.executor import Report, part_of
from wemble.core.check.edges import Edge, automatic_fades, edge_verdicts
from wemble.core.deliver.kinds import FileKind
from wemble.core.deliver.words import files_to_send
from wemble.core.edges.hit_doubts import is_coded
from wemble.core.edges.hits import find_hits, measure_take
from wemble.core.edges.onset import Hit, find_hit
from wemble.core.edges.programme import find_programme
from wemble.core.edges.recipe import HitRecipe, Recipe, Treatment
from wemble.core.edges.refine import Read
from wemble.core.edges.search import Measured, as_found, find, propose
from wemble.core.edges.silence import Found
from wemble.core.edit.clips import add_source
from wemble.core.edit.model import Job, SourceUse
from wemble.core.edit.treatment import apply_treatment
from wemble.core.kit.mic_set import Heard, find_in_set
from wemble.core.kit.strikes import read_name
from wemble.core.shape.seams import Bars, find_seams
from wemble.core.signal.levels import Samples
from wemble.core.signal.loudness import NOTHING_LUFS, LoudnessMeter
from wemble.errors import InvalidInput
from wemble.store.files import FileReader, Home
from wemble.store.records import SourceRow

_METERED_FRAMES = 1 << 18


@dataclass(frozen=True, slots=True)
class Opened:
    """A file, decoded and measured in a scratch folder of its own."""

    home: Home
    source: SourceRow
    reader: FileReader
    read: Read
    measured: Measured


def _unheard(part: float, doing: str) -> None:
    """Report to nobody."""


@contextmanager
def opened_file(path: Path, report: Report = _unheard, *, rate_hz: int = 0) -> Iterator[Opened]:
    """Decode a file into a scratch folder and measure it, with a copy at another rate if one is named.

    Raises what importing raises.
    """
    if not path.is_file():
        raise InvalidInput("there is no such file")
    with tempfile.TemporaryDirectory(prefix="wemble-") as scratch:
        home = Home(Path(scratch))
        # Linked and not copied: the scratch folder is gone before anybody could write to the file.
        name = shown_name(path)
        row = import_file(report, home.scratch, home.root, path, name, rate_hz, owned=True, identify=False).source
        reader = FileReader(home, {row.id: row.channels})
        yield Opened(home, row, reader, partial(reader.read, row.id, row.rate_hz), measured_source(home, row))
        reader.close()


def find_sound(path: Path, recipe: Recipe | None, report: Report = _unheard) -> dict[str, Any]:
    """Return what is found in a file, in its own frames: spans with rooms, sounds without."""
    with opened_file(path, report) as opened:
        settings = recipe or propose(opened.source.floors.floor)
        found = _find(opened, settings)
        floor = opened.source.floors.floor
        return {
            "file": str(path),
            "sample_rate_hz": opened.source.rate_hz,
            "frames": opened.source.frames,
            "spans": found.spans.tolist(),
            "sounds": found.sounds.tolist(),
            "floor_db": round(floor.level_db, 2),
            "threshold_db": round(settings.threshold_dbfs(floor_db=floor.level_db, peak_db=floor.peak_db), 2),
        }


def find_whole(path: Path, recipe: Recipe | None, report: Report = _unheard) -> dict[str, Any]:
    """Return the programme of a file, without rooms, in its own frames; none where nothing stands out of the floor.

    With a recipe also the span that it keeps, rooms included.
    """
    with opened_file(path, report) as opened:
        found = find_programme(opened.read, opened.measured.envelope)
        if found is None:
            raise InvalidInput("nothing in this file stands out of its floor; there is no programme to find")
        source = opened.source
        row = {
            "file": str(path),
            "sample_rate_hz": source.rate_hz,
            "frames": source.frames,
            "start_frame": found.start_frame,
            "end_frame": found.end_frame,
            "floor_db": found.floor_db,
            "start_confidence": found.start_confidence,
            "end_confidence": found.end_confidence,
            "reason": "; ".join(reason for reason in (found.start_reason, found.end_reason) if reason),
        }
        if recipe is not None:
            kept = as_found(found, recipe, rate_hz=source.rate_hz, head_frame=0, tail_frame=source.frames)
            row["span"] = kept.spans[0].tolist()
        return row


def measure_loudness(path: Path, report: Report = _unheard) -> dict[str, Any]:
    """Return the loudness of a file, of what speaks in it, and its peaks; none where nothing passes the gates."""
    with opened_file(path, part_of(report, 0.0, 0.5)) as opened:
        source = opened.source
        meter = LoudnessMeter(source.rate_hz, source.channels)
        for at in range(0, source.frames, _METERED_FRAMES):
            meter.feed(opened.read(at, min(_METERED_FRAMES, source.frames - at)))
            report(0.5 + 0.4 * at / source.frames, "measuring loudness")
        measured = meter.result()
        sounds = _find(opened, propose(source.floors.floor)).sounds

    def said(lufs: float) -> float | None:
        return None if lufs <= NOTHING_LUFS else round(lufs, 2)

    return {
        "file": str(path),
        "integrated_lufs": said(measured.integrated_lufs),
        "range_lu": round(measured.range_lu, 2),
        "true_peak_dbtp": said(measured.true_peak_db),
        "sample_peak_db": said(measured.sample_peak_db),
        "speech_lufs": said(measured.of_spans(sounds, source.rate_hz)),
    }


def find_onset(path: Path, recipe: HitRecipe | None = None) -> dict[str, Any]:
    """Return where a one-shot speaks and is over, in its own frames, with the confidence and its reason."""
    with opened_file(path) as opened:
        source = opened.source
        hit = find_hit(
            opened.read(0, source.frames), source.rate_hz, recipe or HitRecipe(), coded=is_coded(source.kind)
        )
        return _hit_row(path, source, hit)


def find_onsets_of_sets(paths: Sequence[Path], pattern: str, recipe: HitRecipe | None = None) -> list[dict[str, Any]]:
    """Return the same for files that are microphones of shared hits: one onset and one end a set, by the file's name.

    Raises
    ------
    InvalidInput
        If the pattern is wrong, or what sets two files apart cannot be explained.
    """
    rows: dict[Path, dict[str, Any]] = {}
    sets: dict[str, list[Path]] = {}
    for path in paths:
        strike = read_name(display_name(shown_name(path)), pattern)
        sets.setdefault(path.stem if strike is None else repr(strike.hit), []).append(path)
    for members in sets.values():
        with ExitStack() as stack:
            opened = [stack.enter_context(opened_file(path)) for path in members]
            heard = [Heard(o.read(0, o.source.frames), o.source.rate_hz, coded=is_coded(o.source.kind)) for o in opened]
            found = find_in_set(heard, recipe or HitRecipe())
            for path, one, hit, lag in zip(members, opened, found.hits, found.lags_s, strict=True):
                row = _hit_row(path, one.source, hit)
                rows[path] = row | {"lag_s": round(lag, 7), "decided_by": str(members[found.decided_by])}
    return [rows[path] for path in paths]


def find_all_hits(path: Path, recipe: HitRecipe | None = None, report: Report = _unheard) -> dict[str, Any]:
    """Return every hit of a take, in its own frames."""
    with opened_file(path, part_of(report, 0.0, 0.5)) as opened:
        source, read = opened.source, opened.read

        def reported(start: int, frames: int) -> Samples:
            report(0.5 + 0.45 * min(max(start, 0) / source.frames, 1.0), "finding")
            return read(start, frames)

        take = measure_take(reported, source.frames, source.rate_hz, coded=is_coded(source.kind))
        found = find_hits(take, recipe or HitRecipe(many=True))
        return {"file": str(path), "sample_rate_hz": source.rate_hz, "hits": [asdict(hit) for hit in found.hits]}


def find_loops(
    path: Path, near: tuple[int, int] | None, bpm: Fraction | None = None, count: int | None = None
) -> dict[str, Any]:
    """Return the candidates for a seamless loop, the best first, in the file's own frames; at a tempo of whole bars."""
    with opened_file(path) as opened:
        source = opened.source
        bars = None if bpm is None else Bars.at(bpm, source.rate_hz, count=count)
        candidates = find_seams(opened.read(0, source.frames), source.rate_hz, near=near, bars=bars)
        rows = [
            {
                "start_frame": seam.start_frame,
                "end_frame": seam.end_frame,
                "crossfade_frames": seam.crossfade_frames,
                "score": round(seam.score, 3),
            }
            for seam in candidates
        ]
        return {"file": str(path), "sample_rate_hz": source.rate_hz, "loops": rows}


def _hit_row(path: Path, source: SourceRow, hit: Hit) -> dict[str, Any]:
    return {
        "file": str(path),
        "sample_rate_hz": source.rate_hz,
        "onset_frame": hit.onset_frame,
        "end_frame": hit.end_frame,
        "confidence": round(hit.confidence, 2),
        "reason": hit.reason,
        "end_confidence": round(hit.end_confidence, 2),
        "end_reason": hit.end_reason,
    }


def check_file(path: Path) -> dict[str, Any]:
    """Return the verdicts of a file's own head and tail; beyond them there is nothing."""
    with opened_file(path) as opened:
        source = opened.source
        found = _find(opened, propose(source.floors.floor))
        first = int(found.sounds[0, 0]) if len(found.sounds) else None
        last = int(found.sounds[-1, 1]) if len(found.sounds) else None
        edges = (
            Edge("head", 0, first, None, False, source.frames, 0),
            Edge("tail", source.frames, last, None, False, source.frames, 0),
        )
        verdicts = [
            asdict(verdict)
            for edge in edges
            for verdict in edge_verdicts(opened.read, edge, rate_hz=source.rate_hz, floors=source.floors.bands)
        ]
        return {
            "file": str(path),
            "sample_rate_hz": source.rate_hz,
            "frames": source.frames,
            "notes": list(source.notes),
            "verdicts": verdicts,
        }


def clean_request(kind: str, whole: bool, pattern: str | None) -> Request:
    """Return a request to send as the shell asks for it."""
    default = "{source} clean" if whole else "{source} {number:2}"
    return Request(kind=cast(FileKind, kind), what="one" if whole else "each_clip", pattern=pattern or default)


def clean(report: Report, path: Path, recipe: Recipe | None, folder: Path, request: Request) -> list[str]:
    """Find, shape and write one file; return the names of what was written.

    Raises
    ------
    InvalidInput
        If nothing is found, or a name is there already: nothing is written over.
    NotAllowed
        If the folder may not be written to.
    """
    check_output_folder(folder)
    with opened_file(path, lambda part, doing: report(0.4 * part, doing)) as opened:
        settings = recipe or propose(opened.source.floors.floor)
        job = _treated(opened, path, settings)
        pieces = files_to_send(job, "each_clip" if request.what == "one_shots" else request.what)
        _, made = file_names(job, pieces, request)
        if taken := [name.name for name in made if name.collides or (folder / name.name).exists()]:
            raise InvalidInput(
                f"“{taken[0]}” is already there, or occurs twice in this batch; choose another --pattern or --to"
            )
        to_write = [name.name for name in made]
        sent = export_files(
            lambda part, doing: report(0.4 + 0.6 * part, doing),
            opened.home.scratch,
            opened.home.root,
            job,
            request,
            to_write,
        )
        move_into(folder, to_write, opened.home.exports / sent.folder_name)
        return to_write


def _find(opened: Opened, recipe: Recipe) -> Found:
    return find(opened.read, opened.measured, recipe, head_frame=0, tail_frame=opened.source.frames)


def _treated(opened: Opened, path: Path, recipe: Recipe) -> Job:
    row = opened.source
    use = SourceUse(row.id, display_name(shown_name(path)), row.rate_hz, row.channels, row.frames)
    job = add_source(Job(use.name), use).job
    sounds = as_sounds(_find(opened, recipe), row.floors.floor, recipe)
    fade_for = automatic_fades(opened.read, recipe, rate_hz=row.rate_hz)
    return apply_treatment(job, next(iter(job.clips)), sounds, recipe, Treatment(), fade_for=fade_for).job
