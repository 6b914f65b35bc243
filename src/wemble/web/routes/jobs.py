"""Jobs: listed, made, opened, edited, checked."""

from __future__ import annotations

from wemble.actions import job_list, job_settings, overlaps, removal, revisions, verdicts
from wemble.actions.editing import edits
from wemble.core.briefs import BRIEFS, record
from wemble.core.edit.edges import reach_of
from wemble.web import models
from wemble.web.endpoints import endpoint
from wemble.web.routes.answers import edit_answer
from wemble.web.routes.blueprint import api, library


@endpoint(api, "GET", "/jobs", answer=models.JobList)
def list_jobs() -> models.JobList:
    """List the jobs and what each is waiting for."""
    return models.JobList(
        jobs=job_list.job_cards(library()),
        removed=job_list.removed_jobs(library()),
        removed_deliveries=job_list.removed_deliveries(library()),
        briefs=list(BRIEFS.values()),
        free_bytes=job_list.free_bytes(library()),
    )


@endpoint(api, "POST", "/jobs/<job_id>/opened", answer=models.Done)
def mark_opened(job_id: str) -> models.Done:
    """Note that a job was opened."""
    job_list.mark_opened(library(), job_id)
    return models.Done()


@endpoint(api, "POST", "/jobs/<job_id>/rename", body=models.NewName, answer=models.Done)
def rename_job(body: models.NewName, job_id: str) -> models.Done:
    """Give a job another name."""
    job_list.rename(library(), job_id, body.name)
    return models.Done()


@endpoint(api, "POST", "/jobs/<job_id>/duplicate", answer=models.JobMade)
def duplicate_job(job_id: str) -> models.JobMade:
    """Make a copy of a job's newest state."""
    return models.JobMade(id=job_list.duplicate(library(), job_id))


@endpoint(api, "POST", "/jobs/<job_id>/next", answer=models.JobMade)
def next_job(job_id: str) -> models.JobMade:
    """Make an empty job that begins with another's lanes, gains and settings."""
    return models.JobMade(id=job_list.next_like(library(), job_id))


@endpoint(api, "DELETE", "/jobs/<job_id>", answer=models.Done)
def remove_job(job_id: str) -> models.Done:
    """Put a job into the bin."""
    removal.remove_job(library(), job_id)
    return models.Done()


@endpoint(api, "POST", "/jobs/<job_id>/restore", answer=models.Done)
def restore_job(job_id: str) -> models.Done:
    """Take a job out of the bin."""
    removal.restore_job(library(), job_id)
    return models.Done()


@endpoint(api, "DELETE", "/bin", answer=models.FreedAnswer)
def empty_bin() -> models.FreedAnswer:
    """Delete everything in the bin for good."""
    return models.FreedAnswer(freed=removal.empty_bin(library()))


@endpoint(api, "POST", "/jobs", body=models.NewJob, answer=models.JobMade)
def make_job(body: models.NewJob) -> models.JobMade:
    """Make a job."""
    return models.JobMade(id=revisions.create_job(library(), body.name, body.brief))


@endpoint(api, "GET", "/jobs/<job_id>", answer=models.OpenedJob)
def open_job(job_id: str) -> models.OpenedJob:
    """Open a job at its newest revision."""
    opened = revisions.open_job(library(), job_id)
    return models.OpenedJob.model_construct(
        id=job_id,
        revision=opened.revision,
        brief=record(opened.job.brief),
        settings=opened.settings,
        job=opened.job,
        undo_label=opened.undo_label,
        redo_label=opened.redo_label,
    )


@endpoint(api, "POST", "/jobs/<job_id>/edits", body=models.EditBody, answer=models.EditAnswer)
def edit_job(body: models.EditBody, job_id: str) -> models.EditAnswer:
    """Edit a job."""
    return edit_answer(edits.perform_request(library(), job_id, body.base_revision, body.edit))


@endpoint(api, "POST", "/jobs/<job_id>/edges/reach", body=models.ReachBody, answer=models.ReachAnswer)
def edge_reach(body: models.ReachBody, job_id: str) -> models.ReachAnswer:
    """Say how far an edge can be moved, and what stops it."""
    job = library().job_at(body.revision)
    return models.ReachAnswer(reach=reach_of(job, tuple(body.clip_ids), body.side, body.hold))


@endpoint(api, "PUT", "/jobs/<job_id>/settings/<name>", body=models.SettingBody, answer=models.Done)
def keep_setting(body: models.SettingBody, job_id: str, name: str) -> models.Done:
    """Keep a setting of a view with a job."""
    job_settings.keep(library(), job_id, name, body.value)
    return models.Done()


@endpoint(api, "POST", "/jobs/<job_id>/undo", body=models.StepBody, answer=models.EditAnswer)
def undo(body: models.StepBody, job_id: str) -> models.EditAnswer:
    """Undo the newest edit."""
    return edit_answer(revisions.undo(library(), job_id, body.base_revision))


@endpoint(api, "POST", "/jobs/<job_id>/redo", body=models.StepBody, answer=models.EditAnswer)
def redo(body: models.StepBody, job_id: str) -> models.EditAnswer:
    """Redo what was undone."""
    return edit_answer(revisions.redo(library(), job_id, body.base_revision))


@endpoint(api, "GET", "/jobs/<job_id>/revisions/<int:revision>/verdicts", answer=models.VerdictList)
def list_verdicts(job_id: str, revision: int) -> models.VerdictList:
    """Check every edge."""
    return models.VerdictList(revision=revision, clips=verdicts.verdicts(library(), revision))


@endpoint(api, "GET", "/jobs/<job_id>/revisions/<int:revision>/clips/<clip_id>/overlaps", answer=models.OverlapList)
def list_overlaps(job_id: str, revision: int, clip_id: str) -> models.OverlapList:
    """Say where others lie over a clip, and how loud it is there."""
    return models.OverlapList(overlaps=overlaps.overlaps(library(), revision, clip_id))
