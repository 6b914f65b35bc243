"""What a hand changed on edges, and to which sound each change belongs when sounds are found again."""

from __future__ import annotations

from collections.abc import Iterable, Mapping, Sequence

from wemble.core.edit.model import Correction, Side

Span = tuple[int, int]
_NEAR_S = 0.3
"""By so much an edge moves when it is found with other numbers, with a breath say (our choice)."""
Owners = Mapping[tuple[Side, Span], Correction]


def owners(corrections: Iterable[Correction], sounds: Sequence[Span], rate_hz: int) -> Owners:
    """Return the correction of every edge that has one, by side and sound.

    A correction belongs to one edge of one sound. What was one sound when a hand put its edge, and is several now, gives
    its head to the first of them that reaches beyond that edge, and its tail to the last. Where several are one now, only
    the first still has its head, and the last its tail; what was set inside waits until they are found apart again.
    """
    found: dict[tuple[Side, Span], Correction] = {}
    for one in corrections:
        overlapping = [s for s in sounds if one.sound_start_frame < s[1] and s[0] < one.sound_end_frame]
        if one.edge_frame is not None:
            edge = one.edge_frame
            overlapping = [s for s in overlapping if (s[1] > edge if one.side == "head" else s[0] < edge)]
        if not overlapping:
            continue
        sound = overlapping[0 if one.side == "head" else -1]
        key = (one.side, sound)
        if _lies_inside(one, sound, rate_hz):
            continue
        if key not in found or _is_outside(one, found[key]):
            found[key] = one
    return found


def _lies_inside(one: Correction, sound: Span, rate_hz: int) -> bool:
    """Say whether a sound goes on so far beyond the edge of what was corrected that this is no edge of it any more."""
    shared = min(one.sound_end_frame, sound[1]) - max(one.sound_start_frame, sound[0])
    beyond = one.sound_start_frame - sound[0] if one.side == "head" else sound[1] - one.sound_end_frame
    return beyond > max(shared / 2, _NEAR_S * rate_hz)


def _is_outside(one: Correction, other: Correction) -> bool:
    if one.side == "head":
        return one.sound_start_frame < other.sound_start_frame
    return one.sound_start_frame > other.sound_start_frame
