"""What would be sent, sending it, and saving a whole job."""

from __future__ import annotations

from wemble.actions import saved_jobs
from wemble.actions.delivery import export, one_shots
from wemble.actions.delivery.preview import preview as send_preview
from wemble.web import models
from wemble.web.endpoints import endpoint
from wemble.web.routes.blueprint import api, library


@endpoint(api, "POST", "/jobs/<job_id>/send/preview", body=models.SendBody, answer=models.PreviewAnswer)
def preview(body: models.SendBody, job_id: str) -> models.PreviewAnswer:
    """Say what would be sent."""
    return models.PreviewAnswer(preview=send_preview(library(), body.revision, body.request))


@endpoint(api, "GET", "/jobs/<job_id>/revisions/<int:revision>/map", answer=models.MapAnswer)
def kit_map(job_id: str, revision: int) -> models.MapAnswer:
    """Say on which keys, strengths and turns the map of a kit puts its one-shots."""
    return models.MapAnswer(places=one_shots.map_of(library(), revision))


@endpoint(api, "POST", "/jobs/<job_id>/send", body=models.SendBody, answer=models.TaskMade)
def send(body: models.SendBody, job_id: str) -> models.TaskMade:
    """Start sending."""
    return models.TaskMade(task_id=export.start_export(library(), job_id, body.revision, body.request))


@endpoint(api, "POST", "/jobs/<job_id>/send/trial", body=models.SendBody, answer=models.TaskMade)
def try_out(body: models.SendBody, job_id: str) -> models.TaskMade:
    """Start finding out what the encoder gives back."""
    return models.TaskMade(task_id=export.start_trial(library(), job_id, body.revision, body.request))


@endpoint(api, "POST", "/jobs/<job_id>/save", body=models.StepBody, answer=models.TaskMade)
def save_job(body: models.StepBody, job_id: str) -> models.TaskMade:
    """Start saving a job with its sources as one file."""
    return models.TaskMade(task_id=saved_jobs.start_save(library(), job_id, body.base_revision))
