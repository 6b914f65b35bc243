"""Other ways to hear a job: without its fades, and as it was before its recipes."""

from __future__ import annotations

from dataclasses import replace
from typing import Literal, get_args

from wemble.core.edit.model import Clip, Job
from wemble.core.edit.treatment import reverted

Hearing = Literal["result", "without_fades", "original"]
HEARINGS: tuple[Hearing, ...] = get_args(Hearing)


def as_heard(job: Job, hearing: Hearing) -> Job:
    """Return the job that is rendered for a way of hearing it.

    Before its recipes every finding is the one span it was made of. Where time was closed up, that span lies as it
    did then, so what follows is heard later.
    """
    if hearing == "result":
        return job
    if hearing == "without_fades":
        return replace(job, clips={key: _without_fades(clip) for key, clip in job.clips.items()})
    for finding_id in job.findings:
        job = reverted(job, finding_id)
    return job


def _without_fades(clip: Clip) -> Clip:
    return replace(clip, fade_in=None, fade_out=None)
