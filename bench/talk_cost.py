"""What a long conversation costs: python bench/talk_cost.py [minutes, default 90] [lanes, default 3] [folder to keep]

Made of the demo's conversation, again and again. Prints each step beside libsndfile's decode of the same files.
"""

from __future__ import annotations

import shutil
import sys
import tempfile
import time
from collections.abc import Callable
from pathlib import Path
from typing import TypeVar

import numpy as np
import soundfile

from wemble.actions.editing.edits import perform
from wemble.actions.importing.import_file import start_import
from wemble.actions.lanes.mixdown import MixSettings, start_mixdown
from wemble.actions.lanes.talk import talk_plan
from wemble.actions.lanes.voices import start_measuring, voices_of
from wemble.actions.library import Library
from wemble.actions.revisions import create_job, open_job
from wemble.actions.searching import own_sound, sound_search
from wemble.actions.work.tasks import wait_for
from wemble.core.edges.recipe import Treatment
from wemble.core.edit.treatment import targets
from wemble.core.render.limiter import LimiterSettings
from wemble.demo.conversation import RATE_HZ, low_water

T = TypeVar("T")


def timed(what: str, beside_s: float, do: Callable[[], T]) -> T:
    """Carry something out, and say how long it took."""
    began = time.perf_counter()
    result = do()
    seconds = time.perf_counter() - began
    print(f"{what:<46} {seconds:8.2f} s   {seconds / beside_s:7.2f}× the decode of one lane", flush=True)
    return result


def main() -> None:
    """Make the lanes, and go through the steps of an episode."""
    minutes, count = (float(word) for word in (sys.argv[1:] + ["90", "3"][len(sys.argv) - 1 :])[:2])
    scratch = Path(tempfile.mkdtemp(prefix="wemble-talk-"))
    voices = [np.asarray(samples) for samples in low_water().values()]
    paths = []
    for lane in range(int(count)):
        paths.append(scratch / f"lane {lane + 1}.wav")
        one = np.roll(voices[lane % 2], lane // 2 * 7 * RATE_HZ) if lane < 2 else 0.2 * (voices[0] + voices[1])
        with soundfile.SoundFile(paths[-1], "w", RATE_HZ, 1, subtype="PCM_24") as file:
            for _ in range(round(minutes * 60 * RATE_HZ / len(one))):
                file.write(one)
    began = time.perf_counter()
    soundfile.read(paths[0], dtype="float32")
    decode_s = time.perf_counter() - began
    kept = Path(sys.argv[3]) if len(sys.argv) > 3 else scratch / "library"
    library = Library(kept, workers=2)
    library.start()
    job_id = create_job(library, "long", "podcast")

    def through(task_id: str) -> None:
        task = wait_for(library, task_id, 3600)
        assert task.state == "done", task.error

    def bring_in() -> None:
        for path in paths:
            through(start_import(library, job_id, path, path.name))

    timed(f"import of {len(paths)} lanes of {minutes:g} min", decode_s, bring_in)
    revision = open_job(library, job_id).revision
    timed("listening to the lanes", decode_s, lambda: through(own_sound.start_listening(library, job_id, revision)))
    timed("measuring loudness", decode_s, lambda: through(start_measuring(library, job_id, revision)))
    job = library.job_at(revision)
    recipe = sound_search.proposal(library, job, targets(job))
    timed("first draft", decode_s, lambda: sound_search.draft(library, revision, [], recipe))
    timed("another draft", decode_s, lambda: sound_search.draft(library, revision, [], recipe))
    revision = timed(
        "Apply", decode_s, lambda: sound_search.apply(library, job_id, revision, [], recipe, Treatment()).revision
    )
    print(f"   {len(library.job_at(revision).clips):,} clips")
    timed("voices", decode_s, lambda: voices_of(library, library.job_at(revision)))
    timed("plan of the gaps", decode_s, lambda: talk_plan(library, revision, RATE_HZ // 2, 0.0))
    revision = timed(
        "closing gaps",
        decode_s,
        lambda: perform(library, job_id, revision, "close_gaps", longest_frames=RATE_HZ // 2).revision,
    )
    settings = MixSettings(limiter=LimiterSettings(-9.0))
    timed("mixdown with a limiter", decode_s, lambda: through(start_mixdown(library, job_id, revision, settings)))
    library.close()
    shutil.rmtree(scratch)


if __name__ == "__main__":
    main()
