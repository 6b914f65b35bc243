"""Long work: how far it is, stopped, started again."""

from __future__ import annotations

from wemble.actions import removal, restart
from wemble.actions.work import tasks
from wemble.web import models
from wemble.web.endpoints import endpoint
from wemble.web.routes.blueprint import api, library


@endpoint(api, "GET", "/jobs/<job_id>/tasks", answer=models.TaskList)
def list_tasks(job_id: str) -> models.TaskList:
    """List a job's long work."""
    return models.TaskList(tasks=tasks.list_tasks(library(), job_id))


@endpoint(api, "POST", "/tasks/<task_id>/cancel", answer=models.Done)
def cancel_task(task_id: str) -> models.Done:
    """Stop a piece of long work."""
    tasks.cancel_task(library(), task_id)
    return models.Done()


@endpoint(api, "DELETE", "/tasks/<task_id>", answer=models.Done)
def remove_delivery(task_id: str) -> models.Done:
    """Put what was sent into the bin."""
    removal.remove_delivery(library(), task_id)
    return models.Done()


@endpoint(api, "POST", "/tasks/<task_id>/restore", answer=models.Done)
def restore_delivery(task_id: str) -> models.Done:
    """Take what was sent out of the bin."""
    removal.restore_delivery(library(), task_id)
    return models.Done()


@endpoint(api, "POST", "/tasks/<task_id>/again", answer=models.TaskMade)
def start_again(task_id: str) -> models.TaskMade:
    """Start interrupted work again."""
    return models.TaskMade(task_id=restart.start_again(library(), task_id))
