"""Recipes: the saved settings for finding and shaping edges, and what becomes of the quiet."""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass
from statistics import median
from typing import Literal, get_args

from wemble.core.edges.floor import Floor
from wemble.core.shape.curves import SHAPES, Shape
from wemble.errors import InvalidInput

Reference = Literal["full_scale", "floor", "peak", "speech"]
Reach = Literal["floor", "threshold", "programme"]
DOUBTFUL = 0.5
"""Under this confidence somebody should look."""
TreatmentKind = Literal["cut", "turn_down", "room_tone", "close_up", "split", "keep_quiet"]
TREATMENTS: tuple[TreatmentKind, ...] = get_args(TreatmentKind)


@dataclass(frozen=True, slots=True)
class Recipe:
    """How sound is told from silence, how much room it keeps, and which fades its edges get.

    ``threshold_db`` counts from full scale; up from the floor, wherever that lies at the time; down from the loudest
    10 ms ("peak": a positive number of dB under it); or down from the recording's speech, but never so low that the noise
    passes it. All but the first mean each recording's own. A sound reaches down to where it leaves the floor, as the soft
    ends of words do, or to the threshold alone, as a hit does among the bleed of others; or all is one, from where the
    programme begins to where its last ring-out meets the floor, and neither threshold nor gaps matter. A breath is left
    out if its loudest lies ``breath_under_db`` or more under the speech, in the mean. With ``own_only`` what a lane hears
    of the others is no sound.
    A fade of 0 ms means no automatic fades.
    """

    threshold_db: float = 14.0
    threshold_from: Reference = "floor"
    shortest_gap_ms: float = 500.0
    shortest_sound_ms: float = 40.0
    room_before_ms: float = 60.0
    room_after_ms: float = 180.0
    breaths_are_sound: bool = False
    breath_under_db: float = 0.0
    reach: Reach = "floor"
    fade_ms: float = 10.0
    fade_shape: Shape = "s"
    own_only: bool = False

    def __post_init__(self) -> None:
        for name, low, high in _LIMITS:
            value = getattr(self, name)
            if not low <= value <= high:
                raise InvalidInput(f"{name} must be between {low:g} and {high:g}, not {value:g}")
        known = self.fade_shape in SHAPES and self.threshold_from in get_args(Reference)
        if not known or self.reach not in get_args(Reach):
            raise InvalidInput(
                f"unknown fade shape {self.fade_shape!r}, reference {self.threshold_from!r} or reach {self.reach!r}"
            )

    def threshold_dbfs(self, floor: Floor) -> float:
        """Return the threshold in dB relative to full scale, where the noise is lowest.

        Examples
        --------
        >>> floor = Floor(-60.0, -80.0, -58.0, -78.0, -57.0, sound_db=-25.0, peak_db=-10.0, confidence=1.0)
        >>> [Recipe(20.0, name).threshold_dbfs(floor) for name in ("floor", "peak", "speech")]
        [-40.0, -30.0, -45.0]
        """
        match self.threshold_from:
            case "full_scale":
                return self.threshold_db
            case "floor":
                return floor.level_db + self.threshold_db
            case "peak":
                return floor.peak_db - self.threshold_db
            case "speech":
                return max(floor.sound_db - self.threshold_db, floor.clear_db)


_LIMITS = (
    ("threshold_db", -120.0, 120.0),
    ("shortest_gap_ms", 0.0, 60_000.0),
    ("shortest_sound_ms", 0.0, 10_000.0),
    ("room_before_ms", 0.0, 60_000.0),
    ("room_after_ms", 0.0, 60_000.0),
    ("breath_under_db", -20.0, 60.0),
    ("fade_ms", 0.0, 60_000.0),
)


@dataclass(frozen=True, slots=True)
class Treatment:
    """What becomes of the quiet.

    ``amount`` is the dB to turn down by, or the seconds to close up to; the other kinds have none.
    """

    kind: TreatmentKind = "cut"
    amount: float = 0.0

    def __post_init__(self) -> None:
        low, high = {"turn_down": (0.0, 120.0), "close_up": (0.0, 60.0)}.get(self.kind, (0.0, 0.0))
        if self.kind not in TREATMENTS or not low <= self.amount <= high:
            raise InvalidInput(
                f"what becomes of the quiet cannot be {self.kind!r} with {self.amount:g}; "
                f"the number must be between {low:g} and {high:g}"
            )

    @property
    def leaves_edges(self) -> bool:
        """Whether every sound ends in edges of its own, which are faded; else it meets the quiet, or what takes its place."""
        return self.kind == "cut"


@dataclass(frozen=True, slots=True)
class HitRecipe:
    """How a hit is found: in a file that is one hit, or (``many``) wherever one begins in a take.

    A hit speaks ``start_under_peak_db`` under its own peak, not further in than ``within_ms``; it is over when its
    ring-out is ``over_floor_db`` above the floor, and keeps ``keep_ms`` more. ``before_ms`` is kept in front. Hits of a
    take lie at most ``softest_under_peak_db`` under its loudest; closer than ``shortest_gap_ms`` they are one. The
    microphones of a hit are cut ``together``, by the one that is named or else by the first to hear it. A fade of 0 ms
    means no automatic fades, as is usual for drums.
    """

    start_under_peak_db: float = 40.0
    within_ms: float = 400.0
    over_floor_db: float = 3.0
    keep_ms: float = 20.0
    before_ms: float = 0.0
    softest_under_peak_db: float = 22.0
    shortest_gap_ms: float = 80.0
    fade_ms: float = 0.0
    fade_shape: Shape = "s"
    many: bool = False
    together: bool = True
    decided_by: str = ""
    kind: Literal["hits"] = "hits"

    def __post_init__(self) -> None:
        for name, low, high in _HIT_LIMITS:
            value = getattr(self, name)
            if not low <= value <= high:
                raise InvalidInput(f"{name} must be between {low:g} and {high:g}, not {value:g}")
        if self.fade_shape not in SHAPES:
            raise InvalidInput(f"unknown fade shape {self.fade_shape!r}")

    @classmethod
    def usual(cls, lengths_s: Sequence[float]) -> HitRecipe:
        """Return the usual recipe for files of these lengths: most of them longer than a hit rings, they are takes.

        Examples
        --------
        >>> HitRecipe.usual([0.4, 1.2, 90.0]).many, HitRecipe.usual([60.0, 90.0]).many
        (False, True)
        """
        return cls(many=bool(lengths_s) and median(lengths_s) > LONGEST_RING_S)


LONGEST_RING_S = 15.0
"""No one-shot is longer, as a rule (our choice)."""

_HIT_LIMITS = (
    ("start_under_peak_db", 6.0, 90.0),
    ("within_ms", 1.0, 60_000.0),
    ("over_floor_db", 0.0, 60.0),
    ("keep_ms", 0.0, 10_000.0),
    ("before_ms", 0.0, 10_000.0),
    ("softest_under_peak_db", 3.0, 48.0),
    ("shortest_gap_ms", 5.0, 60_000.0),
    ("fade_ms", 0.0, 60_000.0),
)
