"""File names from a pattern.

A pattern is text with fields in braces: ``{clip}``, ``{job}``, ``{source}``, ``{lane}``, ``{number}``, ``{rate}``, and of
a hit ``{name}``, ``{note}``, ``{key}``, ``{strength}``, ``{mic}``, ``{take}``; a number may be padded, ``{number:2}``, and
``/`` makes folders. Names are made safe for every file system; two that would be the same, letter case aside, are a
collision, and nothing is sent.
"""

from __future__ import annotations

import re
import unicodedata
from collections import Counter
from collections.abc import Mapping, Sequence
from dataclasses import dataclass

from wemble.errors import InvalidInput

FIELDS = ("clip", "job", "source", "lane", "number", "rate", "name", "note", "key", "strength", "mic", "take")
_TELLING = ("take", "strength", "mic", "note", "lane", "rate")
"""What may tell names apart that are the same, in the order in which it is tried."""
LONGEST_BYTES = 200
_FIELD = re.compile(r"\{(\w+)(?::(\d))?\}")
_FORBIDDEN = re.compile(r'[<>:"/\\|?*]')
_RESERVED = re.compile(r"(con|prn|aux|nul|com\d|lpt\d)(\..*)?", re.IGNORECASE)


@dataclass(frozen=True, slots=True)
class Name:
    """A file name, and whether another of the batch is the same."""

    name: str
    collides: bool


def safe_name(text: str) -> str:
    """Return text that every file system takes as a name without an ending.

    Separators and characters that some systems refuse become ``_``; invisible and direction marks go; at most
    `LONGEST_BYTES` bytes in UTF-8; never empty, never only dots.

    Examples
    --------
    >>> safe_name('../a: "b" ')
    '.._a_ _b_'
    >>> safe_name("..")
    'unnamed'
    """
    visible = "".join(ch for ch in unicodedata.normalize("NFC", text) if unicodedata.category(ch)[0] != "C")
    name = " ".join(_FORBIDDEN.sub("_", visible).split()).rstrip(". ")
    while len(name.encode()) > LONGEST_BYTES:
        name = name[:-1].rstrip(". ")
    if not name.strip("."):
        return "unnamed"
    return f"_{name}" if _RESERVED.fullmatch(name) else name


def check_pattern(pattern: str) -> None:
    """Raise `InvalidInput` if a pattern is empty, too long, or names a field that there is not."""
    if not pattern.strip() or len(pattern) > 200:
        raise InvalidInput("a naming pattern must have 1 to 200 characters")
    rest = pattern
    for match in _FIELD.finditer(pattern):
        if match[1] not in FIELDS:
            fields = ", ".join(f"{{{name}}}" for name in FIELDS)
            raise InvalidInput(f"there is no field {{{match[1]}}}; a pattern can use {fields}")
        rest = rest.replace(match[0], "", 1)
    if "{" in rest or "}" in rest:
        raise InvalidInput("a brace in the pattern is not closed; write fields as {clip} or {number:2}")


def names(
    pattern: str,
    rows: Sequence[Mapping[str, str | int]],
    ending: str | Sequence[str],
    *,
    replace_this: str = "",
    replace_by: str = "",
) -> list[Name]:
    """Return a file name for every row of field values, with one ending for all or one for each.

    What is to be replaced is replaced in the name as the pattern made it.

    Raises
    ------
    InvalidInput
        If the pattern is wrong.

    Examples
    --------
    >>> rows = [{"clip": "Bell", "number": 1}, {"clip": "bell", "number": 2}]
    >>> [n.name for n in names("{number:2} {clip}", rows, ".wav")]
    ['01 Bell.wav', '02 bell.wav']
    >>> [n.collides for n in names("{clip}", rows, ".wav")]
    [True, True]
    """
    check_pattern(pattern)
    endings = [ending] * len(rows) if isinstance(ending, str) else ending
    parts = pattern.split("/")

    def replaced(name: str) -> str:
        return name.replace(replace_this, replace_by) if replace_this else name

    def path(row: Mapping[str, str | int]) -> str:
        filled = [replaced(_tidied(_filled(part, row))) for part in parts]
        return "/".join(safe_name(part) for n, part in enumerate(filled) if part or n + 1 == len(parts))

    made = [path(row) + one for row, one in zip(rows, endings, strict=True)]
    counts = Counter(name.casefold() for name in made)
    folders = {name.casefold()[:end] for name in made for end, letter in enumerate(name) if letter == "/"}
    return [Name(name, counts[name.casefold()] > 1 or name.casefold() in folders) for name in made]


def told_apart(usual: str, rows: Sequence[Mapping[str, str | int]]) -> str:
    """Return a pattern under which no two of these rows have one name: the usual one, with what it takes.

    Examples
    --------
    >>> told_apart("{name}", [{"name": "Oar", "take": 1}, {"name": "Oar", "take": 2}])
    '{name}_{take}'
    >>> told_apart("{clip}", [{"clip": "Oar"}, {"clip": "Oar"}])
    '{number:1}_{clip}'
    """

    def same(pattern: str) -> int:
        return sum(name.collides for name in names(pattern, rows, ""))

    separator, pattern, left = " " if " " in usual else "_", usual, same(usual)
    for field in _TELLING:
        if left and (fewer := same(more := f"{pattern}{separator}{{{field}}}")) < left:
            pattern, left = more, fewer
    folders, slash, name = pattern.rpartition("/")
    numbered = f"{folders}{slash}{{number:{len(str(len(rows)))}}}{separator}{name}"
    return numbered if left else pattern


def rate_field(rate_hz: int) -> str:
    """Return a sample rate as names have it.

    Examples
    --------
    >>> rate_field(44_100), rate_field(96_000)
    ('44.1k', '96k')
    """
    return f"{rate_hz / 1000:g}k"


def _tidied(name: str) -> str:
    """Return a name without the separators that an empty field leaves behind.

    Examples
    --------
    >>> _tidied("Bell__near"), _tidied("Oar - ")
    ('Bell_near', 'Oar')
    """
    return re.sub(r"([_\- ])[_\- ]*\1", r"\1", name).strip(" _-")


def _filled(pattern: str, row: Mapping[str, str | int]) -> str:
    def value(match: re.Match[str]) -> str:
        text = str(row.get(match[1], ""))
        return text.zfill(int(match[2])) if match[2] else text

    return _FIELD.sub(value, pattern)
