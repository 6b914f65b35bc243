"""What things cost, each beside a reference done in the same run: python bench/cost.py [hours]

Ratios, not absolute times, are what counts: machines differ.
"""

from __future__ import annotations

import contextlib
import dataclasses
import os
import shutil
import statistics
import subprocess
import sys
import tempfile
import time
from collections.abc import Callable, Iterator
from pathlib import Path

import librosa
import numpy as np
import pydub
import pydub.silence
import soundfile

from wemble.actions.editing.edits import perform
from wemble.actions.importing import import_file
from wemble.actions.library import Library
from wemble.actions.revisions import create_job, edit_newest, open_job
from wemble.actions.searching import sound_search
from wemble.actions.searching.long_search import start_search
from wemble.actions.work.tasks import wait_for
from wemble.core.edges.recipe import Treatment
from wemble.core.edit.clips import Edited
from wemble.core.edit.model import Clip
from wemble.core.edit.treatment import targets
from wemble.core.render import RenderPlan
from wemble.core.render.limiter import Limiter, LimiterSettings
from wemble.store.files import FileReader, Home

RATE = 48_000
SCRATCH = Path(os.environ.get("WEMBLE_BENCH", "/tmp/wemble-bench"))


@contextlib.contextmanager
def timed() -> Iterator[Callable[[], float]]:
    start = time.perf_counter()
    stop = [0.0]
    yield lambda: stop[0] or time.perf_counter() - start
    stop[0] = time.perf_counter() - start


def long_take(hours: float) -> Path:
    """Write a seeded stereo take: bursts of a voice over room tone, a phrase about every two seconds."""
    path = SCRATCH / f"take-{hours:g}h.wav"
    if path.exists():
        return path
    SCRATCH.mkdir(parents=True, exist_ok=True)
    rng = np.random.default_rng(4)
    t = np.arange(60 * RATE) / RATE
    voice = sum(np.sin(2 * np.pi * 130 * k * t + k) / k for k in range(1, 14))
    with soundfile.SoundFile(path, "w", RATE, 2, subtype="PCM_24", format="RF64") as file:
        for _ in range(round(hours * 60)):
            on = np.zeros(len(t))
            at = 0.5
            while at < 58.5:
                length = rng.uniform(0.5, 1.6)
                on[round(at * RATE) : round((at + length) * RATE)] = rng.uniform(0.3, 1.0)
                at += length + rng.uniform(0.6, 1.4)
            mono = 0.18 * voice * on + 10 ** (-56 / 20) * rng.standard_normal(len(t))
            file.write(np.stack([mono, 0.9 * mono], axis=1))
    return path


def decode_and_write(path: Path) -> float:
    """libsndfile alone: decode, and write the float copy."""
    with (
        timed() as seconds,
        soundfile.SoundFile(path) as file,
        (SCRATCH / "reference.f32").open("wb", buffering=0) as out,
    ):
        while len(block := file.read(1 << 16, dtype="float32", always_2d=True)):
            out.write(block.data)
    (SCRATCH / "reference.f32").unlink()
    return seconds()


def private_mb(pid: int) -> float:
    """Private resident memory: what this process alone holds."""
    lines = Path(f"/proc/{pid}/smaps_rollup").read_text().splitlines()
    return sum(int(line.split()[1]) for line in lines if line.startswith("Private_")) / 1024


def children() -> list[int]:
    found = []
    for entry in Path("/proc").iterdir():
        with contextlib.suppress(OSError, IndexError, ValueError):
            if int((entry / "stat").read_text().rsplit(")", 1)[1].split()[1]) == os.getpid():
                found.append(int(entry.name))
    return found


def bench_import(path: Path, hours: float) -> None:
    home = Home(SCRATCH / "import")
    reference, ours = [], []
    for _ in range(3):
        reference.append(decode_and_write(path))
        work = Path(tempfile.mkdtemp(dir=home.scratch))
        with timed() as seconds:
            built = import_file.import_file(lambda part, doing: None, work, home.root, path, path.name, 0, True).built
        ours.append(seconds())
        pyramid = sum(p.stat().st_size for p in built.folder.glob("*.f16")) / 1e6
        shutil.rmtree(work)
    ratio = min(ours) / min(reference)
    print(
        f"import {hours:g} h: {min(ours):.2f} s, libsndfile decode and write {min(reference):.2f} s: {ratio:.2f}×  (asked ≤ 1.5×)"
    )
    print(f"pyramid of {hours:g} h stereo: {pyramid:.1f} MB  (asked ≤ 40 MB for 3 h)")
    shutil.rmtree(home.root)


def opened_take(path: Path) -> tuple[Library, str, str]:
    library = Library(SCRATCH / f"home-{path.stem}", workers=2)
    library.start()
    job_id = create_job(library, "bench")
    peak = 0.0
    task_id = import_file.start_import(library, job_id, path, path.name)
    while task_id in library.running:
        with contextlib.suppress(OSError):
            peak = max([peak, *(private_mb(pid) for pid in children())])
        time.sleep(0.05)
    task = wait_for(library, task_id)
    assert task.state == "done", task.error
    print(f"private memory of the import's worker: {peak:.0f} MB  (asked ≤ 400 MB)")
    return library, job_id, task.result["source_id"]


def bench_finding(library: Library, job_id: str, path: Path, hours: float) -> None:
    opened = open_job(library, job_id)
    everything = targets(opened.job)
    recipe = sound_search.proposal(library, opened.job, everything)
    sound_search.draft(library, opened.revision, everything, recipe)
    times = []
    for number in range(15):
        changed = dataclasses.replace(recipe, threshold_db=recipe.threshold_db + 0.1 * number)
        with timed() as seconds:
            sound_search.draft(library, opened.revision, everything, changed)
        times.append(seconds())
    draft = statistics.median(times)
    samples, _ = soundfile.read(path, dtype="float32", always_2d=True, frames=round(min(hours, 0.25) * 3600 * RATE))
    with timed() as seconds:
        librosa.effects.split(samples.T, top_db=40, frame_length=1024, hop_length=256)
    of_librosa = seconds() * max(hours / 0.25, 1.0)
    part = samples[: 60 * RATE]
    segment = pydub.AudioSegment((part * 32767).astype(np.int16).tobytes(), frame_rate=RATE, sample_width=2, channels=2)
    with timed() as seconds:
        pydub.silence.detect_nonsilent(segment, min_silence_len=500, silence_thresh=-45, seek_step=5)
    of_pydub = seconds() * hours * 60
    print(f"finding again, {hours:g} h: {1000 * draft:.1f} ms  (asked ≤ 50 ms for 1 h)")
    print(
        f"   librosa.effects.split (15 min, scaled) {of_librosa:.2f} s: {of_librosa / draft:.0f}× ours; "
        f"pydub detect_nonsilent (1 min, scaled) {of_pydub:.1f} s: {of_pydub / draft:.0f}× ours  (asked ≥ 50×)"
    )
    with timed() as ahead:
        searched = start_search(library, job_id, opened.revision, everything, recipe, Treatment())
        if searched is not None:
            wait_for(library, searched)
    with timed() as seconds:
        sound_search.apply(library, job_id, opened.revision, everything, recipe, Treatment())
    clips = len(open_job(library, job_id).job.clips)
    print(
        f"   Apply, refined to the sample: {ahead() + seconds():.2f} s, {clips:,} clips; {ahead():.2f} s of it with a bar"
    )


def bench_shell(path: Path) -> None:
    """``wemble find sound``, beside libsndfile's decode alone."""
    with timed() as decoding, soundfile.SoundFile(path) as file:
        while len(file.read(1 << 16, dtype="float32", always_2d=True)):
            pass
    with timed() as seconds:
        command = [Path(sys.executable).with_name("wemble"), "find", "sound", path, "--json"]
        subprocess.run(command, check=True, stdout=subprocess.DEVNULL)
    decode_s = decoding()
    print(
        f"wemble find sound: {seconds():.1f} s, {seconds() / decode_s:.2f}× decoding alone ({decode_s:.1f} s)  (asked ≤ 3×)"
    )


def bench_render(library: Library, job_id: str, hours: float) -> None:
    job = open_job(library, job_id).job
    before = private_mb(os.getpid())
    reader = FileReader(library.home, {source.id: source.channels for source in job.sources.values()})
    plan = RenderPlan(job)
    peak = before
    with timed() as seconds:
        for at, _ in plan.blocks(0, plan.end_frame, 1 << 16, reader):
            if at % (1 << 24) == 0:
                peak = max(peak, private_mb(os.getpid()))
    speed = plan.end_frame / RATE / seconds()
    lanes = 4
    four = dataclasses.replace(
        job,
        lanes={
            f"l{n}": dataclasses.replace(next(iter(job.lanes.values())), id=f"l{n}", position=n) for n in range(lanes)
        },
        clips={
            f"{c.id}-{n}": dataclasses.replace(c, id=f"{c.id}-{n}", lane_id=f"l{n}")
            for c in job.clips.values()
            for n in range(lanes)
        },
        joins={},
    )
    plan = RenderPlan(four)
    span = min(plan.end_frame, 600 * RATE)
    with timed() as seconds:
        for _ in plan.blocks(0, span, 1 << 16, reader):
            pass
    limiter = Limiter(LimiterSettings(-12.0), RATE, job.channels)
    with timed() as limited_s:
        for _, samples in plan.blocks(0, span, 1 << 16, reader):
            limiter.feed(samples)
    print(
        f"   with a limiter that works for {100 * limiter.limited_frames / span:.0f} % of it: "
        f"{span / RATE / limited_s():.0f}× real time  (asked ≥ 100×)"
    )
    print(
        f"render {hours:g} h stereo: {speed:.0f}× real time, memory grows by {peak - before:.0f} MB; "
        f"four lanes: {span / RATE / seconds():.0f}× real time  (asked ≥ 100×)"
    )


def ten_thousand(library: Library) -> tuple[str, int]:
    """Make a job of ten thousand clips of the first recording; returns its id and revision."""
    job_id = create_job(library, "ten thousand")
    donor = next(iter(open_job(library, next(r for r in _job_ids(library) if r != job_id)).job.sources.values()))

    def fill(job):  # type: ignore[no-untyped-def]
        from wemble.core.edit.clips import add_source

        job = add_source(job, donor).job
        lane = next(iter(job.lanes))
        step = donor.frames // 10_000
        clips = {
            f"x{n}": Clip(f"x{n}", lane, donor.id, f"clip {n}", n * step, n * step + step // 2, 0)
            for n in range(10_000)
        }
        return Edited(dataclasses.replace(job, clips=clips))

    return job_id, edit_newest(library, job_id, "fill", fill).revision


def bench_ten_thousand(library: Library) -> None:
    job_id, revision = ten_thousand(library)
    times = []
    for number in range(200):
        clip = open_job(library, job_id).job.clips[f"x{37 * number % 10_000}"]
        with timed() as seconds:
            revision = perform(
                library, job_id, revision, "move_edge", clip_id=clip.id, side="head", source_frame=clip.head_frame + 1
            ).revision
        times.append(1000 * seconds())
    print(
        f"an edit in a job of 10,000 clips: median {statistics.median(times):.1f} ms, "
        f"95 % {np.percentile(times, 95):.1f} ms  (asked ≤ 50 ms)"
    )
    root = library.home.root
    with timed() as seconds:
        again = Library(root, workers=0)
        open_job(again, job_id)
    print(f"opening that job from disk: {seconds():.2f} s  (asked ≤ 1 s)")
    again.close()


def _job_ids(library: Library) -> list[str]:
    from wemble.store import jobs

    with library.database.read() as db:
        return [row.id for row in jobs.list_jobs(db)]


def main() -> None:
    hours = float(sys.argv[1]) if len(sys.argv) > 1 else 1.0
    path = long_take(hours)
    bench_import(path, hours)
    bench_shell(path)
    library, job_id, _ = opened_take(path)
    bench_finding(library, job_id, path, hours)
    bench_render(library, job_id, hours)
    os.sync()  # the edits are not to wait for what the import still has to write
    bench_ten_thousand(library)
    library.close()
    shutil.rmtree(library.home.root)


if __name__ == "__main__":
    main()
