"""The verdicts of a hit's head: how late it speaks, and how sure its onset is."""

from __future__ import annotations

from collections.abc import Mapping

from wemble.core.check.edges import Verdict, sentence
from wemble.core.check.table import Check, state_of
from wemble.core.edit.model import Clip, Side

HIT_CHECKS: Mapping[Side, frozenset[Check]] = {
    "head": frozenset({"click", "attack"}),
    "tail": frozenset({"click", "tail"}),
}
"""What is asked of a hit's edges besides: no voice is looked for outside it, and its ring-out may be faded."""


def late_ms(clip: Clip, rate_hz: int) -> float:
    """Return how long after its head a hit speaks; 0 where nothing was found."""
    return 0.0 if clip.sound_start_frame is None else (clip.sound_start_frame - clip.head_frame) * 1000.0 / rate_hz


def hit_verdicts(clip: Clip, rate_hz: int) -> list[Verdict]:
    """Return what is to be said of a hit's head."""
    late = late_ms(clip, rate_hz)
    doubt = 1.0 - (clip.confidence if clip.confidence is not None else 1.0)
    cut_in = max(-late, 0.0)
    figures: list[tuple[Check, float]] = [("late", max(late, 0.0)), ("cut_in", cut_in), ("start", doubt)]
    verdicts = []
    for check, figure in figures:
        state = state_of(check, figure)
        text = clip.reason if check == "start" and clip.reason else sentence(check, state, figure)
        verdicts.append(Verdict("head", check, state, round(figure, 3), text))
    return sorted(verdicts, key=lambda verdict: -("fine", "look", "fail").index(verdict.state))
