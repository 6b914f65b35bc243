"""What stays of the quiet between two sounds when it is closed up."""

from __future__ import annotations

from bisect import bisect_left, bisect_right
from collections.abc import Sequence
from dataclasses import dataclass
from operator import itemgetter

from wemble.core.edit.model import Side

Span = tuple[int, int]


@dataclass(frozen=True, slots=True)
class Room:
    """What an edge keeps beside its sound, in source frames; ``held`` if a hand put the edge there."""

    frames: int
    held: bool = False


@dataclass(frozen=True, slots=True)
class Pause:
    """What lies between two sounds, in source frames: quiet after the one, room tone, quiet before the other."""

    after: int
    tone: int
    before: int


@dataclass(frozen=True, slots=True)
class Closing:
    """How quiet is closed up, in source frames: to a longest pause, ``clear`` of what was left out.

    ``dropped`` stands out of the floor and was left out, as breaths are, in order and apart.
    """

    longest: int
    clear: int
    dropped: Sequence[Span] = ()

    def dropped_in(self, span: Span) -> list[Span]:
        """Return what was left out in a span."""
        first = bisect_right(self.dropped, span[0], key=itemgetter(1))
        return list(self.dropped[first : bisect_left(self.dropped, span[1], key=itemgetter(0))])


def pause_between(gap: Span, after: Room, before: Room, closing: Closing) -> Pause:
    """Return what stays of a gap, from the end of a sound to the start of the next.

    The rooms come first, then the clean quiet next to them, half from each side; rooms that are more than the longest
    pause share it. Nothing is taken of what was left out: where that leaves too little, the rest is for room tone. What
    a hand holds stays, whatever that comes to.

    Examples
    --------
    >>> pause_between((0, 1000), Room(100), Room(50), Closing(400, 5))
    Pause(after=225, tone=0, before=175)
    >>> pause_between((0, 1000), Room(100), Room(50), Closing(400, 5, [(110, 980)]))
    Pause(after=105, tone=280, before=15)
    """
    length, clear = gap[1] - gap[0], closing.clear
    wanted = min(length, closing.longest)
    inside = closing.dropped_in(gap)
    clean_after = _clean(inside[0][0] - gap[0] if inside else length + clear, after, clear)
    clean_before = _clean(gap[1] - inside[-1][1] if inside else length + clear, before, clear)
    spare = wanted - after.frames - before.frames
    rooms = max(after.frames + before.frames, 1)
    first = after.frames + spare // 2 if spare >= 0 else wanted * after.frames // rooms
    if before.held:
        first = wanted - before.frames
    if after.held:
        first = after.frames
    first = max(min(first, clean_after), 0)
    second = before.frames if before.held else max(min(wanted - first, clean_before), 0)
    if not after.held:
        first = max(min(wanted - second, clean_after), 0)
    tone = wanted - first - second
    return Pause(first, tone if inside and tone > clear else 0, second)


def room_outside(quiet: Span, room: Room, side: Side, closing: Closing) -> int:
    """Return how many frames stay of the quiet in front of the first sound, at its head, or behind the last one.

    That is the room, or half of the longest pause where that is more and the quiet is clean.
    """
    length, inside = quiet[1] - quiet[0], closing.dropped_in(quiet)
    nearest = length + closing.clear
    if inside:
        nearest = quiet[1] - inside[-1][1] if side == "head" else inside[0][0] - quiet[0]
    return (
        room.frames if room.held else min(max(room.frames, min(closing.longest // 2, nearest - closing.clear)), length)
    )


def _clean(nearest: int, room: Room, clear: int) -> int:
    """Return how much quiet there is up to what was left out; all of a room that a hand opened across it."""
    return max(room.frames, nearest - clear) if room.held else max(nearest - clear, 0)
