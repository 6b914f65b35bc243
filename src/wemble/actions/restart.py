"""Starting interrupted work again."""

from __future__ import annotations

from pydantic import TypeAdapter

from wemble.actions import saved_jobs, uploads
from wemble.actions.delivery import export
from wemble.actions.delivery.release import ReleaseRequest, start_release
from wemble.actions.delivery.request import Request
from wemble.actions.lanes import mixdown
from wemble.actions.library import Library
from wemble.actions.show.pitch import start_shifting
from wemble.actions.show.rehearsing import Rehearsal, start_rehearsal
from wemble.core.show.plan import RunSettings
from wemble.errors import InvalidInput
from wemble.store import records
from wemble.store.rows import TaskRow

_REQUEST, _MIX = TypeAdapter(Request), TypeAdapter(mixdown.MixSettings)
_RELEASE = TypeAdapter(ReleaseRequest)
_REHEARSAL, _RUN = TypeAdapter(Rehearsal), TypeAdapter(RunSettings)


def start_again(library: Library, task_id: str) -> str:
    """Start work again that was interrupted, stopped or failed, and return the new task, which takes the old one's place.

    Raises
    ------
    InvalidInput
        If it is under way or done, or what it needs is gone.
    """
    with library.database.read() as db:
        task = records.get_task(db, task_id)
    if task.state not in ("interrupted", "cancelled", "failed"):
        raise InvalidInput("this is running or done; there is nothing to restart")
    started = _start(library, task)
    if started != task_id:
        with library.database.write() as db:
            records.delete_task(db, task_id)
    return started


def _start(library: Library, task: TaskRow) -> str:
    if task.kind == "import" and task.request["upload_id"]:
        return uploads.finish_upload(library, task.request["upload_id"])
    if task.kind == "export":
        fields = dict(task.request)
        revision = fields.pop("revision")
        if fields.get("save"):
            return saved_jobs.start_save(library, task.job_id, revision)
        if "rehearsal" in fields:
            rehearsal, settings = _REHEARSAL.validate_python(fields["rehearsal"]), _RUN.validate_python(fields["run"])
            return start_rehearsal(library, task.job_id, revision, rehearsal, settings)
        if "release" in fields:
            return start_release(library, task.job_id, revision, _RELEASE.validate_python(fields["release"]))
        if "per_phrase" in fields:  # a request of the first weeks
            fields["what"] = "each_clip" if fields.pop("per_phrase") else "one"
        return export.start_export(library, task.job_id, revision, _REQUEST.validate_python(fields))
    if task.kind == "convert":
        fields = dict(task.request)
        if "shift" in fields:
            cue_id, voice, semitones = fields["shift"]
            return start_shifting(library, task.job_id, fields["revision"], cue_id, voice, semitones)
        return mixdown.start_mixdown(library, task.job_id, fields.pop("revision"), _MIX.validate_python(fields))
    if task.kind == "check":
        raise InvalidInput("start this again where it was started, on its card")
    raise InvalidInput("import the file again from where it is")
