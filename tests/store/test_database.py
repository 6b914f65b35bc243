"""The schema: every one that landed is opened, checkpoints hold, reads cannot write."""

from __future__ import annotations

import sqlite3
from dataclasses import replace
from pathlib import Path

import pytest

from wemble.core.edit.changes import difference
from wemble.core.edit.model import Clip, Job
from wemble.errors import InvalidInput, Unavailable
from wemble.store import jobs
from wemble.store.database import Database, migrations

FIXTURES = Path(__file__).parent / "fixtures"


@pytest.mark.parametrize("script", sorted(FIXTURES.glob("*.sql")), ids=lambda path: path.stem)
def test_every_schema_that_landed_is_opened(tmp_path: Path, script: Path) -> None:
    raw = sqlite3.connect(tmp_path / "old.db")
    raw.executescript(script.read_text())
    raw.close()
    database = Database(tmp_path / "old.db")
    with database.read() as db:
        (row,) = jobs.list_jobs(db)
        clips = jobs.get_state(db, row.head_revision).clips.values()
        assert len(clips) == 3
        if script.stem != "schema_0001":  # what was renamed since is there under its new name
            assert all(clip.fade_in and clip.fade_in.origin == "own" for clip in clips)
            assert all(clip.head_review and clip.head_review.decision == "accepted" for clip in clips)
        assert db.execute("PRAGMA user_version").fetchone()[0] == migrations()[-1][0]
    database.close()


def test_a_newer_database_is_refused(tmp_path: Path) -> None:
    raw = sqlite3.connect(tmp_path / "new.db")
    raw.execute("PRAGMA user_version = 9999")
    raw.close()
    with pytest.raises(InvalidInput, match="newer Wemble"):
        Database(tmp_path / "new.db")


def test_a_read_cannot_write_and_an_error_takes_everything_back(tmp_path: Path) -> None:
    database = Database(tmp_path / "a.db")
    with database.read() as db, pytest.raises(sqlite3.OperationalError, match="readonly"):
        db.execute("DELETE FROM job")
    with pytest.raises(ZeroDivisionError), database.write() as db:
        jobs.add_job(db, "j", Job("x"), now=0.0)
        _ = 1 / 0
    with database.read() as db:
        assert jobs.list_jobs(db) == []
    database.close()


def test_a_long_history_is_read_from_its_checkpoints(tmp_path: Path) -> None:
    database = Database(tmp_path / "a.db")
    job, states = Job("x", rate_hz=48_000), []
    with database.write() as db:
        revision = jobs.add_job(db, "j", job, now=0.0)
        for number in range(jobs.CHECKPOINT_EVERY + 20):
            clip = Clip(f"c{number}", "l", "s", "é “ü”", 0, 10, number)
            after = replace(job, clips={**job.clips, clip.id: clip})
            parent = jobs.get_revision(db, revision)
            revision = jobs.add_revision(
                db, parent, after, difference(job, after), label="add", merge_key=None, now=0.0
            )
            states.append((revision, after))
            job = after
    with database.read() as db:
        assert db.execute("SELECT count(*) FROM checkpoint").fetchone()[0] == 2
        for revision, state in states[::73]:
            assert jobs.get_state(db, revision) == state
    database.close()


def test_a_full_disk_changes_nothing_and_says_so(tmp_path: Path) -> None:
    database = Database(tmp_path / "a.db")
    with database.write() as db:
        jobs.add_job(db, "j", Job("kept"), now=0.0)
        pages = db.execute("PRAGMA page_count").fetchone()[0]
        db.execute(f"PRAGMA max_page_count = {pages}")  # SQLite then answers as it does when the disk is full
    big = Job("x", clips={f"c{n}": Clip(f"c{n}", "l", "s", "name " * 30, 0, 10, n) for n in range(500)})
    with pytest.raises(Unavailable, match="free some space"), database.write() as db:
        jobs.add_job(db, "big", big, now=0.0)
    with database.read() as db:
        assert [row.name for row in jobs.list_jobs(db)] == ["kept"]
    database.close()
