"""A release as a disc holds it: an image of whole disc frames, and what its cue sheet and its track list say.

References
----------
IEC 60908 (44,100 Hz, 588 samples a disc frame, 75 a second, at most 99 tracks); ISO 3901 (ISRC); GS1 General
Specifications (EAN-13); all from memory.
"""

from __future__ import annotations

import csv
import html
import io
from collections.abc import Sequence
from dataclasses import dataclass, replace

from wemble.core.deliver.cells import plain
from wemble.core.deliver.words import clock
from wemble.core.edit.model import Job
from wemble.core.edit.tracks import DISC_FRAMES_A_S, disc_place, tracks_of
from wemble.errors import InvalidInput

DISC_RATE_HZ = 44_100
SAMPLES_A_FRAME = DISC_RATE_HZ // DISC_FRAMES_A_S
MOST_TRACKS = 99


@dataclass(frozen=True, slots=True)
class CueTrack:
    """A track of a cue sheet, in disc frames: where it starts, and where the gap before it does, if there is one."""

    number: int
    title: str
    performer: str
    isrc: str
    start: int
    gap_start: int | None = None


@dataclass(frozen=True, slots=True)
class CueSheet:
    """What a cue sheet says. ``catalog`` is the release's EAN-13; ``file_name`` the image's, ``file_kind`` its kind."""

    file_name: str
    tracks: tuple[CueTrack, ...]
    title: str = ""
    performer: str = ""
    catalog: str = ""
    file_kind: str = "WAVE"


@dataclass(frozen=True, slots=True)
class DiscTrack:
    """A track on the image, in samples of it, and what is told of it."""

    number: int
    title: str
    performer: str
    isrc: str
    start: int
    end: int
    gap: int


def check_ean(code: str) -> None:
    """Raise `InvalidInput` for what is no EAN-13; none at all is fine.

    Examples
    --------
    >>> check_ean("4006381333931")
    """
    if not code:
        return
    digits = [int(c) for c in code] if code.isascii() and code.isdigit() else []
    if len(digits) != 13 or sum(d * (3 if n % 2 else 1) for n, d in enumerate(digits)) % 10:
        raise InvalidInput("an EAN has 13 digits, of which the last is its check digit, such as 4006381333931")


def disc_tracks(job: Job) -> list[DiscTrack]:
    """Return the tracks on the image, in its samples. A start between disc frames goes to the one before it, an end on."""
    out: list[DiscTrack] = []
    tracks = tracks_of(job)
    for track in tracks:
        (first, _), (last, rest) = disc_place(track.start, job.rate_hz), disc_place(track.end, job.rate_hz)
        alone = track.end_mark is not None or track.number == len(tracks)
        start, end = first * SAMPLES_A_FRAME, (last + (alone and rest > 0)) * SAMPLES_A_FRAME
        gap = start - (out[-1].end if out else 0)
        out.append(
            DiscTrack(track.number, track.mark.name, track.mark.performer, track.mark.isrc, start, end, max(gap, 0))
        )
    return out


def on_image(tracks: Sequence[DiscTrack], *, pause: bool) -> tuple[list[DiscTrack], int]:
    """Return the tracks as they lie on an image, and the sample of the job's disc at which it begins.

    With its ``pause`` the image begins with what lies before track 1, from INDEX 00 at 0 on. Without, as is usual, it begins
    with track 1, INDEX 01 at 0: the pause is on every disc, and whoever makes one puts it there.
    """
    if pause or not tracks:
        return [*tracks], 0
    by = tracks[0].start
    shifted = [replace(one, start=one.start - by, end=one.end - by) for one in tracks]
    return [replace(shifted[0], gap=0), *shifted[1:]], by


def image_samples(tracks: Sequence[DiscTrack]) -> int:
    """Return how long the image is: to the end of its last track."""
    return tracks[-1].end if tracks else 0


def cue_sheet_of(
    tracks: Sequence[DiscTrack], file_name: str, *, title: str = "", performer: str = "", catalog: str = ""
) -> CueSheet:
    """Return the cue sheet of an image. Raises `InvalidInput` for a wrong EAN or too many tracks."""
    check_ean(catalog)
    if not 1 <= len(tracks) <= MOST_TRACKS:
        raise InvalidInput(f"a disc has 1 to {MOST_TRACKS} tracks, this one would have {len(tracks)}")
    rows = tuple(
        CueTrack(
            one.number,
            one.title,
            one.performer,
            one.isrc,
            one.start // SAMPLES_A_FRAME,
            (one.start - one.gap) // SAMPLES_A_FRAME if one.gap else None,
        )
        for one in tracks
    )
    return CueSheet(file_name, rows, title, performer, catalog)


def list_as_text(tracks: Sequence[DiscTrack], title: str, performer: str) -> str:
    """Return the track list as plain text."""
    width = max((len(one.title) for one in tracks), default=5)
    rows = [
        f"{one.number:2d}  {one.title:<{width}}  {_length(one):>8}  {one.performer}{f'  {one.isrc}' if one.isrc else ''}".rstrip()
        for one in tracks
    ]
    head = [line for line in (title, performer) if line]
    return "\n".join([*head, *([""] if head else []), *rows, "", f"total {_total(tracks)}", ""])


def list_as_csv(tracks: Sequence[DiscTrack]) -> str:
    """Return the track list as CSV, times in seconds; text that a spreadsheet would take for a formula is quoted."""
    out = io.StringIO()
    writer = csv.writer(out, lineterminator="\n")
    writer.writerow(["number", "title", "performer", "isrc", "start_s", "length_s", "gap_before_s"])
    for one in tracks:
        figures = [f"{frames / DISC_RATE_HZ:.3f}" for frames in (one.start, one.end - one.start, one.gap)]
        writer.writerow([one.number, plain(one.title), plain(one.performer), one.isrc, *figures])
    return out.getvalue()


def list_as_page(tracks: Sequence[DiscTrack], title: str, performer: str, catalog: str) -> str:
    """Return the track list as a page to print."""
    rows = "".join(
        f"<tr><td>{one.number}</td><td>{html.escape(one.title)}</td><td>{html.escape(one.performer)}</td>"
        f"<td>{one.isrc}</td><td>{clock(one.start / DISC_RATE_HZ)}</td><td>{_length(one)}</td></tr>"
        for one in tracks
    )
    return (
        '<!doctype html><html lang="en"><head><meta charset="utf-8"><title>'
        f"{html.escape(title or 'Track list')}</title><style>body{{font:14px/1.5 serif;margin:3em}}"
        "td,th{padding:.2em 1em .2em 0;text-align:left}td:nth-child(1),td:nth-child(n+5){text-align:right}</style></head>"
        f"<body><h1>{html.escape(title or 'Track list')}</h1><p>{html.escape(performer)}</p>"
        "<table><tr><th></th><th>title</th><th>performer</th><th>ISRC</th><th>start</th><th>length</th></tr>"
        f"{rows}</table><p>total {_total(tracks)}{f', EAN {catalog}' if catalog else ''}</p></body></html>\n"
    )


def _length(track: DiscTrack) -> str:
    return clock((track.end - track.start) / DISC_RATE_HZ)


def _total(tracks: Sequence[DiscTrack]) -> str:
    return clock(image_samples(tracks) / DISC_RATE_HZ)
