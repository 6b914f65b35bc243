"""The desk by hand, through the real interface, on the *Slack Tide* demo: its acceptance, step by step."""

from __future__ import annotations

import io
import json
import urllib.request
from typing import Any

import numpy as np
import pytest
import soundfile
from playwright.sync_api import Locator, Page, expect
from tests.browser.conftest import AXE
from tests.browser.test_flow import call, rendered, settled, until
from tests.conftest import RATE, Server

from wemble.core.signal.levels import from_db

SERIOUS = """axe.run().then(({ violations }) => violations
  .filter(({ impact }) => ["serious", "critical"].includes(impact))
  .map(({ id, nodes }) => id + " " + nodes[0].html))"""


def edit(server: Server, job_id: str, **request: Any) -> dict[str, Any]:
    body = {"base_revision": call(f"{server.url}/api/jobs/{job_id}")["revision"], "edit": request}
    asked = urllib.request.Request(
        f"{server.url}/api/jobs/{job_id}/edits", json.dumps(body).encode(), {"Content-Type": "application/json"}
    )
    with urllib.request.urlopen(asked, timeout=20) as answer:
        return json.loads(answer.read())  # type: ignore[no-any-return]


@pytest.fixture
def job(page: Page, demo_server: Server) -> str:
    """Open the demo job as it was made: whatever an earlier test did is undone."""
    page.goto(demo_server.url)
    page.get_by_role("link", name="Slack Tide", exact=True).click()
    expect(page.get_by_label("strip")).to_be_visible()
    job_id = page.url.rsplit("/", 1)[1]
    settled(page)
    while "lay out" not in str(call(f"{demo_server.url}/api/jobs/{job_id}")["undo_label"]):
        page.keyboard.press("Control+z")
        settled(page)
    to_edges(page)
    page.keyboard.press("0")
    return job_id


def row(page: Page, name: str) -> Locator:
    """The row of a clip in the list."""
    return page.get_by_title(f"{name} (double-click to rename)", exact=True)


def to_edges(page: Page) -> None:
    """Show the edges of the pieces, and not the tracks that a release has first."""
    page.keyboard.press("2")
    page.get_by_role("tab", name="edges of the pieces").click()


def state(server: Server, job_id: str) -> dict[str, Any]:
    """Return the job, without the on-air points that came with its recordings."""
    job = call(f"{server.url}/api/jobs/{job_id}")["job"]
    return {**job, "marks": {key: mark for key, mark in job["marks"].items() if mark["kind"] != "air"}}


def in_strip(
    page: Page, seconds: float, *, lane: int = 0, on_name: bool = False, shown_s: float = 204.0
) -> tuple[float, float]:
    """Where a time lies on the strip while everything is shown."""
    box = page.get_by_role("region", name="strip").locator("canvas").bounding_box()
    assert box
    height = (box["height"] - 26 - 34) / 2
    return box["x"] + box["width"] * seconds / shown_s, box["y"] + 26 + lane * height + (
        28 if on_name else 0.7 * height
    )


def test_ebb_is_cut_crossed_faded_bent_and_heard(page: Page, demo_server: Server, job: str) -> None:
    for seconds in (40, 80):
        page.mouse.click(*in_strip(page, seconds))
        page.keyboard.press("t")
        settled(page)
    clips = [c for c in state(demo_server, job)["clips"].values() if c["name"].startswith("Ebb")]
    assert [c["name"] for c in clips] == ["Ebb", "Ebb 2", "Ebb 3"]
    uncrossed = [rendered(demo_server, job, clip["head_frame"] - RATE, 2 * RATE) for clip in clips[1:]]
    row(page, "Ebb 2").click()
    row(page, "Ebb 3").click(modifiers=["Control"])
    row(page, "Ebb").click(modifiers=["Control"])
    expect(page.get_by_role("heading", name="3 clips selected")).to_be_visible()
    page.keyboard.press("x")
    settled(page)
    length = page.get_by_role("spinbutton", name="length of the crossfade")
    length.press("Enter")
    page.get_by_role("textbox", name="length of the crossfade").fill("80")
    page.keyboard.press("Enter")
    settled(page)
    crossed = state(demo_server, job)
    assert [(j["length_frames"], j["law"], j["lead_frames"]) for j in crossed["joins"].values()] == [
        (3840, "matched", 1920)
    ] * 2
    assert [c["origin_frame"] for c in crossed["clips"].values() if c["name"].startswith("Ebb")] == [0, 0, 0]
    for clip, before in zip(clips[1:], uncrossed, strict=True):
        # Both sides are the same audio: their correlation is 1, the gains add up to 1, and nothing is heard of the join.
        around = rendered(demo_server, job, clip["head_frame"] - RATE, 2 * RATE)
        assert np.abs(around - before).max() < 1e-6

    # From here to the end, an S of 6.0 s: half the amplitude, −6.0 dB, halfway.
    row(page, "Ebb 3").click()
    plain = rendered(demo_server, job, 30 * RATE, 20 * RATE)
    page.get_by_label("shape of the fade at the tail").wait_for()
    page.keyboard.press("g")
    expect(page.get_by_role("alert")).to_contain_text("selection")  # the cursor stands at the head: nothing is inside
    tail = clips[2]["tail_frame"]
    fade = page.get_by_role("spinbutton", name="fade at the tail")
    fade.press("Enter")
    page.get_by_role("textbox", name="fade at the tail").fill("6 s")
    page.keyboard.press("Enter")
    settled(page)
    now = next(c for c in state(demo_server, job)["clips"].values() if c["name"] == "Ebb 3")
    assert now["fade_out"] == {"length_frames": 6 * RATE, "shape": "s", "bend": 0.0, "origin": "own", "points": []}
    middle = tail - 3 * RATE
    half = rendered(demo_server, job, middle, 1)
    before = call(f"{demo_server.url}/api/jobs/{job}")["revision"]
    with urllib.request.urlopen(
        f"{demo_server.url}/api/jobs/{job}/revisions/{before}/audio?start={middle}&frames=1&heard=without_fades"
    ) as answer:
        unfaded = np.frombuffer(answer.read(), np.float32)
    assert np.allclose(half[:, 0] / unfaded, from_db(-6.02), atol=2e-3)

    # The square on the curve bends it; the cut stays still.
    page.get_by_role("button", name="show whole fade").click()
    lens = page.get_by_role("region", name="Tail of Ebb 3").or_(page.get_by_label("tail of Ebb 3").first)
    canvas = lens.locator("canvas").first.bounding_box()
    assert canvas
    settled(page)
    x = canvas["x"] + canvas["width"] * (0.88 - 0.5 / 1.3)
    y = canvas["y"] + (26 + (canvas["height"] - 52) / 2 + 44) / 2
    page.mouse.move(x, y)
    page.mouse.down()
    page.mouse.move(x, y - 40, steps=4)
    page.mouse.up()
    settled(page)
    bent = next(c for c in state(demo_server, job)["clips"].values() if c["name"] == "Ebb 3")
    assert 0.4 < bent["fade_out"]["bend"] < 0.6 and bent["tail_frame"] == tail
    assert np.array_equal(rendered(demo_server, job, 30 * RATE, 20 * RATE), plain)
    fade.press("Enter")
    page.get_by_role("textbox", name="fade at the tail").fill("0")
    page.keyboard.press("Enter")
    settled(page)
    assert next(c for c in state(demo_server, job)["clips"].values() if c["name"] == "Ebb 3")["fade_out"] is None


def test_a_crossfade_without_handles_says_both_figures_and_nothing_moves(
    page: Page, demo_server: Server, job: str
) -> None:
    ebb = next(c for c in state(demo_server, job)["clips"].values() if c["name"] == "Ebb")
    riff = next(c for c in state(demo_server, job)["clips"].values() if c["name"] == "Bell riff")
    edit(
        demo_server,
        job,
        kind="move_edge",
        clip_id=ebb["id"],
        side="tail",
        source_frame=ebb["tail_frame"] - RATE * 60 // 1000,
        hold="length",
    )
    edit(demo_server, job, kind="move_edge", clip_id=riff["id"], side="head", source_frame=0, hold="length")
    end = ebb["tail_frame"] - RATE * 60 // 1000
    edit(
        demo_server,
        job,
        kind="move_clips",
        clip_ids=[riff["id"]],
        by_frames=end - riff["origin_frame"],
        to_lane_id=ebb["lane_id"],
    )
    page.reload()
    settled(page)
    before = state(demo_server, job)
    to_edges(page)
    row(page, "Ebb").click()
    page.keyboard.press("n")  # to its tail, where the two meet
    page.keyboard.press("v")
    expect(page.get_by_label("join of Ebb and Bell riff")).to_be_visible()
    page.get_by_role("spinbutton", name="length of the crossfade").press("Enter")
    page.get_by_role("textbox", name="length of the crossfade").fill("200")
    page.keyboard.press("Enter")
    expect(page.get_by_role("alert")).to_contain_text("there are only 60 ms and 0 ms")
    expect(page.get_by_role("alert")).to_contain_text("60 ms fit after the cut")
    assert state(demo_server, job) == before


def test_a_selection_is_what_the_next_act_is_about(page: Page, demo_server: Server, job: str) -> None:
    def select() -> None:
        start, end = in_strip(page, 40), in_strip(page, 60)
        page.mouse.move(*start)
        page.mouse.down()
        page.mouse.move(*end, steps=4)
        page.mouse.up()

    def of_lane(job_state: dict[str, Any], lane_id: str) -> list[dict[str, Any]]:
        on_it = [c for c in job_state["clips"].values() if c["lane_id"] == lane_id]
        return sorted(on_it, key=lambda c: c["origin_frame"] + c["head_frame"])

    before = state(demo_server, job)
    ebb = next(c for c in before["clips"].values() if c["name"] == "Ebb")
    select()
    expect(page.get_by_text("selected 20.", exact=False).first).to_contain_text(before["lanes"][ebb["lane_id"]]["name"])
    page.keyboard.press("Delete")
    settled(page)
    cleared = state(demo_server, job)
    first, second = [c for c in of_lane(cleared, ebb["lane_id"]) if c["source_id"] == ebb["source_id"]][:2]
    hole = second["head_frame"] - first["tail_frame"]
    assert first["origin_frame"] == second["origin_frame"] == 0 and abs(hole - 20 * RATE) < RATE
    assert first["fade_out"]["origin"] == second["fade_in"]["origin"] == "auto"
    others = [c for c in before["clips"].values() if c["lane_id"] != ebb["lane_id"]]
    assert all(cleared["clips"][c["id"]] == c for c in others)
    page.keyboard.press("Control+z")
    settled(page)
    assert state(demo_server, job) == before

    page.keyboard.press("Control+c")
    page.get_by_role("textbox", name="place", exact=True).fill("4:10")
    page.keyboard.press("Enter")
    page.keyboard.press("Control+v")
    settled(page)
    pasted = of_lane(state(demo_server, job), ebb["lane_id"])[-1]
    assert pasted["origin_frame"] + pasted["head_frame"] == 250 * RATE
    assert (pasted["head_frame"], pasted["tail_frame"]) == (first["tail_frame"], second["head_frame"])
    page.keyboard.press("Control+z")
    settled(page)

    page.keyboard.press("Backspace")
    settled(page)
    closed = state(demo_server, job)
    left, right = [c for c in of_lane(closed, ebb["lane_id"]) if c["source_id"] == ebb["source_id"]][:2]
    assert right["origin_frame"] + right["head_frame"] == left["tail_frame"] == first["tail_frame"]
    assert [j["left_clip_id"] for j in closed["joins"].values()].count(left["id"]) == 1
    assert all(closed["clips"][c["id"]] == c for c in others)


def test_the_programme_is_sent_whatever_loops(page: Page, demo_server: Server, job: str) -> None:
    page.keyboard.press("3")
    for label, text in (("programme starts at", "0:08.8"), ("programme ends at", "3:12.8")):
        page.get_by_label(label, exact=True).fill(text)
        page.keyboard.press("Enter")
        settled(page)
    start, end = in_strip(page, 60), in_strip(page, 90)
    page.mouse.move(*start)
    page.mouse.down()
    page.mouse.move(*end, steps=4)
    page.mouse.up()
    page.keyboard.press("l")
    page.keyboard.press("4")
    page.get_by_role("radio", name="one file of the programme").click()
    expect(page.get_by_text("1 file, 3:04.000")).to_contain_text("the programme, from 0:08.800 to 3:12.800")
    page.get_by_role("button", name="Send", exact=True).click()
    expect(page.get_by_text("Sent:")).to_be_visible(timeout=60_000)
    with page.expect_download() as download:
        page.get_by_role("link", name="download").click()
    samples, rate = soundfile.read(io.BytesIO(download.value.path().read_bytes()))
    assert len(samples) == 184 * rate

    page.keyboard.press("3")
    page.get_by_label("programme ends at", exact=True).fill("3:10")
    page.keyboard.press("Enter")
    page.keyboard.press("4")
    page.get_by_role("radio", name="one file of the programme").click()
    page.get_by_role("button", name="the end mark cuts sound").click()  # one click away from its place
    expect(page.get_by_role("textbox", name="place", exact=True)).to_have_value("3:10.000")
    row(page, "Bell riff").click()
    page.keyboard.press("P")
    settled(page)
    marks = {m["kind"]: m["frame"] for m in state(demo_server, job)["marks"].values()}
    riff = next(c for c in state(demo_server, job)["clips"].values() if c["name"] == "Bell riff")
    assert marks == {
        "start": riff["origin_frame"] + riff["head_frame"],
        "end": riff["origin_frame"] + riff["tail_frame"],
    }


def test_a_riff_is_lined_up_with_a_bar_by_its_audio_or_by_moving_it(page: Page, demo_server: Server, job: str) -> None:
    riff = next(c for c in state(demo_server, job)["clips"].values() if c["name"] == "Bell riff")
    edit(demo_server, job, kind="set_sync", clip_id=riff["id"], frame=riff["origin_frame"] + 2 * RATE)
    page.reload()
    settled(page)
    page.keyboard.press("3")
    row(page, "Bell riff").click()
    page.get_by_label("time in").select_option("bars")
    bar = page.get_by_role("spinbutton", name="bar", exact=True)
    bar.press("Enter")
    page.get_by_role("textbox", name="bar", exact=True).fill("9")
    page.keyboard.press("Enter")
    for button, edges_stay in (("the audio inside", True), ("the clip", False)):
        page.get_by_role("button", name=button, exact=True).click()
        settled(page)
        moved = state(demo_server, job)["clips"][riff["id"]]
        assert moved["origin_frame"] + moved["sync_frame"] == 960_000
        starts = [clip["origin_frame"] + clip["head_frame"] for clip in (moved, riff)]
        assert (starts[0] == starts[1]) is edges_stay
        page.keyboard.press("Control+z")
        settled(page)


def test_clips_are_moved_by_name_and_lanes_muted_while_playing(page: Page, demo_server: Server, job: str) -> None:
    riff = next(c for c in state(demo_server, job)["clips"].values() if c["name"] == "Bell riff")
    x, y = in_strip(page, (riff["origin_frame"] + riff["head_frame"]) / RATE + 1.0, lane=1, on_name=True)
    page.mouse.move(x, y)
    page.mouse.down()
    page.mouse.move(x + 100, y, steps=4)
    page.mouse.move(*in_strip(page, 60, lane=0, on_name=True), steps=4)
    page.mouse.up()
    settled(page)
    moved = state(demo_server, job)["clips"][riff["id"]]
    assert moved["lane_id"] != riff["lane_id"] and moved["origin_frame"] > riff["origin_frame"]
    expect(page.get_by_role("list", name="overlaps")).to_contain_text("Overlaps Ebb for 7.500 s; their sum peaks at")
    page.keyboard.press("Control+z")
    settled(page)
    page.keyboard.press("N")  # asked for, a drag snaps: here to a beat, 30,000 frames each
    page.mouse.move(x, y)
    page.mouse.down()
    page.mouse.move(x + 101, y, steps=4)
    page.mouse.up()
    settled(page)
    snapped = state(demo_server, job)["clips"][riff["id"]]
    assert (snapped["origin_frame"] + snapped["head_frame"]) % 30_000 == 0 and snapped != riff
    page.keyboard.press("Control+z")
    settled(page)
    page.get_by_role("group", name="lane Piece").get_by_role("button", name="mute").click()
    settled(page)
    assert np.abs(rendered(demo_server, job, 0, 15 * RATE)).max() == 0.0
    row(page, "Bell riff").click()
    page.keyboard.press("c")
    until(page, "window.heard.length >= 3")
    page.keyboard.press("m")  # dropped where it sounds now, on the sound that is under it
    settled(page)
    page.keyboard.press(" ")
    (mark,) = state(demo_server, job)["marks"].values()
    assert mark["clip_id"] == riff["id"] and riff["head_frame"] <= mark["frame"] < riff["head_frame"] + 8 * RATE
    heard = page.evaluate("window.heard.slice(0, 2).map((block) => block.channels)")
    samples = np.concatenate([np.array(block, np.float32) for block in heard], axis=1)
    assert np.array_equal(
        samples, rendered(demo_server, job, riff["origin_frame"] + riff["head_frame"], samples.shape[1])
    )


def test_the_walk_goes_on_where_it_was_left(page: Page, demo_server: Server, job: str) -> None:
    page.mouse.click(*in_strip(page, 40))
    page.keyboard.press("t")
    settled(page)
    row(page, "Ebb 2").click()
    page.keyboard.press("d")  # 1 ms later: a gap opens, and its edges are there to be walked
    settled(page)
    ebb = next(c for c in state(demo_server, job)["clips"].values() if c["name"] == "Ebb 2")
    edit(demo_server, job, kind="move_clips", clip_ids=[ebb["id"]], by_frames=RATE, to_lane_id=None)
    page.reload()
    settled(page)
    page.keyboard.press("u")
    walk = page.get_by_label("walk", exact=True)
    expect(walk).to_contain_text("4 of 4 edges left")
    page.keyboard.press("i")
    settled(page)
    expect(walk).to_contain_text("3 of 4 edges left")
    page.reload()
    settled(page)
    page.keyboard.press("u")
    expect(walk).to_contain_text("3 of 4 edges left")
    page.keyboard.press("o")
    settled(page)
    expect(walk).to_contain_text("2 of 4 edges left, 1 sent back")


def test_a_join_is_walked_as_a_join(page: Page, demo_server: Server, job: str) -> None:
    page.mouse.click(*in_strip(page, 40))
    page.keyboard.press("t")
    settled(page)
    row(page, "Ebb 2").click()
    page.keyboard.press("x")
    settled(page)
    page.keyboard.press("u")
    settled(page)
    join = page.get_by_label("join of Ebb and Ebb 2")
    for _ in range(3):  # three edges: the riff's two, and the join
        if join.is_visible():
            break
        page.keyboard.press("i")
        settled(page)
    expect(join).to_be_visible()
    expect(page.get_by_label("walk", exact=True)).to_contain_text("of 3 edges left")


def test_everything_is_found_by_name_has_keys_of_ones_own_and_axe_is_content(
    page: Page, demo_server: Server, job: str
) -> None:
    page.keyboard.press("/")
    page.get_by_role("combobox", name="name of a command").fill("spectral")
    page.keyboard.press("Enter")
    settled(page)
    page.keyboard.press("?")
    key = page.get_by_role("button", name="key of add a mark")
    key.click()
    page.keyboard.press("9")
    expect(key).to_have_text("9")
    page.keyboard.press("Escape")
    page.keyboard.press("9")
    settled(page)
    assert [m["name"] for m in state(demo_server, job)["marks"].values()] == ["Section 1"]
    page.mouse.click(*in_strip(page, 40))
    page.keyboard.press("t")
    settled(page)
    for keys in ("3", "2", "v", "u"):
        page.keyboard.press(keys)
        page.wait_for_timeout(300)
        for theme in ("booth theme", "paper theme"):
            page.get_by_role("button", name=theme).click()
            page.evaluate(AXE.read_text())
            found = page.evaluate(SERIOUS)
            assert found == [], keys


def test_four_tails_move_together_and_keep_their_inner_ends_or_their_lengths(
    page: Page, demo_server: Server, job: str
) -> None:
    riff = next(c for c in state(demo_server, job)["clips"].values() if c["name"] == "Bell riff")
    for _ in range(3):
        edit(demo_server, job, kind="add_lane", name="Copy")
        lane = max(state(demo_server, job)["lanes"].values(), key=lambda lane: lane["position"])["id"]
        revision, before = call(f"{demo_server.url}/api/jobs/{job}")["revision"], state(demo_server, job)["clips"]
        edit(demo_server, job, kind="paste_clips", from_revision=revision, clip_ids=[riff["id"]], to_frame=0)
        (copy,) = state(demo_server, job)["clips"].keys() - before.keys()
        edit(demo_server, job, kind="move_clips", clip_ids=[copy], by_frames=0, to_lane_id=lane)
    page.reload()
    settled(page)
    to_edges(page)
    copies = [c for c in state(demo_server, job)["clips"].values() if c["source_id"] == riff["source_id"]]
    row(page, copies[0]["name"]).first.click()
    for n in range(1, 4):
        page.get_by_title("Bell riff", exact=False).and_(page.get_by_role("option")).nth(n).click(modifiers=["Control"])
    expect(page.get_by_role("heading", name="4 clips selected")).to_be_visible()

    def type_into(role: Any, name: str, text: str) -> None:
        field = page.get_by_role(role, name=name)
        field.press("Enter") if role == "spinbutton" else field.click()
        page.get_by_role("textbox", name=name).fill(text)
        page.keyboard.press("Enter")
        settled(page)

    def fades(side: str, fade: str) -> set[tuple[int, int]]:
        clips = state(demo_server, job)["clips"]
        return {(clips[c["id"]][f"{side}_frame"], clips[c["id"]][fade]["length_frames"]) for c in copies}

    type_into("spinbutton", "fade at the tail", "2 s")
    tail = riff["tail_frame"]
    assert fades("tail", "fade_out") == {(tail, 2 * RATE)}
    page.keyboard.press("y")  # hold the inner end
    type_into("textbox", "place of the tail", "-750ms")
    assert fades("tail", "fade_out") == {(tail - 3 * RATE // 4, 5 * RATE // 4)}
    type_into("textbox", "place of the tail", "-2s")
    expect(page.get_by_text("The tails stop after")).to_be_visible()
    while fades("tail", "fade_out") != {
        (tail, 2 * RATE)
    }:  # moves of one thing within a moment are one undo, for all four
        page.keyboard.press("Control+z")
        settled(page)
    page.keyboard.press("y")  # hold the length
    type_into("textbox", "place of the tail", "-750ms")
    assert fades("tail", "fade_out") == {(tail - 3 * RATE // 4, 2 * RATE)}
    page.keyboard.press("Control+z")
    settled(page)
    assert fades("tail", "fade_out") == {(tail, 2 * RATE)}


def test_leaving_drops_no_edit_and_a_finger_moves_no_clip(page: Page, demo_server: Server, job: str) -> None:
    page.get_by_role("option", name="Ebb", exact=False).first.click()
    before = state(demo_server, job)
    page.keyboard.press(".")
    settled(page)
    once = state(demo_server, job)
    (moved,) = [key for key, clip in once["clips"].items() if clip != before["clips"][key]]
    step = once["clips"][moved]["head_frame"] - before["clips"][moved]["head_frame"]
    assert step != 0

    # A slow server, five more, and away: all five arrive.
    page.evaluate(
        """() => { const fetched = window.fetch; window.fetch = async (url, init) => {
          if (String(url).endsWith("/edits")) await new Promise((go) => setTimeout(go, 300));
          return fetched(url, init); } }"""
    )
    for _ in range(5):
        page.keyboard.press(".")
    page.get_by_role("link", name="Wemble").click()
    expect(page.get_by_role("heading", name="Jobs")).to_be_visible()
    place = before["clips"][moved]["head_frame"] + 6 * step
    for _ in range(100):  # they go on arriving while the start page is there
        if (left := state(demo_server, job))["clips"][moved]["head_frame"] == place:
            break
        page.wait_for_timeout(50)
    assert left["clips"][moved]["head_frame"] == place

    # One click edits the job's name, and no key of it is a command.
    page.go_back()
    expect(page.get_by_label("strip")).to_be_visible()
    settled(page)
    page.get_by_role("banner").get_by_role("button", name=left["name"], exact=True).click()
    page.keyboard.type("sat.")
    page.keyboard.press("Enter")
    expect(page.get_by_role("banner").get_by_role("button", name="sat.", exact=True)).to_be_visible()
    expect(page.get_by_text("saved", exact=True)).to_be_visible()
    assert state(demo_server, job) == {**left, "name": "sat."}
    left = state(demo_server, job)

    # A finger over the clips scrolls, and edits nothing.
    x, y = in_strip(page, 20.0, on_name=True)
    finger = page.context.new_cdp_session(page)
    finger.send("Input.dispatchTouchEvent", {"type": "touchStart", "touchPoints": [{"x": x, "y": y}]})
    for n in range(1, 9):
        finger.send("Input.dispatchTouchEvent", {"type": "touchMove", "touchPoints": [{"x": x + 25 * n, "y": y}]})
    finger.send("Input.dispatchTouchEvent", {"type": "touchEnd", "touchPoints": []})
    settled(page)
    assert state(demo_server, job) == left
