"""Chapters of a file to be: the section marks inside it, the checks on them, and the open formats that hold them.

References
----------
W3C *WebVTT* (cues as ``HH:MM:SS.mmm --> …``); *JSON Chapters Format* 1.2.0 of the Podcast namespace; both from memory.
"""

from __future__ import annotations

import json
from collections.abc import Mapping, Sequence
from dataclasses import dataclass

from wemble.core.deliver.words import Piece, clock
from wemble.core.edit.marks import in_order, place_of
from wemble.core.edit.model import Job

JSON_VERSION = "1.2.0"


@dataclass(frozen=True, slots=True)
class Chapter:
    """A chapter, in milliseconds from the start of its file; with a link and a picture (`Mark.picture`), if it has them."""

    start_ms: int
    end_ms: int
    title: str
    link: str = ""
    picture: str = ""


def chapters_in(job: Job, piece: Piece) -> list[Chapter]:
    """Return the chapters of a file to be: each goes from its mark to the next, the last to the end of the file."""
    marks = [(place_of(job, mark), mark) for mark in in_order(job) if mark.kind == "section"]
    inside = [(at - piece.start, mark) for at, mark in marks if piece.start <= at < piece.end]
    starts = [round(1000 * at / job.rate_hz) for at, _ in inside]
    ends = [*starts, round(1000 * (piece.end - piece.start) / job.rate_hz)][1:]
    return [
        Chapter(start, end, mark.name, mark.link, mark.picture)
        for start, end, (_, mark) in zip(starts, ends, inside, strict=True)
    ]


@dataclass(frozen=True, slots=True)
class ChapterFault:
    """What is wrong with a chapter, and when it starts in its file, in milliseconds."""

    text: str
    start_ms: int


def chapter_faults(chapters: Sequence[Chapter], shortest_s: float) -> list[ChapterFault]:
    """Return what players and listeners would stumble over: a first one that starts late, one too short, two of one name.

    Examples
    --------
    >>> [fault.text for fault in chapter_faults([Chapter(500, 9_000, "Hello")], 10.0)]
    ['the first chapter starts at 0:00.500 and not at 0:00', 'the chapter “Hello” is 8.5 s long, less than 10 s']
    """
    faults = []
    if chapters and chapters[0].start_ms > 0:
        at = chapters[0].start_ms
        faults.append(ChapterFault(f"the first chapter starts at {clock(at / 1000)} and not at 0:00", at))
    seen: set[str] = set()
    for one in chapters:
        seconds = (one.end_ms - one.start_ms) / 1000
        if seconds < shortest_s:
            text = f"the chapter “{one.title}” is {seconds:.1f} s long, less than {shortest_s:g} s"
            faults.append(ChapterFault(text, one.start_ms))
        if one.title in seen:
            faults.append(ChapterFault(f"two chapters are called “{one.title}”", one.start_ms))
        seen.add(one.title)
    return faults


def as_json(chapters: Sequence[Chapter], picture_files: Mapping[str, str]) -> str:
    """Return chapters as JSON, times in seconds; of each picture the name of the file that lies beside."""
    rows = [
        {"startTime": one.start_ms / 1000, "endTime": one.end_ms / 1000, "title": one.title}
        | ({"url": one.link} if one.link else {})
        | ({"img": picture_files[one.picture]} if one.picture else {})
        for one in chapters
    ]
    return json.dumps({"version": JSON_VERSION, "chapters": rows}, ensure_ascii=False, indent=1) + "\n"


def as_webvtt(chapters: Sequence[Chapter]) -> str:
    """Return chapters as WebVTT.

    Examples
    --------
    >>> print(as_webvtt([Chapter(0, 61_500, "Rope & chain")]))
    WEBVTT
    <BLANKLINE>
    1
    00:00:00.000 --> 00:01:01.500
    Rope &amp; chain
    <BLANKLINE>
    """
    cues = [
        f"{number}\n{_time(one.start_ms)} --> {_time(one.end_ms)}\n{_escaped(one.title)}\n"
        for number, one in enumerate(chapters, 1)
    ]
    return "\n".join(["WEBVTT\n", *cues])


def _time(milliseconds: int) -> str:
    seconds, rest = divmod(milliseconds, 1000)
    return f"{seconds // 3600:02d}:{seconds // 60 % 60:02d}:{seconds % 60:02d}.{rest:03d}"


def _escaped(text: str) -> str:
    return text.replace("&", "&amp;").replace("<", "&lt;").replace(">", "&gt;")
