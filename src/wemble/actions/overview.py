"""The start page: every job and what it is waiting for."""

from __future__ import annotations

from dataclasses import dataclass

from wemble.actions.checking import verdicts
from wemble.actions.library import Library
from wemble.core.edit.placement import job_span
from wemble.store import jobs, records

MOST_CHECKED_HERE = 500
"""The start page is not to wait for the verdicts of thousands of clips; the job itself shows them."""


@dataclass(frozen=True, slots=True)
class JobCard:
    """A job on the start page."""

    id: str
    name: str
    brief: str
    waiting_for: str
    clips: int
    length_s: float
    created_at: float


def job_cards(library: Library) -> list[JobCard]:
    """Return all jobs, the newest first, each with what it is waiting for."""
    with library.database.read() as db:
        rows = jobs.list_jobs(db)
        busy = {
            row.id: [t for t in records.list_tasks(db, row.id) if t.state in ("waiting", "running")] for row in rows
        }
    return [_card(library, row, len(busy[row.id])) for row in rows]


def _card(library: Library, row: jobs.JobRow, busy: int) -> JobCard:
    job = library.job_at(row.head_revision)
    start, end = job_span(job)
    spoken = [clip for clip in job.clips.values() if clip.speaks]
    if busy:
        waiting = f"working on {busy} {'file' if busy == 1 else 'files'}"
    elif not job.clips:
        waiting = "waiting for recordings"
    elif not job.findings:
        waiting = "ready to find sound and silence"
    elif len(spoken) > MOST_CHECKED_HERE:
        waiting = f"{len(spoken):,} clips found"
    else:
        doubtful = sum(row.doubtful for row in verdicts(library, row.head_revision))
        waiting = f"{doubtful} {'clip' if doubtful == 1 else 'clips'} to look at" if doubtful else "ready to send"
    return JobCard(
        row.id, row.name, row.brief, waiting, len(spoken), (end - start) / max(job.rate_hz, 1), row.created_at
    )
