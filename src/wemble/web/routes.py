"""The endpoints that speak JSON."""

from __future__ import annotations

from flask import Blueprint, current_app

from wemble.actions import (
    again,
    bounding,
    checking,
    editing,
    edits,
    fading,
    finding,
    hitting,
    importing,
    kits,
    overlapping,
    overview,
    pictures,
    recipes,
    saving,
    sending,
    tasks,
)
from wemble.actions.editing import Answer
from wemble.actions.library import Library
from wemble.core.check.table import TABLE
from wemble.core.edges.onset import DOUBTFUL
from wemble.core.edit.kit import SOFTENINGS_MS
from wemble.core.edit.treat import targets
from wemble.core.signal.pyramid import TILE_BINS, bin_frames
from wemble.store import records
from wemble.web import models
from wemble.web.endpoints import endpoint

api = Blueprint("api", __name__, url_prefix="/api")


def library() -> Library:
    """Return the library that this application serves."""
    opened: Library = current_app.extensions["wemble"]
    return opened


@endpoint(api, "GET", "/jobs", answer=models.JobList)
def list_jobs() -> models.JobList:
    """List the jobs and what each is waiting for."""
    return models.JobList(jobs=overview.job_cards(library()))


@endpoint(api, "POST", "/jobs", body=models.NewJob, answer=models.JobMade)
def make_job(body: models.NewJob) -> models.JobMade:
    """Make a job."""
    return models.JobMade(id=editing.create_job(library(), body.name, body.brief))


@endpoint(api, "GET", "/jobs/<job_id>", answer=models.OpenedJob)
def open_job(job_id: str) -> models.OpenedJob:
    """Open a job at its newest revision."""
    opened = editing.open_job(library(), job_id)
    return models.OpenedJob.model_construct(
        id=job_id, revision=opened.revision, job=opened.job, undo_label=opened.undo_label, redo_label=opened.redo_label
    )


@endpoint(api, "POST", "/jobs/<job_id>/edits", body=models.EditBody, answer=models.EditAnswer)
def edit_job(body: models.EditBody, job_id: str) -> models.EditAnswer:
    """Edit a job."""
    return _answered(edits.perform(library(), job_id, body.base_revision, body.edit))


@endpoint(api, "POST", "/jobs/<job_id>/undo", body=models.StepBody, answer=models.EditAnswer)
def undo(body: models.StepBody, job_id: str) -> models.EditAnswer:
    """Undo the newest edit."""
    return _answered(editing.undo(library(), job_id, body.base_revision))


@endpoint(api, "POST", "/jobs/<job_id>/redo", body=models.StepBody, answer=models.EditAnswer)
def redo(body: models.StepBody, job_id: str) -> models.EditAnswer:
    """Redo what was undone."""
    return _answered(editing.redo(library(), job_id, body.base_revision))


@endpoint(api, "POST", "/jobs/<job_id>/automatic-fades", body=models.AutomaticFadesBody, answer=models.EditAnswer)
def automatic_fades(body: models.AutomaticFadesBody, job_id: str) -> models.EditAnswer:
    """Turn the fades that come by themselves on or off."""
    return _answered(fading.set_automatic_fades(library(), job_id, body.base_revision, body.on))


@endpoint(api, "POST", "/jobs/<job_id>/programme-from-sound", body=models.StepBody, answer=models.EditAnswer)
def programme_from_sound(body: models.StepBody, job_id: str) -> models.EditAnswer:
    """Mark the programme around the first and the last sound."""
    return _answered(bounding.programme_from_sound(library(), job_id, body.base_revision))


@endpoint(api, "POST", "/jobs/<job_id>/find/proposal", body=models.ProposalBody, answer=models.ProposalAnswer)
def propose(body: models.ProposalBody, job_id: str) -> models.ProposalAnswer:
    """Propose settings from floor and level."""
    job = library().job_at(body.revision)
    everything = targets(job)
    recipe = finding.proposal(library(), job, body.target_ids or everything)
    return models.ProposalAnswer(recipe=recipe, target_ids=everything)


@endpoint(api, "POST", "/jobs/<job_id>/find/draft", body=models.DraftBody, answer=models.DraftAnswer)
def draft(body: models.DraftBody, job_id: str) -> models.DraftAnswer:
    """Say what a recipe would find, while its numbers are dragged."""
    drafts = finding.draft(library(), body.revision, body.target_ids, body.recipe, body.close_up_s)
    return models.DraftAnswer.model_construct(drafts=drafts)


@endpoint(api, "POST", "/jobs/<job_id>/find/apply", body=models.ApplyBody, answer=models.EditAnswer)
def apply(body: models.ApplyBody, job_id: str) -> models.EditAnswer:
    """Find, and carry it out as one edit."""
    return _answered(finding.apply(library(), job_id, body.base_revision, body.target_ids, body.recipe, body.treatment))


@endpoint(api, "POST", "/jobs/<job_id>/names/preview", body=models.NamesBody, answer=models.NamesAnswer)
def preview_names(body: models.NamesBody, job_id: str) -> models.NamesAnswer:
    """Say what a pattern makes of the names of files."""
    return models.NamesAnswer(names=hitting.read_names(library(), body.revision, body.pattern))


@endpoint(api, "POST", "/jobs/<job_id>/names", body=models.ReadNamesBody, answer=models.EditAnswer)
def read_names(body: models.ReadNamesBody, job_id: str) -> models.EditAnswer:
    """Give clips what their names say, and lay out mic sets."""
    return _answered(hitting.apply_names(library(), job_id, body.base_revision, body.pattern))


@endpoint(api, "POST", "/jobs/<job_id>/hits/draft", body=models.HitDraftBody, answer=models.HitDraftAnswer)
def draft_hits(body: models.HitDraftBody, job_id: str) -> models.HitDraftAnswer:
    """Say what a recipe would find in hits, while its numbers are dragged."""
    recipe, applied = hitting.recipe_of(library(), body.revision, body.target_ids)
    asked = body.recipe or recipe
    draft = hitting.draft_hits(library(), body.revision, asked, body.target_ids)
    return models.HitDraftAnswer.model_construct(
        draft=draft,
        target_ids=targets(library().job_at(body.revision)),
        recipe=asked,
        applied=applied and asked == recipe,
        doubtful_under=DOUBTFUL,
        late_from_ms=TABLE["late"].look_from,
        softenings_ms=list(SOFTENINGS_MS),
    )


@endpoint(api, "POST", "/jobs/<job_id>/hits/apply", body=models.ApplyHitsBody, answer=models.EditAnswer)
def apply_hits(body: models.ApplyHitsBody, job_id: str) -> models.EditAnswer:
    """Find hits, and cut them as one edit."""
    return _answered(hitting.apply_hits(library(), job_id, body.base_revision, body.target_ids, body.recipe))


@endpoint(api, "POST", "/jobs/<job_id>/turn-down", body=models.TurnDownBody, answer=models.EditAnswer)
def turn_down(body: models.TurnDownBody, job_id: str) -> models.EditAnswer:
    """Turn what is too hot down to a ceiling."""
    return _answered(kits.turn_down(library(), job_id, body.base_revision, body.clip_ids, body.ceiling_db))


@endpoint(api, "POST", "/jobs/<job_id>/soften", body=models.SoftenBody, answer=models.EditAnswer)
def soften(body: models.SoftenBody, job_id: str) -> models.EditAnswer:
    """Soften the ends of clips by a grade."""
    return _answered(kits.soften(library(), job_id, body.base_revision, body.clip_ids, body.milliseconds))


@endpoint(api, "POST", "/jobs/<job_id>/loops/candidates", body=models.LoopsBody, answer=models.LoopsAnswer)
def loop_candidates(body: models.LoopsBody, job_id: str) -> models.LoopsAnswer:
    """List loops to choose from, the best first."""
    return models.LoopsAnswer(loops=kits.loop_candidates(library(), body.revision, body.clip_id, body.near))


@endpoint(api, "POST", "/jobs/<job_id>/loops/judge", body=models.JudgeLoopBody, answer=models.LoopsAnswer)
def judge_loop(body: models.JudgeLoopBody, job_id: str) -> models.LoopsAnswer:
    """Judge the seam of one loop."""
    bounds = (body.start_frame, body.end_frame, body.crossfade_frames)
    return models.LoopsAnswer(loops=[kits.judge_loop(library(), body.revision, body.clip_id, *bounds)])


@endpoint(api, "POST", "/jobs/<job_id>/loops/all", body=models.LoopAllBody, answer=models.EditAnswer)
def loop_all(body: models.LoopAllBody, job_id: str) -> models.EditAnswer:
    """Give clips their best loops."""
    return _answered(kits.loop_all(library(), job_id, body.base_revision, body.clip_ids, body.crossfade_ms))


@endpoint(api, "GET", "/jobs/<job_id>/revisions/<int:revision>/verdicts", answer=models.VerdictList)
def verdicts(job_id: str, revision: int) -> models.VerdictList:
    """Check every edge."""
    return models.VerdictList(revision=revision, clips=checking.verdicts(library(), revision))


@endpoint(api, "GET", "/jobs/<job_id>/revisions/<int:revision>/clips/<clip_id>/overlaps", answer=models.OverlapList)
def overlaps(job_id: str, revision: int, clip_id: str) -> models.OverlapList:
    """Say where others lie over a clip, and how loud it is there."""
    return models.OverlapList(overlaps=overlapping.overlaps(library(), revision, clip_id))


@endpoint(api, "GET", "/sources/<source_id>", answer=models.SourceInfo)
def source(source_id: str) -> models.SourceInfo:
    """Describe a source."""
    row = library().source(source_id)
    return models.SourceInfo(
        id=row.id,
        kind=row.kind,
        rate_hz=row.rate_hz,
        channels=row.channels,
        frames=row.frames,
        bin_frames=bin_frames(row.rate_hz),
        levels=pictures.levels(row.rate_hz, row.frames),
        tile_bins=TILE_BINS,
        peak=row.peak,
        floor_db=round(row.floors.floor.level_db, 1),
        floor_confidence=row.floors.floor.confidence,
        notes=list(row.notes),
    )


@endpoint(api, "GET", "/recipes", answer=models.RecipeList)
def list_recipes() -> models.RecipeList:
    """List the saved recipes."""
    return models.RecipeList(recipes=recipes.saved(library()))


@endpoint(api, "PUT", "/recipes/<name>", body=models.RecipeBody, answer=models.Done)
def save_recipe(body: models.RecipeBody, name: str) -> models.Done:
    """Save a recipe under a name."""
    recipes.save(library(), name, body.recipe)
    return models.Done()


@endpoint(api, "DELETE", "/recipes/<name>", answer=models.Done)
def forget_recipe(name: str) -> models.Done:
    """Forget a recipe."""
    recipes.forget(library(), name)
    return models.Done()


@endpoint(api, "POST", "/jobs/<job_id>/uploads", body=models.NewUpload, answer=models.UploadState)
def begin_upload(body: models.NewUpload, job_id: str) -> models.UploadState:
    """Begin to upload a file."""
    row = importing.begin_upload(library(), job_id, body.name, body.size_bytes)
    return _upload_state(row, 0)


@endpoint(api, "GET", "/uploads/<upload_id>/state", answer=models.UploadState)
def upload_state(upload_id: str) -> models.UploadState:
    """Ask where to go on with an upload."""
    return _upload_state(*importing.received_bytes(library(), upload_id))


@endpoint(api, "POST", "/uploads/<upload_id>/finish", answer=models.TaskMade)
def finish_upload(upload_id: str) -> models.TaskMade:
    """Import a complete upload."""
    return models.TaskMade(task_id=importing.finish_upload(library(), upload_id))


@endpoint(api, "GET", "/jobs/<job_id>/tasks", answer=models.TaskList)
def list_tasks(job_id: str) -> models.TaskList:
    """List a job's long work."""
    with library().database.read() as db:
        return models.TaskList(tasks=records.list_tasks(db, job_id))


@endpoint(api, "POST", "/tasks/<task_id>/cancel", answer=models.Done)
def cancel_task(task_id: str) -> models.Done:
    """Stop a piece of long work."""
    tasks.cancel_task(library(), task_id)
    return models.Done()


@endpoint(api, "POST", "/tasks/<task_id>/again", answer=models.TaskMade)
def start_again(task_id: str) -> models.TaskMade:
    """Start interrupted work again."""
    return models.TaskMade(task_id=again.start_again(library(), task_id))


@endpoint(api, "POST", "/jobs/<job_id>/send/preview", body=models.SendBody, answer=models.PreviewAnswer)
def preview(body: models.SendBody, job_id: str) -> models.PreviewAnswer:
    """Say what would be sent."""
    return models.PreviewAnswer(preview=sending.preview(library(), body.revision, body.request))


@endpoint(api, "POST", "/jobs/<job_id>/send", body=models.SendBody, answer=models.TaskMade)
def send(body: models.SendBody, job_id: str) -> models.TaskMade:
    """Start sending."""
    return models.TaskMade(task_id=sending.start_export(library(), job_id, body.revision, body.request))


@endpoint(api, "POST", "/jobs/<job_id>/save", body=models.StepBody, answer=models.TaskMade)
def save_job(body: models.StepBody, job_id: str) -> models.TaskMade:
    """Start saving a job with its sources as one file."""
    return models.TaskMade(task_id=saving.start_save(library(), job_id, body.base_revision))


def _upload_state(row: records.UploadRow, received: int) -> models.UploadState:
    return models.UploadState(
        id=row.id, received_bytes=received, size_bytes=row.size_bytes, part_bytes=importing.PART_BYTES
    )


def _answered(answer: Answer) -> models.EditAnswer:
    changes = [
        models.ChangeBody.model_construct(
            kind=change.kind,
            entity_id=change.entity_id,
            after=change.after,
        )
        for change in answer.changes
    ]
    return models.EditAnswer.model_construct(
        revision=answer.revision,
        changes=changes,
        notes=list(answer.notes),
        undo_label=answer.undo_label,
        redo_label=answer.redo_label,
    )
