"""What changes files and rows together is stopped at every step in turn: the next start finds all of it or nothing."""

from __future__ import annotations

import shutil
from collections.abc import Callable
from dataclasses import dataclass
from pathlib import Path

import numpy as np
import pytest
import soundfile
from tests.conftest import RATE, phrases
from tests.pictures import png_of
from tests.stopping import opened, stopped_at_each_step

from wemble.actions import artwork, job_settings, removal, saved_jobs, uploads
from wemble.actions.delivery import export
from wemble.actions.delivery.request import Request
from wemble.actions.editing.edits import perform
from wemble.actions.importing.import_file import start_import
from wemble.actions.lanes.mixdown import MixSettings, start_mixdown
from wemble.actions.library import Library
from wemble.actions.revisions import create_job, open_job
from wemble.actions.searching import sound_search
from wemble.actions.show.pitch import start_shifting
from wemble.actions.work.tasks import wait_for
from wemble.core.edges.recipe import Recipe
from wemble.core.edit.treatment import Treatment
from wemble.store import health, jobs, records


@dataclass(frozen=True)
class Stage:
    """A data folder with something of everything in it, and the names of what is in it."""

    home: Path
    talk: str
    show: str
    binned: str
    upload: str
    archive: Path


@pytest.fixture(scope="module")
def stage(tmp_path_factory: pytest.TempPathFactory) -> Stage:
    folder = tmp_path_factory.mktemp("stage")
    for name, seed in (("take", 1), ("gone", 2), ("offset", 3)):
        soundfile.write(folder / f"{name}.wav", phrases(4.0, seed=seed) + 0.01 * (seed == 3), RATE)
    library = opened(folder / "home")
    talk, show, binned = (
        create_job(library, name, brief)
        for name, brief in (("talk", "voiceover"), ("show", "show"), ("binned", "voiceover"))
    )
    bring_in(library, talk, folder / "take.wav")
    bring_in(library, show, folder / "offset.wav")
    for name in ("take", "gone"):
        bring_in(library, binned, folder / f"{name}.wav")
    picture = artwork.keep_picture(library, png_of(8, 8)).name
    job_settings.keep(library, binned, "send", {"tags": {"cover": picture}})
    sent = done(library, export.start_export(library, binned, revision_of(library, binned), Request()))
    saved = done(library, saved_jobs.start_save(library, binned, revision_of(library, binned)))
    archive = folder / "saved.wemble.zip"
    shutil.copyfile(library.home.exports / str(saved["folder_name"]) / saved["files"][0], archive)
    half = uploads.begin_upload(library, binned, "half.wav", 100)
    uploads.add_part(library, half.id, 0, b"x" * 50)
    assert sent and revision_of(library, talk)
    soundfile.write(folder / "fresh.wav", phrases(4.0, seed=4), RATE)
    data = (folder / "fresh.wav").read_bytes()
    whole = uploads.begin_upload(library, talk, "fresh.wav", len(data))
    uploads.add_part(library, whole.id, 0, data)
    removal.remove_job(library, binned)
    library.close()
    return Stage(folder / "home", talk, show, binned, whole.id, archive)


def bring_in(library: Library, job_id: str, path: Path) -> None:
    done(library, start_import(library, job_id, path, path.name))


def done(library: Library, task_id: str) -> dict[str, object]:
    task = wait_for(library, task_id)
    assert task.state == "done" and task.result is not None, task
    return task.result


def revision_of(library: Library, job_id: str) -> int:
    return open_job(library, job_id).revision


def filled_with_tone(library: Library, stage: Stage) -> None:
    recipe = Recipe()
    sound_search.apply(library, stage.talk, revision_of(library, stage.talk), [], recipe, Treatment("room_tone"))


def shifted(library: Library, stage: Stage) -> None:
    revision = revision_of(library, stage.show)
    (cue,) = library.job_at(revision).cues
    done(library, start_shifting(library, stage.show, revision, cue, 0, 3.0))


def in_talk(start: Callable[..., str], *args: object) -> Callable[[Library, Stage], object]:
    return lambda library, stage: done(library, start(library, stage.talk, revision_of(library, stage.talk), *args))


def opened_elsewhere(library: Library, stage: Stage) -> None:
    done(library, saved_jobs.start_open(library, create_job(library, "new"), stage.archive, "saved", upload_id=None))


def without_offset(library: Library, stage: Stage) -> None:
    perform(library, stage.show, revision_of(library, stage.show), "take_out_offset", clip_ids=[])


ACTS: dict[str, Callable[[Library, Stage], object]] = {
    "the bin emptied": lambda library, stage: removal.empty_bin(library),
    "an upload imported": lambda library, stage: done(library, uploads.finish_upload(library, stage.upload)),
    "files sent": in_talk(export.start_export, Request("flac_24")),
    "a job saved": in_talk(saved_jobs.start_save),
    "a saved job opened": opened_elsewhere,
    "a picture kept": lambda library, stage: artwork.keep_picture(library, png_of(9, 9)),
    "a mixdown": in_talk(start_mixdown, MixSettings()),
    "room tone": filled_with_tone,
    "an offset taken out": without_offset,
    "a pitch shifted": shifted,
}


@pytest.mark.parametrize("name", ACTS)
def test_all_of_it_or_nothing(name: str, stage: Stage, tmp_path: Path, monkeypatch: pytest.MonkeyPatch) -> None:
    monkeypatch.setattr(removal, "YOUNG_S", -1.0)
    steps, before = 0, None
    for step, home in stopped_at_each_step(stage.home, lambda library: ACTS[name](library, stage), tmp_path):
        library = opened(home)
        try:
            found = looked_over(library, stage)
        finally:
            library.close()
        before = found if before is None else before
        steps = step
    assert steps > 3 and found != before  # stopped first it did nothing, and in the end it did what it does


def looked_over(library: Library, stage: Stage) -> tuple[object, ...]:
    """Check that files are what the rows say, no more and no less, and return what there is."""
    home = library.home
    assert not health.database_problems(library.database)
    assert not list(health.source_problems(library.database, home, check_hashes=True))
    assert [one.path for one in health.orphans(library.database, home) if one.path.parent != home.pictures] == []
    with library.database.read() as db:
        rows = [*jobs.list_jobs(db), *jobs.list_removed_jobs(db)]
        sources = set(records.list_source_ids(db))
        sent = {name for names in records.list_export_folders(db).values() for name in names}
        assert not db.execute("SELECT * FROM intent").fetchall() and not records.count_open_tasks(db)
    assert {stage.talk, stage.show} <= {row.id for row in rows}
    for row in rows:
        job = library.job_at(row.head_revision)
        assert set(job.sources) <= sources
        for source_id in job.sources:
            assert np.isfinite(library.reads(source_id)(0, RATE)).all()
    assert {path.name for path in home.exports.iterdir()} == sent
    if stage.binned in {row.id for row in rows}:
        removal.restore_job(library, stage.binned)
        binned = open_job(library, stage.binned)
        assert len(binned.job.sources) == 2 and home.has_picture(binned.settings["send"]["tags"]["cover"])
        assert len(records_of(library, stage.binned)) == 2
    return (
        len(rows),
        len(sources),
        len(sent),
        sorted(path.name for path in home.pictures.iterdir()),
        [row.head_revision for row in rows],
    )


def records_of(library: Library, job_id: str) -> list[str]:
    with library.database.read() as db:
        return records.list_export_folders(db).get(job_id, [])
