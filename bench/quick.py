"""What is done all day, each beside plain numpy or libsndfile on the same sound: python bench/quick.py [--keep]

Under a minute, to be run before a change is handed over. Each figure is the least of a few runs over the least of as many of its
reference; it stands beside what bench/quick.json says it was, and is marked when it is over 1.3 times that. ``--keep`` writes
the figures there. Ratios, so that they can be compared from machine to machine, if roughly.
"""

from __future__ import annotations

import dataclasses
import json
import shutil
import subprocess
import sys
import time
from collections.abc import Callable
from pathlib import Path

import numpy as np
import soundfile

from cost import RATE, SCRATCH, decode_and_write, long_take, opened_take, ten_thousand
from made_hits import made
from wemble.actions.editing.edits import perform
from wemble.actions.importing import import_file
from wemble.actions.library import Library
from wemble.actions.revisions import open_job
from wemble.actions.searching import sound_search
from wemble.actions.searching.long_search import start_search
from wemble.actions.work.tasks import wait_for
from wemble.core.edges.onset import find_hit
from wemble.core.edges.recipe import HitRecipe, Recipe, Treatment
from wemble.core.edit.treatment import targets
from wemble.core.render import RenderPlan
from wemble.store.files import FileReader

HOURS = 0.1
KEPT = Path(__file__).with_name("quick.json")
SLOWER = 1.3

Run = Callable[[], object]


def least(run: Run, times: int) -> float:
    """Return the seconds of the quickest of several runs."""
    seconds = []
    for _ in range(times):
        start = time.perf_counter()
        run()
        seconds.append(time.perf_counter() - start)
    return min(seconds)


class Figures:
    """The figures of one run, beside those that were kept."""

    def __init__(self) -> None:
        self.kept: dict[str, float] = json.loads(KEPT.read_text()) if KEPT.exists() else {}
        self.now: dict[str, float] = {}

    def take(self, name: str, ours: Run, reference: Run, times: int) -> None:
        seconds, beside = least(ours, times), least(reference, max(times, 3))
        self.now[name] = round(seconds / beside, 3)
        was = self.kept.get(name)
        said = "" if was is None else f"  was {was:.2f}×" + ("  SLOWER" if self.now[name] > SLOWER * was else "")
        print(f"{name:<44} {1000 * seconds:8.1f} ms  {self.now[name]:9.2f}× the reference{said}", flush=True)


def main() -> None:
    figures, path = Figures(), long_take(HOURS)
    samples, _ = soundfile.read(path, dtype="float32", always_2d=True)

    def decode() -> None:
        with soundfile.SoundFile(path) as file:
            while len(file.read(1 << 16, dtype="float32", always_2d=True)):
                pass

    def loudest() -> float:  # what the least that looks at every sample costs
        return float(np.abs(samples).max())

    library, job_id, _ = opened_take(path)
    work = library.home.scratch / "quick"

    def take_in() -> None:
        work.mkdir()
        import_file.import_file(lambda part, doing: None, work, library.home.root, path, path.name, 0, True)
        shutil.rmtree(work)

    figures.take("import, 6 min: decode and write", take_in, lambda: decode_and_write(path), 3)
    command = [Path(sys.executable).with_name("wemble"), "find", "sound", path, "--json"]
    find = lambda: subprocess.run(command, check=True, stdout=subprocess.DEVNULL)  # noqa: E731
    figures.take("wemble find sound, 6 min: decode", find, decode, 2)

    opened = open_job(library, job_id)
    everything = targets(opened.job)
    recipe = sound_search.proposal(library, opened.job, everything)
    steps = iter(range(1, 1000))

    def changed() -> Recipe:
        return dataclasses.replace(recipe, threshold_db=recipe.threshold_db + 0.05 * next(steps))

    draft = lambda: sound_search.draft(library, opened.revision, everything, changed())  # noqa: E731
    draft()
    figures.take("draft, 6 min: loudest sample", draft, loudest, 10)

    def apply() -> None:
        now, settings = open_job(library, job_id), changed()
        asked = (library, job_id, now.revision, targets(now.job), settings, Treatment())
        if (task := start_search(*asked)) is not None:
            wait_for(library, task)
        sound_search.apply(*asked)

    figures.take("Apply, 6 min: loudest sample", apply, loudest, 3)

    job = open_job(library, job_id).job
    reader = FileReader(library.home, {source.id: source.channels for source in job.sources.values()})
    plan = RenderPlan(job)

    def render() -> None:
        for _ in plan.blocks(0, plan.end_frame, 1 << 16, reader):
            pass

    figures.take("render, 6 min: loudest sample", render, loudest, 3)

    rng = np.random.default_rng(1)
    hits = [made(rng) for _ in range(24)]
    one_shots = lambda: [find_hit(hit.samples, hit.rate_hz, HitRecipe()) for hit in hits]  # noqa: E731
    figures.take(
        "24 one-shots: their spectra", one_shots, lambda: [np.fft.rfft(hit.samples, axis=0) for hit in hits], 3
    )

    many, revision = ten_thousand(library)
    turn = iter(range(10_000))

    def nudge() -> None:
        nonlocal revision
        clip = library.job_at(revision).clips[f"x{37 * next(turn)}"]
        place = {"clip_id": clip.id, "side": "head", "source_frame": clip.head_frame + 1}
        revision = perform(library, many, revision, "move_edge", **place).revision

    figures.take("an edit in 10,000 clips: loudest sample", nudge, loudest, 20)

    def open_again() -> None:
        again = Library(library.home.root, workers=0)
        open_job(again, many)
        again.close()

    figures.take("opening 10,000 clips: loudest sample", open_again, loudest, 3)
    library.close()
    shutil.rmtree(library.home.root)
    if "--keep" in sys.argv:
        KEPT.write_text(json.dumps(figures.now, indent=1) + "\n")
    print(f"{len(samples) / RATE / 60:.0f} min of sound from {SCRATCH}")


if __name__ == "__main__":
    main()
