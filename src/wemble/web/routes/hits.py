"""Searching for hits, and what the names of their files say."""

from __future__ import annotations

from wemble.actions.searching import hit_search
from wemble.core.check.table import TABLE
from wemble.core.edges.recipe import DOUBTFUL
from wemble.core.edit.kit import SOFTENINGS_MS
from wemble.core.edit.treatment import targets
from wemble.web import models
from wemble.web.endpoints import endpoint
from wemble.web.routes.answers import edit_answer
from wemble.web.routes.blueprint import api, library


@endpoint(api, "POST", "/jobs/<job_id>/names/preview", body=models.NamesBody, answer=models.NamesAnswer)
def preview_names(body: models.NamesBody, job_id: str) -> models.NamesAnswer:
    """Say what a pattern makes of the names of files."""
    return models.NamesAnswer(names=hit_search.read_names(library(), body.revision, body.pattern))


@endpoint(api, "POST", "/jobs/<job_id>/hits/draft", body=models.HitDraftBody, answer=models.HitDraftAnswer)
def draft_hits(body: models.HitDraftBody, job_id: str) -> models.HitDraftAnswer:
    """Say what a recipe would find in hits, while its numbers are dragged."""
    recipe, applied = hit_search.recipe_of(library(), body.revision, body.target_ids)
    asked = body.recipe or recipe
    draft = hit_search.draft_hits(library(), body.revision, asked, body.target_ids)
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
    return edit_answer(hit_search.apply_hits(library(), job_id, body.base_revision, body.target_ids, body.recipe))
