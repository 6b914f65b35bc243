"""Loops to choose from, and what is heard of their seams."""

from __future__ import annotations

from wemble.actions.editing import kit_edits
from wemble.web import models
from wemble.web.endpoints import endpoint
from wemble.web.routes.blueprint import api, library


@endpoint(api, "POST", "/jobs/<job_id>/loops/candidates", body=models.LoopsBody, answer=models.LoopsAnswer)
def loop_candidates(body: models.LoopsBody, job_id: str) -> models.LoopsAnswer:
    """List loops to choose from, the best first."""
    return models.LoopsAnswer(loops=kit_edits.loop_candidates(library(), body.revision, body.clip_id, body.near))


@endpoint(api, "POST", "/jobs/<job_id>/loops/judge", body=models.JudgeLoopBody, answer=models.LoopsAnswer)
def judge_loop(body: models.JudgeLoopBody, job_id: str) -> models.LoopsAnswer:
    """Judge the seam of one loop."""
    bounds = (body.start_frame, body.end_frame, body.crossfade_frames)
    return models.LoopsAnswer(loops=[kit_edits.judge_loop(library(), body.revision, body.clip_id, *bounds)])
