"""Lanes together: what they hear of each other, how loud their voices are, their gaps, and their mix."""

from __future__ import annotations

from wemble.actions.lanes import aligning, mixdown, pieces, talk, voices
from wemble.actions.searching import own_sound
from wemble.web import models
from wemble.web.endpoints import endpoint
from wemble.web.routes.blueprint import api, library


@endpoint(api, "POST", "/jobs/<job_id>/lanes/listen", body=models.RevisionBody, answer=models.TaskMade)
def listen(body: models.RevisionBody, job_id: str) -> models.TaskMade:
    """Start measuring what the lanes hear of each other."""
    return models.TaskMade(task_id=own_sound.start_listening(library(), job_id, body.revision))


@endpoint(api, "POST", "/jobs/<job_id>/lanes/align", body=models.RevisionBody, answer=models.TaskMade)
def align(body: models.RevisionBody, job_id: str) -> models.TaskMade:
    """Start lining up the lanes by what they hear of each other."""
    return models.TaskMade(task_id=aligning.start_aligning(library(), job_id, body.revision))


@endpoint(api, "POST", "/jobs/<job_id>/lanes/measure", body=models.RevisionBody, answer=models.TaskMade)
def measure(body: models.RevisionBody, job_id: str) -> models.TaskMade:
    """Start measuring the loudness of recordings."""
    return models.TaskMade(task_id=voices.start_measuring(library(), job_id, body.revision))


@endpoint(api, "POST", "/jobs/<job_id>/lanes/voices", body=models.RevisionBody, answer=models.VoicesAnswer)
def lane_voices(body: models.RevisionBody, job_id: str) -> models.VoicesAnswer:
    """Say how loud what is said on each lane is, whole and along time."""
    library().check_revision(job_id, body.revision)
    return models.VoicesAnswer(voices=voices.voices_if_measured(library(), library().job_at(body.revision)))


@endpoint(api, "POST", "/jobs/<job_id>/lanes/talk", body=models.TalkBody, answer=models.TalkAnswer)
def plan_talk(body: models.TalkBody, job_id: str) -> models.TalkAnswer:
    """Say where the talk begins and ends, and what closing its gaps comes to."""
    library().check_revision(job_id, body.revision)
    return models.TalkAnswer(plan=talk.talk_plan(library(), body.revision, body.longest_frames, body.part))


@endpoint(api, "POST", "/jobs/<job_id>/lanes/mix", body=models.MixBody, answer=models.TaskMade)
def mix(body: models.MixBody, job_id: str) -> models.TaskMade:
    """Start mixing down to a new lane."""
    return models.TaskMade(task_id=mixdown.start_mixdown(library(), job_id, body.revision, body.settings))


@endpoint(api, "GET", "/pieces", answer=models.PieceList)
def list_pieces() -> models.PieceList:
    """List the pieces that were kept."""
    return models.PieceList(pieces=pieces.kept_pieces(library()))


@endpoint(api, "POST", "/jobs/<job_id>/pieces", body=models.PieceBody, answer=models.Done)
def keep_piece(body: models.PieceBody, job_id: str) -> models.Done:
    """Keep what a clip shows of its recording."""
    library().check_revision(job_id, body.revision)
    pieces.keep_piece(library(), library().job_at(body.revision), body.clip_id, body.name)
    return models.Done()


@endpoint(api, "POST", "/pieces/forget", body=models.NewName, answer=models.Done)
def forget_piece(body: models.NewName) -> models.Done:
    """Forget a piece."""
    pieces.forget_piece(library(), body.name)
    return models.Done()
