"""Shows in the browser, heard, against their offline run; and how fast and how large they are.

python -m bench.show performance 300     five minutes: overlaps, loops let go, fades, a stop; the server killed in the middle
python -m bench.show go 100              from GO to the first sample, a hundred times, while three beds are streamed
python -m bench.show loop 1800           half an hour of a streamed loop, without a gap
python -m bench.show large 500 8         so many cues, so many hours of beds: opening, run view, memory, scrolling
python -m bench.show pitch               how exact shifted pitches are, beside shifting in one go, and librosa's
"""

from __future__ import annotations

import random
import sys
import tempfile
import time
from collections.abc import Iterator
from contextlib import contextmanager
from pathlib import Path

import librosa
import numpy as np
import python_stretch
import soundfile
from playwright.sync_api import Page, sync_playwright
from tests.browser.conftest import FLAGS
from tests.browser.show_ear import EAR, aligned, captured, heard
from tests.browser.test_show import offline
from tests.conftest import RATE, Server

from wemble.actions.importing.import_file import start_import
from wemble.actions.library import Library
from wemble.actions.revisions import create_job, edit_newest, open_job
from wemble.actions.show.pitch import shifted_by
from wemble.actions.work.tasks import wait_for
from wemble.core.edit import cues
from wemble.core.edit.clips import Edited, add_source
from wemble.core.edit.cues import CueSettings
from wemble.core.edit.model import CueVoice, Echo, Job


@contextmanager
def opened(home: Path) -> Iterator[Library]:
    library = Library(home, workers=2)
    library.start()
    try:
        yield library
    finally:
        library.close()


def bring_in(library: Library, job_id: str, name: str, seconds: float, seed: int) -> None:
    """Import noise of so many seconds."""
    with tempfile.TemporaryDirectory() as folder:
        path = Path(folder) / f"{name}.wav"
        rng = np.random.default_rng(seed)
        with soundfile.SoundFile(path, "w", RATE, 2, subtype="PCM_16") as file:
            for _ in range(round(seconds)):
                file.write(rng.uniform(-0.1, 0.1, (RATE, 2)))
        assert wait_for(library, start_import(library, job_id, path, path.name), 3_600).state == "done"


@contextmanager
def run_view(home: Path, job_id: str) -> Iterator[tuple[Server, Page]]:
    """Open the run view with an ear on it, sound on."""
    server = Server(home)
    with sync_playwright() as playwright:
        browser = playwright.chromium.launch(executable_path="/usr/bin/chromium", headless=True, args=FLAGS)
        context = browser.new_context(viewport={"width": 1280, "height": 800}, bypass_csp=True)
        context.add_init_script(EAR)
        page = context.new_page()
        page.set_default_timeout(3_600_000)
        page.goto(f"{server.url}/jobs/{job_id}/run")
        page.get_by_role("button", name="sound on").click()
        page.get_by_role("button", name="GO").wait_for()
        yield server, page
        browser.close()
    if server.process.poll() is None:
        server.kill()


def missing_frames(page: Page) -> str:
    """Return what the run view says came too late; nothing if all was there in time."""
    late = page.get_by_text("came too late")
    return late.inner_text() if late.count() else "nothing"


def performance(seconds: int) -> None:
    """A performance pressed at random moments, heard and compared with its offline run."""
    rng = random.Random(seconds)
    with tempfile.TemporaryDirectory() as folder:
        home = Path(folder)
        with opened(home) as library:
            job_id = create_job(library, "performance", "show")
            for n, length in enumerate((40, 6, 25, 12, 60, 3, 18, 9)):
                bring_in(library, job_id, f"sound {n}", length, n)

            def arrange(job: Job) -> Job:
                sounds = [cue.id for cue in cues.in_running_order(job)]
                for n, (start, end, passes) in {0: (5, 20, 0), 2: (2, 9, 3), 4: (10, 31, 0)}.items():
                    job = cues.loop_of_cue(job, sounds[n], start * RATE, end * RATE, passes).job
                echo = CueVoice(RATE // 2, -6.0, -9.0, False, echo=Echo(RATE // 3, 0.5, -6.0))
                job = cues.set_voices(job, sounds[1], (CueVoice(), echo)).job
                job = cues.fade_up(job, sounds[2], 3 * RATE).job
                job = cues.set_cue(job, (sounds[5],), CueSettings(start="after_end", wait_frames=RATE)).job
                for after, target, given in (
                    (3, 0, CueSettings(level_db=-12.0, length_frames=4 * RATE, stops=False)),
                    (6, 4, CueSettings(to_nothing=True, length_frames=5 * RATE, stops=False, shape="logarithmic")),
                    (7, 4, CueSettings(level_db=0.0, length_frames=2 * RATE, stops=False, shape="linear", bend=0.4)),
                ):
                    before = set(job.cues)
                    job = cues.add_cue(job, "fade", sounds[after], target_id=sounds[target]).job
                    (made,) = set(job.cues) - before
                    job = cues.set_cue(job, (made,), given).job
                return cues.add_cue(job, "stop").job

            edit_newest(library, job_id, "show", lambda job: Edited(arrange(job)))
            job = open_job(library, job_id).job
        with run_view(home, job_id) as (server, page):
            began, killed = time.monotonic(), False
            while (since := time.monotonic() - began) < seconds:
                page.keyboard.press(rng.choice(["Enter"] * 6 + ["l", "f", "p", "p", "ArrowLeft", "ArrowUp", ",", "+"]))
                page.wait_for_timeout(rng.uniform(300, 9_000))
                if since > seconds / 2 and not killed:
                    server.kill()
                    killed = True
            samples, late = heard(page)[1], missing_frames(page)
            presses, kept = captured(page)
        got, wanted = aligned(samples, offline(home, job, presses, samples.shape[1] + RATE))
        differ = int((got != wanted).any(axis=0).sum())
        print(
            f"{got.shape[1] / RATE:.1f} s heard, {len(presses)} presses, {len(kept['log'])} entries in the log, server killed half-way"
        )
        print(f"frames that differ from the offline run: {differ}; too late: {late}; loudest {np.abs(got).max():.2f}")


def go(count: int) -> None:
    """From GO to the first sample, while three beds are streamed."""
    with tempfile.TemporaryDirectory() as folder:
        home = Path(folder)
        with opened(home) as library:
            job_id = create_job(library, "go", "show")
            for n in range(3):
                bring_in(library, job_id, f"bed {n}", 600, n)
            bring_in(library, job_id, "hit", 0.6, 9)

            def arrange(job: Job) -> Job:
                order = [cue.id for cue in cues.in_running_order(job)]
                for cue_id in order[1:3]:
                    job = cues.set_cue(job, (cue_id,), CueSettings(start="with")).job
                return job

            edit_newest(library, job_id, "show", lambda job: Edited(arrange(job)))
        with run_view(home, job_id) as (_, page):
            page.keyboard.press("Enter")
            page.wait_for_timeout(1_000)
            delays = []
            for _ in range(count):
                page.keyboard.press("Enter")
                page.wait_for_timeout(620)
                text = page.get_by_title("From GO to its first sample").inner_text()
                delays.append(float(text.split("GO ")[1].split(" ")[0]))
                page.keyboard.press("ArrowLeft")
                page.wait_for_timeout(50)
            late = missing_frames(page)
        print("from the key to the audio thread's answer that the first sample is there, ms:")
        print(
            f"median {np.median(delays):.1f}, 95 % {np.percentile(delays, 95):.1f}, worst {max(delays):.1f}; too late: {late}"
        )


def loop(seconds: int) -> None:
    """A loop of four minutes and a half, streamed for so long: nothing comes too late, and what is heard is what was to be."""
    with tempfile.TemporaryDirectory() as folder:
        home = Path(folder)
        with opened(home) as library:
            job_id = create_job(library, "loop", "show")
            bring_in(library, job_id, "bed", 300, 1)
            edit_newest(
                library,
                job_id,
                "show",
                lambda job: Edited(
                    cues.loop_of_cue(job, cues.in_running_order(job)[0].id, 10 * RATE, 280 * RATE, 0).job
                ),
            )
            job = open_job(library, job_id).job
        with run_view(home, job_id) as (_, page):
            page.keyboard.press("Enter")
            wrong = total = 0
            first: int | None = None
            presses, _ = captured(page)
            while total < seconds * RATE:
                page.wait_for_timeout(20_000)
                at, samples = heard(page)
                page.evaluate("window.showHeard.splice(0, window.showHeard.length)")
                first = at if first is None else first
                total += samples.shape[1]
                silent = int((~samples.any(axis=0)).sum())
                wrong += silent if total > 40 * RATE else 0
            late = missing_frames(page)
            memory = page.evaluate("performance.memory.usedJSHeapSize / 1e6")
        del job, presses
        print(
            f"{total / RATE:.0f} s of a streamed loop: {wrong} silent frames in noise, too late: {late}; the page's heap {memory:.0f} MB"
        )


def large(count: int, hours: float) -> None:
    """So many cues over hours of beds: how long opening and the run view take, what the page holds, how it scrolls."""
    with tempfile.TemporaryDirectory() as folder:
        home = Path(folder)
        with opened(home) as library:
            job_id = create_job(library, "large", "show")
            beds = 8
            for n in range(beds):
                bring_in(library, job_id, f"bed {n}", hours * 3600 / beds, n)
            bring_in(library, job_id, "effect", 5, 99)

            def arrange(job: Job) -> Job:
                effect = next(s for s in job.sources.values() if s.name == "effect")
                while sum(cue.kind == "sound" for cue in job.cues.values()) < count:
                    before = set(job.clips)
                    job = add_source(job, effect).job
                    (made,) = set(job.clips) - before
                    job = cues.cues_of_clips(job, (made,)).job
                return job

            edit_newest(library, job_id, "show", lambda job: Edited(arrange(job)))
        server = Server(home)
        with sync_playwright() as playwright:
            browser = playwright.chromium.launch(
                executable_path="/usr/bin/chromium", headless=True, args=[*FLAGS, "--enable-precise-memory-info"]
            )
            page = browser.new_context(viewport={"width": 1280, "height": 800}).new_page()
            page.goto(server.url)
            page.get_by_role("link", name="large").wait_for()
            began = time.monotonic()
            page.get_by_role("link", name="large").click()
            page.get_by_role("grid", name="running order").get_by_text("bed 0").first.wait_for()
            print(f"opening, from the click to the running order: {time.monotonic() - began:.2f} s")
            frames = page.evaluate("""async () => {
              const list = document.querySelector("[aria-label='running order']");
              const times = []; let last = performance.now();
              for (let n = 0; n < 180; n += 1) {
                list.scrollTop = (n * 97) % (list.scrollHeight - list.clientHeight);
                await new Promise(requestAnimationFrame);
                const now = performance.now(); times.push(now - last); last = now;
              }
              return times.slice(5);
            }""")
            print(f"frames while scrolling, 95 %: {np.percentile(frames, 95):.1f} ms")
            began = time.monotonic()
            page.goto(f"{server.url}/jobs/{job_id}/run")
            page.get_by_role("button", name="sound on").wait_for()
            page.get_by_role("button", name="sound on").click()
            page.get_by_role("button", name="GO").wait_for()
            print(f"run view, from its address to GO ready: {time.monotonic() - began:.2f} s")
            for _ in range(6):
                page.keyboard.press("Enter")
                page.wait_for_timeout(700)
            page.wait_for_timeout(20_000)
            heap = page.evaluate("performance.memory.usedJSHeapSize / 1e6")
            print(
                f"the page's heap while six beds sound and the rest is loaded: {heap:.0f} MB; too late: {missing_frames(page)}"
            )
            print(f"loaded by then: {page.get_by_role('status').inner_text()}")
            browser.close()
        server.kill()


def pitch() -> None:
    """How exact shifted pitches are, in cents, beside the same library in one go, and librosa's."""

    def cents(samples: np.ndarray, hz: float) -> float:
        part = samples[2 * RATE : 6 * RATE]
        spectrum = np.abs(np.fft.rfft(part * np.hanning(len(part)), 1 << 20))
        return float(1200 * np.log2(np.argmax(spectrum) * RATE / (1 << 20) / hz))

    worst = {"ours": 0.0, "in one go": 0.0, "librosa": 0.0}
    t = np.arange(8 * RATE) / RATE
    for hz in (82.4, 110.0, 220.0, 440.0, 1000.0):
        for semitones in (-12.0, -3.0, 4.0, 7.0):
            tone = (0.5 * np.sin(2 * np.pi * hz * t))[None].astype(np.float32)
            wanted = hz * 2 ** (semitones / 12)
            stretch = python_stretch.Signalsmith.Stretch()
            stretch.preset(1, RATE)
            stretch.setTransposeSemitones(semitones)
            found = {
                "ours": shifted_by(tone, RATE, semitones)[0],
                "in one go": stretch.process(tone)[0],
                "librosa": librosa.effects.pitch_shift(tone[0], sr=RATE, n_steps=semitones),
            }
            worst = {name: max(worst[name], abs(cents(samples, wanted))) for name, samples in found.items()}
    print("worst of 20 tones, in cents:", ", ".join(f"{name} {value:.1f}" for name, value in worst.items()))


if __name__ == "__main__":
    kind, *rest = sys.argv[1:] or ["pitch"]
    numbers = [float(one) for one in rest]
    match kind:
        case "performance":
            performance(int(numbers[0]))
        case "go":
            go(int(numbers[0]))
        case "loop":
            loop(int(numbers[0]))
        case "large":
            large(int(numbers[0]), numbers[1])
        case _:
            pitch()
