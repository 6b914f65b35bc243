"""A kit from the shell: a folder of rough files in, one-shots, map and report out, by the same actions as in the browser."""

from __future__ import annotations

import re
from collections.abc import Sequence
from dataclasses import dataclass, field
from pathlib import Path

from wemble.actions.delivery.export import start_export
from wemble.actions.delivery.preview import preview
from wemble.actions.delivery.request import Request
from wemble.actions.editing.edits import perform
from wemble.actions.importing.import_file import start_import
from wemble.actions.library import Library
from wemble.actions.revisions import create_job, open_job
from wemble.actions.searching import hit_search
from wemble.actions.shell.placing import check_output_folder, move_into, shown_name
from wemble.actions.shell.scratch import scratch_library
from wemble.actions.work.executor import Report
from wemble.actions.work.tasks import wait_for
from wemble.core.edges.recipe import HitRecipe
from wemble.errors import InvalidInput
from wemble.formats.decode import ENDINGS


@dataclass(frozen=True, slots=True)
class KitWanted:
    """What is asked of a kit; without a pattern the one that most names follow is taken."""

    pattern: str | None = None
    recipe: HitRecipe = field(default_factory=HitRecipe)
    ceiling_db: float | None = -1.0
    soften_ms: float = 0.0
    send: Request = field(
        default_factory=lambda: Request(kind="as_source", what="one_shots", pattern="{clip}", with_map="cut")
    )


@dataclass(frozen=True, slots=True)
class KitMade:
    """What came of it: files written, files that failed with the reason, what the edits had to say, hits to look at."""

    written: tuple[str, ...]
    failed: tuple[tuple[str, str], ...]
    notes: tuple[str, ...]
    missing: tuple[str, ...]
    doubtful: int


def audio_files(folder: Path) -> list[Path]:
    """Return the audio files of a folder and those below it, in the order a person counts. Raises `InvalidInput` if there are none."""
    if not folder.is_dir():
        raise InvalidInput(f"there is no folder {folder}")
    found = [path for path in folder.rglob("*") if path.suffix.lower() in ENDINGS and path.is_file()]
    if not found:
        raise InvalidInput(f"there are no audio files in {folder}; Wemble takes {', '.join(ENDINGS)}")
    return sorted(found, key=lambda path: [_as_counted(part) for part in path.parts])


def _as_counted(name: str) -> list[tuple[bool, int, str]]:
    """Return a key that puts "snare 2" before "snare 10"."""
    return [(not part.isdecimal(), int(part) if part.isdecimal() else 0, part) for part in re.split(r"(\d+)", name)]


def make_kit(report: Report, files: Sequence[Path], to: Path, wanted: KitWanted) -> KitMade:
    """Bring files in, read their names, find, cut, turn down and write them, with a library that is gone afterwards.

    Raises
    ------
    InvalidInput
        If names collide, or a file is there already: nothing is written over, and nothing is written then.
    NotAllowed
        If the folder may not be written to.
    """
    check_output_folder(to)
    with scratch_library() as library:
        return _made(report, library, files, to, wanted)


def _made(report: Report, library: Library, files: Sequence[Path], to: Path, wanted: KitWanted) -> KitMade:
    job_id = create_job(library, to.name or "Kit", "drums")
    tasks = [(path, start_import(library, job_id, path, shown_name(path))) for path in files]
    failed = []
    for number, (path, task_id) in enumerate(tasks):
        report(0.6 * number / len(tasks), f"importing {shown_name(path)}")
        task = wait_for(library, task_id)
        if task.state != "done":
            failed.append((str(path), str((task.error or {}).get("message", task.state))))
    revision = open_job(library, job_id).revision
    if not library.job_at(revision).clips:
        return KitMade((), tuple(failed), (), (), 0)
    notes: list[str] = []
    names = hit_search.read_names(library, revision, wanted.pattern)
    if names.read:
        revision = perform(library, job_id, revision, "read_names", pattern=names.pattern).revision
    report(0.65, "finding")
    answer = hit_search.apply_hits(library, job_id, revision, [], wanted.recipe)
    notes += answer.notes
    clip_ids = list(library.job_at(answer.revision).clips)
    if wanted.ceiling_db is not None:
        answer = perform(library, job_id, answer.revision, "turn_down", clip_ids=clip_ids, ceiling_db=wanted.ceiling_db)
        notes += answer.notes
    if wanted.soften_ms:
        answer = perform(library, job_id, answer.revision, "soften", clip_ids=clip_ids, milliseconds=wanted.soften_ms)
        notes += answer.notes
    report(0.75, "writing")
    clips = library.job_at(answer.revision).clips.values()
    doubtful = len({clip.set_id or clip.id for clip in clips if clip.doubtful})
    written = _sent(library, job_id, answer.revision, wanted.send, to)
    report(1.0, "done")
    return KitMade(tuple(written), tuple(failed), tuple(notes), names.grid.missing, doubtful)


def _sent(library: Library, job_id: str, revision: int, send: Request, to: Path) -> list[str]:
    planned = [name.name for name in preview(library, revision, send).names]
    if there := [name for name in planned if (to / name).exists()]:
        raise InvalidInput(f"“{there[0]}” is already in {to}; choose another --to or --name (nothing was written)")
    task = wait_for(library, start_export(library, job_id, revision, send))
    if task.state != "done" or task.result is None:
        raise InvalidInput(str((task.error or {}).get("message", task.state)))
    written: list[str] = task.result["files"]
    move_into(to, written, Path(str(task.result["folder"])))
    return written
