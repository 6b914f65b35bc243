"""What a file name says of a hit: its name, note, strength, microphone and take, read by a pattern.

A pattern is the name of a file with fields in braces, ``{name}_{note}_{strength}_{mic}``. One that fits most of the
names is proposed; what does not fit it, what the grid of notes, strengths and microphones lacks, and takes beyond the
first are listed.
"""

from __future__ import annotations

import re
from collections import Counter, defaultdict
from collections.abc import Callable, Hashable, Iterable, Mapping, Sequence
from dataclasses import dataclass, replace
from itertools import product
from typing import TypeVar

from wemble.core.kit.strengths import STRENGTH_WORDS, order_strengths
from wemble.errors import InvalidInput

Key = TypeVar("Key", bound=Hashable)
FIELDS = ("name", "note", "strength", "mic", "take")
_MICS = frozenset(
    {"near", "far", "close", "room", "over", "overhead", "overheads", "oh", "top", "bottom", "in", "out", "inside"}
    | {"outside", "left", "right", "direct", "ambient", "amb", "contact", "stereo", "mono", "mic"}
)
_NOTE = r"[A-Ga-g](?:#|b|s)?-?\d"
_PARTS = {
    "name": r".+?",
    "note": rf"{_NOTE}|\d{{1,3}}",
    "strength": r"v?\d{1,3}|[A-Za-z]+",
    "mic": r"[A-Za-z]+\d*",
    "take": r"(?:rr|t|take)?\d{1,4}",
}
_LEAST_KEY = 12
_FIELD = re.compile(r"\{(\w*)\}")
_SEPARATORS = re.compile(r"([_\-\s.]+)")
_SEMITONES = {"c": 0, "d": 2, "e": 4, "f": 5, "g": 7, "a": 9, "b": 11}
_NOTE_NAMES = ("C", "C#", "D", "D#", "E", "F", "F#", "G", "G#", "A", "A#", "B")


@dataclass(frozen=True, slots=True)
class Strike:
    """One hit as one microphone heard it. ``note`` is a key number, 60 is middle C; what is not known is none."""

    name: str
    note: int | None = None
    strength: str | None = None
    mic: str | None = None
    take: int | None = None

    @property
    def hit(self) -> Strike:
        """The hit itself, whichever microphone heard it."""
        return Strike(self.name, self.note, self.strength, None, self.take)


def note_name(note: int) -> str:
    """Return a key number as a note's name, middle C being C4.

    Examples
    --------
    >>> note_name(60), note_name(61)
    ('C4', 'C#4')
    """
    return f"{_NOTE_NAMES[note % 12]}{note // 12 - 1}"


def read_note(text: str) -> int | None:
    """Return the key number that a number or a note's name says; none if it says none.

    Examples
    --------
    >>> read_note("c4"), read_note("Db3"), read_note("64"), read_note("x"), read_note("200")
    (60, 49, 64, None, None)
    """
    if text.isdigit():
        return int(text) if int(text) <= 127 else None
    if not re.fullmatch(_NOTE, text):
        return None
    sharp = {"#": 1, "s": 1, "b": -1}.get(text[1], 0)
    note = _SEMITONES[text[0].lower()] + sharp + 12 * (int(re.findall(r"-?\d+$", text)[0]) + 1)
    return note if 0 <= note <= 127 else None


def read_name(stem: str, pattern: str) -> Strike | None:
    """Return what a file's name (without its ending) says by a pattern; none if it does not fit.

    Raises
    ------
    InvalidInput
        If the pattern has no field, or one that there is not.

    Examples
    --------
    >>> read_name("Plank_C2_soft_near", "{name}_{note}_{strength}_{mic}")
    Strike(name='Plank', note=36, strength='soft', mic='near', take=None)
    """
    match = _compiled(pattern).fullmatch(stem.strip())
    if match is None:
        return None
    parts = match.groupdict()
    note = read_note(parts["note"]) if parts.get("note") else None
    if parts.get("note") and note is None:
        return None
    take = int(re.sub(r"\D", "", parts["take"])) if parts.get("take") else None
    return Strike((parts.get("name") or "").strip(), note, parts.get("strength"), parts.get("mic"), take)


def propose_pattern(stems: Sequence[str]) -> str:
    """Return the pattern that most of these names seem to follow.

    Names are taken apart at their separators; each place is told by what stands there: notes, words for strengths,
    words for microphones or values that come with every other, numbers of takes; the rest is the name.

    Examples
    --------
    >>> propose_pattern(["Bell_C3_soft_near", "Bell_C3_soft_far", "Bell_C3_hard_near", "Bell_C3_hard_far"])
    '{name}_{note}_{strength}_{mic}'
    >>> propose_pattern(["Plank", "Chain two"])
    '{name}'
    """
    split = [_SEPARATORS.split(stem.strip()) for stem in stems]
    if not split:
        return "{name}"
    count, _ = Counter(len(parts) for parts in split).most_common(1)[0]
    alike = [parts for parts in split if len(parts) == count]
    columns = list(zip(*alike, strict=True))
    if count == 1 or len(alike) < 0.5 * len(split):
        return "{name}"
    kinds = _kinds(columns[::2])
    made: list[str] = []
    for at, kind in enumerate(kinds):
        if kind == "name" and made and made[-1] == "{name}":
            continue
        separator = "" if not at else Counter(columns[2 * at - 1]).most_common(1)[0][0]
        made += [separator, "{" + kind + "}"] if at else ["{" + kind + "}"]
    return "".join(made)


def _kinds(columns: Sequence[Sequence[str]]) -> list[str]:
    """Return what each column of words is; each kind but the name is given once."""
    kinds = ["name"] * len(columns)

    def give(kind: str, fits: Iterable[bool]) -> None:
        places = [at for at, fit in enumerate(fits) if fit and kinds[at] == "name"]
        if places and len([k for k in kinds if k == "name"]) > 1:
            kinds[places[-1]] = kind

    give("note", (_mostly(column, lambda text: re.fullmatch(_NOTE, text) is not None) for column in columns))
    give("mic", (_mostly(column, lambda text: re.sub(r"\d+$", "", text.lower()) in _MICS) for column in columns))
    give(
        "strength",
        (
            _mostly(column, lambda t: t.lower() in STRENGTH_WORDS or bool(re.fullmatch(r"v\d{1,3}", t.lower())))
            for column in columns
        ),
    )
    if "note" not in kinds:
        give("note", (all(text.isdigit() and _LEAST_KEY <= int(text) <= 127 for text in column) for column in columns))
    take = re.compile(r"(?:rr|t|take)?\d{1,3}", re.IGNORECASE)
    give("take", (_mostly(column, lambda text: take.fullmatch(text) is not None) for column in columns))
    return kinds


def _mostly(column: Sequence[str], fits: Callable[[str], bool]) -> bool:
    return sum(fits(text) for text in column) >= 0.8 * len(column)


def files_of_hits(strikes: Mapping[Key, Strike]) -> list[list[Key]]:
    """Return the files that are one hit together, each of its microphones once, in the order of their first.

    What is called the same as another, as a file in another folder may be, is another hit: two files of one name are no
    two microphones.

    Examples
    --------
    >>> near, far = Strike("Oar", mic="near"), Strike("Oar", mic="far")
    >>> files_of_hits({"oak 1": near, "oak 2": far, "ash 1": near, "ash 2": far})
    [['oak 1', 'oak 2'], ['ash 1', 'ash 2']]
    """
    seen: Counter[Strike] = Counter()
    hits: dict[tuple[Strike, int], list[Key]] = {}
    for key, strike in strikes.items():
        hits.setdefault((strike.hit, seen[strike]), []).append(key)
        seen[strike] += 1
    return list(hits.values())


@dataclass(frozen=True, slots=True)
class NameGrid:
    """What a folder of names amounts to: names that do not fit, what is missing, takes to set aside, names that come twice."""

    unfit: tuple[str, ...]
    missing: tuple[str, ...]
    further_takes: tuple[str, ...]
    twice: tuple[str, ...] = ()


def grid(stems: Sequence[str], pattern: str) -> NameGrid:
    """Return what does not fit, what is missing and which are further takes among these names.

    Every name and note is expected in every strength, and every hit from every microphone. Of takes of one hit the
    first is kept.
    """
    read = {stem: read_name(stem, pattern) for stem in stems}
    fit = {stem: strike for stem, strike in read.items() if strike is not None}
    first: dict[tuple[str, int | None, str | None, str | None], int] = {}
    for strike in fit.values():
        key = (strike.name, strike.note, strike.strength, strike.mic)
        first[key] = min(first.get(key, 1 << 30), strike.take or 0)
    further_takes = [stem for stem, s in fit.items() if (s.take or 0) > first[s.name, s.note, s.strength, s.mic]]
    return NameGrid(
        tuple(stem for stem, strike in read.items() if strike is None),
        missing_from([*fit.values()]),
        tuple(further_takes),
        tuple(stem for stem, count in Counter(stems).items() if count > 1),
    )


def missing_from(strikes: Sequence[Strike]) -> tuple[str, ...]:
    """Return what a kit lacks: every name and note is expected in every strength, every hit and take from every microphone.

    Examples
    --------
    >>> missing_from([Strike("Oar", None, "soft", "near"), Strike("Oar", None, "soft", "far"), Strike("Oar", None, "hard", "far")])
    ('Oar hard near',)
    """
    strengths: list[str | None] = [*order_strengths(s.strength for s in strikes if s.strength).order] or [None]
    mics: list[str | None] = [*sorted({s.mic for s in strikes if s.mic})] or [None]
    there: dict[tuple[str, int | None], set[tuple[str | None, str | None]]] = defaultdict(set)
    heard: dict[Strike, set[str | None]] = defaultdict(set)
    for strike in strikes:
        there[strike.name, strike.note].add((strike.strength, strike.mic))
        heard[replace(strike, mic=None)].add(strike.mic)
    whole = [
        _in_words(Strike(name, note, strength, mic))
        for (name, note), have in there.items()
        for strength, mic in product(strengths, mics)
        if (strength, mic) not in have
    ]
    takes = [
        f"{_in_words(replace(take, mic=mic))} take {take.take}"
        for take, by in heard.items()
        for mic in mics
        if take.take is not None and mic not in by and (take.strength, mic) in there[take.name, take.note]
    ]
    return (*whole, *takes)


def _in_words(strike: Strike) -> str:
    note = None if strike.note is None else note_name(strike.note)
    return " ".join(text for text in (strike.name, note, strike.strength, strike.mic) if text)


def _compiled(pattern: str) -> re.Pattern[str]:
    fields = _FIELD.findall(pattern)
    if not fields or set(fields) - set(FIELDS) or len(set(fields)) < len(fields):
        known = ", ".join(f"{{{field}}}" for field in FIELDS)
        raise InvalidInput(f"a pattern for file names needs at least one of these fields, and none twice: {known}")
    pieces = re.split(r"(\{\w+\})", pattern)
    return re.compile(
        "".join(f"(?P<{p[1:-1]}>{_PARTS[p[1:-1]]})" if _FIELD.fullmatch(p) else re.escape(p) for p in pieces),
        re.IGNORECASE,
    )
