"""Puts the demo into a library, once."""

from __future__ import annotations

from collections.abc import Callable
from dataclasses import replace

import soundfile

from wemble.actions import finding, importing
from wemble.actions.editing import create_job, edit_newest, open_job
from wemble.actions.library import Library
from wemble.actions.overview import job_cards
from wemble.actions.tasks import wait_for
from wemble.core.edges.recipe import Treatment
from wemble.core.edit.clips import Edited
from wemble.core.edit.model import Clip, Job
from wemble.core.edit.treat import targets
from wemble.demo.take import RATE_HZ, audio_guide
from wemble.errors import WorkFailed

JOB_NAME = "Audio guide"


def add_demo(library: Library, say: Callable[[str], None]) -> None:
    """Add the demo jobs that are not there yet."""
    if any(card.name == JOB_NAME for card in job_cards(library)):
        say("the demo is there already")
        return
    say("making the Audio guide: eight stops read in one take")
    samples, begins = audio_guide()
    path = library.home.scratch / "Audio guide take.wav"
    soundfile.write(str(path), samples, RATE_HZ, subtype="PCM_24")
    job_id = create_job(library, JOB_NAME)
    task = wait_for(library, importing.start_import(library, job_id, path, path.name))
    path.unlink()
    if task.state != "done":
        raise WorkFailed(f"the demo could not be brought in: {task.error}")
    say("finding its phrases")
    opened = open_job(library, job_id)
    all_targets = targets(opened.job)
    recipe = finding.proposal(library, opened.job, all_targets)
    finding.apply(library, job_id, opened.revision, all_targets, recipe, Treatment())
    edit_newest(library, job_id, "name the phrases", lambda job: Edited(_named(job, begins)))


def _named(job: Job, begins: list[tuple[int, str]]) -> Job:
    """Return the job with every clip named after the phrase that begins in it; the first, if several do."""

    def name(clip: Clip) -> str:
        return next((name for frame, name in begins if clip.head_frame <= frame < clip.tail_frame), clip.name)

    return replace(job, clips={key: replace(clip, name=name(clip)) for key, clip in job.clips.items()})
