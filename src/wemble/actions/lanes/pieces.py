"""Openings and closings: pieces that are kept to be used again, in front of a talk or behind it."""

from __future__ import annotations

from dataclasses import dataclass

import numpy as np

from wemble.actions.lanes.voices import BLOCK_FRAMES, voices_if_measured
from wemble.actions.library import Library
from wemble.actions.sources.convert import convert_copy
from wemble.core.edit import episode
from wemble.core.edit.clips import Edited
from wemble.core.edit.episode import End
from wemble.core.edit.model import Job, SourceUse, check_name
from wemble.core.signal.loudness import NOTHING_LUFS, LoudnessMeter
from wemble.errors import InvalidInput
from wemble.store import pieces
from wemble.store.pieces import PieceRow


@dataclass(frozen=True, slots=True)
class PieceCard:
    """A piece as a list shows it."""

    name: str
    seconds: float


def kept_pieces(library: Library) -> list[PieceCard]:
    """Return the pieces that were kept, by name."""
    with library.database.read() as db:
        rows = pieces.list_pieces(db)
    return [
        PieceCard(r.name, round((r.tail_frame - r.head_frame) / library.source(r.source_id).rate_hz, 3)) for r in rows
    ]


def keep_piece(library: Library, job: Job, clip_id: str, name: str) -> None:
    """Keep what a clip shows of its recording as a piece, in place of an earlier one of that name."""
    clip = job.clip(clip_id)
    row = PieceRow(check_name(name), clip.source_id, clip.head_frame, clip.tail_frame)
    with library.database.write() as db:
        pieces.put_piece(db, row, now=library.now())


def forget_piece(library: Library, name: str) -> None:
    """Forget a piece. Raises `NotFound`."""
    with library.database.write() as db:
        pieces.delete_piece(db, name)


def place_piece(library: Library, job: Job, piece: str, end: End, overlap_s: float = 0.0) -> Edited:
    """Put a piece in front of the talk, in the place of its lead, or behind it, as loud as the voices are.

    It overlaps the talk by as much as is asked. Raises `NotFound`.
    """
    with library.database.read() as db:
        row = pieces.get_piece(db, piece)
    source = library.source(row.source_id)
    if not job.rate_hz:
        raise InvalidInput("bring in the talk first: a piece goes in front of it or behind it")
    if source.rate_hz != job.rate_hz:
        convert_copy(library.home, library.home.scratch, source, job.rate_hz)
    library.reader.know(source.id, source.channels)
    use = SourceUse(source.id, row.name, source.rate_hz, source.channels, source.frames)
    gain_db, note = _gain(library, job, row)
    placed = episode.place(
        job, use, (row.head_frame, row.tail_frame), end, round(overlap_s * job.rate_hz), gain_db=gain_db
    )
    return Edited(placed.job, (*placed.notes, *note))


def _gain(library: Library, job: Job, row: PieceRow) -> tuple[float, tuple[str, ...]]:
    """Return the gain that makes a piece as loud as the loudest voice, and what is to be told of it."""
    voices = [voice.speech_lufs for voice in voices_if_measured(library, job) or () if voice.speech_lufs is not None]
    if not voices:
        return 0.0, ("its level was left as it is: the loudness of the voices has not been measured",)
    source, read = library.source(row.source_id), library.reads(row.source_id)
    meter = LoudnessMeter(source.rate_hz, source.channels)
    for at in range(row.head_frame, row.tail_frame, BLOCK_FRAMES):
        meter.feed(np.asarray(read(at, min(BLOCK_FRAMES, row.tail_frame - at))))
    own = meter.result().integrated_lufs + 10 * float(np.log10(job.channels / source.channels))
    if own <= NOTHING_LUFS + 20:
        return 0.0, ()
    gain_db = round(min(max(max(voices) - own, -40.0), 20.0), 1)
    return gain_db, (f"its level was matched to the voices: {gain_db:+.1f} dB".replace("-", "−"),)
