"""Edits of kits: hits named and laid out by what their files say, softened ends, too hot ones turned down, loops."""

from __future__ import annotations

from collections.abc import Mapping, Sequence
from dataclasses import replace
from typing import TypeVar

from wemble.core.edit.clips import SPACE_BETWEEN_TAKES_S, Edited
from wemble.core.edit.joins import set_join
from wemble.core.edit.marks import reattach_marks
from wemble.core.edit.model import Clip, Fade, Finding, Job, Join, Lane, Mark, SourceUse, set_clips
from wemble.core.edit.placement import placed, source_frame_from, start_of, to_job_frames
from wemble.core.kit.strikes import Strike, files_of_hits
from wemble.core.signal.levels import ms_to_frames, to_db
from wemble.errors import InvalidInput

T = TypeVar("T", Clip, Finding)

SOFTENINGS_MS = (1.0, 5.0, 20.0, 80.0)
"""The grades of end softening, each clearly longer than the last (our choice)."""


def clips_from_left(job: Job) -> list[Clip]:
    """Return all clips by where they begin."""
    return sorted(job.clips.values(), key=lambda clip: (start_of(job, clip), clip.id))


def lay_out_sets(job: Job, strikes: Mapping[str, Strike], lags_frames: Mapping[str, int]) -> Edited:
    """Give clips what their names say, and lay each hit's microphones under each other, a lane for each.

    ``lags_frames`` says, in job frames, how much later the same moment lies in a clip's file than in the first of its
    set. Sets follow one another a second apart, in the order of the clips; clips that no name was read for come last.
    """
    ordered = [clip.id for clip in clips_from_left(job)]
    named = {key: strikes[key] for key in ordered if key in strikes}
    sets = [*files_of_hits(named), *([key] for key in ordered if key not in strikes)]
    job, lanes = _lanes(job, sorted({strike.mic or "" for strike in strikes.values()}))
    first_lane = min(job.lanes.values(), key=lambda lane: lane.position).id
    at, number, changed = 0, job.next_number, []
    for members in sets:
        end = at
        for clip_id in members:
            clip = job.clip(clip_id)
            strike = strikes.get(clip_id)
            origin = at - lags_frames.get(clip_id, 0)
            lane = lanes.get((strike.mic or "") if strike else "", first_lane)
            set_id = f"s{number}" if len(members) > 1 else None
            changed.append(replace(clip, strike=strike, set_id=set_id, origin_frame=origin, lane_id=lane))
            end = max(
                end,
                origin
                + to_job_frames(
                    job.source(clip.source_id).frames,
                    source_rate_hz=job.source(clip.source_id).rate_hz,
                    job_rate_hz=job.rate_hz,
                ),
            )
        number += 1
        at = end + SPACE_BETWEEN_TAKES_S * job.rate_hz
    laid = set_clips(replace(job, next_number=number), *changed)
    moved = {clip.finding_id: clip for clip in changed if clip.finding_id}
    findings = {
        key: replace(finding, origin_frame=moved[key].origin_frame, lane_id=moved[key].lane_id)
        if key in moved
        else finding
        for key, finding in job.findings.items()
    }
    return Edited(replace(laid, findings=findings))


def _lanes(job: Job, mics: Sequence[str]) -> tuple[Job, dict[str, str]]:
    """Return the job with a lane for each microphone, by its name; the first takes the lane that is there."""
    lanes = sorted(job.lanes.values(), key=lambda lane: lane.position)
    by_mic: dict[str, str] = {}
    number = job.next_number
    made = dict(job.lanes)
    for position, mic in enumerate(mics):
        lane = lanes[position] if position < len(lanes) else Lane(f"l{number}", "", position)
        number += position >= len(lanes)
        lane = replace(lane, name=mic or lane.name or "Kit")
        made[lane.id] = lane
        by_mic[mic] = lane.id
    return replace(job, next_number=number, lanes=made), by_mic


def soften_ends(job: Job, clip_ids: tuple[str, ...], milliseconds: float) -> Edited:
    """Soften the ends of clips by one of the grades; 0 takes the softening away. One shape: an S."""
    if milliseconds not in (0.0, *SOFTENINGS_MS):
        grades = ", ".join(f"{grade:g}" for grade in SOFTENINGS_MS)
        raise InvalidInput(f"ends can be softened over {grades} ms or not at all, not over {milliseconds:g} ms")
    changed = []
    for clip in map(job.clip, clip_ids):
        length = min(ms_to_frames(milliseconds, job.source(clip.source_id).rate_hz), clip.frames)
        changed.append(replace(clip, fade_out=Fade(length, "s", origin="own") if length else None))
    return Edited(set_clips(job, *changed))


def turn_down_hot(job: Job, peaks: Mapping[str, float], ceiling_db: float) -> Edited:
    """Turn clips whose peak (linear, with their gain) is over a ceiling down to it; the others keep their gain."""
    if not -60.0 <= ceiling_db <= 0.0:
        raise InvalidInput(f"a ceiling must be between −60 and 0 dB, not {ceiling_db:g}")
    changed, notes = [], []
    for clip_id, peak in peaks.items():
        over = float(to_db(peak)) - ceiling_db
        if over > 1e-4:
            clip = job.clip(clip_id)
            changed.append(replace(clip, gain_db=clip.gain_db - over))
            before, after = (f"{db:.1f}".replace("-", "−") for db in (over + ceiling_db, ceiling_db))
            notes.append(f"“{clip.name}” {before} → {after} dB")
    kept = len(peaks) - len(changed)
    notes = notes[:6] + ([f"{len(notes) - 6} more"] if len(notes) > 6 else [])
    return Edited(set_clips(job, *changed), (*notes, f"{kept} keep their gain"))


def recorded_as(job: Job, old_id: str, new: SourceUse) -> Job:
    """Return the job with another recording of the same frames in the place of one, in clips and findings alike."""

    def moved(one: T) -> T:
        return replace(one, source_id=new.id) if one.source_id == old_id else one

    sources = {key: source for key, source in job.sources.items() if key != old_id}
    return replace(
        job,
        sources={new.id: new, **sources},
        clips={key: moved(clip) for key, clip in job.clips.items()},
        findings={key: moved(finding) for key, finding in job.findings.items()},
    )


def microphones(job: Job, clip_id: str) -> list[Clip]:
    """Return the clips of a hit, one a microphone, the one that is named first."""
    clip = job.clip(clip_id)
    others = [c for c in job.clips.values() if clip.set_id is not None and c.set_id == clip.set_id and c.id != clip_id]
    return [clip, *others]


def same_moment(job: Job, clip: Clip, frame: int, other: Clip) -> int:
    """Return the source frame of another microphone at which the moment of a clip's source frame lies."""
    return frame if other.id == clip.id else source_frame_from(job, other, placed(job, clip, frame))


def set_loop(job: Job, clip_id: str, start_frame: int, end_frame: int, crossfade_frames: int = 0) -> Edited:
    """Give a hit its sustain loop, in source frames of a clip; the one that it had is replaced.

    All of its microphones loop at the same moments, and the attack is never touched.

    Raises
    ------
    InvalidInput
        If the loop does not lie inside the clip, or there is too little before its start for the crossfade.
    """
    clip = job.clip(clip_id)
    for mic in microphones(job, clip_id):
        start, end = same_moment(job, clip, start_frame, mic), same_moment(job, clip, end_frame, mic)
        crossed_from = same_moment(job, clip, start_frame - crossfade_frames, mic)
        job = _looped(job, mic, start, end, start - crossed_from)
    return Edited(job)


def _looped(job: Job, clip: Clip, start_frame: int, end_frame: int, crossfade_frames: int) -> Job:
    if not clip.head_frame <= start_frame < end_frame <= clip.tail_frame:
        raise InvalidInput("a loop must lie inside its clip and end after it starts; move the loop or the clip's edges")
    onset = clip.head_frame if clip.sound_start_frame is None else clip.sound_start_frame
    if not 0 <= crossfade_frames <= min(start_frame - onset, (end_frame - start_frame) // 2):
        most = max(min(start_frame - onset, (end_frame - start_frame) // 2), 0)
        rate = job.source(clip.source_id).rate_hz
        raise InvalidInput(
            f"a crossfade of {1000 * crossfade_frames / rate:.4g} ms needs as much sound before the loop's start and can be "
            f"at most half the loop; up to {1000 * most / rate:.4g} ms fit here",
            details={"fits_frames": most},
        )
    old = next((mark for mark in job.marks.values() if mark.kind == "loop" and mark.clip_id == clip.id), None)
    mark = Mark(
        old.id if old else f"m{job.next_number}",
        "loop",
        old.name if old else "Loop",
        start_frame,
        clip.id,
        end_frame,
        crossfade_frames,
    )
    return replace(job, next_number=job.next_number + (old is None), marks={**job.marks, mark.id: mark})


def rotate_loop(
    job: Job, clip_id: str, at_frame: int, crossfade_frames: int = 0, ends: tuple[int, int] | None = None
) -> Edited:
    """Turn a whole-file loop: what begins at a source frame comes first, and the old ends meet in a crossfade, or without.

    So the new seam lies where the audio was continuous. All microphones of a hit are turned at the same moments. It is
    no finding any more: searched again, the old order would come back over it.

    Parameters
    ----------
    ends : (int, int), optional
        The loop's own ends, in source frames, if they are to be moved before it is turned.

    Raises
    ------
    InvalidInput
        If the place is not inside the clip, or the old ends have too little beyond them for the crossfade.
    """
    clip = job.clip(clip_id)
    ends = ends or (clip.head_frame, clip.tail_frame)
    if not 0 <= ends[0] < ends[1] <= job.source(clip.source_id).frames:
        raise InvalidInput(f"a loop must lie inside the {job.source(clip.source_id).frames:,} frames of its source")
    if not ends[0] < at_frame < ends[1]:
        raise InvalidInput("a loop can be rotated to a place inside it")
    for mic in microphones(job, clip_id):
        head, at, tail = (same_moment(job, clip, frame, mic) for frame in (ends[0], at_frame, ends[1]))
        crossed_from = same_moment(job, clip, ends[1] - crossfade_frames, mic)
        job = _rotated(job, replace(mic, head_frame=head, tail_frame=tail), at, tail - crossed_from)
    rate = job.source(clip.source_id).rate_hz
    before, after = clip.frames / rate, (ends[1] - ends[0]) / rate
    said = f"still {after:.3f} s long" if before == after else f"{after:.3f} s long, {before:.3f} s before"
    return Edited(job, (f"“{clip.name}” is rotated, {said}",))


def _rotated(job: Job, clip: Clip, at_frame: int, crossfade_frames: int) -> Job:
    """Return the job with a clip in two parts that changed places, and a join between them."""
    if not 0 <= clip.head_frame < at_frame < clip.tail_frame <= job.source(clip.source_id).frames:
        raise InvalidInput(f"“{clip.name}” is shorter than the loop; rotate it by itself")
    rate = job.source(clip.source_id).rate_hz

    def job_frames(frame: int) -> int:
        return to_job_frames(frame, source_rate_hz=rate, job_rate_hz=job.rate_hz)

    start = start_of(job, clip)
    part = replace(clip, fade_in=None, fade_out=None, finding_id=None)
    first = replace(part, head_frame=at_frame, origin_frame=start - job_frames(at_frame))
    after = start + job_frames(clip.tail_frame) - job_frames(at_frame)
    second = replace(
        part,
        id=f"c{job.next_number}",
        set_id=None,
        tail_frame=at_frame,
        origin_frame=after - job_frames(clip.head_frame),
    )
    joins = {key: j for key, j in job.joins.items() if clip.id not in (j.left_clip_id, j.right_clip_id)}
    parts = set_clips(replace(job, next_number=job.next_number + 1, joins=joins), first, second)
    turned = reattach_marks(job, parts)
    left = {other.finding_id for other in turned.clips.values()}
    turned = replace(turned, findings={key: one for key, one in turned.findings.items() if key in left})
    length = job_frames(crossfade_frames)
    if length:
        return set_join(turned, first.id, second.id, length, "matched", length // 2).job
    cut = Join(f"j{turned.next_number}", first.id, second.id, 0, "matched", 0)
    return replace(turned, next_number=turned.next_number + 1, joins={**turned.joins, cut.id: cut})
