"""A folder of mixes in, a release out; and a look at a cue sheet with its image."""

from __future__ import annotations

import re
from collections.abc import Sequence
from dataclasses import dataclass, field
from pathlib import Path
from typing import Any

import numpy as np

from wemble.actions.delivery.release import ReleaseRequest, release_preview, start_release
from wemble.actions.editing.edits import perform
from wemble.actions.importing.import_file import start_import
from wemble.actions.library import Library
from wemble.actions.revisions import create_job, open_job
from wemble.actions.searching import sound_search
from wemble.actions.shell.placing import check_output_folder, move_into, shown_name
from wemble.actions.shell.scratch import scratch_library
from wemble.actions.work.executor import Report
from wemble.actions.work.tasks import wait_for
from wemble.core.check.disc import image_faults, sheet_faults
from wemble.core.deliver.disc import check_ean
from wemble.core.edges.recipe import Recipe, Treatment
from wemble.core.edit.tracks import DISC_FRAMES_A_S, tracks_of
from wemble.errors import InvalidInput
from wemble.formats.cue_sheet import read_cue
from wemble.formats.decode import decoded, probe

_NUMBERED = re.compile(r"^\d{1,3}[\s._-]+")
"""Mixes are numbered so that they lie in order; a title has no number."""
BLOCK_FRAMES = 1 << 16


@dataclass(frozen=True, slots=True)
class ReleaseWanted:
    """What is asked of a release; without a recipe the programme is found as proposed."""

    gap_s: float = 2.0
    recipe: Recipe | None = None
    send: ReleaseRequest = field(default_factory=lambda: ReleaseRequest(files="wav_16"))


@dataclass(frozen=True, slots=True)
class ReleaseMade:
    """The files written, the sentence of what they are, what there is to look at, and which files could not be read."""

    written: tuple[str, ...]
    words: str
    to_look_at: tuple[str, ...]
    failed: tuple[tuple[str, str], ...]


def make_release(report: Report, files: Sequence[Path], to: Path, wanted: ReleaseWanted) -> ReleaseMade:
    """Find the programme of every mix, lay them in the order of the files, and write what is wanted into a folder.

    Raises
    ------
    InvalidInput
        If a file is there already: nothing is written over, and nothing is written then.
    NotAllowed
        If the folder may not be written to.
    """
    check_output_folder(to)
    check_ean(wanted.send.catalog)
    with scratch_library() as library:
        return _made(report, library, files, to, wanted)


def _made(report: Report, library: Library, files: Sequence[Path], to: Path, wanted: ReleaseWanted) -> ReleaseMade:
    job_id = create_job(library, wanted.send.title or to.name or "Release", "release")
    failed = []
    for number, path in enumerate(files):
        report(0.5 * number / len(files), f"importing {shown_name(path)}")
        task = wait_for(library, start_import(library, job_id, path, shown_name(path)), 24 * 3600.0)
        if task.state != "done":
            failed.append((str(path), str((task.error or {}).get("message", task.state))))
    opened = open_job(library, job_id)
    if not opened.job.clips:
        return ReleaseMade((), "nothing", (), tuple(failed))
    report(0.55, "finding")
    recipe = wanted.recipe or sound_search.proposal(library, opened.job, list(opened.job.clips))
    answer = sound_search.apply(library, job_id, opened.revision, [], recipe, Treatment())
    silent = [clip for clip in library.job_at(answer.revision).clips.values() if clip.finding_id is None]
    if silent:
        failed += [(clip.file_name, "there is no sound in it: it is no track") for clip in silent]
        ids = [clip.id for clip in silent]
        answer = perform(library, job_id, answer.revision, "remove_clips", clip_ids=ids, close="no")
    gap = round(wanted.gap_s * opened.job.rate_hz)
    answer = perform(library, job_id, answer.revision, "make_tracks", gap_frames=gap)
    for track in tracks_of(library.job_at(answer.revision)):
        title = _NUMBERED.sub("", track.mark.name) or track.mark.name
        if title != track.mark.name:
            answer = perform(library, job_id, answer.revision, "describe_track", mark_id=track.mark.id, title=title)
    answer = perform(library, job_id, answer.revision, "put_on_disc_frames")
    before = release_preview(library, answer.revision, wanted.send)
    if there := [name for name in before.names if (to / name).exists()]:
        raise InvalidInput(f"“{there[0]}” is already in {to}; choose another --to (nothing was written)")
    report(0.6, "writing")
    task = wait_for(library, start_release(library, job_id, answer.revision, wanted.send), 24 * 3600.0)
    if task.state != "done" or task.result is None:
        raise InvalidInput(str((task.error or {}).get("message", task.state)))
    written: list[str] = task.result["files"]
    move_into(to, written, Path(str(task.result["folder"])))
    clips = library.job_at(answer.revision).clips.values()
    doubts = [
        f"“{clip.name}”: {'; '.join(why for why in (clip.reason, clip.end_reason) if why)}"
        for clip in clips
        if clip.confidence is not None and clip.doubtful
    ]
    report(1.0, "done")
    return ReleaseMade(
        tuple(written), before.words, tuple([fault.text for fault in before.faults] + doubts), tuple(failed)
    )


def check_disc(path: Path) -> dict[str, Any]:
    """Return what is wrong with a cue sheet and its image, by the rules of the disc.

    Raises `InvalidInput` for a cue sheet that cannot be read, naming the line.
    """
    sheet = read_cue(path)
    end, of_image = None, [f"the image “{sheet.file_name}” does not lie beside the cue sheet"]
    beside = Path(sheet.file_name).name == sheet.file_name != ""  # a sheet names a file beside it, and no other
    if beside and (image := path.with_name(sheet.file_name)).is_file():
        of_image, end = _of_image(image)
    faults = [*sheet_faults(sheet, end), *of_image]
    return {
        "file": str(path),
        "tracks": len(sheet.tracks),
        "seconds": None if end is None else round(end / DISC_FRAMES_A_S, 3),
        "faults": faults,
    }


def _of_image(image: Path) -> tuple[list[str], int]:
    """Return what is wrong with an image, and its length in disc frames."""
    found, frames, at_full_scale = probe(image), 0, 0
    for block in decoded(image, found, BLOCK_FRAMES, []):
        frames += len(block)
        at_full_scale += int(np.count_nonzero(np.abs(block) >= 1.0))
    faults = image_faults(found.rate_hz, found.channels, frames, at_full_scale)
    return faults, frames * DISC_FRAMES_A_S // found.rate_hz
