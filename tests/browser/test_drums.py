"""Drums through the real interface, on the *Boatyard kit* demo: the wall, corrections, shape, loops, test bench, send."""

from __future__ import annotations

import io
import urllib.request
import zipfile
from pathlib import Path
from typing import Any

import numpy as np
import pytest
import soundfile
from playwright.sync_api import Page, expect
from tests.browser.conftest import AXE
from tests.browser.test_desk import SERIOUS
from tests.browser.test_flow import call, number, rendered, settled, type_number, until
from tests.conftest import RATE, Server

from wemble.demo import kit
from wemble.formats.sfz import read_sfz


@pytest.fixture
def job(page: Page, demo_server: Server) -> str:
    """Open the demo kit as it was made: whatever an earlier test did is undone."""
    page.goto(demo_server.url)
    page.get_by_role("link", name="Boatyard kit").click()
    expect(page.get_by_role("listbox", name="heads of the hits")).to_be_visible()
    job_id = page.url.rsplit("/", 1)[1]
    settled(page)
    while call(f"{demo_server.url}/api/jobs/{job_id}")["undo_label"] != "read names":
        page.keyboard.press("Control+z")
        settled(page)
    return job_id


def state(server: Server, job_id: str) -> dict[str, Any]:
    return call(f"{server.url}/api/jobs/{job_id}")["job"]  # type: ignore[no-any-return]


def apply(page: Page) -> None:
    page.get_by_role("button", name="Apply", exact=True).click()
    expect(page.get_by_role("button", name="Applied")).to_be_disabled()
    settled(page)


def members(of: dict[str, Any], name: str, strength: str) -> list[dict[str, Any]]:
    return [c for c in of["clips"].values() if c["strike"]["name"] == name and c["strike"]["strength"] == strength]


def test_heads_are_found_walked_by_arrows_corrected_and_stay_corrected(
    page: Page, demo_server: Server, job: str
) -> None:
    wall = page.get_by_role("listbox", name="heads of the hits")
    expect(page.get_by_text("18 hits")).to_be_visible()
    expect(page.get_by_text("18 sets, 35 files")).to_be_visible()
    # The doubtful one comes first, and says why; the missing file is named.
    first = wall.get_by_role("option").first
    expect(first).to_contain_text("Tar bucket soft")
    expect(first.get_by_label("to look at")).to_be_visible()
    page.get_by_text("Names", exact=True).click()
    expect(page.get_by_text("missing from the grid")).to_contain_text("Oar D2 soft far")
    apply(page)
    after = state(demo_server, job)
    for name, strength in (("Plank", "hard"), ("Bell", "soft"), ("Oil drum", "medium")):
        pair = members(after, name, strength)
        assert len(pair) == 2 and len({(c["head_frame"], c["tail_frame"], c["origin_frame"]) for c in pair}) == 1
        assert all(c["fade_in"] is None and c["fade_out"] is None for c in pair)

    # Arrow keys walk the cells, the lenses follow, and both microphones are in hand.
    wall.focus()
    page.keyboard.press("Home")
    page.keyboard.press("ArrowRight")
    page.keyboard.press("ArrowDown")
    expect(wall.get_by_role("option", selected=True)).to_have_count(1)
    page.get_by_role("option", name="Bell hard").click()
    bell = members(after, "Bell", "hard")
    expect(
        page.get_by_role("region", name=f"head of {bell[1]['name']}")
        .or_(page.get_by_label(f"head of {bell[0]['name']}").first)
        .first
    ).to_be_visible()
    page.keyboard.press("a")  # 1 ms earlier, every microphone of the hit
    page.keyboard.press("a")
    settled(page)
    moved = members(state(demo_server, job), "Bell", "hard")
    assert [c["head_frame"] for c in moved] == [c["head_frame"] - 96 for c in bell]

    # Another number moves the others and not what a hand corrected; while it is dragged nothing is written.
    revision = call(f"{demo_server.url}/api/jobs/{job}")["revision"]
    type_number(page, "room after", "120")
    settled(page)
    assert call(f"{demo_server.url}/api/jobs/{job}")["revision"] == revision and number(page, "room after") == 120
    apply(page)
    later = state(demo_server, job)
    assert [c["head_frame"] for c in members(later, "Bell", "hard")] == [c["head_frame"] for c in moved]
    assert all(
        n["tail_frame"] > o["tail_frame"]
        for n, o in zip(members(later, "Plank", "soft"), members(after, "Plank", "soft"), strict=True)
    )

    # What is put right keeps its place on the wall, next goes by what is seen, and an order comes when it is asked for.
    cells = wall.get_by_role("option")
    cells.first.click()
    page.keyboard.press("a")
    settled(page)
    expect(cells.first).to_contain_text("Tar bucket soft")
    expect(cells.first.get_by_label("to look at")).to_have_count(0)
    page.keyboard.press("j")
    expect(cells.nth(1)).to_have_attribute("aria-selected", "true")
    page.get_by_role("button", name="sort again").click()
    expect(cells.first).not_to_contain_text("Tar bucket soft")

    # Several are taken in hand: up to here, one more, all that words find; in the list and on the wall.
    cells.first.click()
    wall.focus()
    page.keyboard.press("Shift+ArrowRight")
    page.keyboard.press("Shift+ArrowRight")
    page.keyboard.press("Shift+ArrowLeft")
    cells.nth(9).click(modifiers=["Control"])
    expect(wall.get_by_role("option", selected=True)).to_have_count(3)
    page.get_by_label("show only").fill("bell")
    expect(page.get_by_text("3 of 18 hits")).to_be_visible()
    expect(page.get_by_role("listbox", name="all clips").get_by_role("option")).to_have_count(6)
    wall.focus()
    page.keyboard.press("Control+a")
    expect(page.get_by_text("6 clips selected")).to_be_visible()
    page.evaluate("window.heard.length = 0")
    page.keyboard.press("Enter")
    until(page, "window.heard.length >= 1")
    page.keyboard.press("Space")
    page.get_by_role("button", name="show all").click()
    expect(cells).to_have_count(18)


def test_ends_are_softened_hot_ones_come_down_and_the_kit_is_sent(
    page: Page, demo_server: Server, job: str, tmp_path: Path
) -> None:
    apply(page)
    page.get_by_role("tab", name="Shape").or_(page.get_by_role("button", name="Shape")).first.click()
    page.get_by_role("button", name="Turn down").click()
    expect(page.get_by_text("keep their gain")).to_be_visible()
    settled(page)
    shaped = state(demo_server, job)
    turned = [c for c in shaped["clips"].values() if c["gain_db"] != 0]
    assert 1 <= len(turned) <= 4 and all(-1.5 < c["gain_db"] < 0 for c in turned)
    page.get_by_role("button", name="soften the ends over 5 ms").click()
    settled(page)
    fades = [c["fade_out"] for c in state(demo_server, job)["clips"].values()]
    assert all(fade is None or fade["length_frames"] == 240 for fade in fades)
    expect(page.get_by_text("no effect, already at the floor", exact=False)).to_be_visible()  # those stay as they are
    assert None in fades

    page.keyboard.press("4")
    expect(page.get_by_text("35 one-shots, at their own depth")).to_be_visible()
    names = page.get_by_role("list", name="names")
    page.get_by_role("textbox", name="names", exact=True).fill("{name}")
    expect(page.get_by_text("names are the same", exact=False)).to_be_visible()
    expect(page.get_by_role("button", name="Send", exact=True)).to_be_disabled()
    page.get_by_role("textbox", name="names", exact=True).fill("Boatyard {name}_{note}_{strength}_{mic}")
    expect(names).to_contain_text("Boatyard Bell_E2_hard_near.wav")
    page.get_by_role("button", name="Send", exact=True).click()
    with page.expect_download() as coming:
        page.get_by_role("link", name="files (zip)").click(timeout=60_000)
    coming.value.save_as(tmp_path / "kit.zip")
    with zipfile.ZipFile(tmp_path / "kit.zip") as archive:
        regions = read_sfz(archive.read("kit.sfz").decode())
        assert len(regions) == 35 and {"report.csv", "report.json"} <= set(archive.namelist())
        sent, rate = soundfile.read(io.BytesIO(archive.read("Boatyard Plank_C2_hard_near.wav")), always_2d=True)
    plank = next(c for c in members(state(demo_server, job), "Plank", "hard") if c["strike"]["mic"] == "near")
    assert (len(sent), rate) == (plank["tail_frame"] - plank["head_frame"], RATE)
    truth = dict(kit.files())["Plank_C2_hard_near"][plank["head_frame"] : plank["tail_frame"], 0]
    assert np.abs(sent[:-300, 0] - truth[:-300] * 10 ** (plank["gain_db"] / 20)).max() < 2**-22


def test_the_test_bench_plays_what_is_rendered_on_the_beat_old_start_against_new(
    page: Page, demo_server: Server, job: str
) -> None:
    apply(page)
    page.keyboard.press("3")
    bench = page.get_by_role("region", name="test bench")
    keys = bench.get_by_role("application")
    keys.focus()
    page.evaluate("window.heard.length = 0")
    page.keyboard.press("q")  # the lowest key of the map, struck hardest
    until(page, "window.heard.length >= 1")
    plank = members(state(demo_server, job), "Plank", "hard")
    start = plank[0]["origin_frame"] + plank[0]["head_frame"]
    played = np.array(page.evaluate("window.heard[0].channels"), np.float32)
    assert np.array_equal(played, rendered(demo_server, job, start, played.shape[1]))
    assert played.shape[1] == plank[0]["tail_frame"] - plank[0]["head_frame"]
    expect(bench.get_by_text("0.0 ms")).to_be_visible()
    bench.get_by_label("original start").check()
    air_ms = plank[0]["head_frame"] * 1000 / RATE
    expect(bench.get_by_text(f"{air_ms:.1f} ms")).to_be_visible()

    # Every half second to the sample, and a pattern of quarters at 120 against the click.
    bench.get_by_label("original start").uncheck()
    page.evaluate("window.heard.length = 0")
    bench.get_by_role("button", name="Retrigger").click()
    until(page, "window.heard.length >= 4")
    bench.get_by_role("button", name="Stop").click()
    times = [h["when"] for h in page.evaluate("window.heard.map(({ when }) => ({ when }))")][:4]
    assert np.allclose(np.diff(times), 0.5, atol=1e-9)
    pattern = bench.get_by_role("table", name="pattern of sixteen steps")
    keys.press("x")  # any strike can be put into the pattern
    bench.get_by_role("button", name="add Chain soft").click()
    for step in (1, 5, 9, 13):
        pattern.get_by_role("switch", name=f"Chain soft, step {step}", exact=True).click()
    page.evaluate("window.heard.length = 0")
    bench.get_by_role("button", name="Play the pattern").click()
    until(page, "window.heard.length >= 8")
    bench.get_by_role("button", name="Stop").click()
    beats = sorted(h["when"] for h in page.evaluate("window.heard.map(({ when }) => ({ when }))"))
    clicks, hits = beats[0::2][:4], beats[1::2][:4]
    assert np.allclose(np.array(hits) - np.array(clicks), 0.0, atol=1e-9) and np.allclose(np.diff(hits), 0.5, atol=1e-9)


def test_loops_are_chosen_seen_and_sent_and_axe_is_content(page: Page, demo_server: Server, job: str) -> None:
    apply(page)
    page.get_by_role("option", name="Oil drum hard").click()
    page.keyboard.press("3")
    seams = page.get_by_role("list", name="seams to choose from")
    seams.get_by_role("listitem").nth(2).get_by_role("button").first.click()
    settled(page)
    expect(page.get_by_role("region", name="seam of")).to_be_visible()
    loops = [m for m in state(demo_server, job)["marks"].values() if m["kind"] == "loop"]
    assert len(loops) == 2 and loops[0]["end_frame"] > loops[0]["frame"]  # both microphones, at the same moments
    assert len({(loop["frame"], loop["end_frame"], loop["crossfade_frames"]) for loop in loops}) == 1
    clip = state(demo_server, job)["clips"][loops[0]["clip_id"]]
    assert clip["sound_start_frame"] < loops[0]["frame"] - loops[0]["crossfade_frames"]
    page.get_by_role("button", name="Loop the 2 selected").click()
    expect(page.get_by_text("loops have a seam that is not heard")).to_contain_text("of 1")
    settled(page)
    for step in "1234":
        page.keyboard.press(step)
        settled(page)
        page.evaluate(AXE.read_text())
        assert page.evaluate(SERIOUS) == [], step

    # A loop is heard before it is turned, just as it is rendered after; then it is one clip, and the card knows it.
    page.keyboard.press("3")
    page.get_by_role("option", name="Bell hard").click()
    page.get_by_role("radio", name="rotate the whole clip").click()
    seams = page.get_by_role("list", name="seams to choose from")
    page.evaluate("window.heard.length = 0")
    seams.get_by_role("button", name="hear").first.click()
    until(page, "window.heard.length >= 2")
    page.keyboard.press("Space")
    tried = np.array(page.evaluate("window.heard[1].channels"), np.float32)
    rows = page.get_by_role("listbox", name="all clips").get_by_role("option")
    before, cells = rows.count(), wall_cells(page)
    seams.get_by_role("button", name="rotate").first.click()
    expect(page.get_by_text("is rotated")).to_be_visible()
    settled(page)
    card = page.get_by_role("complementary", name="step: mark")
    expect(card.get_by_text("looped as a whole")).to_be_visible()
    expect(card.get_by_text("at the join")).to_be_visible()  # what is heard where its old ends meet
    assert (rows.count(), wall_cells(page)) == (before, cells)
    turned = [
        c for c in state(demo_server, job)["clips"].values() if c["name"].startswith("Bell") and "hard" in c["name"]
    ]
    assert len(turned) == 4
    start = min(c["origin_frame"] + c["head_frame"] for c in turned)
    assert np.array_equal(tried, rendered(demo_server, job, start + RATE // 4, tried.shape[1]))
    page.keyboard.press("Delete")
    settled(page)
    assert len(state(demo_server, job)["clips"]) == 35 - 2


def wall_cells(page: Page) -> int:
    return page.get_by_role("listbox", name="heads of the hits").get_by_role("option").count()


def test_a_take_becomes_hits_and_sound_and_silence_stays_at_hand(
    page: Page, demo_server: Server, tmp_path: Path
) -> None:
    soundfile.write(tmp_path / "chains.wav", kit.chains(), kit.RATE_HZ, subtype="PCM_24")
    page.goto(demo_server.url)
    page.get_by_role("radio", name="Drums and samples").check()
    page.locator("input[type=file]").first.set_input_files([str(tmp_path / "chains.wav")])
    page.get_by_role("radio", name="files are takes with many hits").click()
    settled(page)
    expect(page.get_by_label("files being imported")).to_be_hidden(timeout=15_000)  # it goes by itself when all came in
    # While a number is dragged the card says how many there are, and why not more; the strip shows them.
    card = page.get_by_role("complementary", name="step: find")
    expect(card.get_by_text("24 hits")).to_be_visible()
    type_number(page, "shortest gap", "900")
    expect(card.get_by_text("counted as one", exact=False)).to_be_visible()
    assert "24 hits" not in card.inner_text()
    type_number(page, "shortest gap", "80")
    expect(card.get_by_text("24 hits")).to_be_visible()
    apply(page)
    expect(page.get_by_role("region", name="strip").get_by_text("24 hits")).to_be_visible()
    job_id = page.url.rsplit("/", 1)[1]
    page.get_by_role("option", name="chains 5", exact=True).first.click()
    page.keyboard.press(
        "Delete"
    )  # what was removed stays out, of the card as well; the number that is not applied stays
    type_number(page, "room after", "30")
    expect(card.get_by_text("23 hits")).to_be_visible()
    apply(page)
    expect(page.get_by_text("1 removed by hand stays out")).to_be_visible()
    assert len(state(demo_server, job_id)["clips"]) == 23
    for _ in range(2):
        page.keyboard.press("Control+z")
        settled(page)
    page.get_by_label("what to find").select_option("sound")
    type_number(page, "shortest gap", "0.5")
    settled(page)
    expect(page.get_by_text("too short to cut", exact=False)).to_be_visible()  # and says why hits are one
    assert len(state(demo_server, job_id)["clips"]) == 24
    revision = call(f"{demo_server.url}/api/jobs/{job_id}")["revision"]
    with urllib.request.urlopen(
        f"{demo_server.url}/api/jobs/{job_id}/revisions/{revision}/heads?columns=200"
    ) as answer:
        assert len(answer.read().split(b"\n", 1)[1]) == 24 * 200 * 2
