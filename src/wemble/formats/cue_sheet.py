"""Cue sheets, out and in. What comes in is read strictly: an error names its line.

Source: the common syntax of cue sheets (memory): ``MM:SS:FF`` with FF 0–74 and MM past 59; ``INDEX 00`` is the gap before a
track, ``INDEX 01`` its start.
"""

from __future__ import annotations

import re
from dataclasses import dataclass, field
from pathlib import Path

from wemble.core.deliver.disc import MOST_TRACKS, CueSheet, CueTrack
from wemble.core.edit.tracks import DISC_FRAMES_A_S
from wemble.errors import InvalidInput

LONGEST_BYTES = 1 << 20
_TIME = re.compile(r"(\d{1,4}):(\d{2}):(\d{2})", re.ASCII)
_NUMBER = re.compile(r"\d{1,3}", re.ASCII)
_IGNORED = {"REM", "FLAGS", "PREGAP", "POSTGAP", "SONGWRITER", "CDTEXTFILE"}


def cue_text(sheet: CueSheet) -> str:
    """Return a cue sheet as text, lines ended by CR and LF."""
    lines = [
        *([f"CATALOG {sheet.catalog}"] if sheet.catalog else []),
        *([f"TITLE {_quoted(sheet.title)}"] if sheet.title else []),
        *([f"PERFORMER {_quoted(sheet.performer)}"] if sheet.performer else []),
        f"FILE {_quoted(sheet.file_name)} {sheet.file_kind}",
    ]
    for track in sheet.tracks:
        lines += [
            f"  TRACK {track.number:02d} AUDIO",
            f"    TITLE {_quoted(track.title)}",
            *([f"    PERFORMER {_quoted(track.performer)}"] if track.performer else []),
            *([f"    ISRC {track.isrc}"] if track.isrc else []),
            *([f"    INDEX 00 {_time(track.gap_start)}"] if track.gap_start is not None else []),
            f"    INDEX 01 {_time(track.start)}",
        ]
    return "".join(f"{line}\r\n" for line in lines)


def read_cue(path: Path) -> CueSheet:
    """Read a cue sheet of one file. Raises `InvalidInput` for what is not as it should be, naming the line."""
    if not path.is_file():
        raise InvalidInput("there is no such file")
    if path.stat().st_size > LONGEST_BYTES:
        raise InvalidInput("this is no cue sheet: it is larger than a megabyte")
    return parse_cue(path.read_bytes())


def parse_cue(data: bytes) -> CueSheet:
    """Return what a cue sheet says: UTF-8 or UTF-16 with their marks, else Windows-1252; any ends of lines."""
    reader = _Reader()
    for number, line in enumerate(_decoded(data).splitlines(), 1):
        try:
            reader.take(line.strip())
        except InvalidInput as error:
            raise InvalidInput(f"line {number}: {error.message}", code=error.code) from None
    return reader.sheet()


@dataclass
class _Open:
    number: int
    title: str = ""
    performer: str = ""
    isrc: str = ""
    indexes: dict[int, int] = field(default_factory=dict)


class _Reader:
    """Takes one line after the other."""

    def __init__(self) -> None:
        self._head: dict[str, str] = {}
        self._file: tuple[str, str] | None = None
        self._tracks: list[_Open] = []
        self._last = -1

    def take(self, line: str) -> None:
        """Take in a line. Raises `InvalidInput` if it cannot stand there."""
        if not line:
            return
        word, _, rest = line.partition(" ")
        word, rest = word.upper(), rest.strip()
        if word in _IGNORED:
            return
        if word == "FILE":
            self._take_file(rest)
        elif word == "TRACK":
            self._take_track(rest)
        elif word == "INDEX":
            self._take_index(rest)
        elif word in ("TITLE", "PERFORMER", "CATALOG", "ISRC"):
            self._take_text(word, _unquoted(rest))
        else:
            raise InvalidInput(f"“{word[:40]}” is no command of a cue sheet")

    def sheet(self) -> CueSheet:
        """Return what was taken in, whole."""
        if self._file is None:
            raise InvalidInput("line 1: there is no FILE in this cue sheet")
        if not self._tracks:
            raise InvalidInput("line 1: there is no TRACK in this cue sheet")
        lacking = next((one for one in self._tracks if 1 not in one.indexes), None)
        if lacking is not None:
            raise InvalidInput(f"track {lacking.number} has no INDEX 01")
        tracks = tuple(
            CueTrack(t.number, t.title, t.performer, t.isrc, t.indexes[1], t.indexes.get(0)) for t in self._tracks
        )
        head = self._head
        return CueSheet(
            self._file[0],
            tracks,
            head.get("TITLE", ""),
            head.get("PERFORMER", ""),
            head.get("CATALOG", ""),
            self._file[1],
        )

    def _take_file(self, rest: str) -> None:
        if self._file is not None:
            raise InvalidInput("there is a second FILE; a sheet of one image is read")
        name, _, kind = rest.rpartition(" ")
        if not name:
            raise InvalidInput('FILE needs a name and a kind, such as FILE "image.wav" WAVE')
        self._file = (_unquoted(name.strip()), kind.upper())

    def _take_track(self, rest: str) -> None:
        number, _, kind = rest.partition(" ")
        if self._file is None:
            raise InvalidInput("TRACK stands before FILE")
        if kind.strip().upper() != "AUDIO" or not _NUMBER.fullmatch(number):
            raise InvalidInput("TRACK needs a number and AUDIO, such as TRACK 01 AUDIO")
        if len(self._tracks) == MOST_TRACKS:
            raise InvalidInput(f"there are more than {MOST_TRACKS} tracks")
        if self._tracks and int(number) != self._tracks[-1].number + 1:
            raise InvalidInput(f"track {int(number)} follows track {self._tracks[-1].number}")
        if self._tracks and 1 not in self._tracks[-1].indexes:
            raise InvalidInput(f"track {self._tracks[-1].number} has no INDEX 01")
        self._tracks.append(_Open(int(number)))

    def _take_index(self, rest: str) -> None:
        number, _, time = rest.partition(" ")
        if not self._tracks:
            raise InvalidInput("INDEX stands before TRACK")
        match = _TIME.fullmatch(time.strip())
        if not _NUMBER.fullmatch(number) or match is None:
            raise InvalidInput(f"INDEX needs a number and MM:SS:FF, not “{rest[:40]}”")
        minutes, seconds, frames = (int(part) for part in match.groups())
        if seconds > 59 or frames >= DISC_FRAMES_A_S:
            raise InvalidInput(f"“{time.strip()}” is no time: seconds go to 59, frames to {DISC_FRAMES_A_S - 1}")
        indexes, at = self._tracks[-1].indexes, (60 * minutes + seconds) * DISC_FRAMES_A_S + frames
        if int(number) in indexes:
            raise InvalidInput(f"track {self._tracks[-1].number} has two INDEX {int(number):02d}")
        if at < self._last or (at == self._last and int(number) == 1 and 0 not in indexes and len(self._tracks) > 1):
            raise InvalidInput(f"“{time.strip()}” lies before the index above it")
        indexes[int(number)] = self._last = at

    def _take_text(self, word: str, text: str) -> None:
        if word == "CATALOG" or not self._tracks:
            self._head[word] = text
        elif word == "TITLE":
            self._tracks[-1].title = text
        elif word == "PERFORMER":
            self._tracks[-1].performer = text
        else:
            self._tracks[-1].isrc = text.replace("-", "").upper()


def _decoded(data: bytes) -> str:
    for mark, encoding in ((b"\xff\xfe", "utf-16"), (b"\xfe\xff", "utf-16")):
        if data.startswith(mark):
            return data.decode(encoding, "replace")
    try:
        return data.decode("utf-8-sig")
    except UnicodeDecodeError:
        return data.decode("cp1252", "replace")


def _time(disc_frames: int) -> str:
    seconds, frames = divmod(disc_frames, DISC_FRAMES_A_S)
    return f"{seconds // 60:02d}:{seconds % 60:02d}:{frames:02d}"


def _quoted(text: str) -> str:
    """Return text in quotes; a quote inside becomes an apostrophe, since the syntax has no way to write one."""
    plain = " ".join(text.split()).replace('"', "'")
    return f'"{plain}"'


def _unquoted(text: str) -> str:
    if text.startswith('"'):
        if not text.endswith('"') or len(text) < 2:
            raise InvalidInput("a quote is not closed")
        return text[1:-1]
    return text
