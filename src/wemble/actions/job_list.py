"""The start page: every job, what it is waiting for, and what is done to a job as a whole."""

from __future__ import annotations

import json
from dataclasses import dataclass, replace
from typing import Literal

from wemble.actions.library import Library, new_id
from wemble.actions.revisions import edit_newest
from wemble.actions.verdicts import count_to_look_at
from wemble.core.briefs import record
from wemble.core.edit.clips import Edited, rename_job
from wemble.core.edit.marks import programme
from wemble.core.edit.model import Job, check_name
from wemble.core.edit.placement import job_span
from wemble.core.show.plan import problem_of
from wemble.store import health, jobs, records, settings
from wemble.store.files import folder_bytes

MOST_CHECKED_HERE = 500
"""The start page does not wait for the verdicts of thousands of clips; the job itself shows them."""

Waiting = Literal["busy", "empty", "search", "look", "send", "done"]


@dataclass(frozen=True, slots=True)
class JobCard:
    """A job on the start page. ``waits_for`` is a state for the interface, ``waiting_for`` the same in words."""

    id: str
    name: str
    brief: str
    revision: int
    waits_for: Waiting
    waiting_for: str
    clips: int
    length_s: float
    size_bytes: int
    created_at: float
    opened_at: float | None


@dataclass(frozen=True, slots=True)
class RemovedJob:
    """A job in the bin."""

    id: str
    name: str
    deleted_at: float


def job_cards(library: Library) -> list[JobCard]:
    """Return all jobs, the one that was opened last first, each with what it is waiting for."""
    with library.database.read() as db:
        rows = jobs.list_jobs(db)
        busy = records.count_open_tasks(db)
        folders, sent = records.list_export_folders(db), records.list_sent_revisions(db)
    return [
        _card(library, row, busy.get(row.id, 0), folders.get(row.id, []), row.head_revision in sent) for row in rows
    ]


def removed_jobs(library: Library) -> list[RemovedJob]:
    """Return the jobs in the bin, the newest first."""
    with library.database.read() as db:
        return [RemovedJob(row.id, row.name, row.deleted_at or 0.0) for row in jobs.list_removed_jobs(db)]


@dataclass(frozen=True, slots=True)
class RemovedDelivery:
    """What was sent and lies in the bin, with how many files."""

    task_id: str
    job_name: str
    files: int
    deleted_at: float


def removed_deliveries(library: Library) -> list[RemovedDelivery]:
    """Return what was sent and lies in the bin though its job does not, the newest first."""
    with library.database.read() as db:
        names = {row.id: row.name for row in jobs.list_jobs(db)}
        rows = records.list_removed_exports(db)
    return [
        RemovedDelivery(row.id, names[row.job_id], len((row.result or {}).get("files", ())), row.deleted_at or 0.0)
        for row in rows
    ]


def free_bytes(library: Library) -> int:
    """Return how much room is left where the data lie."""
    return health.free_bytes(library.home)


def mark_opened(library: Library, job_id: str) -> None:
    """Note that a job was opened now. Raises `NotFound`."""
    with library.database.write() as db:
        jobs.set_opened(db, job_id, now=library.now())


def rename(library: Library, job_id: str, name: str) -> None:
    """Give a job another name, as an edit that can be undone."""
    name = check_name(name)
    edit_newest(library, job_id, f"rename job to {name[:40]}", lambda job: rename_job(job, name))


def duplicate(library: Library, job_id: str) -> str:
    """Make a job of its own of a job's newest state, without its history, and return its id."""
    with library.database.read() as db:
        row = jobs.get_job_row(db, job_id)
    job = replace(library.job_at(row.head_revision), name=check_name(f"{row.name[:190]} copy"))
    copy_id = new_id()
    with library.database.write() as db:
        revision = jobs.add_job(db, copy_id, Job(job.name, job.brief), now=library.now())
    library.keep_job(revision, Job(job.name, job.brief))
    edit_newest(library, copy_id, f"copy of {row.name[:40]}", lambda _: Edited(job))
    return copy_id


def next_like(library: Library, job_id: str) -> str:
    """Make an empty job that begins with another's lanes, gains and settings of every card, and return its id.

    The next episode so begins with the last one's opening, closing and send; what its tags said of that one alone goes.
    """
    with library.database.read() as db:
        row = jobs.get_job_row(db, job_id)
        kept = settings.get_settings(db, job_id)
    job = library.job_at(row.head_revision)
    lanes = {key: replace(lane, muted=False, solo=False) for key, lane in job.lanes.items() if not lane.role}
    new = Job(_next_name(row.name), job.brief, auto_fades=job.auto_fades, next_number=job.next_number, lanes=lanes)
    tags = (kept.get("send") or {}).get("tags")
    if tags:
        kept["send"] = {**kept["send"], "tags": {**tags, "title": "", "number": ""}}
    next_id = new_id()
    with library.database.write() as db:
        revision = jobs.add_job(db, next_id, new, now=library.now())
        for name, value in kept.items():
            settings.update_setting(db, next_id, name, json.dumps(value))
    library.keep_job(revision, new)
    return next_id


def _next_name(name: str) -> str:
    """Return "Low Water 8" for "Low Water 7", "Ebb 2" for "Ebb".

    Examples
    --------
    >>> _next_name("Low Water 7"), _next_name("Ebb")
    ('Low Water 8', 'Ebb 2')
    """
    stem, _, number = name.rpartition(" ")
    return f"{stem} {int(number) + 1}" if stem and number.isdecimal() else check_name(f"{name[:190]} 2")


def _card(library: Library, row: jobs.JobRow, busy: int, folders: list[str], sent: bool) -> JobCard:
    job = library.job_at(row.head_revision)
    start, end = job_span(job)
    clips = sum(clip.speaks for clip in job.clips.values())
    waits_for, words = _waiting(library, row.head_revision, job, clips, busy, sent)
    size = sum(library.source_bytes(source_id) for source_id in job.sources)
    size += sum(folder_bytes(library.home.exports / name) for name in folders)
    return JobCard(
        row.id, row.name, record(job.brief).title, row.head_revision, waits_for, words, clips,
        (end - start) / max(job.rate_hz, 1), size, row.created_at, row.opened_at,
    )  # fmt: skip


def _waiting(library: Library, revision: int, job: Job, clips: int, busy: int, sent: bool) -> tuple[Waiting, str]:
    brief = record(job.brief)
    if busy:
        return "busy", f"importing {busy} {'file' if busy == 1 else 'files'}"
    if not job.clips:
        return "empty", "waiting for recordings"
    if sent:
        return "done", "done: sent as it is now"
    if job.cues:
        stopped = sum(bool(problem_of(job, cue)) for cue in job.cues.values())
        if stopped:
            return "look", f"{stopped} {'cue' if stopped == 1 else 'cues'} cannot run"
        return "send", f"ready to run: {len(job.cues)} {'cue' if len(job.cues) == 1 else 'cues'}"
    if not job.findings and programme(job) is None:
        return "search", f"ready to find {brief.many_clips}"
    if clips > MOST_CHECKED_HERE:
        return "look", f"{clips:,} {brief.many_clips} found"
    count = count_to_look_at(library, revision)
    if count:
        return "look", f"{count} {brief.one_clip if count == 1 else brief.many_clips} to look at"
    return "send", "ready to send"
