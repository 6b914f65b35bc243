"""A release: its tracks, listening to them, sending it; and how two items hand over on air."""

from __future__ import annotations

from wemble.actions.delivery import release
from wemble.actions.editing.on_air_points import hear_hand_over
from wemble.web import models
from wemble.web.endpoints import endpoint
from wemble.web.routes.blueprint import api, library


@endpoint(api, "POST", "/jobs/<job_id>/release/preview", body=models.ReleaseBody, answer=models.ReleaseAnswer)
def release_preview(body: models.ReleaseBody, job_id: str) -> models.ReleaseAnswer:
    """Say what tracks there are, what is wrong with them, and what would be sent."""
    return models.ReleaseAnswer(preview=release.release_preview(library(), body.revision, body.request))


@endpoint(api, "POST", "/jobs/<job_id>/release/hear", body=models.StepBody, answer=models.TaskMade)
def hear_tracks(body: models.StepBody, job_id: str) -> models.TaskMade:
    """Start listening to every track."""
    return models.TaskMade(task_id=release.start_hearing(library(), job_id, body.base_revision))


@endpoint(api, "POST", "/jobs/<job_id>/release", body=models.ReleaseBody, answer=models.TaskMade)
def send_release(body: models.ReleaseBody, job_id: str) -> models.TaskMade:
    """Start sending a release."""
    return models.TaskMade(task_id=release.start_release(library(), job_id, body.revision, body.request))


@endpoint(api, "POST", "/jobs/<job_id>/hand-over", body=models.HandOverBody, answer=models.HandOverAnswer)
def hand_over(body: models.HandOverBody, job_id: str) -> models.HandOverAnswer:
    """Say how one item follows another on air at their points."""
    heard = hear_hand_over(library(), body.revision, body.first_clip_id, body.second_clip_id, body.around_s)
    return models.HandOverAnswer(heard=heard)
