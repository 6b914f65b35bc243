"""The whole flow of a voiceover through the real interface, on the demo job and on files brought in by hand."""

from __future__ import annotations

import base64
import io
import json
import re
import urllib.request
import zipfile
from collections.abc import Callable
from itertools import pairwise
from pathlib import Path
from typing import Any

import numpy as np
import pytest
import soundfile
from playwright.sync_api import Page, Route, expect
from tests.browser.conftest import AXE
from tests.conftest import RATE, Server, phrases

from wemble.actions.importing.import_file import start_import
from wemble.actions.library import Library
from wemble.actions.revisions import create_job
from wemble.actions.work.tasks import wait_for


def call(url: str) -> dict[str, Any]:
    with urllib.request.urlopen(url, timeout=20) as answer:
        return json.loads(answer.read())  # type: ignore[no-any-return]


def rendered(server: Server, job_id: str, start: int, frames: int) -> np.ndarray:
    revision = call(f"{server.url}/api/jobs/{job_id}")["revision"]
    url = f"{server.url}/api/jobs/{job_id}/revisions/{revision}/audio?start={start}&frames={frames}"
    with urllib.request.urlopen(url, timeout=20) as answer:
        channels = int(answer.headers["X-Wemble-Channels"])
        return np.frombuffer(answer.read(), np.float32).reshape(channels, -1)


def open_demo(page: Page, server: Server) -> str:
    page.goto(server.url)
    page.get_by_role("link", name="Audio guide").first.click()
    expect(page.get_by_role("listbox", name="all clips")).to_be_visible()
    page.keyboard.press("1")  # a tab returns to the step that it was left at
    expect(page.get_by_role("heading", name="Find", exact=False)).to_be_visible()
    return page.url.rsplit("/", 1)[1]


def settled(page: Page) -> None:
    """Wait for the answer to whatever was just asked."""
    until(page, "window.unanswered === 0 && performance.now() - window.quietSince > 150")


def until(page: Page, expression: str) -> None:
    """Wait for something in the page; by asking again, since the page's policy lets nobody evaluate inside it."""
    for _ in range(300):
        if page.evaluate(expression):
            return
        page.wait_for_timeout(50)
    raise AssertionError(expression)


def number(page: Page, name: str) -> float:
    return float(page.get_by_role("spinbutton", name=name).get_attribute("aria-valuenow") or "nan")


def type_number(page: Page, name: str, value: str) -> None:
    page.get_by_role("spinbutton", name=name).click()
    page.get_by_role("textbox", name=name).fill(value)
    page.keyboard.press("Enter")


def heard(page: Page) -> list[dict[str, Any]]:
    return page.evaluate("window.heard")  # type: ignore[no-any-return]


def hear(page: Page, press: str, least: int = 1) -> list[dict[str, Any]]:
    expect(page.get_by_role("button", name="play", exact=True)).to_be_visible()  # what played before is over
    page.evaluate("window.heard.length = 0")
    page.keyboard.press(press)
    until(page, f"window.heard.length >= {least}")
    return heard(page)


def test_find_shape_listen_send_on_the_demo(page: Page, demo_server: Server, tmp_path: Path) -> None:
    job_id = open_demo(page, demo_server)
    names = page.get_by_role("listbox")
    expect(page.get_by_role("button", name="Applied")).to_be_disabled()

    # Find: a dragged number is a draft; Apply is one revision, undo takes it back, and finding again keeps names.
    before = call(f"{demo_server.url}/api/jobs/{job_id}")
    room = page.get_by_role("spinbutton", name="room before")
    box = room.bounding_box()
    assert box
    was = number(page, "room before")
    page.mouse.move(box["x"] + 5, box["y"] + 5)
    page.mouse.down()
    page.mouse.move(box["x"] + 35, box["y"] + 5, steps=6)
    page.mouse.up()
    assert number(page, "room before") > was
    settled(page)
    assert call(f"{demo_server.url}/api/jobs/{job_id}")["revision"] == before["revision"]
    page.get_by_role("button", name="Apply", exact=True).click()
    expect(page.get_by_role("button", name="Applied")).to_be_disabled()
    after = call(f"{demo_server.url}/api/jobs/{job_id}")
    assert after["undo_label"] == "find sound and silence" and len(after["job"]["clips"]) == len(before["job"]["clips"])
    page.keyboard.press("Control+z")
    settled(page)
    assert call(f"{demo_server.url}/api/jobs/{job_id}")["job"] == before["job"]
    page.keyboard.press("Control+Shift+z")
    settled(page)
    assert call(f"{demo_server.url}/api/jobs/{job_id}")["job"] == after["job"]

    # Every treatment carries a length; closing up makes the job shorter.
    page.get_by_role("radio", name=re.compile("close pauses up to")).click()
    page.get_by_role("button", name="Apply", exact=True).click()
    expect(page.get_by_role("button", name="Applied")).to_be_disabled()
    closed = call(f"{demo_server.url}/api/jobs/{job_id}")["job"]
    assert len(closed["joins"]) == len(closed["clips"]) - 1
    page.get_by_role("radio", name=re.compile("cut, timing")).click()
    page.get_by_role("button", name="Apply", exact=True).click()
    expect(page.get_by_role("button", name="Applied")).to_be_disabled()

    # Shape: by keys, by dragging in the lens, by typing; corrections survive finding again.
    names.get_by_text("Mind", exact=False).or_(names.get_by_text("The slipway, wet")).first.click()
    page.keyboard.press("2")
    clip = next(
        c
        for c in call(f"{demo_server.url}/api/jobs/{job_id}")["job"]["clips"].values()
        if c["name"] == "The slipway, wet"
    )
    for key in (",", "a", "A", ".", "d", "d"):
        page.keyboard.press(key)
    settled(page)
    moved = call(f"{demo_server.url}/api/jobs/{job_id}")["job"]["clips"][clip["id"]]
    assert moved["head_frame"] == clip["head_frame"] - 480 + 48
    lens = page.get_by_role("region", name="tail of The slipway, wet")
    canvas = lens.locator("canvas").bounding_box()
    assert canvas
    edge_x = canvas["x"] + 0.7 * canvas["width"]
    page.mouse.move(edge_x, canvas["y"] + 150)
    page.mouse.down()
    page.mouse.move(edge_x - 20, canvas["y"] + 150, steps=4)
    page.mouse.up()
    settled(page)
    shorter = call(f"{demo_server.url}/api/jobs/{job_id}")["job"]["clips"][clip["id"]]
    assert shorter["tail_frame"] < clip["tail_frame"] and shorter["fade_out"]["origin"] == "auto"
    lens.get_by_role("combobox", name="shape of the fade at the tail").select_option("equal_power")
    settled(page)
    lens.get_by_role("spinbutton", name="fade at the tail").click()
    lens.get_by_role("textbox", name="fade at the tail").fill("25")
    page.keyboard.press("Enter")
    settled(page)
    own = call(f"{demo_server.url}/api/jobs/{job_id}")["job"]["clips"][clip["id"]]["fade_out"]
    assert own == {"length_frames": 1200, "shape": "equal_power", "bend": 0.0, "origin": "own", "points": []}
    page.keyboard.press("1")
    type_number(page, "room after", "200")
    page.get_by_role("button", name="Apply", exact=True).click()
    expect(page.get_by_role("button", name="Applied")).to_be_disabled()
    again = call(f"{demo_server.url}/api/jobs/{job_id}")["job"]["clips"][clip["id"]]
    assert (again["head_frame"], again["tail_frame"], again["fade_out"]) == (
        moved["head_frame"],
        shorter["tail_frame"],
        own,
    )

    # Listen: just the head, the tail, the cursor on, the selection in a loop; what is scheduled is what is rendered.
    page.get_by_role("listbox").focus()
    for press, least in (("q", 2), ("w", 2), ("c", 2)):
        blocks = hear(page, press, least)
        compare_with_render(blocks, demo_server, job_id)
    page.keyboard.press("l")
    expect(page.get_by_role("button", name="loop")).to_have_attribute("aria-pressed", "true")
    page.keyboard.press("l")

    # Verdicts under the lens, next edges by key.
    page.keyboard.press("p")
    expect(page.get_by_role("button", name="Head", exact=True)).to_have_attribute("aria-pressed", "true")
    page.keyboard.press("n")
    expect(page.get_by_role("button", name="Tail", exact=True)).to_have_attribute("aria-pressed", "true")
    expect(lens.get_by_text("local residual")).to_be_visible()

    # Send: the words, the names, a collision stops, then a zip with everything.
    page.keyboard.press("4")
    expect(page.get_by_text(re.compile(r"^\d+ files, \d:\d\d\.\d{3}, mono, 48 kHz, WAV 24-bit$"))).to_be_visible()
    pattern = page.get_by_role("textbox", name="names", exact=True)
    pattern.fill("{job}")
    expect(page.get_by_text("names are the same")).to_be_visible()
    expect(page.get_by_role("button", name="Send", exact=True)).to_be_disabled()
    pattern.fill("{number:3} {clip}")
    page.get_by_label("format", exact=True).select_option("wav_16")
    expect(page.get_by_text("WAV 16-bit").last).to_be_visible()
    expect(page.get_by_role("button", name="Send", exact=True)).to_be_enabled()
    page.get_by_role("button", name="Send", exact=True).click()
    with page.expect_download() as download:
        page.get_by_role("link", name=re.compile(r"download \d+ files")).click()
    archive = zipfile.ZipFile(io.BytesIO(Path(download.value.path()).read_bytes()))
    clips = sorted(call(f"{demo_server.url}/api/jobs/{job_id}")["job"]["clips"].values(), key=lambda c: c["head_frame"])
    assert archive.namelist() == [f"{n:03d} {c['name']}.wav" for n, c in enumerate(clips, 1)]
    first, _ = soundfile.read(io.BytesIO(archive.read(archive.namelist()[0])), dtype="float32", always_2d=True)
    length = clips[0]["tail_frame"] - clips[0]["head_frame"]
    heard_there = rendered(demo_server, job_id, clips[0]["head_frame"], length)
    assert first.shape == (length, 1) and np.abs(first.T - heard_there).max() <= 1.5 / 32768


def compare_with_render(blocks: list[dict[str, Any]], server: Server, job_id: str) -> None:
    """Find where a run of scheduled blocks was rendered from, and hold every sample and every start against it."""
    rate = blocks[0]["rate"]
    assert all(block["rate"] == block["bufferRate"] == rate for block in blocks)
    played = 0
    for block in blocks:
        assert block["when"] == pytest.approx(blocks[0]["when"] + played / rate, abs=1e-9)
        played += len(block["channels"][0])
    together = np.array(
        [np.concatenate([block["channels"][c] for block in blocks]) for c in range(len(blocks[0]["channels"]))],
        np.float32,
    )
    spans = call(f"{server.url}/api/jobs/{job_id}")["job"]["clips"].values()
    end = max(c["origin_frame"] + c["tail_frame"] for c in spans)
    whole = np.concatenate([rendered(server, job_id, at, 1 << 20) for at in range(0, end, 1 << 20)], axis=1)
    probe = together[0, together.shape[1] // 2 :][:400] if together[0].any() else together[0][:400]
    at = together.shape[1] // 2
    starts = [
        s - at for s in np.flatnonzero(whole[0] == probe[0]) if np.array_equal(whole[0, s : s + len(probe)], probe)
    ]
    assert any(np.array_equal(whole[:, s : s + together.shape[1]], together) for s in starts if s >= 0)


def test_importing_is_stopped_as_a_whole_and_what_was_left_behind_is_named(page: Page, server: Server) -> None:
    open_new(page, server)
    incoming = page.get_by_role("region", name="files being imported")
    held: list[Route] = []
    page.route(
        "**/api/uploads/*", lambda route: held.append(route) if route.request.method == "PATCH" else route.continue_()
    )
    many = {f"word {n}.wav": phrases(0.5) for n in (2, 10, 1, 3, 4, 5, 6, 7, 8)}

    drop(page, many)
    expect(incoming.get_by_text("9 of 9 still to import")).to_be_visible()
    incoming.get_by_role("button", name="stop all").click()
    expect(incoming.get_by_text("9 not imported")).to_be_visible()
    expect(incoming.get_by_text("stopped; it is not in this job")).to_have_count(9)
    shown = incoming.get_by_role("listitem").all_inner_texts()
    assert [int(text.split(".")[0].removeprefix("word ")) for text in shown] == [1, 2, 3, 4, 5, 6, 7, 8, 10]
    incoming.get_by_role("button", name="clear").click()

    # Leaving is asked about while files are on their way; on return those that did not come are named, once.
    drop(page, many)
    expect(incoming.get_by_text("9 of 9 still to import")).to_be_visible()
    asked: list[str] = []
    page.on("dialog", lambda dialog: (asked.append(dialog.type), dialog.accept()))
    page.reload()
    assert asked == ["beforeunload"]
    expect(incoming.get_by_text("the page was left before it came in")).to_have_count(9)
    page.reload()
    expect(page.get_by_text("Drop recordings or a folder here.")).to_be_visible()
    expect(incoming).to_be_hidden()


def test_files_come_in_by_hand_with_reasons_for_those_that_do_not(page: Page, server: Server, tmp_path: Path) -> None:
    soundfile.write(tmp_path / "one.wav", phrases(), RATE)
    soundfile.write(tmp_path / "two at 44.flac", phrases(4.0, 44_100), 44_100)
    (tmp_path / "letter.wav").write_bytes(b"dear all, this is not a recording")
    (tmp_path / "empty.wav").write_bytes(b"")
    page.goto(server.url)
    expect(page.get_by_text("Drop a recording to see its edges")).to_be_visible()
    page.get_by_label("recordings", exact=True).set_input_files(
        [str(p) for p in sorted(tmp_path.glob("*.*")) if p.is_file()]
    )
    expect(page.get_by_role("heading", name="Find", exact=False)).to_be_visible(timeout=30_000)
    incoming = page.get_by_role("region", name="files being imported")
    expect(incoming.get_by_text("2 not imported")).to_be_visible()
    expect(incoming.get_by_text("cannot be read as audio")).to_be_visible()
    expect(incoming.get_by_text("this file is empty")).to_be_visible()
    incoming.get_by_role("button", name="clear").click()
    job_id = page.url.rsplit("/", 1)[1]

    # One recipe on all; a saved one is there after a reload.
    page.get_by_role("radio", name="all recordings").click()
    page.get_by_role("button", name="Apply", exact=True).click()
    expect(page.get_by_role("button", name="Applied")).to_be_disabled()
    job = call(f"{server.url}/api/jobs/{job_id}")["job"]
    assert len(job["findings"]) == 2 and len(job["clips"]) == 5
    page.get_by_role("button", name="Save as recipe").click()
    page.get_by_role("textbox", name="name of the recipe").fill("booth")
    page.get_by_role("button", name="Save", exact=True).click()
    expect(page.get_by_text("Recipe “booth” saved")).to_be_visible()
    page.reload()
    page.get_by_role("button", name="recipes").click()
    expect(page.get_by_role("menuitem", name="booth", exact=True)).to_be_visible()
    page.keyboard.press("Escape")

    # A 44.1 kHz source in a 48 kHz job: what is played, what is rendered and what the file holds before dither agree.
    page.get_by_role("listbox").focus()
    for _ in range(4):
        page.keyboard.press("j")
    blocks = hear(page, "c", 2)
    compare_with_render(blocks, server, job_id)
    page.keyboard.press("4")
    page.get_by_label("format", exact=True).select_option("wav_float")
    page.get_by_role("radio", name="one file of everything").click()
    expect(page.get_by_text("1 file,")).to_be_visible()
    page.get_by_role("button", name="Send", exact=True).click()
    with page.expect_download() as download:
        page.get_by_role("link", name=re.compile("^download")).click()
    samples, rate = soundfile.read(download.value.path(), dtype="float32", always_2d=True)
    starts = [
        c["origin_frame"] + -(-c["head_frame"] * RATE // job["sources"][c["source_id"]]["rate_hz"])
        for c in job["clips"].values()
    ]
    assert rate == RATE and np.array_equal(samples.T, rendered(server, job_id, min(starts), len(samples)))


def test_a_second_tab_is_told_and_does_it_on_the_newest(new_page: Callable[[], Page], demo_server: Server) -> None:
    one, two = new_page(), new_page()
    job_id = open_demo(one, demo_server)
    open_demo(two, demo_server)
    one.keyboard.press("d")
    settled(one)
    two.get_by_role("listbox").focus()
    two.keyboard.press("End")
    two.keyboard.press("ArrowUp")
    expect(two.get_by_role("listbox").get_by_role("option", selected=True)).to_contain_text("Thanks")
    two.keyboard.press("d")
    expect(two.get_by_role("alert")).to_contain_text("changed elsewhere")
    before = call(f"{demo_server.url}/api/jobs/{job_id}")
    two.get_by_role("button", name="do it on the newest").click()
    expect(two.get_by_role("alert")).to_have_count(0)
    settled(two)
    after = call(f"{demo_server.url}/api/jobs/{job_id}")
    thanks = next(c for c in before["job"]["clips"].values() if c["name"] == "Thanks")
    assert after["job"]["clips"][thanks["id"]]["head_frame"] == thanks["head_frame"] + 48
    assert after["undo_label"] == "move head"


def test_axe_finds_nothing_serious_in_either_theme(page: Page, demo_server: Server) -> None:
    page.goto(demo_server.url)
    expect(page.get_by_role("link", name="Audio guide")).to_be_visible()
    for theme in ("paper", "booth"):
        page.goto(demo_server.url)
        expect(page.get_by_role("link", name="Audio guide")).to_be_visible()
        if theme == "booth":
            page.get_by_role("button", name="booth theme").click()
        serious(page, f"start, {theme}")
        open_demo(page, demo_server)
        for key, step in (("1", "find"), ("2", "shape"), ("4", "send")):
            page.keyboard.press(key)
            expect(page.get_by_role("complementary", name=f"step: {step}")).to_be_visible()
            settled(page)
            serious(page, f"{step}, {theme}")
        page.keyboard.press("?")
        expect(page.get_by_role("dialog")).to_be_visible()
        serious(page, f"help, {theme}")
        page.keyboard.press("Escape")


def serious(page: Page, where: str) -> None:
    # Playwright's own world is not under the page's policy, so axe need not be allowed by it.
    page.evaluate(AXE.read_text())
    found = page.evaluate("axe.run(document, { resultTypes: ['violations'] })")["violations"]
    grave = [f"{v['id']}: {v['nodes'][0]['html'][:160]}" for v in found if v["impact"] in ("serious", "critical")]
    assert grave == [], (where, grave)


def test_single_keys_can_be_switched_off_and_never_act_while_typing(page: Page, demo_server: Server) -> None:
    job_id = open_demo(page, demo_server)
    revision = call(f"{demo_server.url}/api/jobs/{job_id}")["revision"]
    page.keyboard.press("?")
    page.get_by_role("checkbox", name="single-key commands").uncheck()
    page.keyboard.press("Escape")
    page.keyboard.press("d")
    page.keyboard.press("2")
    expect(page.get_by_role("complementary", name="step: find")).to_be_visible()
    page.get_by_role("button", name="help").click()
    page.get_by_role("checkbox", name="single-key commands").check()
    page.keyboard.press("Escape")
    place = page.get_by_role("textbox", name="place of the head")
    place.click()
    page.keyboard.type("dad2")
    page.keyboard.press("Escape")
    settled(page)
    assert call(f"{demo_server.url}/api/jobs/{job_id}")["revision"] == revision
    place.click()
    place.fill("+5ms")
    page.keyboard.press("Enter")
    settled(page)
    assert call(f"{demo_server.url}/api/jobs/{job_id}")["revision"] > revision


def test_three_hours_go_the_same_way(page: Page, tmp_path: Path) -> None:
    quiet = 10 ** (-58 / 20) * np.random.default_rng(6).standard_normal((10 * 8_000, 1))
    minute = np.tile(np.concatenate([phrases(2.0, 8_000), quiet]), (5, 1))
    path = tmp_path / "long.wav"
    with soundfile.SoundFile(path, "w", 8_000, 1, subtype="PCM_16") as file:
        for _ in range(180):
            file.write(minute)
    library = Library(tmp_path / "home", workers=1)
    library.start()
    job_id = create_job(library, "three hours")
    assert wait_for(library, start_import(library, job_id, path, path.name)).state == "done"
    library.close()
    server = Server(tmp_path / "home")
    try:
        page.goto(f"{server.url}/jobs/{job_id}")
        expect(page.get_by_text("900 clips")).to_be_visible(timeout=20_000)
        before = call(f"{server.url}/api/jobs/{job_id}")["revision"]
        page.get_by_role("button", name="Apply", exact=True).click()
        page.get_by_role("status").get_by_text("finding").wait_for()
        page.get_by_role("button", name="Stop", exact=True).click()
        expect(page.get_by_role("button", name="Apply", exact=True)).to_be_enabled()
        assert call(f"{server.url}/api/jobs/{job_id}")["revision"] == before, "nothing half-finished is left"
        page.get_by_role("button", name="Apply", exact=True).click()
        page.get_by_role("status").get_by_text("finding").wait_for()
        page.get_by_role("link", name="Wemble").click()  # the page is left while it searches: nothing is applied
        expect(page.get_by_role("link", name=re.compile("three hours"))).to_be_visible()
        while any(task["state"] == "running" for task in call(f"{server.url}/api/jobs/{job_id}/tasks")["tasks"]):
            page.wait_for_timeout(250)
        page.goto(f"{server.url}/jobs/{job_id}")
        assert call(f"{server.url}/api/jobs/{job_id}")["revision"] == before
        page.get_by_role("button", name="Apply", exact=True).click()
        expect(page.get_by_role("button", name="Applied")).to_be_disabled(timeout=120_000)
        settled(page)
        page.get_by_role("listbox").focus()
        page.keyboard.press("End")
        page.keyboard.press("0")
        page.keyboard.press("a")
        settled(page)
        job = call(f"{server.url}/api/jobs/{job_id}")["job"]
        last = max(job["clips"].values(), key=lambda clip: clip["head_frame"])
        blocks = hear(page, "c", 1)
        heard_samples = np.array([np.concatenate([b["channels"][0] for b in blocks])], np.float32)
        assert np.array_equal(heard_samples, rendered(server, job_id, last["head_frame"], heard_samples.shape[1]))
        assert heard_samples.any()
        page.keyboard.press("Space")
        page.keyboard.press("4")
        page.get_by_role("radio", name="one file of everything").click()
        page.get_by_label("format", exact=True).select_option("wav_float")
        expect(page.get_by_text(re.compile("^1 file, 2:59:"))).to_be_visible()
        page.get_by_role("button", name="Send", exact=True).click()
        expect(page.get_by_role("link", name=re.compile("^download"))).to_be_visible(timeout=180_000)
        (sent,) = (server.home / "exports").glob("*/*.wav")
        first = min(clip["head_frame"] for clip in job["clips"].values())
        for at in (0, 40_000_000, 86_000_000):
            part, _ = soundfile.read(sent, 1 << 19, at, dtype="float32", always_2d=True)
            assert np.array_equal(part.T, rendered(server, job_id, first + at, len(part)))
    finally:
        server.kill()


def open_new(page: Page, server: Server) -> str:
    """Make a job with nothing in it, and open it."""
    page.goto(server.url)
    body = json.dumps({"name": "Nothing yet"}).encode()
    with urllib.request.urlopen(urllib.request.Request(f"{server.url}/api/jobs", body, method="POST")) as answer:
        job_id = json.loads(answer.read())["id"]
    page.goto(f"{server.url}/jobs/{job_id}")
    return str(job_id)


def drop(page: Page, recordings: dict[str, np.ndarray]) -> None:
    """Drop recordings on the desk, together."""
    files = []
    for name, samples in recordings.items():
        held = io.BytesIO()
        soundfile.write(held, samples, RATE, format="WAV")
        files.append([name, base64.b64encode(held.getvalue()).decode()])
    dropped = page.evaluate_handle(
        """(files) => {
          const data = new DataTransfer();
          for (const [name, base64] of files) data.items.add(new File([Uint8Array.from(atob(base64), (c) => c.charCodeAt(0))], name));
          return data;
        }""",
        files,
    )
    page.dispatch_event("main", "drop", {"dataTransfer": dropped})


def test_pauses_are_closed_up_and_a_tail_is_opened_again_in_four_acts(page: Page, server: Server) -> None:
    job_id = open_new(page, server)
    drop(page, {"take.wav": phrases(9.0)})
    expect(page.get_by_role("option", name="take")).to_be_visible(timeout=20_000)
    settled(page)

    def clips() -> list[dict[str, Any]]:
        held = call(f"{server.url}/api/jobs/{job_id}")["job"]["clips"].values()
        return sorted(held, key=lambda c: c["origin_frame"] + c["head_frame"])

    def spans() -> list[tuple[int, int]]:
        return [(c["origin_frame"] + c["head_frame"], c["origin_frame"] + c["tail_frame"]) for c in clips()]

    page.get_by_role("radio", name="close pauses up to").click()  # one
    settled(page)
    page.get_by_role("button", name="Apply", exact=True).click()  # two
    expect(page.get_by_role("button", name="Applied")).to_be_visible()
    closed = spans()
    assert all(after == before for (_, before), (after, _) in pairwise(closed))
    page.get_by_role("option", name="take 1").click()  # three
    place = page.get_by_role("textbox", name="place of the tail")
    place.click()
    place.fill("+80ms")
    page.keyboard.press("Enter")  # four
    settled(page)
    by = 80 * RATE // 1000
    opened = spans()
    assert opened[0] == (closed[0][0], closed[0][1] + by)
    assert opened[1:] == [(start + by, end + by) for start, end in closed[1:]]
    page.keyboard.press("Escape")
    page.locator("body").press("Control+z")
    settled(page)
    assert spans() == closed


def test_recordings_of_one_length_get_a_lane_each_and_a_click_in_a_gap_is_about_nothing(
    page: Page, server: Server
) -> None:
    job_id = open_new(page, server)
    drop(page, {f"{name}.wav": phrases(6.0, seed=seed) for seed, name in enumerate(["bed", "guest", "host", "sting"])})
    expect(page.get_by_text("a lane each, as they are of one length")).to_be_visible(timeout=30_000)
    settled(page)
    job = call(f"{server.url}/api/jobs/{job_id}")["job"]
    assert [lane["name"] for lane in sorted(job["lanes"].values(), key=lambda one: one["position"])] == [
        "bed", "guest", "host", "sting",
    ]  # fmt: skip
    assert {clip["origin_frame"] for clip in job["clips"].values()} == {0}
    strip = page.get_by_role("region", name="strip")
    heads, canvas = strip.get_by_role("group", name="lane bed").bounding_box(), strip.locator("canvas").bounding_box()
    assert heads and canvas and heads["x"] + heads["width"] <= canvas["x"] + 1  # nothing lies over the clips
    expect(page.get_by_role("radio", name="bed, bed")).to_be_visible()  # the search says what it is about
    page.mouse.click(canvas["x"] + canvas["width"] - 4, canvas["y"] + 40)  # behind the end of all
    expect(page.get_by_text("nothing selected")).to_be_visible()
    page.keyboard.press("Delete")
    settled(page)
    assert len(call(f"{server.url}/api/jobs/{job_id}")["job"]["clips"]) == 4
    strip.get_by_role("group", name="lane host").get_by_role("button", name="host", exact=True).click()
    page.get_by_label("name of the lane").fill("Ines s")  # and no key of it is a command
    page.keyboard.press("Enter")
    settled(page)
    job = call(f"{server.url}/api/jobs/{job_id}")["job"]
    assert "Ines s" in {lane["name"] for lane in job["lanes"].values()} and len(job["clips"]) == 4
    strip.get_by_role("group", name="lane bed").get_by_role("button", name="mute").click()
    settled(page)
    expect(page.get_by_role("button", name="undo", exact=True)).to_have_attribute("title", "undo: lane")
    page.locator("body").press("Control+z")
    settled(page)
    lanes = call(f"{server.url}/api/jobs/{job_id}")["job"]["lanes"].values()
    assert {lane["name"]: lane["muted"] for lane in lanes} == {
        "bed": True,
        "guest": False,
        "host": False,
        "sting": False,
    }


def test_a_recording_dropped_on_an_empty_job_is_shown_whole(page: Page, server: Server) -> None:
    open_new(page, server)
    expect(page.get_by_text("Drop recordings or a folder here")).to_be_visible()
    expect(page.get_by_role("button", name="play", exact=True)).to_be_disabled()
    drop(page, {"late.wav": phrases(4.0)})
    expect(page.get_by_role("option", name="late")).to_be_visible(timeout=20_000)
    expect(page.get_by_role("button", name="play", exact=True)).to_be_enabled()
    settled(page)
    # The strip shows all of it, not its first samples: two phrases with quiet between, each over a good part of the width.
    loud = page.evaluate(
        """() => {
          const canvas = document.querySelector("section[aria-label=strip] canvas");
          const row = canvas.getContext("2d").getImageData(0, Math.round(canvas.height * 0.46), canvas.width, 1).data;
          return Array.from({ length: canvas.width }, (_, x) => (row[4 * x + 3] > 128 && row[4 * x] < 100 ? 1 : 0));
        }"""
    )
    flips = sum(a != b for a, b in pairwise(loud))
    assert 0.1 < sum(loud) / len(loud) < 0.6 and flips >= 4


def test_what_was_typed_stays_whatever_is_searched(page: Page, server: Server) -> None:
    open_new(page, server)
    drop(page, {"one.wav": phrases(4.0), "two.wav": phrases(4.0, seed=2)})
    expect(page.get_by_role("option", name="two")).to_be_visible(timeout=20_000)
    settled(page)
    page.get_by_role("option", name="two").click()
    threshold = page.get_by_role("spinbutton", name="threshold")
    threshold.focus()
    page.keyboard.press("Shift+ArrowUp")
    typed = threshold.get_attribute("aria-valuenow")
    scopes = page.get_by_role("radiogroup", name="what to search").get_by_role("radio")
    for at in (0, 1):
        scopes.nth(at).click()
        settled(page)
        expect(threshold).to_have_attribute("aria-valuenow", typed or "")
    page.get_by_role("button", name="Apply", exact=True).click()
    expect(page.get_by_role("button", name="Applied", exact=True)).to_be_visible()
    found = page.request.get(page.url.replace("/jobs/", "/api/jobs/").split("?")[0]).json()["job"]["findings"]
    assert {str(one["recipe"]["threshold_db"]).removesuffix(".0") for one in found.values()} == {typed}
