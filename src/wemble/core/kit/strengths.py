"""Which of the strengths that file names say is the softest: by number, by words that are known, else by measured loudness."""

from __future__ import annotations

import re
from collections import defaultdict
from collections.abc import Iterable, Mapping, Sequence
from dataclasses import dataclass
from itertools import pairwise
from statistics import fmean
from typing import Literal

_DYNAMICS = ("ppp", "pp", "p", "mp", "mf", "f", "ff", "fff")
_GRADES = (
    ("ghost", "softest", "quietest", "lightest"),
    ("soft", "quiet", "light", "gentle", "weak", "lo", "low", "s"),
    ("medium", "med", "mid", "middle", "normal", "m"),
    ("hard", "loud", "heavy", "strong", "hi", "high", "h"),
    ("accent", "hardest", "loudest", "heaviest", "strongest"),
)
_ALSO_OTHER_THINGS = frozenset({"low", "high", "normal", "s", "m", "h"})
"""Words that order strengths once a pattern says that they are some; by themselves they may be a drum or a side."""
STRENGTH_WORDS = frozenset(_DYNAMICS) | {word for words in _GRADES for word in words} - _ALSO_OTHER_THINGS
"""Words that tell a strength wherever they stand in a name."""
CLEARLY_DB = 1.0
"""Strengths whose loudness differs by less are equally loud (our choice: about what is just heard)."""
_NUMBER = re.compile(r"v?\d{1,3}")


@dataclass(frozen=True, slots=True)
class Level:
    """How loud one hit is, in dB; ``thing`` is what is the same for hits that only differ in strength."""

    thing: object
    strength: str
    level_db: float


@dataclass(frozen=True, slots=True)
class StrengthOrder:
    """Strengths from the softest to the hardest, by what they were ordered, and what is doubtful about it, in sentences."""

    order: tuple[str, ...]
    by: Literal["number", "words", "loudness", "name"]
    doubts: tuple[str, ...] = ()


def order_strengths(strengths: Iterable[str], levels: Sequence[Level] = ()) -> StrengthOrder:
    """Order strengths by what their names say, and where they say nothing by how loud they are.

    Where names and loudness disagree the names count, and the disagreement is told. Without levels what is not known
    comes in the order of its name.

    Examples
    --------
    >>> order_strengths(["hard", "soft", "medium"]).order, order_strengths(["v10", "v2"]).order
    (('soft', 'medium', 'hard'), ('v2', 'v10'))
    >>> order_strengths(["brush", "stick"], [Level("snare", "brush", -10.0), Level("snare", "stick", -20.0)]).order
    ('stick', 'brush')
    """
    distinct = sorted(set(strengths))
    loudness = _loudness(levels)
    said, by = _said(distinct)
    if said is not None:
        upside_down = [
            f"“{soft}” is {loudness[soft] - loudness[hard]:.1f} dB louder than “{hard}”, though its name says softer: "
            "listen to both, and rename one if they are the wrong way round"
            for soft, hard in pairwise(said)
            if soft in loudness and hard in loudness and loudness[soft] - loudness[hard] >= CLEARLY_DB
        ]
        return StrengthOrder(tuple(said), by, tuple(upside_down))
    if not all(strength in loudness for strength in distinct):
        return StrengthOrder(tuple(distinct), "name", ())
    order = sorted(distinct, key=lambda strength: (loudness[strength], strength))
    alike = [
        f"“{soft}” and “{hard}” are equally loud, and their names do not say which is softer: rename them"
        for soft, hard in pairwise(order)
        if loudness[hard] - loudness[soft] < CLEARLY_DB
    ]
    told = f"the names of the strengths say no order, so they are ordered by loudness: {', '.join(order)}"
    return StrengthOrder(tuple(order), "loudness", (told, *alike))


def _said(distinct: Sequence[str]) -> tuple[list[str] | None, Literal["number", "words"]]:
    """Return strengths in the order that their names say, or none."""
    if all(_NUMBER.fullmatch(strength.lower()) for strength in distinct):
        return sorted(distinct, key=lambda strength: (int(strength.lower().lstrip("v")), strength)), "number"
    ranks = _ranks(_DYNAMICS) if all(s.lower() in _DYNAMICS for s in distinct) else _GRADE_OF
    found = [ranks.get(strength.lower()) for strength in distinct]
    if None in found or len(set(found)) < len(found):
        return None, "words"
    return sorted(distinct, key=lambda strength: ranks[strength.lower()]), "words"


def _ranks(words: Sequence[str]) -> dict[str, int]:
    return {word: rank for rank, word in enumerate(words)}


_GRADE_OF = {word: rank for rank, words in enumerate(_GRADES) for word in words}


def _loudness(levels: Sequence[Level]) -> Mapping[str, float]:
    """Return how loud each strength is beside the others of the same things, in dB."""
    of_thing: dict[object, list[Level]] = defaultdict(list)
    for level in levels:
        of_thing[level.thing].append(level)
    beside: dict[str, list[float]] = defaultdict(list)
    for members in of_thing.values():
        means = {s: fmean(m.level_db for m in members if m.strength == s) for s in {m.strength for m in members}}
        for strength, mean in means.items():
            if len(means) > 1:  # alone it says nothing of strength
                beside[strength].append(mean - fmean(means.values()))
    return {strength: fmean(found) for strength, found in beside.items()}
