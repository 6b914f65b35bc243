"""Is a job that came from outside whole: does everything that it names exist, and lie where it can?"""

from __future__ import annotations

from wemble.core.edit.clips import JOB_RATES_HZ
from wemble.core.edit.model import Clip, Fade, Job
from wemble.errors import InvalidInput


def check_validity(job: Job) -> None:
    """Raise `InvalidInput` naming the first thing in a job that cannot be."""
    low, high = JOB_RATES_HZ
    if job.sources and not low <= job.rate_hz <= high:
        _refuse(f"its rate is {job.rate_hz} Hz")
    for clip in job.clips.values():
        if clip.source_id not in job.sources or clip.lane_id not in job.lanes:
            _refuse(f"“{clip.name}” has no recording or no lane")
        if not 0 <= clip.head_frame < clip.tail_frame <= job.sources[clip.source_id].frames:
            _refuse(f"“{clip.name}” lies outside its recording")
        if not _fits(clip, clip.fade_in) or not _fits(clip, clip.fade_out):
            _refuse(f"a fade of “{clip.name}” is longer than the clip")
    for join in job.joins.values():
        if not {join.left_clip_id, join.right_clip_id} <= set(job.clips) or not 0 <= join.lead <= join.length_frames:
            _refuse("a crossfade refers to clips that are missing")
    for mark in job.marks.values():
        if mark.clip_id is not None and mark.clip_id not in job.clips:
            _refuse(f"the mark “{mark.name}” refers to a clip that is missing")
    for finding in job.findings.values():
        if finding.source_id not in job.sources or finding.lane_id not in job.lanes:
            _refuse("a finding refers to a recording or a lane that is missing")


def _fits(clip: Clip, fade: Fade | None) -> bool:
    return fade is None or (0 < fade.length_frames <= clip.frames and -1.0 <= fade.bend <= 1.0)


def _refuse(reason: str) -> None:
    raise InvalidInput(f"this saved job is not consistent: {reason}; save it again where it came from")
