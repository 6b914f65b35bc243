"""Searching for sound and silence."""

from __future__ import annotations

from wemble.actions.searching import sound_search
from wemble.actions.searching.long_search import start_search
from wemble.core.edit.treatment import targets
from wemble.web import models
from wemble.web.endpoints import endpoint
from wemble.web.routes.answers import edit_answer
from wemble.web.routes.blueprint import api, library


@endpoint(api, "POST", "/jobs/<job_id>/find/proposal", body=models.ProposalBody, answer=models.ProposalAnswer)
def propose(body: models.ProposalBody, job_id: str) -> models.ProposalAnswer:
    """Propose settings from floor and level."""
    job = library().job_at(body.revision)
    everything = targets(job)
    recipe = sound_search.proposal(library(), job, body.target_ids or everything)
    return models.ProposalAnswer(recipe=recipe, target_ids=everything)


@endpoint(api, "POST", "/jobs/<job_id>/find/draft", body=models.DraftBody, answer=models.DraftAnswer)
def draft(body: models.DraftBody, job_id: str) -> models.DraftAnswer:
    """Say what a recipe would find, while its numbers are dragged."""
    drafts = sound_search.draft_if_heard(
        library(), body.revision, body.target_ids, body.recipe, body.close_up_s, body.exact
    )
    return models.DraftAnswer.model_construct(drafts=drafts)


@endpoint(api, "POST", "/jobs/<job_id>/find/search", body=models.SearchBody, answer=models.SearchAnswer)
def search(body: models.SearchBody, job_id: str) -> models.SearchAnswer:
    """Start searching long recordings, ahead of applying: no task where that is not worth one."""
    task_id = start_search(library(), job_id, body.revision, body.target_ids, body.recipe, body.treatment)
    return models.SearchAnswer(task_id=task_id)


@endpoint(api, "POST", "/jobs/<job_id>/find/apply", body=models.ApplyBody, answer=models.EditAnswer)
def apply(body: models.ApplyBody, job_id: str) -> models.EditAnswer:
    """Find, and carry it out as one edit."""
    return edit_answer(
        sound_search.apply(library(), job_id, body.base_revision, body.target_ids, body.recipe, body.treatment)
    )
