"""The verdicts of one edge, from the samples around it."""

from __future__ import annotations

from collections.abc import Iterable
from dataclasses import dataclass, replace

import numpy as np
from numpy.typing import NDArray

from wemble.core.check.click import CONTEXT_MS, click_figure
from wemble.core.check.table import TABLE, Check, State, state_of
from wemble.core.edges.recipe import Recipe
from wemble.core.edges.refine import BandFloors, Read, band_levels_db
from wemble.core.edit.model import Clip, Fade, Side
from wemble.core.edit.treatment import FadeFor
from wemble.core.shape.curves import fade_in_gain, fade_out_gain
from wemble.core.signal.levels import ms_to_frames

OUTSIDE_MS = 30.0
_LADDER = (1.0, 1.5, 2.5, 5.0)
"""Factors by which an automatic fade is lengthened while its edge still clicks."""


@dataclass(frozen=True, slots=True)
class Verdict:
    """What one check says of one edge: a state, the figure behind it, and the sentence."""

    side: Side
    check: Check
    state: State
    figure: float
    text: str


@dataclass(frozen=True, slots=True)
class Edge:
    """One edge of a clip, as the checks see it; frames of the source. ``joined`` edges have a crossfade instead."""

    side: Side
    frame: int
    sound_frame: int | None
    fade: Fade | None
    joined: bool
    clip_frames: int
    outside_frames: int = 1 << 62
    """How much of the source there is beyond the edge."""

    def without_fade(self) -> Edge:
        """Return the edge as a hard cut."""
        return replace(self, fade=None)


def edge_of(clip: Clip, side: Side, *, joined: bool, source_frames: int) -> Edge:
    """Return one edge of a clip."""
    if side == "head":
        return Edge(side, clip.head_frame, clip.sound_start_frame, clip.fade_in, joined, clip.frames, clip.head_frame)
    beyond = source_frames - clip.tail_frame
    return Edge(side, clip.tail_frame, clip.sound_end_frame, clip.fade_out, joined, clip.frames, beyond)


def edge_verdicts(
    read: Read, edge: Edge, *, rate_hz: int, floors: BandFloors, under_peak_db: float | None = None
) -> list[Verdict]:
    """Return every verdict of an edge, the gravest first.

    Reads about 30 ms around the edge and its fade. ``floors`` are those of the source; ``under_peak_db`` says how much
    quieter than the recording's loudest the sound is, which is told at its head.
    """
    figures: list[tuple[Check, float]] = []
    if edge.side == "head" and under_peak_db is not None:
        figures.append(("weak", max(under_peak_db, 0.0)))
    if not edge.joined:
        figures.append(("click", edge_click(read, edge, rate_hz)))
        figures.append(("speech_clipped", _outside_over_floor_db(read, edge, rate_hz, floors)))
    if edge.side == "tail" and not edge.joined:
        figures.append(("tail", tail_over_floor_db(read, edge, rate_hz, floors)))
    if edge.sound_frame is not None:
        inward = (edge.sound_frame - edge.frame) * _inward(edge)
        if edge.side == "head":
            figures.append(("air", max(inward, 0) / rate_hz))
        reach = edge.fade.length_frames if edge.fade else 0
        figures.append(("attack", max(reach - max(inward, 0), 0) * 1000.0 / rate_hz if reach else 0.0))
    return gravest_first([_verdict(edge.side, check, figure) for check, figure in figures])


def within_verdict(clip: Clip, side: Side, rate_hz: int) -> list[Verdict]:
    """Return what is known of where a sound begins or ends, and whether the room there holds it; nothing where nobody knows.

    Of a hit it is told, and no more: what is doubtful about it is said by its own checks.
    """
    bounds = clip.starts_within if side == "head" else clip.ends_within
    if bounds is None:
        return []
    width_ms = (bounds[1] - bounds[0]) * 1000.0 / rate_hz
    beyond = clip.head_frame - bounds[0] if side == "head" else bounds[1] - clip.tail_frame
    figure = max(beyond, 0) * 1000.0 / rate_hz
    state = state_of("within", figure) if clip.confidence is None else "fine"
    end = "start" if side == "head" else "end"
    text = (
        sentence("within", state, figure)
        if state != "fine"
        else f"{end} known within {width_ms:.{1 if width_ms < 10 else 0}f} ms"
    )
    return [Verdict(side, "within", state, round(figure, 3), text)]


def gravest_first(verdicts: Iterable[Verdict]) -> list[Verdict]:
    """Return verdicts with the one first that says most of the edge: whoever shows one shows that."""
    return sorted(
        verdicts, key=lambda v: (-("fine", "look", "fail").index(v.state), -v.figure / TABLE[v.check].look_from)
    )


def edge_click(read: Read, edge: Edge, rate_hz: int) -> float:
    """Return the click figure of an edge with its fade."""
    context = ms_to_frames(CONTEXT_MS, rate_hz)
    length = min(edge.fade.length_frames if edge.fade else 0, edge.clip_frames)
    inside = min(length + context, edge.clip_frames)
    gain = np.zeros(context + inside)
    if edge.side == "head":
        gain[context:] = 1.0
        if edge.fade and length:
            gain[context : context + length] = fade_in_gain(length, edge.fade.shape, edge.fade.bend, edge.fade.points)
        known = slice(max(context - edge.outside_frames, 0), None)
        return click_figure(read(edge.frame - context, context + inside), gain, rate_hz=rate_hz, known=known)
    gain[:inside] = 1.0
    if edge.fade and length:
        gain[inside - length : inside] = fade_out_gain(length, edge.fade.shape, edge.fade.bend, edge.fade.points)
    known = slice(None, inside + min(edge.outside_frames, context))
    return click_figure(read(edge.frame - inside, context + inside), gain, rate_hz=rate_hz, known=known)


def automatic_fade_frames(read: Read, edge: Edge, fade: Fade, *, rate_hz: int) -> int:
    """Return the length of an automatic fade: the shortest on a ladder from the one asked for that does not click.

    It never reaches the sound; where nothing on the ladder is free of clicks, the longest that fits is taken and the
    check will say so.
    """
    room = edge.clip_frames if edge.sound_frame is None else max((edge.sound_frame - edge.frame) * _inward(edge), 0)
    length = 0
    for factor in _LADDER:
        length = min(round(fade.length_frames * factor), room)
        candidate = Edge(edge.side, edge.frame, edge.sound_frame, _of_length(fade, length), False, edge.clip_frames)
        if length == room or state_of("click", edge_click(read, candidate, rate_hz)) == "fine":
            break
    return length


def automatic_fades(read: Read, recipe: Recipe, *, rate_hz: int) -> FadeFor:
    """Return what gives every edge of a source its automatic fade under a recipe; none if the recipe asks for 0 ms."""
    asked = Fade(ms_to_frames(recipe.fade_ms, rate_hz), recipe.fade_shape)

    def length(side: Side, edge_frame: int, sound_frame: int) -> int:
        edge = Edge(side, edge_frame, sound_frame, None, False, abs(sound_frame - edge_frame) + rate_hz)
        return automatic_fade_frames(read, edge, asked, rate_hz=rate_hz) if asked.length_frames else 0

    return length


def _of_length(fade: Fade, length: int) -> Fade | None:
    return replace(fade, length_frames=length) if length else None


def _inward(edge: Edge) -> int:
    return 1 if edge.side == "head" else -1


def _outside_over_floor_db(read: Read, edge: Edge, rate_hz: int, floors: BandFloors) -> float:
    frames, context = ms_to_frames(OUTSIDE_MS, rate_hz), ms_to_frames(10.0, rate_hz)
    start = edge.frame - frames if edge.side == "head" else edge.frame
    upper = band_levels_db(read(start - context, frames + 2 * context), rate_hz)[1][context : context + frames]
    return max(float(upper.max(initial=floors.upper_db)) - max(floors.upper_db, floors.upper_top_db - 3.0), 0.0)


def tail_over_floor_db(read: Read, edge: Edge, rate_hz: int, floors: BandFloors) -> float:
    """Return how far the 10 ms before a tail's fade lie over the floor, in dB."""
    window = ms_to_frames(10.0, rate_hz)
    at = edge.frame - (edge.fade.length_frames if edge.fade else 0)
    samples = read(at - window, window)
    level = _mean_square_db(samples)
    return max(level - max(floors.full_db, floors.full_top_db - 3.0), 0.0)


def _mean_square_db(samples: NDArray[np.float32]) -> float:
    power = float(np.mean(np.square(samples, dtype=np.float64), axis=1).max(initial=0.0))
    return float(10.0 * np.log10(max(power, 1e-20)))


_SENTENCES: dict[Check, tuple[str, str]] = {
    "click": ("{figure:.1f}× the local residual", "clicks, {figure:.1f}× the local residual"),
    "tail": ("tail {figure:.1f} dB over the floor", "tail cut {figure:.1f} dB over the floor"),
    "air": ("{figure:.2f} s before the sound", "{figure:.2f} s of air in front"),
    "speech_clipped": (
        "{figure:.1f} dB outside in the upper band",
        "soft consonant cut off, {figure:.1f} dB over the floor",
    ),
    "weak": ("{figure:.0f} dB under the loudest", "may not be speech, {figure:.0f} dB quieter than the loudest"),
    "join": ("level within {figure:.1f} dB across the join", "level off by {figure:.1f} dB at the join"),
    "programme_end": ("{figure:.1f} dB over the floor", "the end mark cuts sound {figure:.1f} dB over the floor"),
    "outside": ("nothing outside the programme", "sound outside the programme, {figure:.0f} dB over the floor"),
    "late": ("starts {figure:.1f} ms after its head", "starts {figure:.1f} ms late"),
    "cut_in": ("attack complete", "{figure:.1f} ms of the attack cut off"),
    "start": ("clear start", "unsure start"),
    "end": ("clear end", "unsure end"),
    "whose": ("clearly its own", "may be another's voice"),
    "within": ("room enough", "{figure:.0f} ms of the sound may lie beyond the edge"),
    "attack": ("fade clear of the sound", "fade reaches {figure:.1f} ms into the sound"),
}


def sentence(check: Check, state: State, figure: float) -> str:
    """Return what a check says in words."""
    return _SENTENCES[check][state != "fine"].format(figure=figure)


def _verdict(side: Side, check: Check, figure: float) -> Verdict:
    state = state_of(check, figure)
    return Verdict(side, check, state, round(figure, 3), sentence(check, state, figure))
