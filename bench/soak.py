"""Edit one job for a long time and hold what must stay true: ``bench/soak.py [edits] [seed]``, 100,000 unless told otherwise.

Random edits of every kind go through the same actions as those of the browser, with undo and redo in between. After every
fiftieth, the job must be one that could be saved, and what it plays must be finite and the same from its start and from
its middle. At the end every step is undone to the first state and redone to the last. Memory and open files are printed
after every tenth part, and must not grow.
"""

from __future__ import annotations

import random
import resource
import sys
import tempfile
import time
from contextlib import suppress
from pathlib import Path

import numpy as np
import soundfile

sys.path.insert(0, str(Path(__file__).resolve().parent.parent))

from inspect import signature

from tests.actions.test_pinned_edits import KINDS, arguments
from tests.conftest import phrases

from wemble.actions.editing.edits import perform
from wemble.actions.importing.import_file import start_import
from wemble.actions.library import Library
from wemble.actions.revisions import create_job, open_job, redo, undo
from wemble.actions.work.tasks import wait_for
from wemble.core.edit.arrange import with_mutes_of
from wemble.core.edit.model import Job
from wemble.core.edit.placement import job_span
from wemble.core.edit.validity import check_validity
from wemble.core.render import RenderPlan
from wemble.errors import WembleError

RENDERED = 4_800
MOST_CLIPS = 60


def main() -> None:
    edits, seed = (int(word) for word in [*sys.argv[1:], *("100000", "1")[len(sys.argv) - 1 :]])
    rng = random.Random(seed)
    with tempfile.TemporaryDirectory(prefix="wemble-soak-") as folder:
        library = Library(Path(folder) / "home", workers=1)
        library.start()
        job_id = create_job(library, "soak", "drums")
        for number, rate in enumerate((48_000, 44_100, 96_000)):
            path = Path(folder) / f"s{number}.wav"
            soundfile.write(path, phrases(5.0, rate, seed=number), rate)
            wait_for(library, start_import(library, job_id, path, path.name), 60)
        revision = open_job(library, job_id).revision
        first, began, kept = library.job_at(revision), time.monotonic(), 0
        for number in range(1, edits + 1):
            revision, done = one_step(library, job_id, revision, rng)
            kept += done
            if number % 50 == 0:
                check(library, library.job_at(revision), rng)
            if number % max(edits // 10, 1) == 0:
                print(
                    f"{number} steps, {kept} edits: {resident_mb():.0f} MB now, {peak_mb():.0f} MB at most, "
                    f"{len(list(Path('/proc/self/fd').iterdir()))} files open, {1000 * (time.monotonic() - began) / number:.1f} ms a step",
                    flush=True,
                )
        walk_back_and_forth(library, job_id, revision, first)
        library.close()


def one_step(library: Library, job_id: str, revision: int, rng: random.Random) -> tuple[int, bool]:
    """Do one edit, undo or redo; return the revision that is newest then, and whether it was an edit that came to something."""
    job = library.job_at(revision)
    if rng.random() < 0.15:
        with suppress(WembleError):
            step = undo if rng.random() < 0.6 else redo
            return step(library, job_id, revision).revision, False
        return revision, False
    kind = rng.choice(KINDS)
    if len(job.clips) > MOST_CLIPS or not job.clips:
        step_back = undo(library, job_id, revision) if not job.clips else None
        if step_back is not None:
            return step_back.revision, False
        kind = next(one for one in KINDS if one.name == "remove_clips")
    fields = arguments(rng, job, [name for name in signature(kind.function).parameters if name != "job"])
    if "source_id" in fields:
        fields["source_id"] = rng.choice(sorted(job.sources))
    try:
        return perform(library, job_id, revision, kind.name, **fields).revision, True
    except WembleError:
        return revision, False


def check(library: Library, job: Job, rng: random.Random) -> None:
    """Raise if the job is not one that could be, or plays otherwise from another start."""
    check_validity(job)
    start, end = job_span(job)
    at = rng.randint(start, max(end, start + 1))
    plan = RenderPlan(job)
    whole, half = (
        plan.render(at, RENDERED, library.reader),
        plan.render(at + RENDERED // 2, RENDERED // 2, library.reader),
    )
    assert np.isfinite(whole).all() and np.array_equal(whole[:, RENDERED // 2 :], half)


def walk_back_and_forth(library: Library, job_id: str, revision: int, first: Job) -> None:
    """Undo to the first state, redo to the last, and hold both against what they were."""
    last, steps = library.job_at(revision), 0
    before = revision
    while library.job_at(before) != with_mutes_of(first, last):  # mutes are no step of undo
        before = undo(library, job_id, before).revision
        steps += 1
    after = before
    for _ in range(steps):
        after = redo(library, job_id, after).revision
    assert library.job_at(after) == last
    print(f"{steps} steps undone to the first state and redone to the last: both are what they were")


def resident_mb() -> float:
    return int(Path("/proc/self/statm").read_text().split()[1]) * resource.getpagesize() / 1e6


def peak_mb() -> float:
    return resource.getrusage(resource.RUSAGE_SELF).ru_maxrss / 1e3


if __name__ == "__main__":
    main()
