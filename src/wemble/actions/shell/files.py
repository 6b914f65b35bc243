"""What the shell does with whole files: measure their loudness, check them, clean them."""

from __future__ import annotations

from dataclasses import asdict
from pathlib import Path
from typing import Any, cast

from wemble.actions.delivery.export import export_files
from wemble.actions.delivery.preview import file_names
from wemble.actions.delivery.request import Request
from wemble.actions.searching.sound_search import as_sounds
from wemble.actions.shell.opening import Opened, found_in, opened_file, unheard
from wemble.actions.shell.placing import check_output_folder, move_into, shown_name
from wemble.actions.sources.decode import display_name
from wemble.actions.work.executor import Report, part_of
from wemble.actions.work.tasks import EXPORT
from wemble.core.check.edges import Edge, automatic_fades, edge_verdicts
from wemble.core.deliver.kinds import FileKind
from wemble.core.deliver.words import files_to_send
from wemble.core.edges.recipe import Recipe, Treatment
from wemble.core.edges.search import propose
from wemble.core.edit.clips import add_source
from wemble.core.edit.model import Job, SourceUse
from wemble.core.edit.treatment import apply_treatment
from wemble.core.signal.loudness import NOTHING_LUFS, LoudnessMeter
from wemble.errors import InvalidInput

_METERED_FRAMES = 1 << 18


def measure_loudness(path: Path, report: Report = unheard) -> dict[str, Any]:
    """Return the loudness of a file, of what speaks in it, and its peaks; none where nothing passes the gates."""
    with opened_file(path, part_of(report, 0.0, 0.5)) as opened:
        source = opened.source
        meter = LoudnessMeter(source.rate_hz, source.channels)
        for at in range(0, source.frames, _METERED_FRAMES):
            meter.feed(opened.read(at, min(_METERED_FRAMES, source.frames - at)))
            report(0.5 + 0.4 * at / source.frames, "measuring loudness")
        measured = meter.result()
        sounds = found_in(opened, propose(source.floors.floor)).sounds

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


def check_file(path: Path) -> dict[str, Any]:
    """Return the verdicts of a file's own head and tail; beyond them there is nothing."""
    with opened_file(path) as opened:
        source = opened.source
        found = found_in(opened, propose(source.floors.floor))
        first = int(found.sounds[0, 0]) if len(found.sounds) else None
        last = int(found.sounds[-1, 1]) if len(found.sounds) else None
        edges = (
            Edge("head", 0, first, None, False, source.frames, 0),
            Edge("tail", source.frames, last, None, False, source.frames, 0),
        )
        verdicts = [
            asdict(verdict)
            for edge in edges
            for verdict in edge_verdicts(opened.read, edge, rate_hz=source.rate_hz, floors=source.floors.at(edge.frame))
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
        export_files(
            lambda part, doing: report(0.4 + 0.6 * part, doing),
            opened.home.scratch,
            opened.home.root,
            job,
            request,
            to_write,
        )
        move_into(folder, to_write, opened.home.scratch / EXPORT)
        return to_write


def _treated(opened: Opened, path: Path, recipe: Recipe) -> Job:
    row = opened.source
    use = SourceUse(row.id, display_name(shown_name(path)), row.rate_hz, row.channels, row.frames)
    job = add_source(Job(use.name), use).job
    sounds = as_sounds(found_in(opened, recipe), row.floors.floor, recipe)
    fade_for = automatic_fades(opened.read, recipe, rate_hz=row.rate_hz)
    return apply_treatment(job, next(iter(job.clips)), sounds, recipe, Treatment(), fade_for=fade_for).job
