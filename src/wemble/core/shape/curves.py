"""Fade curves.

Conventions: a fade of n frames is sampled at ``u = (k + 1/2) / n``, so that a fade in and a fade out mirror each
other and an equal-gain crossfade sums to 1. As limits, g(0) = 0 and g(1) = 1.

- ``linear``       g = u
- ``equal_power``  g = sin(πu/2): half power in the middle
- ``s``            g = sin²(πu/2), the raised cosine: half the amplitude in the middle, flat at both ends
- ``logarithmic``  g = 10^(−3(1−u)): straight in dB from −60

A bend b in −1…+1 turns u into u^(4^−b) before the shape: positive is louder sooner. Monotonic for every b. A fade that
is drawn goes through points instead, from (0, 0) to (1, 1).
"""

from __future__ import annotations

from typing import Literal, get_args

import numpy as np
from numpy.typing import NDArray

from wemble.core.shape.points import Point, through
from wemble.errors import InvalidInput

Shape = Literal["linear", "equal_power", "s", "logarithmic"]
SHAPES: tuple[Shape, ...] = get_args(Shape)
TABLE_POINTS = 65
"""Points per shape in the table that the interface draws from."""


def curve(u: NDArray[np.float64], shape: Shape, bend: float = 0.0) -> NDArray[np.float64]:
    """Return the gain of a fade in at positions ``u``.

    Parameters
    ----------
    u : float64 array in 0…1
    shape : one of `SHAPES`
    bend : float in −1…+1

    Raises
    ------
    InvalidInput
        If the shape is unknown or the bend out of range.

    Examples
    --------
    >>> curve(np.array([0.5]), "s").round(3).tolist(), curve(np.array([0.5]), "equal_power").round(3).tolist()
    ([0.5], [0.707])
    """
    if not -1.0 <= bend <= 1.0:
        raise InvalidInput(f"a bend must be between −1 and +1, not {bend:g}")
    bent = u if bend == 0.0 else np.power(u, 4.0**-bend)
    match shape:
        case "linear":
            return np.array(bent)
        case "equal_power":
            return np.asarray(np.sin(0.5 * np.pi * bent))
        case "s":
            return np.asarray(np.square(np.sin(0.5 * np.pi * bent)))
        case "logarithmic":
            return np.asarray(np.power(10.0, -3.0 * (1.0 - bent)))
    raise InvalidInput(f"a fade's shape is one of {', '.join(SHAPES)}, not {shape!r}")


def fade_in_gain(
    length_frames: int,
    shape: Shape,
    bend: float = 0.0,
    points: tuple[Point, ...] = (),
    *,
    start: int = 0,
    stop: int | None = None,
) -> NDArray[np.float64]:
    """Return the gain for frames ``[start, stop)`` of a fade in that is ``length_frames`` long.

    With ``points``, (part of the fade, gain) inside 0…1 each, the curve goes through them in the place of the shape.
    Any part of a curve is the same as that part of the whole curve, to the bit.
    """
    at = np.arange(start, length_frames if stop is None else stop, dtype=np.float64)
    u = (at + 0.5) / length_frames
    if not points:
        return curve(u, shape, bend)
    bent = u if bend == 0.0 else np.power(u, 4.0**-bend)
    return np.clip(through([(0.0, 0.0), *points, (1.0, 1.0)], bent), 0.0, 1.0)


def fade_out_gain(
    length_frames: int,
    shape: Shape,
    bend: float = 0.0,
    points: tuple[Point, ...] = (),
    *,
    start: int = 0,
    stop: int | None = None,
) -> NDArray[np.float64]:
    """Return the gain for frames ``[start, stop)`` of a fade out: the mirror image of the fade in."""
    last = length_frames if stop is None else stop
    return fade_in_gain(length_frames, shape, bend, points, start=length_frames - last, stop=length_frames - start)[
        ::-1
    ]


def passes_at(level_db: float, shape: Shape, bend: float = 0.0) -> float:
    """Return the part of a fade in, 0…1, after which its gain is at or above ``level_db``.

    Examples
    --------
    >>> passes_at(-20.0, "linear")
    0.1
    """
    gain = 10.0 ** (level_db / 20.0)
    match shape:
        case "linear":
            u = gain
        case "equal_power":
            u = 2.0 / np.pi * np.arcsin(gain)
        case "s":
            u = 2.0 / np.pi * np.arcsin(np.sqrt(gain))
        case "logarithmic":
            u = max(0.0, 1.0 + np.log10(gain) / 3.0)
    return float(u ** (4.0**bend))


def table() -> dict[str, list[float]]:
    """Return the gain of every unbent shape at `TABLE_POINTS` equal steps of u, for drawing.

    A bend is applied to u by whoever looks up; the ends are the limits 0 and 1.
    """
    u = np.linspace(0.0, 1.0, TABLE_POINTS)
    drawn = {shape: curve(u, shape) for shape in SHAPES}
    drawn["logarithmic"][0] = 0.0
    return {shape: [round(float(gain), 6) for gain in gains] for shape, gains in drawn.items()}
