"""The verdicts of a hit's edges: how late it speaks, and how sure its onset and its end are."""

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


def hit_verdicts(clip: Clip, rate_hz: int, side: Side = "head") -> list[Verdict]:
    """Return what is to be said of a hit's head, or of its tail, the gravest first."""
    if side == "tail":
        return [doubt_verdict("tail", "end", clip.end_confidence, clip.end_reason)]
    if clip.sound_start_frame is None:
        return [doubt_verdict("head", "start", clip.confidence, clip.reason)]
    late = late_ms(clip, rate_hz)
    verdicts = []
    figures: list[tuple[Check, float]] = [("late", max(late, 0.0)), ("cut_in", max(-late, 0.0))]
    for check, figure in figures:
        state = state_of(check, figure)
        verdicts.append(Verdict("head", check, state, round(figure, 3), sentence(check, state, figure)))
    verdicts.append(doubt_verdict("head", "start", clip.confidence, clip.reason))
    return sorted(verdicts, key=lambda verdict: -("fine", "look", "fail").index(verdict.state))


def doubt_verdict(side: Side, check: Check, confidence: float | None, reason: str) -> Verdict:
    """Return what is to be said of how sure something is, 0 to 1; nobody's guess is sure."""
    figure = 1.0 - (confidence if confidence is not None else 1.0)
    state = state_of(check, figure)
    return Verdict(side, check, state, round(figure, 3), reason or sentence(check, state, figure))
