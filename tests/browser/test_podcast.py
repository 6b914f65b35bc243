"""An episode through the real interface: *Low Water 7*, from two lanes to an MP3 with chapters, and back after a restart."""

from __future__ import annotations

import zipfile
from pathlib import Path

import mutagen
import numpy as np
from playwright.sync_api import Page, expect
from tests.browser.test_flow import call, compare_with_render, hear, serious, settled, type_number
from tests.conftest import Server

from wemble.core.signal.levels import from_db


def lanes_of(server: Server, job_id: str) -> dict[str, dict[str, object]]:
    job = call(f"{server.url}/api/jobs/{job_id}")["job"]
    return {lane["name"]: lane for lane in job["lanes"].values()}


def test_two_lanes_become_an_episode_that_is_heard_and_sent(page: Page, demo_server: Server, tmp_path: Path) -> None:
    page.goto(demo_server.url)
    page.get_by_role("link", name="Low Water 7").first.click()
    job_id = page.url.rsplit("/", 1)[1]

    # Find: what a lane hears of the other is left out, and quiet cannot be closed up on one lane alone.
    expect(page.get_by_label("Leave out what a lane hears of the others")).to_be_checked()
    expect(page.get_by_role("radio", name="close pauses", exact=False)).to_have_count(0)
    page.get_by_role("button", name="Apply", exact=True).click()
    expect(page.get_by_role("button", name="Applied")).to_be_disabled()
    settled(page)

    # Shape: how loud they are, and one act; the count-in goes and a second is left; gaps close as long as was said.
    page.keyboard.press("2")
    voices = page.get_by_role("region", name="voices")
    expect(voices).to_contain_text("−19.0 LUFS", timeout=30_000)
    expect(voices).to_contain_text("−22.5 LUFS")
    voices.get_by_role("button", name="Even out").click()
    expect(voices).not_to_contain_text("−22.5 LUFS")
    assert lanes_of(demo_server, job_id)["Guest"]["gain_db"] == 3.5
    page.get_by_role("button", name="Cut to the talk").click()
    settled(page)
    type_number(page, "longest gap", "0.8")
    settled(page)
    gaps = page.get_by_role("region", name="gaps in the talk")
    said = gaps.locator("[aria-live=polite]").inner_text()
    gaps.get_by_role("button", name="Close gaps").click()
    expect(gaps).to_contain_text("No gap is longer")
    serious(page, "the talk")

    # The opening that was kept from the last episode takes the place of the lead.
    page.get_by_label("opening", exact=True).select_option(label="Low Water opening, 18.0 s")
    page.get_by_role("button", name="Put in front").click()
    expect(page.get_by_text("level was matched to the voices", exact=False)).to_be_visible()
    marks = call(f"{demo_server.url}/api/jobs/{job_id}")["job"]["marks"].values()
    assert abs(min(mark["frame"] for mark in marks) - 18 * 48_000) < 0.2 * 48_000
    assert "in all" in said

    # Mixed down and limited: one lane sounds, and what is played is what is rendered.
    page.get_by_role("button", name="Mix down to a new lane").click()
    expect(page.get_by_text("lies on a lane of its own", exact=False)).to_be_visible(timeout=60_000)
    lanes = lanes_of(demo_server, job_id)
    assert {name for name, lane in lanes.items() if lane["muted"]} == {"Host", "Guest", "Opening"}
    page.get_by_role("option", name="Mix", exact=False).first.click()
    blocks = hear(page, "w", 2)
    compare_with_render(blocks, demo_server, job_id)
    assert max(np.abs(block["channels"]).max() for block in blocks) <= from_db(-4.0)

    # Sent: the rate is told beforehand; the file says what it is, and holds no sample over.
    page.keyboard.press("4")
    page.get_by_label("rate", exact=True).select_option("44100")
    page.get_by_label("tags", exact=True).check()
    page.get_by_label("title", exact=True).fill("Low Water 7")
    expect(page.get_by_label("checks before sending")).to_contain_text("converted from 48,000 to 44,100 Hz")
    settled(page)
    sentence = page.get_by_text("MP3 at a constant 192 kb/s", exact=False).first.inner_text()
    page.get_by_role("button", name="measure what the encoder gives back").click()
    expect(page.get_by_text("Decoded again", exact=False)).to_have_count(1, timeout=90_000)
    page.get_by_role("button", name="Send", exact=True).click()
    expect(page.get_by_text("Decoded again", exact=False)).to_have_count(2, timeout=90_000)
    assert page.get_by_text("samples clipped", exact=False).count() == 0
    with page.expect_download() as download:
        page.get_by_role("link", name="download 3 files", exact=False).click()
    download.value.save_as(tmp_path / "all.zip")

    with zipfile.ZipFile(tmp_path / "all.zip") as archive:
        archive.extractall(tmp_path)
    info = mutagen.File(tmp_path / "Low Water 7.mp3")
    assert (info.info.sample_rate, info.info.channels, info.info.bitrate) == (44_100, 1, 192_000)
    minutes, seconds = sentence.split(", ")[1].split(":")
    assert abs(info.info.length - 60 * int(minutes) - float(seconds)) < 0.05
    assert info.tags["TIT2"].text == ["Low Water 7"] and len(info.tags.getall("CHAP")) == 3
    assert (tmp_path / "Low Water 7.vtt").read_text().startswith("WEBVTT")

    # Opened again, undo goes back to two lanes that sound.
    page.reload()
    settled(page)
    page.get_by_role("button", name="undo").first.click()
    settled(page)
    after = lanes_of(demo_server, job_id)
    assert "Mix" not in after and not any(lane["muted"] for lane in after.values())
