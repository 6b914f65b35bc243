"""A curve through points: for fades that are drawn, and for the level line of a clip."""

from __future__ import annotations

from collections.abc import Sequence
from itertools import pairwise

import numpy as np
from numpy.typing import NDArray
from scipy.interpolate import PchipInterpolator

from wemble.errors import InvalidInput

Point = tuple[float, float]
MOST_POINTS = 64


def through(points: Sequence[tuple[float, float]], at: NDArray[np.float64]) -> NDArray[np.float64]:
    """Return the curve through points at positions ``at``: smooth, never over- or undershooting, flat beyond the ends.

    Parameters
    ----------
    points : (x, y) with x strictly rising; one point is a constant.

    References
    ----------
    Fritsch, Carlson, *Monotone piecewise cubic interpolation*, SIAM J. Numer. Anal. 17, 1980; slopes as in scipy's
    PCHIP (Fritsch, Butland 1984).
    """
    x, y = np.array(points, np.float64).T
    if len(x) == 1:
        return np.full(len(at), y[0])
    return np.asarray(PchipInterpolator(x, y)(np.clip(at, x[0], x[-1])))


def check_points(points: Sequence[tuple[float, float]], *, x: tuple[float, float], y: tuple[float, float]) -> None:
    """Raise `InvalidInput` unless the points rise in x and lie inside ``x`` and ``y``."""
    if len(points) > MOST_POINTS:
        raise InvalidInput(f"a curve can have {MOST_POINTS} points at most, not {len(points)}")
    inside = all(x[0] <= one[0] <= x[1] and y[0] <= one[1] <= y[1] for one in points)
    if not inside or any(one[0] >= other[0] for one, other in pairwise(points)):
        raise InvalidInput(f"the points of a curve must follow each other, between {y[0]:g} and {y[1]:g}")
