"""The database: connections, transactions, migrations."""

from __future__ import annotations

import sqlite3
import threading
from collections.abc import Callable, Iterator
from contextlib import contextmanager
from importlib import resources
from pathlib import Path

from wemble.errors import InvalidInput, Unavailable

Connection = sqlite3.Connection
WRITE_TIMEOUT_S = 10.0
"""How long a write waits for another program that holds the database."""
_DISK_FULL = "the disk is full and nothing was changed; free some space and try again"
_LOCKED = "another program has locked Wemble's database and nothing was changed; close it and try again"
_READ_ONLY = (
    "Wemble's database cannot be written to and nothing was changed; check the permissions of {path} and try again"
)


class Database:
    """One SQLite file in WAL mode: any number of readers, one writer at a time."""

    def __init__(self, path: Path):
        self.path = path
        self.write_timeout_s = WRITE_TIMEOUT_S
        self.after_write: Callable[[bool], None] = lambda committed: None
        """Called when a transaction is over, committed or not, while other writers still wait."""
        self._local = threading.local()
        self._writing = threading.RLock()
        path.parent.mkdir(parents=True, exist_ok=True)
        try:
            with self._writing, self._problems_told():
                migrate(self._connection("rwc"))
        except BaseException:
            self.close()
            raise

    @contextmanager
    def read(self) -> Iterator[sqlite3.Connection]:
        """Give a connection on which a write fails. Inside another `read` of the same thread it joins that one."""
        with self._problems_told():
            connection = self._connection("ro")
            if connection.in_transaction:
                yield connection
                return
            connection.execute("BEGIN")
            try:
                yield connection
            finally:
                connection.execute("ROLLBACK")

    @contextmanager
    def write(self) -> Iterator[sqlite3.Connection]:
        """Give a connection inside one transaction: committed at the end, rolled back on any error.

        Inside another `write` of the same thread it joins that transaction.
        """
        with self._writing, self._problems_told():
            connection = self._connection("rwc")
            if connection.in_transaction:
                yield connection
                return
            connection.execute(f"PRAGMA busy_timeout = {round(1000 * self.write_timeout_s)}")
            connection.execute("BEGIN IMMEDIATE")
            try:
                yield connection
                connection.execute("COMMIT")
            except BaseException:
                if connection.in_transaction:
                    connection.execute("ROLLBACK")
                self.after_write(False)
                raise
            self.after_write(True)

    @contextmanager
    def _problems_told(self) -> Iterator[None]:
        """Tell what a user can do about in our own errors."""
        try:
            yield
        except sqlite3.OperationalError as error:
            text = str(error)
            if "full" in text:
                raise Unavailable(_DISK_FULL, code="disk_full") from None
            if "locked" in text or "busy" in text:
                raise Unavailable(_LOCKED, code="locked") from None
            if "readonly database" in text or "unable to open" in text or "permission" in text:
                raise Unavailable(_READ_ONLY.format(path=self.path), code="read_only") from None
            raise

    def close(self) -> None:
        """Close this thread's connections."""
        for mode in ("ro", "rwc"):
            if (connection := getattr(self._local, mode, None)) is not None:
                connection.close()
                delattr(self._local, mode)

    def _connection(self, mode: str) -> sqlite3.Connection:
        connection: sqlite3.Connection | None = getattr(self._local, mode, None)
        if connection is None:
            connection = sqlite3.connect(
                f"{self.path.absolute().as_uri()}?mode={mode}",
                uri=True,
                isolation_level=None,
                check_same_thread=False,
            )
            connection.row_factory = sqlite3.Row
            connection.execute("PRAGMA foreign_keys = ON")
            connection.execute(f"PRAGMA busy_timeout = {round(1000 * WRITE_TIMEOUT_S)}")
            if mode == "rwc":
                connection.execute("PRAGMA journal_mode = WAL")
                connection.execute("PRAGMA synchronous = FULL")
            setattr(self._local, mode, connection)
        return connection


def migrations() -> list[tuple[int, str]]:
    """Return the numbered migration scripts in order."""
    folder = resources.files("wemble.store") / "migrations"
    scripts = sorted((entry for entry in folder.iterdir() if entry.name.endswith(".sql")), key=lambda entry: entry.name)
    return [(int(entry.name[:4]), entry.read_text()) for entry in scripts]


def migrate(connection: sqlite3.Connection) -> None:
    """Bring the schema up to date, each step in one transaction with the record that it ran.

    Raises
    ------
    InvalidInput
        If the database is newer than this program.
    """
    known = migrations()
    version = connection.execute("PRAGMA user_version").fetchone()[0]
    if version > known[-1][0]:
        raise InvalidInput(
            f"the data was written by a newer Wemble (schema {version}); start that one, or use another WEMBLE_HOME"
        )
    for number, script in known:
        if number <= version:
            continue
        try:
            connection.executescript(f"BEGIN IMMEDIATE;\n{script}\nPRAGMA user_version = {number};")
            if broken := connection.execute("PRAGMA foreign_key_check").fetchall():
                raise sqlite3.IntegrityError(f"migration {number} leaves {len(broken)} broken references")
            connection.execute("COMMIT")
        except BaseException:
            if connection.in_transaction:
                connection.execute("ROLLBACK")
            raise
