"""Is a job that came from outside one that edits could have made: are its names, its numbers and what it refers to right?"""

from __future__ import annotations

import re
from collections.abc import Iterable, Mapping
from typing import Any

from wemble.core.edges.recipe import HitRecipe
from wemble.core.edit.arrange import abuts
from wemble.core.edit.clips import JOB_RATES_HZ, check_gain, check_line
from wemble.core.edit.cues import check_cue
from wemble.core.edit.edges import check_fade
from wemble.core.edit.grid import checked
from wemble.core.edit.joins import check_join
from wemble.core.edit.marks import check_link, check_picture
from wemble.core.edit.model import FARTHEST_FRAME, Clip, Finding, Job, Mark, Review, check_name
from wemble.core.edit.tracks import check_isrc, check_performer
from wemble.errors import InvalidInput, WembleError

_MOST_CHANNELS = 32
_LONGEST_TEXT = 400
_ID = re.compile(r"[A-Za-z0-9]{1,64}")


def check_validity(job: Job) -> None:
    """Raise `InvalidInput` naming the first thing in a job that cannot be."""
    try:
        _check_own(job)
        for part in (
            _check_sources,
            _check_lanes,
            _check_clips,
            _check_joins,
            _check_marks,
            _check_findings,
            _check_cues,
        ):
            part(job)
    except WembleError as error:
        reason = error.message
        raise InvalidInput(f"this saved job is not consistent: {reason}; save it again where it was saved") from None


def _check_own(job: Job) -> None:
    low, high = JOB_RATES_HZ
    check_name(job.name)
    empty = not job.sources and (job.rate_hz, job.channels) == (0, 0)
    _need(
        empty or (low <= job.rate_hz <= high and 1 <= job.channels <= _MOST_CHANNELS), f"its rate is {job.rate_hz} Hz"
    )
    if job.grid is not None:
        checked(job.grid)
        _need(max(job.grid.bpm_numerator, job.grid.bpm_denominator) < FARTHEST_FRAME, "its tempo cannot be")
        _check_places(job.grid.first_frame)
    collections: tuple[Mapping[str, Any], ...] = (job.lanes, job.clips, job.joins, job.marks, job.findings, job.cues)
    for entities in (job.sources, *collections):
        _need(all(key == one.id and _ID.fullmatch(key) for key, one in entities.items()), "a part has a wrong name")
    numbers = [int(key[1:]) for entities in collections for key in entities if key[1:].isdecimal() and len(key) < 20]
    _need(max(numbers, default=0) < job.next_number < FARTHEST_FRAME, "the next number is taken")


def _check_sources(job: Job) -> None:
    low, high = JOB_RATES_HZ
    for source in job.sources.values():
        check_name(source.name)
        sized = 0 < source.frames < FARTHEST_FRAME and 1 <= source.channels <= _MOST_CHANNELS
        _need(sized and low <= source.rate_hz <= high, f"the recording “{source.name}” cannot be")


def _check_lanes(job: Job) -> None:
    places = [lane.position for lane in job.lanes.values()]
    _need(len(set(places)) == len(places) and all(0 <= at < 1 << 20 for at in places), "two lanes are in one place")
    for lane in job.lanes.values():
        check_name(lane.name)
        check_gain(lane.gain_db)
        _need(-1.0 <= lane.pan <= 1.0, f"the pan of “{lane.name}” is {lane.pan:g}")


def _check_clips(job: Job) -> None:
    for clip in job.clips.values():
        check_name(clip.name)
        if clip.source_id not in job.sources or clip.lane_id not in job.lanes:
            raise InvalidInput(f"“{clip.name}” has no recording or no lane")
        frames = job.sources[clip.source_id].frames
        _need(0 <= clip.head_frame < clip.tail_frame <= frames, f"“{clip.name}” lies outside its recording")
        _check_places(clip.origin_frame)
        check_gain(clip.gain_db)
        check_line(clip.line, frames)
        _check_fades(clip)
        _check_details(job, clip, frames)


def _check_fades(clip: Clip) -> None:
    for fade in (clip.fade_in, clip.fade_out):
        if fade is not None:
            check_fade(fade)
            _need(fade.length_frames <= clip.frames, f"a fade of “{clip.name}” is longer than the clip")


def _check_details(job: Job, clip: Clip, frames: int) -> None:
    inside = [clip.sound_start_frame, clip.sound_end_frame, clip.sync_frame]
    _need(
        all(at is None or 0 <= at <= frames for at in inside), f"the sound of “{clip.name}” lies outside its recording"
    )
    found = (clip.sound_start_frame is None) == (clip.sound_end_frame is None)
    _need(found and (clip.sound_start_frame or 0) <= (clip.sound_end_frame or 0), f"“{clip.name}” has half a sound")
    _need(clip.finding_id is None or clip.finding_id in job.findings, f"“{clip.name}” has lost its finding")
    for confidence in (clip.confidence, clip.end_confidence):
        _need(confidence is None or 0.0 <= confidence <= 1.0, f"“{clip.name}” has no true confidence")
    for within in (clip.starts_within, clip.ends_within):
        _need(within is None or 0 <= within[0] <= within[1] <= frames, f"“{clip.name}” has no true bounds of its sound")
    for text in (clip.reason, clip.end_reason, clip.file_name):
        _need(len(text) <= _LONGEST_TEXT, f"“{clip.name}” has too long a text")
    _need(clip.set_id is None or len(clip.set_id) <= _LONGEST_TEXT, f"“{clip.name}” has too long a text")
    strike = clip.strike
    if strike is not None:
        texts = [strike.name, strike.strength or "", strike.mic or ""]
        numbers = [strike.note or 0, strike.take or 0]
        short = all(len(text) <= _LONGEST_TEXT for text in texts) and all(0 <= one < 1 << 20 for one in numbers)
        _need(short and (strike.note is None or strike.note <= 127), f"what “{clip.name}” is named after cannot be")
    for review in (clip.head_review, clip.tail_review):
        _check_review(review)


def _check_review(review: Review | None) -> None:
    if review is not None:
        _check_places(review.frame, review.crossfade_frames)
        if review.fade is not None:
            check_fade(review.fade)


def _check_joins(job: Job) -> None:
    pairs = [(join.left_clip_id, join.right_clip_id) for join in job.joins.values()]
    _need(
        len({left for left, _ in pairs}) == len(pairs) == len({right for _, right in pairs}), "a cut is crossed twice"
    )
    for join in job.joins.values():
        _need(abuts(job, join), "a crossfade refers to clips that do not meet")
        check_join(job, join)


def _check_marks(job: Job) -> None:
    bounds = [mark.kind for mark in job.marks.values() if mark.kind in ("start", "end")]
    _need(len(set(bounds)) == len(bounds), "the programme has two starts or two ends")
    for mark in job.marks.values():
        check_name(mark.name)
        check_link(mark.link)
        check_picture(mark.picture)
        _need(mark.clip_id is None or mark.clip_id in job.clips, f"the mark “{mark.name}” refers to a missing clip")
        _check_places(mark.frame, mark.crossfade_frames, *([] if mark.end_frame is None else [mark.end_frame]))
        _need(mark.frame >= 0 and mark.crossfade_frames >= 0, f"the mark “{mark.name}” lies before the start")
        spans = mark.kind == "loop" or mark.point == "hook"
        _need(spans == (mark.end_frame is not None), f"the mark “{mark.name}” has half a span")
        _need((mark.kind == "air") == bool(mark.point), f"the mark “{mark.name}” is half an on-air point")
        _need(len(mark.does) <= _LONGEST_TEXT, f"the event “{mark.name}” does too much")
        check_performer(mark.performer)
        check_isrc(mark.isrc)
        if mark.kind == "loop" and mark.end_frame is not None:
            _check_loop(job, mark, mark.end_frame)


def _check_loop(job: Job, mark: Mark, end_frame: int) -> None:
    _need(mark.frame < end_frame, f"the loop “{mark.name}” ends before it starts")
    if mark.clip_id is not None:
        clip = job.clip(mark.clip_id)
        inside = 0 <= mark.frame < end_frame <= job.source(clip.source_id).frames
        crossed = mark.crossfade_frames <= min(mark.frame, (end_frame - mark.frame) // 2)
        _need(inside and crossed, f"the loop “{mark.name}” does not fit its recording")


def _check_cues(job: Job) -> None:
    places = sorted(cue.position for cue in job.cues.values())
    _need(places == list(range(len(places))), "two cues are in one place")
    clips = [cue.clip_id for cue in job.cues.values() if cue.clip_id is not None]
    _need(len(set(clips)) == len(clips), "two cues play one clip")
    for cue in job.cues.values():
        check_cue(job, cue)


def _check_findings(job: Job) -> None:
    for finding in job.findings.values():
        check_name(finding.name)
        if finding.source_id not in job.sources or finding.lane_id not in job.lanes:
            raise InvalidInput("a finding refers to a recording or a lane that is missing")
        frames = job.sources[finding.source_id].frames
        _need(0 <= finding.head_frame < finding.tail_frame <= frames, f"“{finding.name}” lies outside its recording")
        _check_places(finding.origin_frame, *_numbers(finding))
        _need(
            all(abs(level) <= 400.0 for level in (finding.floor_db, finding.threshold_db)),
            "a finding's level cannot be",
        )
        if isinstance(finding.recipe, HitRecipe):
            _need(len(finding.recipe.decided_by) <= _LONGEST_TEXT, "a recipe names too long a microphone")
        for correction in finding.corrections:
            _need(correction.sound_start_frame < correction.sound_end_frame, "a correction is of no sound")
            at = correction.edge_frame
            _need(at is None or 0 <= at <= frames, "a corrected edge lies outside")
            if correction.fade is not None:
                check_fade(correction.fade)


def _numbers(finding: Finding) -> Iterable[int]:
    for at, removed in finding.closed:
        _need(removed >= 0, "time was closed up backwards")
        yield from (at, removed)
    for one in finding.corrections:
        yield from (one.sound_start_frame, one.sound_end_frame)
    yield from finding.removed_onsets


def _check_places(*frames: int) -> None:
    _need(all(abs(frame) < FARTHEST_FRAME for frame in frames), "a place lies far outside any recording")


def _need(holds: object, reason: str) -> None:
    if not holds:
        raise InvalidInput(reason)
