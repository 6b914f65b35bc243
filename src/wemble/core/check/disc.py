"""What the rules of the disc, and a listener, would find wrong with the tracks of a job."""

from __future__ import annotations

from collections import Counter
from dataclasses import dataclass

import numpy as np

from wemble.core.deliver.disc import DISC_RATE_HZ, MOST_TRACKS, SAMPLES_A_FRAME, CueSheet, check_ean
from wemble.core.deliver.words import clock
from wemble.core.edit.model import Job
from wemble.core.edit.placement import audible_lanes, end_of, start_of
from wemble.core.edit.tracks import DISC_FRAMES_A_S, LEAD_S, Track, check_isrc, disc_place, tracks_of
from wemble.core.signal.levels import SILENCE_DB, Samples
from wemble.errors import InvalidInput

SHORTEST_S = 4.0
"""IEC 60908 (memory)."""
LONGEST_SILENCE_S = 3.0
"""Inside the end of a track: listeners look whether it still plays (our choice)."""
TAIL_OVER_FLOOR_DB = 3.0


@dataclass(frozen=True, slots=True)
class DiscFault:
    """Something wrong: in words with its figure, where to look, and whether no disc can be made before it is mended."""

    text: str
    job_frame: int
    mark_id: str = ""
    clip_id: str = ""
    stops: bool = False


@dataclass(frozen=True, slots=True)
class TrackHeard:
    """What was measured of a track as it is rendered: loudness in LUFS (none where nothing is loud enough), true peak in dB,
    seconds of silence inside its end, and how far its end and what follows it lie over the floor, in dB."""

    integrated_lufs: float | None
    true_peak_db: float
    silent_end_s: float
    end_over_floor_db: float
    start_over_floor_db: float


def disc_faults(job: Job, *, capacity_s: float, pause: bool = True) -> list[DiscFault]:
    """Return what can be said without listening, in the order of the tracks; capacity is that of the disc, in seconds.

    ``pause`` says whether what lies before track 1 is on the image.
    """
    tracks = tracks_of(job)
    if not tracks:
        return [DiscFault("there are no tracks: make them of the pieces", 0, stops=True)]
    faults: list[DiscFault] = []
    if len(tracks) > MOST_TRACKS:
        faults.append(
            DiscFault(f"{len(tracks)} tracks: a disc has at most {MOST_TRACKS}", tracks[MOST_TRACKS].start, stops=True)
        )
    if pause and tracks[0].start < LEAD_S * job.rate_hz:
        lead_s = tracks[0].start / job.rate_hz
        text = f"track 1 begins at {lead_s:.3f} s: at least {LEAD_S:g} s lie before it"
        faults.append(DiscFault(text, tracks[0].start, tracks[0].mark.id))
    for track in tracks:
        faults += _of_track(job, track)
    used = Counter(track.mark.isrc for track in tracks if track.mark.isrc)
    for track in tracks:
        if used[track.mark.isrc] > 1:
            faults.append(
                DiscFault(f"{_named(track)}: the ISRC {track.mark.isrc} is used twice", track.start, track.mark.id)
            )
    faults += _outside(job, tracks)
    total_s = tracks[-1].end / job.rate_hz
    if total_s > capacity_s:
        text = f"{clock(total_s)} in all: {clock(total_s - capacity_s)} over the capacity of {clock(capacity_s)}"
        faults.append(DiscFault(text, round(capacity_s * job.rate_hz), tracks[-1].mark.id))
    return faults


def heard_faults(tracks: list[Track], heard: list[TrackHeard], *, ceiling_db: float, rate_hz: int) -> list[DiscFault]:
    """Return what listening to each track finds."""
    faults = []
    for track, one in zip(tracks, heard, strict=True):
        name, mark_id = _named(track), track.mark.id
        if one.true_peak_db > ceiling_db:
            text = f"{name}: the true peak is {one.true_peak_db:.1f} dB, over {ceiling_db:g} dB"
            faults.append(DiscFault(text, track.start, mark_id))
        if one.silent_end_s > LONGEST_SILENCE_S:
            at = track.end - round(one.silent_end_s * rate_hz)
            faults.append(DiscFault(f"{name} ends with {one.silent_end_s:.1f} s of silence", at, mark_id))
        if track.end_mark is not None and one.end_over_floor_db > TAIL_OVER_FLOOR_DB:
            text = f"{name} is cut {one.end_over_floor_db:.0f} dB above its floor"
            faults.append(DiscFault(text, track.end, mark_id))
        if not track.shared and one.start_over_floor_db > TAIL_OVER_FLOOR_DB:
            text = f"{name} begins inside its attack: {one.start_over_floor_db:.0f} dB over the floor just before it"
            faults.append(DiscFault(text, track.start, mark_id))
    return faults


def _of_track(job: Job, track: Track) -> list[DiscFault]:
    faults = []
    seconds = (track.end - track.start) / job.rate_hz
    if seconds < SHORTEST_S:
        text = f"{_named(track)} is {seconds:.3f} s long: at least {SHORTEST_S:g} s"
        faults.append(DiscFault(text, track.start, track.mark.id, stops=seconds <= 0))
    for side, at in (("begins", track.start), ("ends", track.end)):
        rest = disc_place(at, job.rate_hz)[1]
        if rest and (side == "begins" or track.end_mark is not None):
            text = f"{_named(track)} {side} off a disc frame, {1000 * rest / job.rate_hz / 75:.1f} ms behind it"
            faults.append(DiscFault(text, at, track.mark.id, stops=True))
    return faults


def _outside(job: Job, tracks: list[Track]) -> list[DiscFault]:
    """Return the clips that no track holds, and what sounds before, between or behind tracks."""
    heard = audible_lanes(job)
    faults = []
    for clip in sorted(job.clips.values(), key=lambda one: start_of(job, one)):
        if clip.lane_id not in heard or not clip.speaks:
            continue
        start, end = start_of(job, clip), end_of(job, clip)
        inside = [(max(start, t.start), min(end, t.end)) for t in tracks if start < t.end and end > t.start]
        held = sum(high - low for low, high in inside)
        if not inside:
            faults.append(DiscFault(f"“{clip.name}” lies in no track", start, clip_id=clip.id))
        elif end - start - held > 0.02 * job.rate_hz:
            text = f"“{clip.name}”: {(end - start - held) / job.rate_hz:.2f} s of it lie outside every track"
            at = start if start < inside[0][0] else inside[-1][1]
            faults.append(DiscFault(text, at, clip_id=clip.id))
    return faults


def _named(track: Track) -> str:
    return f"track {track.number} “{track.mark.name}”"


def sheet_faults(sheet: CueSheet, end: int | None) -> list[str]:
    """Return what is wrong with a cue sheet by the rules of the disc; ``end`` is that of its image in disc frames, if known."""
    faults: list[str] = []
    for told, check, code in [("the catalog number", check_ean, sheet.catalog)] + [
        (f"track {track.number}", check_isrc, track.isrc) for track in sheet.tracks
    ]:
        try:
            check(code)
        except InvalidInput as error:
            faults.append(f"{told}: {code!r}: {error.message}")
    used = Counter(track.isrc for track in sheet.tracks if track.isrc)
    faults += [f"the ISRC {code} is used twice" for code in sorted(code for code, n in used.items() if n > 1)]
    first = sheet.tracks[0]
    if first.number != 1:
        faults.append(f"the first track is {first.number}, not 1")
    if 0 < first.start < LEAD_S * DISC_FRAMES_A_S:  # at 0 the pause is left to whoever makes the disc
        faults.append(f"track 1 starts {first.start / DISC_FRAMES_A_S:.2f} s into the image: less than 2 s before it")
    bounds = [track.start for track in sheet.tracks] + ([end] if end is not None else [])
    for track, start, until in zip(sheet.tracks, bounds, bounds[1:], strict=False):
        following = next((t for t in sheet.tracks if t.number == track.number + 1), None)
        last = following.gap_start if following is not None and following.gap_start is not None else until
        length_s = (last - start) / DISC_FRAMES_A_S
        if end is not None and start >= end:
            faults.append(f"track {track.number} starts at or past the end of the image")
        elif length_s < SHORTEST_S:
            faults.append(f"track {track.number} is {length_s:.2f} s long: at least {SHORTEST_S:g} s")
    return faults


def image_faults(rate_hz: int, channels: int, frames: int, at_full_scale: int) -> list[str]:
    """Return what is wrong with the image of a disc, of so many frames and so many samples at full scale."""
    faults = []
    if rate_hz != DISC_RATE_HZ or channels != 2:
        faults.append(f"the image has {rate_hz:,} Hz and {channels} channels, not 44,100 Hz and 2")
    if rate_hz == DISC_RATE_HZ and frames % SAMPLES_A_FRAME:
        faults.append(f"the image ends {frames % SAMPLES_A_FRAME} samples into a disc frame")
    if at_full_scale > 2:
        faults.append(f"{at_full_scale} samples of the image are at full scale")
    return faults


def end_over_floor_db(samples: Samples, floor_db: float) -> float:
    """Return how far samples (channels, frames) lie over a floor, in dB, to a tenth; 0 where they do not."""
    power = float(np.mean(np.square(samples, dtype=np.float64), axis=1).max())
    level_db = max(10.0 * float(np.log10(max(power, 1e-20))), SILENCE_DB)
    return max(round(level_db - floor_db, 1), 0.0)
