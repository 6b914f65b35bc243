"""A show through the real interface: the running order by hand, and a performance by keyboard alone that is heard, sample by sample."""

from __future__ import annotations

import json
import re
import threading
import urllib.request
from collections.abc import Iterator
from pathlib import Path

import numpy as np
import pytest
import soundfile
import waitress
from playwright.sync_api import Browser, BrowserContext, Page, expect
from tests.browser.show_ear import EAR, aligned, captured, heard
from tests.browser.test_flow import serious, settled, type_number
from tests.conftest import RATE, Server

from wemble.actions.importing.import_file import start_import
from wemble.actions.job_settings import keep
from wemble.actions.library import Library
from wemble.actions.revisions import create_job, edit_newest, open_job
from wemble.actions.show.rehearsing import bodies_of
from wemble.actions.work.tasks import wait_for
from wemble.core.edit import cues
from wemble.core.edit.clips import Edited
from wemble.core.edit.cues import CueSettings
from wemble.core.edit.model import CueVoice, Echo, Job
from wemble.core.show.mix import OfflineShow
from wemble.core.show.plan import compile_show
from wemble.core.show.run import Press
from wemble.core.signal.levels import Samples
from wemble.store.files import FileReader, Home
from wemble.web.light_desk import create_light_desk


def small_show(job: Job) -> Job:
    """Return a show of twelve cues: a bed that loops until let go, copies with echo, fades, a chain, a stop."""
    bed, hit, tone, walk = (cue.id for cue in cues.in_running_order(job))
    job = cues.loop_of_cue(job, bed, RATE, 3 * RATE, 0).job
    job = cues.loop_of_cue(job, walk, RATE // 2, RATE, 4).job
    echo = CueVoice(4_800, -6.0, -9.0, False, echo=Echo(7_200, 0.5, -6.0))
    job = cues.set_voices(job, hit, (CueVoice(), echo)).job
    job = cues.fade_up(job, tone, RATE).job
    for what, after, given in (
        ("note", hit, CueSettings(name="Lamps", note="wait", page="2")),
        ("fade", tone, CueSettings(name="Bed down", target_id=bed, level_db=-12.0, length_frames=RATE)),
        ("fade", walk, CueSettings(name="Tone away", target_id=tone, to_nothing=True, length_frames=RATE // 2, stops=False)),
        ("fade", walk, CueSettings(name="Bed up", target_id=bed, level_db=0.0, length_frames=RATE, shape="linear", stops=False)),
        ("stop", walk, CueSettings(name="Walk ends", target_id=walk, start="after_start", wait_frames=RATE)),
        ("stop", None, CueSettings(name="Everything", length_frames=RATE // 2)),
        ("note", None, CueSettings(name="House lights")),
    ):  # fmt: skip
        before = set(job.cues)
        job = cues.add_cue(job, what, after).job  # type: ignore[arg-type]
        (made,) = set(job.cues) - before
        job = cues.set_cue(job, (made,), given).job
    return cues.add_event(job, hit, 4_000, "Door", "door light on").job


@pytest.fixture
def lights() -> Iterator[str]:
    """The address of a light desk that is there."""
    desk = waitress.create_server(create_light_desk(), host="127.0.0.1", port=0, threads=2)
    threading.Thread(target=desk.run, daemon=True).start()
    yield f"127.0.0.1:{desk.effective_port}"
    desk.close()


@pytest.fixture
def show_server(tmp_path: Path, lights: str) -> Iterator[tuple[Server, str]]:
    """A server with a small show of noise and tones, whose events go to a light desk."""
    home = tmp_path / "show"
    library = Library(home, workers=1)
    library.start()
    job_id = create_job(library, "Small crossing", "show")
    rng = np.random.default_rng(7)
    for name, seconds in (("Bed", 6.0), ("Hit", 1.2), ("Tone", 9.0), ("Walk", 2.5)):
        path = tmp_path / f"{name}.wav"
        soundfile.write(path, rng.uniform(-0.2, 0.2, (round(seconds * RATE), 2)), RATE, subtype="FLOAT")
        wait_for(library, start_import(library, job_id, path, path.name))
    edit_newest(library, job_id, "show", lambda job: Edited(small_show(job)))
    keep(library, job_id, "light_desk", {"address": lights})
    library.close()
    running = Server(home)
    yield running, job_id
    if running.process.poll() is None:
        running.kill()


@pytest.fixture
def show_context(browser: Browser) -> Iterator[BrowserContext]:
    made = browser.new_context(viewport={"width": 1280, "height": 800}, bypass_csp=True)
    made.add_init_script(EAR)
    yield made
    made.close()


def offline(home: Path, job: Job, presses: list[Press], until: int) -> Samples:
    """Return the offline run of a show."""
    reader = FileReader(Home(home), {source.id: source.channels for source in job.sources.values()})
    plan = compile_show(job, reader)
    blocks = [samples for _, samples in OfflineShow(plan, bodies_of(job, plan, reader)).perform(presses, until)]
    reader.close()
    return np.concatenate(blocks, axis=1)


def job_of(home: Path, job_id: str) -> Job:
    library = Library(home, workers=0)
    job = open_job(library, job_id).job
    library.close()
    return job


def test_one_window_performs_and_sound_that_is_lost_is_an_alarm(
    show_server: tuple[Server, str], show_context: BrowserContext
) -> None:
    server, job_id = show_server
    show_context.add_init_script(
        "const made = AudioContext; window.AudioContext = class extends made {"
        " constructor(...with_) { super(...with_); window.sound = this; } };"
    )
    first, second = show_context.new_page(), show_context.new_page()
    first.goto(f"{server.url}/jobs/{job_id}/run")
    expect(first.get_by_role("button", name="sound on")).to_be_focused()
    first.keyboard.press("Enter")
    waits_for, sounding = first.get_by_role("region", name="next"), first.get_by_role("region", name="sounding")
    expect(waits_for).to_contain_text("Bed")

    # The output is lost: nothing that is pressed now fires when it is back.
    first.evaluate("window.sound.suspend()")
    expect(first.get_by_role("alert")).to_contain_text("No sound since")
    first.keyboard.press("Enter")
    first.keyboard.press("r")
    expect(first.get_by_role("alert")).to_have_count(0)
    expect(waits_for).to_contain_text("Bed")
    first.keyboard.press("Enter")
    expect(sounding).to_contain_text("Bed")

    # Another window watches, and takes over: the first falls silent and says so.
    second.goto(f"{server.url}/jobs/{job_id}/run")
    elsewhere = second.get_by_role("region", name="in another window")
    expect(elsewhere).to_contain_text("Next there: Hit; 1 playing")
    elsewhere.get_by_role("button", name="Take over here").click()
    expect(second.get_by_role("region", name="next")).to_contain_text("Hit")
    expect(first.get_by_role("region", name="in another window")).to_be_visible()
    assert first.evaluate("window.sound.state") == "closed"


def test_a_performance_by_keyboard_equals_the_offline_run_with_the_server_gone_and_a_reload(
    show_server: tuple[Server, str], show_context: BrowserContext, lights: str
) -> None:
    server, job_id = show_server
    job = job_of(server.home, job_id)
    page = show_context.new_page()
    page.goto(f"{server.url}/jobs/{job_id}/run")
    expect(page.get_by_text("all loaded: it needs no server")).to_be_visible()
    page.wait_for_function("navigator.serviceWorker.controller !== null || navigator.serviceWorker.ready")
    expect(page.get_by_role("button", name="sound on")).to_be_focused()
    page.keyboard.press("Enter")
    next_cue, sounding = page.get_by_role("region", name="next"), page.get_by_role("region", name="sounding")
    expect(next_cue).to_contain_text("Bed")
    server.process.kill()  # from here on nobody answers
    server.process.wait()

    page.keyboard.press("Enter")
    page.keyboard.press("Enter")  # too soon: it counts once
    expect(sounding).to_contain_text("until let go")
    expect(next_cue).to_contain_text("Hit")
    page.wait_for_timeout(600)
    for name in ("Lamps", "Tone", "Bed down"):
        page.keyboard.press("Enter")
        page.wait_for_timeout(650)
        expect(next_cue).to_contain_text(name)
    page.keyboard.press("Enter")
    page.wait_for_timeout(700)
    page.keyboard.press("p")
    expect(sounding).to_contain_text("paused")
    page.wait_for_timeout(300)
    page.keyboard.press("p")
    expect(sounding).not_to_contain_text("Hit")
    page.keyboard.press("ArrowDown")
    expect(sounding.get_by_role("option", selected=True)).to_contain_text("Bed")
    page.keyboard.press(",")  # the loop ends 10 ms earlier, from the next pass on
    page.keyboard.press("l")
    page.wait_for_timeout(1500)
    _, samples = heard(page)
    presses, kept = captured(page)
    got, wanted = aligned(samples, offline(server.home, job, presses, samples.shape[1] + RATE))
    assert got.shape[1] > 3 * RATE and (got == wanted).all(), "heard is what was rendered, bit for bit"
    assert sum(press.kind == "go" for press in presses) == 6
    (nudged,) = (press for press in presses if press.kind == "set_loop")
    assert (nudged.cue, nudged.start, nudged.end) == (0, RATE, 3 * RATE - RATE // 100)

    arrived = json.loads(urllib.request.urlopen(f"http://{lights}/events").read())
    assert [(one["event"], one["does"]) for one in arrived] == [("Door", "door light on")]

    # The page goes away in the middle, with the server still gone, and comes back at the right cue.
    standing = next_cue.inner_text()
    page.set_viewport_size({"width": 1920, "height": 1080})
    page.reload()
    expect(page.get_by_text("A performance broke off")).to_be_visible()
    page.keyboard.press("Enter")
    expect(sounding).to_contain_text("paused")
    assert next_cue.inner_text() == standing
    before = len(presses)
    page.keyboard.press("p")
    for _ in range(4):
        page.wait_for_timeout(650)
        page.keyboard.press("Enter")
    page.wait_for_timeout(1000)
    _, samples = heard(page)
    presses, kept = captured(page)
    broke = next(press for press in presses if press.kind == "broke_off")
    assert presses.index(broke) >= before
    whole = offline(server.home, job, presses, broke.frame + samples.shape[1] + RATE)
    got, wanted = aligned(samples, whole[:, broke.frame :])
    assert (got == wanted).all()

    arrived = json.loads(urllib.request.urlopen(f"http://{lights}/events").read())
    assert len(arrived) == 1, "no light changes twice because a page was loaded anew"

    # Back to the first cue; Backspace for a moment does nothing, held it stops everything.
    assert [entry["what"] for entry in kept["log"]].count("event") == 1
    assert sum(press.kind == "go" for press in presses) == 10
    for _ in range(12):
        page.keyboard.press("ArrowLeft")
    expect(next_cue).to_contain_text("Bed")
    page.keyboard.press("Enter")
    expect(sounding).to_contain_text("until let go")
    page.keyboard.press("Backspace")
    page.wait_for_timeout(400)
    expect(sounding).not_to_contain_text("silence")
    page.keyboard.down("Backspace")
    page.wait_for_timeout(350)
    page.keyboard.up("Backspace")
    expect(sounding).to_contain_text("silence", timeout=3_000)
    serious(page, "the run view")


def test_the_running_order_is_made_by_hand(page: Page, demo_server: Server, tmp_path: Path) -> None:
    page.goto(demo_server.url)
    page.get_by_role("link", name="The Night Crossing").click()
    order = page.get_by_role("grid", name="running order")
    expect(order.locator("[id^=cue-]")).to_have_count(12)
    serious(page, "the running order")

    # A fade that leaves a sound running unheard is told, in its place, a click away.
    page.keyboard.press("4")
    page.get_by_role("button", name=re.compile("goes on sounding, unheard")).click()
    lens = page.get_by_role("region", name="fade lens")
    expect(lens).to_contain_text("goes on sounding, unheard")
    page.keyboard.press("2")
    page.get_by_role("checkbox", name="stop it when done").click()
    settled(page)
    expect(lens).not_to_contain_text("unheard")

    # Up from silence in 4 s along an S passes −40 dB before 0.3 s, and the lens says so.
    order.get_by_text("Engine up").click()
    passed = re.search(r"−40 dB at (\d+\.\d+) s", lens.inner_text())
    assert passed and float(passed[1]) < 0.3

    # Order by key; removing asks first; undo brings back.
    order.focus()
    page.keyboard.press("Alt+ArrowDown")
    settled(page)
    expect(order.locator("[id^=cue-]").nth(5)).to_contain_text("Engine up")
    rows = order.locator("[id^=cue-]")
    grip, target = rows.nth(1).locator("span").first.bounding_box(), rows.nth(3).bounding_box()
    assert grip and target
    page.mouse.move(grip["x"] + 4, grip["y"] + 8)
    page.mouse.down()
    page.mouse.move(target["x"] + 100, target["y"] + 10, steps=6)
    page.mouse.up()
    settled(page)
    expect(rows.nth(2)).to_contain_text("Horn")
    page.keyboard.press("Control+z")
    settled(page)
    order.get_by_text("Engine up").click()
    order.focus()
    page.keyboard.press("Delete")
    expect(page.get_by_text("out of the running order?")).to_be_visible()
    page.get_by_role("button", name="remove", exact=True).click()
    settled(page)
    expect(order.locator("[id^=cue-]")).to_have_count(11)
    page.keyboard.press("Control+z")
    page.keyboard.press("Control+z")
    settled(page)
    expect(order.locator("[id^=cue-]")).to_have_count(12)

    # The song was split: Door reads 0.000 in its second part, and Lamps 42.200.
    order.get_by_text("Lantern Song 2", exact=True).first.click()
    page.keyboard.press("3")
    expect(page.get_by_role("textbox", name="time of Door in the cue")).to_have_value("0:00.000")
    expect(page.get_by_role("textbox", name="time of Lamps in the cue")).to_have_value("0:42.200")
    expect(page.get_by_role("textbox", name="time of Lamps in the file")).to_have_value("1:58.000")
    serious(page, "events")

    # The same sound again: a copy a second later; left and right move together until they are unlinked.
    order.get_by_text("River", exact=True).first.click()
    page.keyboard.press("2")
    page.get_by_role("button", name="add a copy").click()
    settled(page)
    type_number(page, "level of copy 1", "-9")
    settled(page)
    page.get_by_role("button", name="unlink left and right of copy 1").click()
    settled(page)
    type_number(page, "right level of copy 1", "-12")
    settled(page)
    expect(page.get_by_role("spinbutton", name="left level of copy 1")).to_have_text("−9.0 dB")
    serious(page, "copies")

    # Files are heard with the arrow keys before they are taken in; what is not ticked stays out.
    t = np.arange(9 * RATE) / RATE  # a call that rings out until 4.0 s, and another from 5.5 s on
    call = np.sin(1_400 * t) * np.clip(4.0 - t, 0.0, 1.0) + np.sin(2_000 * t) * (t >= 5.5)
    noise = np.random.default_rng(3).standard_normal(len(t)) * 3e-4
    for n, gain in enumerate((0.3, 3.0)):
        soundfile.write(tmp_path / f"Gull {n}.wav", np.clip(gain * call + noise, -0.9, 0.9), RATE, subtype="PCM_16")
    page.get_by_label("files to add").set_input_files(sorted(tmp_path.glob("Gull*.wav")))
    files = page.get_by_role("listbox", name="files to hear")
    expect(files.get_by_text("its peaks are flattened")).to_be_visible(timeout=15_000)
    serious(page, "files to hear")
    page.keyboard.press("ArrowDown")
    page.keyboard.press(" ")
    page.keyboard.press("Enter")
    expect(order.locator("[id^=cue-]")).to_have_count(13)
    expect(order.get_by_text("Gull 0", exact=True)).to_be_visible()

    # Split at the pause under the cursor: the event that lies in it asks to which part it goes.
    order.get_by_text("Gull 0", exact=True).click()
    order.focus()
    page.keyboard.press("Enter")
    for _ in range(5):
        page.keyboard.press("Control+ArrowRight")
    page.keyboard.press("Shift+M")
    settled(page)
    page.keyboard.press("Shift+V")
    expect(page.get_by_role("alert")).to_contain_text("lies on the boundary")
    page.get_by_role("button", name="to the second part").click()
    settled(page)
    second = order.locator("[id^=cue-]").nth(13)
    expect(second).to_contain_text("Gull 0 2")
    second.get_by_text("Gull 0 2", exact=True).click()
    page.keyboard.press("3")
    expect(page.get_by_role("textbox", name="time of Event 1 in the cue")).to_have_value("0:00.000")
