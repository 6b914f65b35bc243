"""A show: its plan with what will go wrong, rehearsals without anybody, shifted pitches."""

from __future__ import annotations

from wemble.actions.show import pitch, plans, rehearsing
from wemble.web import models
from wemble.web.endpoints import endpoint
from wemble.web.routes.blueprint import api, library


@endpoint(api, "POST", "/jobs/<job_id>/show/plan", body=models.ShowBody, answer=models.ShowAnswer)
def show_plan(body: models.ShowBody, job_id: str) -> models.ShowAnswer:
    """Compile the running order, and say what will go wrong."""
    return models.ShowAnswer.model_construct(show=plans.show_at(library(), body.revision, body.settings))


@endpoint(api, "POST", "/jobs/<job_id>/show/rehearse", body=models.RehearsalBody, answer=models.TaskMade)
def rehearse_show(body: models.RehearsalBody, job_id: str) -> models.TaskMade:
    """Start running the show without anybody."""
    return models.TaskMade(
        task_id=rehearsing.start_rehearsal(library(), job_id, body.revision, body.rehearsal, body.settings)
    )


@endpoint(api, "POST", "/jobs/<job_id>/show/shift", body=models.ShiftBody, answer=models.TaskMade)
def shift_pitch(body: models.ShiftBody, job_id: str) -> models.TaskMade:
    """Start shifting the pitch of a voice of a cue."""
    started = pitch.start_shifting(library(), job_id, body.revision, body.cue_id, body.voice, body.semitones)
    return models.TaskMade(task_id=started)


@endpoint(api, "POST", "/jobs/<job_id>/show/pause", body=models.PauseBody, answer=models.PauseAnswer)
def find_pause(body: models.PauseBody, job_id: str) -> models.PauseAnswer:
    """Find where the ring-out before a place of a cue ends, and where the sound behind it starts."""
    return models.PauseAnswer(pause=plans.pause_at(library(), body.revision, body.cue_id, body.job_frame))
