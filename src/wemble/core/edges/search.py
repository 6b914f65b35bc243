"""Finding from end to end: measure, propose, find, refine."""

from __future__ import annotations

from collections.abc import Callable
from dataclasses import dataclass, replace

import numpy as np

from wemble.core.briefs import Material
from wemble.core.edges.certainty import Located, located_sounds
from wemble.core.edges.envelope import Envelope
from wemble.core.edges.floor import Floor, measure_floor
from wemble.core.edges.noise import STAYS, Noise, measure_noise, over_noise
from wemble.core.edges.programme import Programme, find_programme
from wemble.core.edges.recipe import Recipe
from wemble.core.edges.refine import BandFloors, Read, measure_band_floors, refine_sounds, to_the_level
from wemble.core.edges.silence import HYSTERESIS_DB, Found, Spans, find_sounds, with_rooms

_UNDER_SPEECH_DB = 22.0
_UNDER_PEAK_DB = 28.0
_DIES_AWAY_DB = 20.0


def propose(floor: Floor, *, material: Material = "speech") -> Recipe:
    """Propose settings from the floor and the level of the sound, which is speech unless another material is named.

    The threshold is a fixed step under the speech, but clear of the floor and of what the noise passes by itself. A high
    floor hides more of a sound's soft start and end, so the rooms grow with it; the one behind is as long as the
    recording's own room needs to fall by another 20 dB, and 130 ms more. What is struck may be
    as short as a click, and follows closely (common practice: half a second joins hits into one); others are heard in
    between, so its threshold lies a step under its own loudest. Only speech has breaths to be left out. Music is one
    programme, with rooms of our choice.
    """
    if material == "music":
        return Recipe(room_before_ms=50.0, room_after_ms=250.0, breaths_are_sound=True, reach="programme")
    higher = max(0.0, floor.level_db + 60.0)
    proposed = Recipe(
        threshold_db=_UNDER_SPEECH_DB,
        threshold_from="speech",
        room_before_ms=float(round(70.0 + 2.0 * min(higher, 20.0), -1)),
        room_after_ms=float(
            round(130.0 + 3.0 * min(higher, 20.0) + 1000.0 * min(_DIES_AWAY_DB / floor.fall_db_s, 0.3), -1)
        ),
    )
    if material == "speech":
        return proposed
    return replace(
        proposed,
        threshold_db=round(max(proposed.threshold_dbfs(floor), floor.peak_db - _UNDER_PEAK_DB), 1),
        threshold_from="full_scale",
        shortest_gap_ms=80.0,
        shortest_sound_ms=5.0,
        breaths_are_sound=True,
        reach="threshold",
    )


@dataclass(frozen=True, slots=True, eq=False)
class Measured:
    """A source made ready for finding: its envelope, with its noise as it moves, and its floors where that is lowest."""

    envelope: Envelope
    floor: Floor
    band_floors: BandFloors
    noise: Noise = STAYS

    def floors_at(self, frame: int) -> BandFloors:
        """Return the floors at a frame."""
        return self.band_floors.lifted(*self.noise.lift_at(frame))


def measure(read: Read, envelope: Envelope) -> Measured:
    """Make a source ready for finding: how its noise moves, then its floors over that."""
    noise = measure_noise(envelope)
    steadied = over_noise(envelope, noise)
    floor = measure_floor(steadied, noise.lowest_db)
    return Measured(steadied, floor, measure_band_floors(read, steadied, floor, noise), noise)


def find(
    read: Read,
    measured: Measured,
    recipe: Recipe,
    *,
    head_frame: int,
    tail_frame: int,
    report: Callable[[float], None] = lambda part: None,
) -> Found:
    """Find the sounds inside ``[head_frame, tail_frame)`` of a source, refined to the sample; tells how far it is, 0…1.

    Returns
    -------
    Found
        In source frames.
    """
    envelope = measured.envelope
    if recipe.reach == "programme":
        programme = find_programme(read, envelope, head_frame=head_frame, tail_frame=tail_frame)
        return as_found(programme, recipe, rate_hz=envelope.rate_hz, head_frame=head_frame, tail_frame=tail_frame)
    rough = find_roughly(measured, recipe, head_frame=head_frame, tail_frame=tail_frame)
    located = refined(
        read, measured, recipe, rough.sounds,
        in_the_way=rough.in_the_way, head_frame=head_frame, tail_frame=tail_frame, report=report,
    )  # fmt: skip
    return with_sounds(rough, located, recipe, rate_hz=envelope.rate_hz, head_frame=head_frame, tail_frame=tail_frame)


def find_roughly(measured: Measured, recipe: Recipe, *, head_frame: int, tail_frame: int) -> Found:
    """Find the sounds inside ``[head_frame, tail_frame)`` of a source at the precision of a bin, in source frames."""
    part = measured.envelope.part(head_frame, tail_frame)
    return find_sounds(part, measured.floor, recipe).shifted(head_frame // part.bin_frames * part.bin_frames)


def refined(
    read: Read,
    measured: Measured,
    recipe: Recipe,
    sounds: Spans,
    *,
    in_the_way: Spans,
    head_frame: int,
    tail_frame: int,
    report: Callable[[float], None] = lambda part: None,
) -> Located:
    """Return sounds that were found roughly, to the sample; runs of them that are `apart` may be refined each by itself."""
    rate_hz, released_db = measured.envelope.rate_hz, recipe.threshold_dbfs(measured.floor) - HYSTERESIS_DB
    level = BandFloors.at(released_db)
    floors_at = measured.floors_at if recipe.reach == "floor" else lambda frame: level
    sounds, over_db = refine_sounds(
        read, sounds, dropped=in_the_way, rate_hz=rate_hz, frames=tail_frame, floors_at=floors_at, report=report
    )
    if recipe.reach != "threshold":
        return located_sounds(sounds, over_db, rate_hz).clip(head_frame, tail_frame)
    sounds = to_the_level(read, sounds.clip(head_frame, tail_frame), released_db, rate_hz=rate_hz)
    return Located.exactly(sounds)


def with_sounds(
    rough: Found, located: Located, recipe: Recipe, *, rate_hz: int, head_frame: int, tail_frame: int
) -> Found:
    """Return what was found roughly with its sounds to the sample, and their rooms, inside ``[head_frame, tail_frame)``."""
    located = located.only(located.sounds[:, 1] > located.sounds[:, 0])
    sounds, frames = located.sounds, tail_frame - head_frame
    spans = with_rooms(sounds - head_frame, rough.in_the_way - head_frame, recipe, rate_hz=rate_hz, frames=frames)
    return replace(rough, sounds=sounds, spans=spans + head_frame, within=located.within, confidence=located.confidence)


def as_found(programme: Programme | None, recipe: Recipe, *, rate_hz: int, head_frame: int, tail_frame: int) -> Found:
    """Return a programme as what was found, with its rooms; nothing, where there is none."""
    nothing = np.zeros((0, 2), np.int64)
    found = Found(nothing, nothing, nothing, nothing, nothing, nothing, nothing)
    if programme is None:
        return found
    sounds = np.array([[programme.start_frame, programme.end_frame]], np.int64)
    spans = with_rooms(sounds - head_frame, nothing, recipe, rate_hz=rate_hz, frames=tail_frame - head_frame)
    within = np.array([[*programme.start_within, *programme.end_within]], np.int64)
    confidence = np.array([[programme.start_confidence, programme.end_confidence]])
    return replace(found, sounds=sounds, spans=spans + head_frame, within=within, confidence=confidence)


def noise_spans(measured: Measured) -> list[tuple[int, int, float]]:
    """Return how the noise moves, as spans of a source with the level of each, in dB: never apart from it by more than 1 dB."""
    lift, width = measured.envelope.lift_db, measured.envelope.bin_frames
    steps = np.round(lift)
    starts = np.flatnonzero(np.diff(steps, prepend=np.nan) != 0.0)
    ends = [*(starts[1:] * width).tolist(), measured.envelope.frames]
    levels = measured.floor.level_db + steps[starts]
    return [(a * width, b, round(float(db), 1)) for a, b, db in zip(starts.tolist(), ends, levels, strict=True)]
