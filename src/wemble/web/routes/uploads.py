"""Files on their way in."""

from __future__ import annotations

from wemble.actions import uploads
from wemble.store.rows import UploadRow
from wemble.web import models
from wemble.web.endpoints import endpoint
from wemble.web.routes.blueprint import api, library


def _upload_state(row: UploadRow, received: int) -> models.UploadState:
    return models.UploadState(
        id=row.id, received_bytes=received, size_bytes=row.size_bytes, part_bytes=uploads.PART_BYTES
    )


@endpoint(api, "POST", "/jobs/<job_id>/uploads", body=models.NewUpload, answer=models.UploadState)
def begin_upload(body: models.NewUpload, job_id: str) -> models.UploadState:
    """Begin to upload a file."""
    row = uploads.begin_upload(library(), job_id, body.name, body.size_bytes)
    return _upload_state(row, 0)


@endpoint(api, "GET", "/uploads/<upload_id>/state", answer=models.UploadState)
def upload_state(upload_id: str) -> models.UploadState:
    """Ask where to go on with an upload."""
    return _upload_state(*uploads.received_bytes(library(), upload_id))


@endpoint(api, "POST", "/uploads/<upload_id>/finish", answer=models.TaskMade)
def finish_upload(upload_id: str) -> models.TaskMade:
    """Import a complete upload."""
    return models.TaskMade(task_id=uploads.finish_upload(library(), upload_id))


@endpoint(api, "POST", "/uploads/<upload_id>/examine", answer=models.TaskMade)
def examine_upload(upload_id: str) -> models.TaskMade:
    """Look at a complete upload before it is taken in."""
    return models.TaskMade(task_id=uploads.examine_upload(library(), upload_id))
