"""A record and a song for the radio through the real interface: tracks, disc, image; on-air points and a hand-over, heard."""

from __future__ import annotations

import struct
import zipfile
from pathlib import Path

import numpy as np
import soundfile
from playwright.sync_api import Page, expect
from tests.browser.test_flow import compare_with_render, hear, serious, settled, type_number
from tests.conftest import Server
from tests.killer import call

from wemble.actions.delivery.release import ReleasePreview


def preview(server: Server, job_id: str) -> dict[str, object]:
    """Return what the release would be, as the server says it."""
    revision = call(f"{server.url}/api/jobs/{job_id}")["revision"]
    body = {"revision": revision, "request": {"files": "wav_16", "title": "Slack Tide"}}
    answer = call(f"{server.url}/api/jobs/{job_id}/release/preview", "POST", body)["preview"]
    assert set(answer) == set(ReleasePreview.__dataclass_fields__)
    return answer  # type: ignore[no-any-return]


def test_five_mixes_become_a_disc(page: Page, demo_server: Server, tmp_path: Path) -> None:
    page.goto(demo_server.url)
    page.get_by_role("link", name="Slack Tide, the record").click()
    job_id = page.url.rsplit("/", 1)[1]

    # Find: one programme a recording, named after it; the threshold has no say.
    expect(page.get_by_text("its last ring-out meets the floor", exact=False)).to_be_visible()
    page.get_by_role("button", name="Apply", exact=True).click()
    expect(page.get_by_role("button", name="Applied")).to_be_disabled()
    settled(page)

    # Tracks: two seconds apart, one gap of 3.4; the fourth laid over the third by 5 s; all on disc frames.
    page.keyboard.press("2")
    page.get_by_role("button", name="make a track of every piece").click()
    settled(page)
    rows = page.get_by_role("list", name="tracks").get_by_role("listitem")
    expect(rows).to_have_count(5)
    rows.nth(0).drag_to(rows.nth(2))  # by mouse, and back again
    settled(page)
    expect(rows.nth(0)).to_contain_text("Mooring")
    page.keyboard.press("Control+z")
    settled(page)
    expect(rows.nth(0)).to_contain_text("Low Ebb")
    page.get_by_role("button", name="Mooring", exact=True).click()
    type_number(page, "gap before track 2", "3.4")
    settled(page)
    page.get_by_role("textbox", name="ISRC of track 2").fill("QZ-A1B-26-00002")
    page.keyboard.press("Enter")
    settled(page)
    page.get_by_role("button", name="Running In", exact=True).click()
    page.get_by_role("button", name="lay over the last by").click()
    settled(page)
    expect(page.get_by_text("runs on, one boundary")).to_be_visible()
    before = preview(demo_server, job_id)["tracks"]
    page.get_by_role("button", name="Mooring", exact=True).click()
    page.get_by_role("button", name="move it and all behind by").click()
    settled(page)
    after = preview(demo_server, job_id)["tracks"]
    moved = [round(b["start_s"] - a["start_s"], 2) for a, b in zip(before, after, strict=True)]  # type: ignore[call-overload]
    assert moved[0] == 0.0 and all(abs(one - 1.0) <= 1 / 75 for one in moved[1:])
    page.get_by_role("button", name="put on disc frames").click()
    settled(page)
    page.get_by_role("button", name="measure loudness, peaks, ends").click()
    expect(rows.first).to_contain_text("LUFS", timeout=60_000)
    expect(page.get_by_text("nothing out of place")).to_be_visible()
    serious(page, "tracks")

    # Across a boundary by key: what is heard is what is rendered, the gap in it.
    compare_with_render(hear(page, "Shift+J", 1), demo_server, job_id)
    expect(page.get_by_role("button", name="play", exact=True)).to_be_visible(timeout=10_000)

    # Order by keys, and back; a track of 3 s is named by the check, a click from its place.
    page.get_by_role("button", name="move Mooring up").click()
    settled(page)
    expect(rows.first).to_contain_text("Mooring")
    page.get_by_role("button", name="undo").first.click()
    settled(page)
    expect(rows.first).to_contain_text("Low Ebb")
    page.get_by_label("place", exact=True).fill("0:05.0")
    page.keyboard.press("Enter")
    page.wait_for_function("document.activeElement !== document.body")  # the desk has the focus, and the keys, again
    page.keyboard.press("Shift+I")
    settled(page)
    expect(page.get_by_role("list", name="disc checks")).to_contain_text("is 3.0")
    page.get_by_role("button", name="undo").first.click()
    settled(page)

    # Sent: image, cue sheet and files from one pass; joined they are the image.
    page.keyboard.press("4")
    page.get_by_label("title", exact=True).fill("Slack Tide")
    page.get_by_label("a file for each track").select_option("wav_16")
    settled(page)
    serious(page, "release")
    page.get_by_role("button", name="Send", exact=True).click()
    expect(page.get_by_text("Sent:", exact=False)).to_be_visible(timeout=90_000)
    with page.expect_download() as download:
        page.get_by_role("link", name="download 10 files", exact=False).click()
    download.value.save_as(tmp_path / "all.zip")
    with zipfile.ZipFile(tmp_path / "all.zip") as archive:
        archive.extractall(tmp_path)
    image = soundfile.read(tmp_path / "Slack Tide.wav", dtype="int16")[0]
    joined = [soundfile.read(path, dtype="int16")[0] for path in sorted(tmp_path.glob("0*.wav"))]
    assert len(joined) == 5 and (np.concatenate(joined) == image).all()
    assert "ISRC QZA1B2600002" in (tmp_path / "Slack Tide.cue").read_text()


def test_a_song_is_ready_for_the_radio(page: Page, demo_server: Server, tmp_path: Path) -> None:
    """*Lantern Song* follows a promo of 24.0 s whose music ends at 17.5: it starts 6.5 s before the promo is over."""
    page.goto(demo_server.url)
    page.get_by_role("link", name="Lantern Song").click()
    job_id = page.url.rsplit("/", 1)[1]
    promo, song = (page.locator("[role=listbox] [role=option]").nth(n) for n in (0, 1))
    expect(song).to_be_visible()
    settled(page)
    page.keyboard.press("3")
    points = page.get_by_role("list", name="on-air points")

    def at(point: str, place: str) -> None:
        """Set a point, and type where it lies in its clip."""
        page.get_by_role("button", name=f"set “{point}” at the cursor").click()
        settled(page)
        page.get_by_label(f"place of “{point}”").fill(place)
        page.keyboard.press("Enter")
        settled(page)

    promo.click()
    page.keyboard.press("Enter")  # the cursor to the clip
    at("next may overlap", "0:17.5")
    at("ends", "0:24.0")
    song.click()
    page.keyboard.press("Enter")
    page.get_by_role("button", name="propose", exact=True).click()
    settled(page)
    expect(points).to_contain_text("proposed")
    for point, place in (
        ("begins", "0:00.84"),
        ("singing begins", "0:14.2"),
        ("hook", "0:48"),
        ("next starts", "2:03.1"),
    ):
        at(point, place)
    page.get_by_label("end of the hook").fill("1:03.5")
    page.keyboard.press("Enter")
    settled(page)
    page.get_by_role("button", name="propose", exact=True).click()
    settled(page)
    expect(page.get_by_label("place of “next starts”")).to_have_value("2:03.100")
    serious(page, "on air")

    # Played from a point, with the countdown; then the two as they follow each other.
    played = hear(page, "5", 1)
    expect(page.get_by_text("until singing")).to_be_visible()
    compare_with_render(played, demo_server, job_id)
    page.keyboard.press("Space")
    promo.click()
    expect(page.get_by_text("6.500 s", exact=False)).to_be_visible(timeout=10_000)
    page.evaluate("window.heard.length = 0")
    page.get_by_role("button", name="hear the hand-over").click()
    page.wait_for_timeout(800)
    assert page.evaluate("window.heard.length") >= 1
    page.keyboard.press("Escape")

    # Out as WAV: the timers lie where the standard has them.
    page.keyboard.press("4")
    page.get_by_role("tab", name="single files").click()
    settled(page)
    page.get_by_role("button", name="Send", exact=True).click()
    expect(page.get_by_text("Sent:", exact=False)).to_be_visible(timeout=90_000)
    with page.expect_download() as download:
        page.get_by_role("link", name="download 3 files", exact=False).click()
    download.value.save_as(tmp_path / "all.zip")
    with zipfile.ZipFile(tmp_path / "all.zip") as archive:
        archive.extractall(tmp_path)
    data = next(tmp_path.glob("*Lantern Song.wav")).read_bytes()
    body = data[data.index(b"cart") + 8 :]
    timers = dict(struct.unpack_from("<4sI", body, 684 + 8 * n) for n in range(8))
    assert timers[b"AUDs"] == round(0.84 * 44_100) and timers[b"INTe"] == round(14.2 * 44_100)
    assert timers[b"EOD "] == round(123.1 * 44_100) and timers[b"HOKe"] == round(63.5 * 44_100)
    assert "17.500" in (tmp_path / "on-air points.csv").read_text()
