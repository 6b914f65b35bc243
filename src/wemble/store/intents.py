"""Files and rows that change together: an intent in the transaction of the rows, the act on files, the confirmation.

A transaction that gives files an owner, or takes it from them, says so in the same breath: *place* what lies finished
under `Home.arriving`, *remove* what no row needs any more. Once it is committed the acts are carried out, while other
writers still wait; then the intents are struck off. A process that ends in between leaves the intents, and the next
start carries them out. So files follow rows, and never the other way round: where nothing is committed, nothing is
placed or removed.
"""

from __future__ import annotations

import logging
import sqlite3
from dataclasses import dataclass
from pathlib import Path
from typing import Literal

from wemble.store.database import Database
from wemble.store.files import Home, Room, place_files

Act = Literal["place", "remove"]
log = logging.getLogger(__name__)


@dataclass(frozen=True, slots=True)
class Intent:
    """What is to become of the file or folder ``name`` in a room; what is placed lies finished as ``from_name``."""

    id: int
    act: Act
    room: Room
    name: str
    from_name: str | None


def place(db: sqlite3.Connection, home: Home, room: Room, name: str, finished: Path) -> None:
    """Give a finished file or folder its place when this transaction is committed; until then it is read where it lies.

    What is there already under that name stays, and is completed by what it lacks.
    """
    arrived = home.arrive(room, name, finished)
    db.execute(
        "DELETE FROM intent WHERE act = 'remove' AND room = :room AND name = :name", {"room": room, "name": name}
    )
    db.execute(
        "INSERT INTO intent (act, room, name, from_name) VALUES ('place', :room, :name, :from)",
        {"room": room, "name": name, "from": arrived.name},
    )


def remove(db: sqlite3.Connection, room: Room, name: str) -> None:
    """Remove a file or folder when this transaction is committed; it need not be there."""
    db.execute("INSERT INTO intent (act, room, name) VALUES ('remove', :room, :name)", {"room": room, "name": name})


def carry_out(database: Database, home: Home) -> None:
    """Carry out what was committed and strike it off; what the disk refuses stays for the next time.

    What is removed is only moved aside, since that is one step: `Home.clear_aside` gives its space back.
    """
    with database.read() as db:
        rows = db.execute("SELECT id, act, room, name, from_name FROM intent ORDER BY id").fetchall()
    done = []
    for intent in (Intent(**dict(row)) for row in rows):
        try:
            if intent.act == "remove":
                home.move_aside(intent.room, intent.name)
            else:
                place_files(home.arriving / str(intent.from_name), home.place_of(intent.room, intent.name))
                home.has_arrived(intent.room, intent.name)
        except OSError as error:
            log.warning("could not %s %s/%s: %s", intent.act, intent.room, intent.name, error)
        else:
            done.append({"id": intent.id})
    if done:
        with database.write() as db:
            db.executemany("DELETE FROM intent WHERE id = :id", done)
