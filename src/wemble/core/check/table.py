"""The one table of checks: what each measures, and from which figure on it asks to be looked at or fails."""

from __future__ import annotations

from dataclasses import dataclass
from typing import Literal

Check = Literal[
    "click",
    "tail",
    "air",
    "speech_clipped",
    "attack",
    "weak",
    "programme_end",
    "outside",
    "join",
    "late",
    "cut_in",
    "start",
    "end",
    "whose",
    "within",
]
State = Literal["fine", "look", "fail"]


@dataclass(frozen=True, slots=True)
class Definition:
    """A check: its figure in words, its unit, the figure from which on it asks for a look, and the one that fails."""

    measures: str
    unit: str
    look_from: float
    fail_from: float


TABLE: dict[Check, Definition] = {
    # Twice what the surroundings do by themselves: once is common at a cut through noise, which does not click.
    "click": Definition(
        "how far the edge departs from what its surroundings predict", "× the local residual", 2.0, 6.0
    ),
    "tail": Definition("10 ms RMS before the fade, over the floor", "dB", 3.0, 9.0),
    "air": Definition("time from the head to the sound", "s", 0.5, 2.0),
    "speech_clipped": Definition("upper band within 30 ms outside the edge, over its floor", "dB", 6.0, 12.0),
    "weak": Definition("loudest 10 ms of the sound, under the loudest of the recording", "dB", 15.0, 30.0),
    "join": Definition("level inside a crossfade, outside that of its surroundings", "dB", 3.0, 9.0),
    "programme_end": Definition("10 ms RMS before the end mark, over the floor", "dB", 3.0, 9.0),
    "outside": Definition("loudest 10 ms outside the programme, over the floor", "dB", 10.0, 1000.0),
    # Ten milliseconds late is heard in rhythm; half a millisecond into an attack dulls it (both common practice).
    "late": Definition("time from the head of a hit to its onset", "ms", 10.0, 30.0),
    "cut_in": Definition("how far a head lies inside the attack of its hit", "ms", 0.5, 2.0),
    "start": Definition("doubt about an onset, 0 to 1", "", 0.5, 1.01),
    "end": Definition("doubt about an end, 0 to 1", "", 0.5, 1.01),
    "whose": Definition("doubt whether a sound is its own lane's, 0 to 1", "", 0.5, 1.01),
    # What is outside of nine in ten is cut once in twenty; 5 ms of a word are missed (the limit of the job's own figures).
    "within": Definition("how far beyond a clip's edge its sound may begin or end", "ms", 5.0, 1e9),
    "attack": Definition("how far the fade reaches into the sound", "ms", 0.5, 5.0),
}


def state_of(check: Check, figure: float) -> State:
    """Return what a figure means for a check.

    Examples
    --------
    >>> state_of("tail", 2.9), state_of("tail", 3.1)
    ('fine', 'look')
    """
    definition = TABLE[check]
    if figure >= definition.fail_from:
        return "fail"
    return "look" if figure >= definition.look_from else "fine"
