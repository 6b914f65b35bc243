"""What a disc of 79 minutes costs: python bench/release_cost.py [minutes, default 79]

Twenty pieces with fades, at 44.1 kHz and at 48 kHz: the image with its cue sheet, and with a file for each track, beside
libsndfile's decode of as much; how much private memory the worker takes; what a stop in the middle leaves.
"""

from __future__ import annotations

import os
import shutil
import sys
import tempfile
import threading
import time
from collections.abc import Callable
from contextlib import suppress
from functools import partial
from pathlib import Path

import numpy as np
import soundfile

from cost import private_mb
from wemble.actions.delivery.release import ReleaseRequest, hear_release, send_release
from wemble.actions.importing.import_file import start_import
from wemble.actions.library import Library
from wemble.actions.revisions import create_job, edit_newest, open_job
from wemble.actions.work.tasks import wait_for
from wemble.core.edit.arrange import split
from wemble.core.edit.clips import Edited
from wemble.core.edit.edges import set_fade
from wemble.core.edit.model import Fade, Job
from wemble.core.edit.tracks import make_tracks, put_on_disc_frames
from wemble.errors import Cancelled

PIECES = 20


def laid(job: Job) -> Edited:
    """Cut the recording into pieces with fades, and make a track of each."""
    clip = next(iter(job.clips.values()))
    frames = clip.tail_frame
    for n in range(1, PIECES):
        job = split(job, tuple(job.clips), frames * n // PIECES).job
    fade = Fade(job.rate_hz, "s", origin="own")
    for side in ("head", "tail"):
        job = set_fade(job, tuple(job.clips), side, fade).job
    return Edited(put_on_disc_frames(make_tracks(job, 2 * job.rate_hz).job).job)


def main() -> None:
    minutes = float(sys.argv[1]) if len(sys.argv) > 1 else 79.0
    scratch = Path(tempfile.mkdtemp(prefix="wemble-release-"))
    rng = np.random.default_rng(1)
    library = Library(scratch / "library", workers=1)
    library.start()
    for rate in (44_100, 48_000):
        path = scratch / f"{rate}.wav"
        minute = (0.1 * rng.standard_normal((60 * rate, 2))).astype(np.float32)
        with soundfile.SoundFile(path, "w", rate, 2, subtype="PCM_16") as file:
            for _ in range(round(minutes - 1)):
                file.write(minute)
        began = time.perf_counter()
        with soundfile.SoundFile(path) as file:
            while len(file.read(1 << 16, dtype="float32")):
                pass
        decode_s = time.perf_counter() - began
        job_id = create_job(library, str(rate), "release")
        assert wait_for(library, start_import(library, job_id, path, path.name), 900).state == "done"
        edit_newest(library, job_id, "tracks", laid)
        job = open_job(library, job_id).job
        root = library.home.root
        for name, request in (("image", ReleaseRequest()), ("image and 16-bit files", ReleaseRequest(files="wav_16"))):
            send = partial(send_release, root=root, job=job, request=request)
            measure(f"{rate} Hz, {name}", decode_s, minutes, send, scratch)
        hear = partial(hear_release, root=root, job=job, floors_db=dict.fromkeys(job.sources, -60.0))
        measure(f"{rate} Hz, listening to the tracks", decode_s, minutes, hear, scratch)
        before = len(list(library.home.exports.iterdir()))
        (scratch / "stopped").mkdir()
        with suppress(Cancelled):
            send_release(stopping, scratch / "stopped", root, job, ReleaseRequest())
        shutil.rmtree(scratch / "stopped")
        print(f"{rate} Hz, stopped in the middle: {len(list(library.home.exports.iterdir())) - before} left in exports")
    library.close()
    shutil.rmtree(scratch)


def stopping(part: float, doing: str) -> None:
    """Stop when a third is done."""
    if part > 0.3:
        raise Cancelled("stopped")


def measure(what: str, decode_s: float, minutes: float, do: Callable[..., object], scratch: Path) -> None:
    """Carry something out in a scratch folder; print how long it took, and how much memory."""
    work = scratch / f"work {time.monotonic_ns()}"
    work.mkdir()
    base, most, over = private_mb(os.getpid()), [0.0], threading.Event()

    def watch() -> None:
        while not over.wait(0.05):
            most[0] = max(most[0], private_mb(os.getpid()) - base)

    watcher = threading.Thread(target=watch)
    watcher.start()
    began = time.perf_counter()
    do(lambda part, doing: None, work)
    seconds = time.perf_counter() - began
    over.set()
    watcher.join()
    times = f"{60 * minutes / seconds:6.0f}× real time, {seconds / decode_s:5.1f}× the decode"
    print(f"{what:<40} {seconds:6.1f} s, {times}, memory +{most[0]:.0f} MB", flush=True)


if __name__ == "__main__":
    main()
