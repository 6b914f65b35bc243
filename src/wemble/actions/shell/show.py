"""A show from the shell: listed, checked, run without anybody; of a job in the data folder, or of a saved one."""

from __future__ import annotations

import tempfile
from collections.abc import Iterator
from contextlib import contextmanager
from dataclasses import dataclass
from pathlib import Path

from pydantic import TypeAdapter

from wemble.actions.job_list import job_cards
from wemble.actions.library import Library
from wemble.actions.revisions import create_job
from wemble.actions.saved_jobs import ENDING, start_open
from wemble.actions.shell.scratch import scratch_library
from wemble.actions.show.plans import show_at
from wemble.actions.show.rehearsing import Rehearsal, missing_sources, render_show
from wemble.actions.work.executor import Report
from wemble.actions.work.tasks import wait_for
from wemble.core.deliver.running_order import order_as_csv
from wemble.core.show.plan import RunSettings
from wemble.errors import InvalidInput, NotFound
from wemble.store import settings


@contextmanager
def opened_show(root: Path, name: str) -> Iterator[tuple[Library, str, int]]:
    """Open a job by its name or id, or a saved job in a library that is gone afterwards; give library, job, revision."""
    path = Path(name)
    if name.endswith(ENDING):
        if not path.is_file():
            raise NotFound(f"there is no file {path}")
        with scratch_library(workers=1) as library:
            job_id = create_job(library, path.name.removesuffix(ENDING), "show")
            task = wait_for(library, start_open(library, job_id, path, path.name, upload_id=None))
            if task.state != "done":
                raise InvalidInput(str((task.error or {}).get("message", "this saved job cannot be opened")))
            yield library, job_id, _revision_of(library, job_id)
        return
    library = Library(root, workers=0)
    try:
        found = [card.id for card in job_cards(library) if name in (card.id, card.name)]
        if len(found) != 1:
            which = "no job" if not found else f"{len(found)} jobs"
            raise NotFound(f"there is {which} called {name!r}; give its name, its id, or a saved job")
        yield library, found[0], _revision_of(library, found[0])
    finally:
        library.close()


def _revision_of(library: Library, job_id: str) -> int:
    return next(card.revision for card in job_cards(library) if card.id == job_id)


def run_settings(library: Library, job_id: str) -> RunSettings:
    """Return how a show is run: as it was set in the browser, else as usual."""
    with library.database.read() as db:
        kept = settings.get_settings(db, job_id).get("run", {})
    return TypeAdapter(RunSettings).validate_python(kept)


def listed(library: Library, revision: int) -> str:
    """Return the running order as CSV."""
    return order_as_csv(library.job_at(revision))


def checked(library: Library, job_id: str, revision: int) -> list[dict[str, object]]:
    """Return everything that will go wrong, in running order."""
    job = library.job_at(revision)
    faults = show_at(library, revision, run_settings(library, job_id)).faults
    return [
        {"number": job.cue(one.cue_id).number, "cue": job.cue(one.cue_id).name, "stops": one.stops, "text": one.text}
        for one in faults
    ]


@dataclass(frozen=True, slots=True)
class Rendered:
    """An offline run that was written: its length, its loudest sample, the hash of its samples as float32."""

    frames: int
    peak_db: float
    sha256: str
    fired: int


def render(report: Report, library: Library, job_id: str, revision: int, rehearsal: Rehearsal, to: Path) -> Rendered:
    """Write the offline run of a show as one WAV with a mark at each cue. Raises `InvalidInput` if the file is there already."""
    job = library.job_at(revision)
    if not job.cues:
        raise InvalidInput("this job has no cues: it is not a show yet")
    if to.exists():
        raise InvalidInput(f"{to} is there already; choose another name")
    if not to.parent.is_dir():
        raise InvalidInput(f"there is no folder {to.parent}")
    with tempfile.TemporaryDirectory(prefix=".wemble-", dir=to.parent) as beside:
        path = Path(beside) / to.name
        missing = missing_sources(library.home, job)
        frames, peak_db, _, log, digest = render_show(
            report, library.home, job, rehearsal, run_settings(library, job_id), path, missing
        )
        path.rename(to)
    return Rendered(frames, peak_db, digest, sum(entry.what == "fired" for entry in log))
