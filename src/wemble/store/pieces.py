"""Pieces that are used again: spans of recordings, under names."""

from __future__ import annotations

import sqlite3
from dataclasses import dataclass

from wemble.errors import NotFound


@dataclass(frozen=True, slots=True)
class PieceRow:
    """A piece, in frames of its source."""

    name: str
    source_id: str
    head_frame: int
    tail_frame: int


def put_piece(db: sqlite3.Connection, piece: PieceRow, *, now: float) -> None:
    """Keep a piece, in place of an earlier one of that name."""
    db.execute(
        "INSERT INTO piece (name, source_id, head_frame, tail_frame, created_at) VALUES (:name, :source, :head, :tail, :now) "
        "ON CONFLICT (name) DO UPDATE SET source_id = excluded.source_id, head_frame = excluded.head_frame, "
        "tail_frame = excluded.tail_frame, created_at = excluded.created_at",
        {"name": piece.name, "source": piece.source_id, "head": piece.head_frame, "tail": piece.tail_frame, "now": now},
    )


def list_pieces(db: sqlite3.Connection) -> list[PieceRow]:
    """Return all pieces by name."""
    rows = db.execute("SELECT name, source_id, head_frame, tail_frame FROM piece ORDER BY name COLLATE NOCASE")
    return [PieceRow(**dict(row)) for row in rows]


def get_piece(db: sqlite3.Connection, name: str) -> PieceRow:
    """Return a piece. Raises `NotFound`."""
    row = db.execute(
        "SELECT name, source_id, head_frame, tail_frame FROM piece WHERE name = :name", {"name": name}
    ).fetchone()
    if row is None:
        raise NotFound(f"there is no piece “{name}” any more; choose another")
    return PieceRow(**dict(row))


def delete_piece(db: sqlite3.Connection, name: str) -> None:
    """Forget a piece; its recording stays while a job holds it. Raises `NotFound`."""
    if not db.execute("DELETE FROM piece WHERE name = :name", {"name": name}).rowcount:
        raise NotFound(f"there is no piece “{name}” any more")
