"""How loud each voice is: the loudness of what is said on a lane, whole and along time, and the gain that evens lanes out."""

from __future__ import annotations

from collections.abc import Mapping
from dataclasses import dataclass, replace

import numpy as np
from scipy import ndimage

from wemble.core.edit.clips import Edited, check_gain
from wemble.core.edit.model import Clip, Job, set_clips
from wemble.core.edit.placement import in_time_order, placed
from wemble.core.signal.loudness import (
    NOTHING_LUFS,
    SHORT_STEPS,
    STEPS_A_SECOND,
    Powers,
    integrated_of_parts,
    powers_between,
    range_lu,
    short_term_lufs,
)
from wemble.errors import InvalidInput

CURVE_EVERY_S = 1.0
_SLOW_STEPS = 30
"""Over how many points of the curve, a second apart where somebody speaks, a slow level is meant."""
_MOST_ALONG_DB = 6.0
_POINT_EVERY_S = 5.0


@dataclass(frozen=True, slots=True)
class Voice:
    """How loud what is said on a lane is, with its gain: LUFS, its range in LU, and along time.

    ``curve`` has (job frame, LUFS over 3 s), in order; ``speech_lufs`` is none where nothing is loud enough to measure.
    """

    lane_id: str
    speech_lufs: float | None
    range_lu: float
    seconds: float
    curve: tuple[tuple[int, float], ...]


def voices(job: Job, powers_of: Mapping[str, Powers]) -> list[Voice]:
    """Return the loudness of each lane that has recordings, from that of its sources, tenth by tenth of a second."""
    clips: dict[str, list[Clip]] = {}
    for clip in in_time_order(job):
        if job.is_recorded(clip) and clip.speaks and clip.source_id in powers_of:
            clips.setdefault(clip.lane_id, []).append(clip)
    return [_voice(job, lane_id, on_it, powers_of) for lane_id, on_it in clips.items()]


def even_out(job: Job, measured: list[Voice], target_lufs: float | None = None, *, along: bool = False) -> Edited:
    """Give lanes the gain that brings what is said on each to one loudness: a target, or that of the loudest.

    With ``along`` a slow level line over every clip evens out what changes within minutes as well, as people warm up; it can
    be drawn on by hand. Raises `InvalidInput` where there is nothing to measure, or a gain would be out of range.
    """
    levels = {voice.lane_id: voice.speech_lufs for voice in measured if voice.speech_lufs is not None}
    if not levels:
        raise InvalidInput("nothing on these lanes is loud enough to measure")
    target = max(levels.values()) if target_lufs is None else target_lufs
    lanes = {}
    for lane_id, level in levels.items():
        gain_db = round(job.lane(lane_id).gain_db + target - level, 1)
        check_gain(gain_db)
        lanes[lane_id] = replace(job.lane(lane_id), gain_db=gain_db)
    job = replace(job, lanes={**job.lanes, **lanes})
    return Edited(_evened_along(job, measured) if along else job)


def _evened_along(job: Job, measured: list[Voice]) -> Job:
    """Return the job with a slow level line over every clip that speaks, on what is measured of its lane."""
    changed = []
    for voice in measured:
        if voice.speech_lufs is None or len(voice.curve) < 2:
            continue
        at, levels = (np.array(column, np.float64) for column in zip(*voice.curve, strict=True))
        slow = ndimage.uniform_filter1d(np.maximum(levels, voice.speech_lufs - 10.0), _SLOW_STEPS, mode="nearest")
        gains = np.clip(voice.speech_lufs - slow, -_MOST_ALONG_DB, _MOST_ALONG_DB)
        for clip in job.clips.values():
            if clip.lane_id == voice.lane_id and clip.speaks and job.is_recorded(clip):
                rate = job.source(clip.source_id).rate_hz
                count = max(round(clip.frames / rate / _POINT_EVERY_S), 1)
                frames = np.linspace(clip.head_frame, clip.tail_frame, count + 1).round().astype(int).tolist()
                places = [placed(job, clip, frame) for frame in frames]
                line = tuple(
                    (frame, round(float(np.interp(place, at, gains)), 1))
                    for frame, place in zip(frames, places, strict=True)
                )
                changed.append(replace(clip, line=line))
    return set_clips(job, *changed)


def _voice(job: Job, lane_id: str, clips: list[Clip], powers_of: Mapping[str, Powers]) -> Voice:
    """Return how loud a lane's clips are, one for all: what is said within 3 s counts, whatever pauses lie between."""
    parts: list[Powers] = []
    places: list[int] = []
    for clip in clips:
        rate = job.source(clip.source_id).rate_hz
        start, end = clip.sound
        part = powers_between(powers_of[clip.source_id], start, end, rate) * _gain(job, clip)
        parts.append(part)
        first = -(-start * STEPS_A_SECOND // rate)
        places += [placed(job, clip, (first + at) * rate // STEPS_A_SECOND) for at in range(len(part))]
    together, every = np.concatenate(parts), round(CURVE_EVERY_S * STEPS_A_SECOND)
    curve = short_term_lufs(together)[::every].round(1).tolist()
    middles = places[SHORT_STEPS // 2 :: every]
    level = integrated_of_parts(parts)
    return Voice(
        lane_id,
        None if level <= NOTHING_LUFS else round(level, 2),
        round(range_lu(together), 1),
        round(len(together) / STEPS_A_SECOND, 1),
        tuple(zip(middles, curve, strict=False)),
    )


def _gain(job: Job, clip: Clip) -> float:
    """Return the power that a clip has in the job, relative to its source: gains, and channels that become others."""
    channels = job.channels / job.source(clip.source_id).channels
    return float(channels * 10 ** ((clip.gain_db + job.lane(clip.lane_id).gain_db) / 10))
