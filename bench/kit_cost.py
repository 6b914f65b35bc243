"""What a kit costs: 400 one-shots brought in and found, and 1,200 found again while a number is dragged.

    python bench/kit_cost.py

Beside the import stands what libsndfile alone needs to decode the same files, beside the finding what librosa's onset
function needs for them.
"""

from __future__ import annotations

import sys
import tempfile
import time
from pathlib import Path

import librosa
import numpy as np
import soundfile

from wemble.actions.importing.import_file import start_import
from wemble.actions.library import Library
from wemble.actions.revisions import create_job, open_job
from wemble.actions.searching import hit_search
from wemble.actions.work.tasks import wait_for
from wemble.core.edges.recipe import HitRecipe
from wemble.demo import kit

FILES = 400
RATE = kit.RATE_HZ


def write(folder: Path, count: int) -> list[Path]:
    """Write rough one-shots of about 2 s each, every one another."""
    rng = np.random.default_rng(400)
    paths = []
    for n in range(count):
        hit = kit.struck(kit.THINGS[n % len(kit.THINGS)], rng)[: 2 * RATE]
        take = 10 ** (-66 / 20) * rng.standard_normal(round(rng.uniform(0.005, 0.3) * RATE) + len(hit) + RATE // 2)
        start = len(take) - len(hit) - RATE // 2
        take[start : start + len(hit)] += hit / np.abs(hit).max() * rng.uniform(0.1, 0.9)
        paths.append(folder / f"hit {n:04d}.wav")
        soundfile.write(paths[-1], take, RATE, subtype="PCM_24")
    return paths


def brought_in(library: Library, paths: list[Path]) -> str:
    job_id = create_job(library, "Kit", "drums")
    tasks = [start_import(library, job_id, path, path.name) for path in paths]
    assert all(wait_for(library, task, 600).state == "done" for task in tasks)
    return job_id


def main() -> None:
    with tempfile.TemporaryDirectory() as scratch:
        folder = Path(scratch) / "files"
        folder.mkdir()
        paths = write(folder, FILES)
        library = Library(Path(scratch) / "home", workers=2)
        library.start()
        library.pool.submit_reporting(_nothing, (), lambda part, doing: None).result()
        start = time.perf_counter()
        job_id = brought_in(library, paths)
        imported = time.perf_counter() - start
        revision = open_job(library, job_id).revision
        start = time.perf_counter()
        hit_search.apply_hits(library, job_id, revision, [], HitRecipe())
        found = time.perf_counter() - start
        start = time.perf_counter()
        for path in paths:
            soundfile.read(path)
        decoded = time.perf_counter() - start
        start = time.perf_counter()
        for path in paths[:40]:
            samples, rate = soundfile.read(path, dtype="float32")
            librosa.onset.onset_detect(y=samples, sr=rate, backtrack=True)
        theirs = (time.perf_counter() - start) * FILES / 40
        print(
            f"import of {FILES} one-shots {imported:.1f} s ({imported / decoded:.0f}× libsndfile's decoding), finding {found:.2f} s"
        )
        print(f"together {imported + found:.1f} s; librosa's onset function {theirs:.1f} s, {theirs / found:.1f}×")
        if "--draft" in sys.argv:
            job_id = brought_in(library, write(folder, 3 * FILES))
            revision = open_job(library, job_id).revision
            hit_search.draft_hits(library, revision, HitRecipe())
            for name, recipes in (
                ("start", [HitRecipe(start_under_peak_db=30.0 + n) for n in range(8)]),
                ("end", [HitRecipe(over_floor_db=4.0 + n) for n in range(8)]),
            ):
                times = []
                for recipe in recipes:
                    start = time.perf_counter()
                    hit_search.draft_hits(library, revision, recipe)
                    times.append(time.perf_counter() - start)
                median, longest = 1000 * np.median(times), 1000 * max(times)
                print(f"draft of {3 * FILES} hits, {name} dragged: median {median:.0f} ms, longest {longest:.0f} ms")
        library.close()


def _nothing(report: object, *rest: object) -> None:
    return None


if __name__ == "__main__":
    main()
