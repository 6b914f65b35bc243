"""The data folder: one process at a time, jobs removed and their space given back, moved, examined, told of in a log."""

from __future__ import annotations

import hashlib
import logging
import subprocess
import sys
from collections.abc import Callable
from pathlib import Path

import numpy as np
import pytest
import soundfile
from click.testing import CliRunner
from tests.conftest import RATE, Server, phrases

from wemble.actions import job_list, job_settings, removal, saved_jobs
from wemble.actions.delivery import export
from wemble.actions.delivery.request import Request
from wemble.actions.editing.edits import perform
from wemble.actions.events import LOG_NAME, event, start_log
from wemble.actions.library import Library
from wemble.actions.revisions import open_job, undo
from wemble.actions.work.tasks import list_tasks, wait_for
from wemble.cli.main import main
from wemble.errors import Conflict, InvalidInput, NotFound, TooLarge
from wemble.store import records
from wemble.store.files import folder_bytes
from wemble.store.rows import TaskRow

ImportFile = Callable[..., tuple[str, TaskRow]]


def sources_on_disk(library: Library) -> set[str]:
    return {path.name for path in library.home.sources.iterdir()}


def test_removing_a_job_gives_its_space_back_and_takes_nothing_that_another_needs(
    library: Library, bring_in: ImportFile, take: Path, tmp_path: Path, monkeypatch: pytest.MonkeyPatch
) -> None:
    shared, _ = bring_in(take)
    soundfile.write(tmp_path / "own.wav", phrases(seed=2), RATE)
    gone, _ = bring_in(tmp_path / "own.wav")
    bring_in(take, gone)
    copy = job_list.duplicate(library, shared)
    sent = wait_for(library, export.start_export(library, gone, open_job(library, gone).revision, Request()))
    assert sent.result is not None and len(sources_on_disk(library)) == 2
    removal.remove_job(library, gone)
    assert gone not in {card.id for card in job_list.job_cards(library)}
    removal.restore_job(library, gone)
    assert gone in {card.id for card in job_list.job_cards(library)}
    removal.remove_job(library, gone)
    removal.remove_job(library, shared)  # its copy still needs the recording
    monkeypatch.setattr(removal, "YOUNG_S", -1.0)
    before = folder_bytes(library.home.root / "sources") + folder_bytes(library.home.exports)
    freed = removal.empty_bin(library)
    after = folder_bytes(library.home.root / "sources") + folder_bytes(library.home.exports)
    assert (freed.jobs, freed.sources, freed.deliveries) == (2, 1, 1) and freed.freed_bytes == before - after > 0
    assert sources_on_disk(library) == set(open_job(library, copy).job.sources)
    clip = next(iter(open_job(library, copy).job.clips.values()))
    assert np.abs(library.reads(clip.source_id)(0, RATE)).max() > 0.1
    with pytest.raises(NotFound):
        open_job(library, gone)
    again, task = bring_in(tmp_path / "own.wav")  # what was removed can be imported again
    assert task.state == "done" and len(open_job(library, again).job.clips) == 1


def test_a_recording_that_undo_could_bring_back_stays(
    library: Library, bring_in: ImportFile, take: Path, monkeypatch: pytest.MonkeyPatch
) -> None:
    monkeypatch.setattr(removal, "YOUNG_S", -1.0)
    job_id, _ = bring_in(take)
    undo(library, job_id, open_job(library, job_id).revision)
    assert not open_job(library, job_id).job.sources
    assert removal.remove_expired(library).sources == 0 and len(sources_on_disk(library)) == 1


def test_nothing_is_removed_while_files_are_imported(library: Library, bring_in: ImportFile, take: Path) -> None:
    job_id, _ = bring_in(take)
    removal.remove_job(library, job_id)
    with library.database.write() as db:
        records.add_task(db, TaskRow("t", job_id, "import", "x", "running", 0.0, "", {}, None, None, library.now()))
    with pytest.raises(Conflict, match="being imported"):
        removal.empty_bin(library)
    assert len(sources_on_disk(library)) == 1


def test_two_processes_never_share_a_folder(tmp_path: Path) -> None:
    server = Server(tmp_path / "data #1?%20")  # a name with all that an address could trip over
    try:
        assert (server.home / "wemble.db").is_file()
        (server.home / "scratch" / "half made").write_text("being imported")
        command = [sys.executable, "-m", "wemble.cli.main", "serve", "--home", str(server.home), "--port", "1"]
        second = subprocess.run(command, capture_output=True, text=True, timeout=30, check=False)
        assert second.returncode == 0 and server.url in second.stdout  # it shows where the first one is
        assert (server.home / "scratch" / "half made").exists()
        with pytest.raises(Conflict, match=r"process \d+"):
            Library(server.home, workers=0).start()
    finally:
        server.kill()
    Library(server.home, workers=0).start()  # a killed process holds nothing


def test_a_moved_folder_still_has_what_was_sent(
    library: Library, bring_in: ImportFile, take: Path, tmp_path: Path
) -> None:
    job_id, _ = bring_in(take)
    revision = open_job(library, job_id).revision
    task = wait_for(library, export.start_export(library, job_id, revision, Request()))
    wait_for(library, saved_jobs.start_save(library, job_id, revision))
    library.close()
    library.home.root.rename(tmp_path / "moved")
    moved = Library(tmp_path / "moved", workers=0)
    assert export.sent_file(moved, task.id, "").read_bytes()
    assert all(
        str(tmp_path / "moved") in str(row.result["folder"])
        for row in list_tasks(moved, job_id)
        if row.result and "folder_name" in row.result
    )
    moved.close()


def test_settings_of_views_are_kept_within_bounds(library: Library, bring_in: ImportFile, take: Path) -> None:
    job_id, _ = bring_in(take)
    revision = open_job(library, job_id).revision
    job_settings.keep(library, job_id, "send", {"kind": "mp3"})
    job_settings.keep(library, job_id, "send", {"kind": "wav_16"})
    opened = open_job(library, job_id)
    assert opened.settings == {"send": {"kind": "wav_16"}} and opened.revision == revision  # no step of undo
    with pytest.raises(InvalidInput):
        job_settings.keep(library, job_id, "../x", {})
    with pytest.raises(TooLarge):
        job_settings.keep(library, job_id, "send", {"x": "y" * job_settings.LARGEST_BYTES})
    with pytest.raises(NotFound):
        job_settings.keep(library, "none", "send", {})


def test_doctor_tells_what_is_wrong_and_cleans_what_nothing_refers_to(
    library: Library, bring_in: ImportFile, take: Path
) -> None:
    job_id, _ = bring_in(take)
    source = next(iter(open_job(library, job_id).job.sources))
    home = library.home
    library.close()

    def doctor(*options: str) -> tuple[int, str]:
        result = CliRunner().invoke(main, ["doctor", "--home", str(home.root), *options])
        return result.exit_code, result.output

    status, output = doctor("--deep")
    assert status == 0 and "the sources are in order" in output and "nothing lies about unused" in output
    orphan = home.sources / "abandoned"
    orphan.mkdir()
    (orphan / "copy-48000.f32").write_bytes(b"x" * 1_000_000)
    status, output = doctor()
    assert status == 1 and "1 files and folders are used by nothing, 1.0 MB" in output
    assert doctor("--clean")[0] == 0 and not orphan.exists() and home.source(source).is_dir()
    original = next(home.source(source).glob("original*"))
    original.write_bytes(original.read_bytes()[:-2] + b"xx")
    assert (
        doctor()[0] == 0
        and doctor("--deep")[0] == 1
        and "are in order" not in doctor("--deep")[1].split("database is in order")[1]
    )
    next(home.source(source).glob("copy-*")).write_bytes(b"short")
    assert "is not whole" in doctor()[1]


def test_a_newer_folder_is_left_untouched_and_said_in_a_line(tmp_path: Path) -> None:
    library = Library(tmp_path / "newer", workers=0)
    with library.database.write() as db:
        db.execute("PRAGMA user_version = 9999")
    library.close()

    def content() -> dict[str, str]:
        files = (path for path in (tmp_path / "newer").rglob("*") if path.is_file() and path.name != "lock")
        return {path.name: hashlib.sha256(path.read_bytes()).hexdigest() for path in files}

    before = content()
    result = CliRunner().invoke(main, ["serve", "--home", str(tmp_path / "newer")])
    assert result.exit_code == 2 and "newer Wemble" in result.output and "Traceback" not in result.output
    assert content() == before


def test_the_log_has_a_line_an_event(tmp_path: Path) -> None:
    start_log(tmp_path, "info")
    event("imported", file="take 38.wav", seconds=1.5)
    for handler in logging.getLogger("wemble").handlers:
        handler.close()
    logging.getLogger("wemble").handlers = []
    (line,) = (tmp_path / LOG_NAME).read_text().splitlines()
    assert line.endswith('INFO imported file="take 38.wav" seconds=1.5')


def test_a_clock_that_is_set_back_melts_no_edit_into_an_older_one(
    library: Library, bring_in: ImportFile, take: Path
) -> None:
    job_id, _ = bring_in(take)
    revision = open_job(library, job_id).revision
    clips = tuple(library.job_at(revision).clips)
    clock = library.now()
    gains = []
    for seconds, gain_db in ((0.0, -3.0), (1.0, -6.0), (-3_600.0, -9.0)):
        library.now = lambda at=clock + seconds: at  # type: ignore[method-assign,misc]
        revision = perform(library, job_id, revision, "set_gain", clip_ids=clips, gain_db=gain_db).revision
    for _ in range(2):
        revision = undo(library, job_id, revision).revision
        gains.append(library.job_at(revision).clips[clips[0]].gain_db)
    assert gains == [-6.0, 0.0]  # within a moment the first two are one step; the third is a step of its own
