"""Is the data folder in order: the database, the sources on disk, and files that nothing refers to."""

from __future__ import annotations

import hashlib
import shutil
import sqlite3
from collections.abc import Iterator
from dataclasses import dataclass
from pathlib import Path

from wemble.store import records
from wemble.store.database import Database
from wemble.store.files import Home, copy_path, folder_bytes

_PART = 1 << 20


@dataclass(frozen=True, slots=True)
class Orphan:
    """A file or folder that nothing refers to, and how much room it takes."""

    path: Path
    size_bytes: int


def sqlite_version() -> str:
    """Return the version of SQLite."""
    return sqlite3.sqlite_version


def schema_version(database: Database) -> int:
    """Return the number of the newest migration that ran."""
    with database.read() as db:
        version: int = db.execute("PRAGMA user_version").fetchone()[0]
    return version


def database_problems(database: Database) -> list[str]:
    """Return what SQLite finds wrong with the database."""
    with database.read() as db:
        damage = [row[0] for row in db.execute("PRAGMA integrity_check") if row[0] != "ok"]
        broken = db.execute("PRAGMA foreign_key_check").fetchall()
    return damage + [f"a row of {row['table']} refers to a {row['parent']} that is not there" for row in broken]


def source_problems(database: Database, home: Home, *, check_hashes: bool) -> Iterator[str]:
    """Yield what is wrong with the sources on disk; with ``check_hashes`` every original is read as well."""
    with database.read() as db:
        rows = [records.get_source(db, source_id) for source_id in records.list_source_ids(db)]
    for row in rows:
        folder = home.source(row.id)
        copy = copy_path(folder, row.rate_hz)
        if not folder.is_dir():
            yield f"source {row.id} has no folder; import its recording again"
        elif not copy.is_file() or copy.stat().st_size != row.frames * row.channels * 4:
            yield f"the working copy of source {row.id} is not whole; remove {folder} and import its recording again"
        elif check_hashes and any(_sha256(path) != row.file_sha256 for path in folder.glob("original*")):
            yield f"the original of source {row.id} is not the file that was imported"


def orphans(database: Database, home: Home) -> list[Orphan]:
    """Return what lies in the data folder and nothing refers to."""
    with database.read() as db:
        sources = set(records.list_source_ids(db))
        uploads = {f"{upload_id}.part" for upload_id in records.list_upload_ids(db)}
        exports = {name for names in records.list_export_folders(db).values() for name in names}
        pictures = records.mentioned_pictures(db)
    kept = (
        (home.sources, sources), (home.uploads, uploads), (home.exports, exports), (home.pictures, pictures),
        *((folder, set[str]()) for folder in (home.scratch, home.arriving, home.aside)),
    )  # fmt: skip
    found = [path for folder, names in kept for path in sorted(folder.iterdir()) if path.name not in names]
    return [Orphan(path, folder_bytes(path)) for path in found]


def remove_orphans(found: list[Orphan]) -> int:
    """Remove orphans and return how many bytes that gave back."""
    for orphan in found:
        shutil.rmtree(orphan.path) if orphan.path.is_dir() else orphan.path.unlink()
    return sum(orphan.size_bytes for orphan in found)


def free_bytes(home: Home) -> int:
    """Return how much room is left where the data lie."""
    return shutil.disk_usage(home.root).free


def _sha256(path: Path) -> str:
    digest = hashlib.sha256()
    with path.open("rb") as file:
        while data := file.read(_PART):
            digest.update(data)
    return digest.hexdigest()
