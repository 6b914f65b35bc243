"""Takes the pictures in docs/screenshots anew from the demo data: python docs/take_screenshots.py

Run it when a view has changed, and look at what it took.
"""

from __future__ import annotations

import sys
import tempfile
from pathlib import Path

from playwright.sync_api import Page, sync_playwright

sys.path.insert(0, str(Path(__file__).parents[1]))

from tests.browser.conftest import FLAGS
from tests.conftest import Server

from wemble.actions.library import Library
from wemble.demo.build import add_demo

HERE = Path(__file__).parent / "screenshots"


def take(page: Page, name: str) -> None:
    page.wait_for_timeout(900)
    page.screenshot(path=HERE / f"{name}.png")


def main() -> None:
    home = Path(tempfile.mkdtemp())
    library = Library(home, workers=1)
    library.start()
    add_demo(library, print)
    library.close()
    server = Server(home)
    with sync_playwright() as playwright:
        browser = playwright.chromium.launch(executable_path="/usr/bin/chromium", headless=True, args=FLAGS)
        page = browser.new_page(viewport={"width": 1280, "height": 800})
        page.goto(server.url)
        page.get_by_role("link", name="Audio guide").wait_for()
        take(page, "start")
        page.get_by_role("link", name="Audio guide").click()
        page.get_by_role("option", name="Ferry bell, crack").click()
        page.get_by_role("spinbutton", name="threshold").focus()
        page.keyboard.press("Shift+ArrowUp")
        page.get_by_role("radio", name="close pauses up to").click()
        take(page, "find")
        page.reload()
        page.get_by_role("option", name="Tide table, chalk").click()
        page.keyboard.press("2")
        tail = page.get_by_role("region", name="tail of Tide table, chalk")
        tail.get_by_role("combobox", name="shape of the fade at the tail").select_option("equal_power")
        tail.get_by_role("spinbutton", name="fade at the tail").click()
        tail.get_by_role("textbox", name="fade at the tail").fill("80")
        page.keyboard.press("Enter")
        page.get_by_role("button", name="dismiss").or_(
            page.get_by_role("heading", name="Shape the edges")
        ).first.click()
        take(page, "shape")
        page.keyboard.press("4")
        page.get_by_role("button", name="Send", exact=True).click()
        page.get_by_role("link", name="download 39 files").wait_for()
        take(page, "send")
        walk_and_hear(page)
        by_hand(page, server.url)
        drums(page, server.url)
        release(page, server.url)
        podcast(page, server.url)
        show(page, server.url)
        browser.close()
    server.kill()


def podcast(page: Page, url: str) -> None:
    page.goto(url)
    page.get_by_role("link", name="Low Water 7").click()
    page.get_by_label("Leave out what a lane hears of the others").wait_for()
    page.get_by_role("button", name="Apply", exact=True).wait_for()
    page.wait_for_timeout(1500)
    take(page, "whose-sound")
    page.get_by_role("button", name="Apply", exact=True).click()
    page.wait_for_timeout(1500)
    page.keyboard.press("2")
    page.get_by_text("LUFS").first.wait_for(timeout=30_000)
    page.get_by_role("button", name="Even out").click()
    page.wait_for_timeout(500)
    take(page, "voices")
    page.get_by_role("button", name="Cut to the talk").click()
    page.wait_for_timeout(800)
    page.get_by_label("opening", exact=True).select_option(label="Low Water opening, 18.0 s")
    page.get_by_role("spinbutton", name="overlap of the opening").click()
    page.get_by_role("textbox", name="overlap of the opening").fill("4")
    page.keyboard.press("Enter")
    page.get_by_role("button", name="Put in front").click()
    page.wait_for_timeout(800)
    page.get_by_role("button", name="Turn down", exact=False).first.click()
    page.wait_for_timeout(800)
    page.keyboard.press("4")
    page.get_by_label("tags", exact=True).check()
    page.get_by_label("title", exact=True).fill("Low Water 7")
    page.get_by_role("button", name="Send", exact=True).click()
    page.get_by_text("Decoded again").wait_for(timeout=60_000)
    take(page, "episode")


def walk_and_hear(page: Page) -> None:
    page.keyboard.press("2")
    page.keyboard.press("u")
    page.wait_for_timeout(1200)
    page.keyboard.press("i")
    take(page, "walk")
    page.keyboard.press("u")


def by_hand(page: Page, url: str) -> None:
    """Slack Tide: cut, crossed, marked, and seen by its spectrum."""
    page.goto(url)
    page.get_by_role("link", name="Slack Tide", exact=True).click()
    page.get_by_title("Ebb (double-click to rename)").wait_for()
    page.keyboard.press("3")
    page.keyboard.press("0")
    for label, text in (("programme starts at", "0:08.8"), ("programme ends at", "3:12.8")):
        page.get_by_label(label, exact=True).fill(text)
        page.keyboard.press("Enter")
    strip = page.get_by_role("region", name="strip").locator("canvas").bounding_box()
    assert strip
    for part, key in ((0.3, "m"), (0.62, "m"), (0.45, "t"), (0.75, "t")):
        page.mouse.click(strip["x"] + part * strip["width"], strip["y"] + 120)
        page.keyboard.press(key)
        page.wait_for_timeout(400)
    take(page, "mark")
    page.keyboard.press("2")
    page.get_by_role("tab", name="edges of the pieces").click()
    page.get_by_title("Ebb 2 (double-click to rename)").click()
    page.keyboard.press("x")
    length = page.get_by_role("spinbutton", name="length of the crossfade")
    length.press("Enter")
    page.get_by_role("textbox", name="length of the crossfade").fill("80")
    page.keyboard.press("Enter")
    page.keyboard.press("v")
    page.keyboard.press("[")
    page.keyboard.press("[")
    take(page, "join")


def release(page: Page, url: str) -> None:
    """The record: its tracks, two of which overlap, and the disc; then a song for the radio."""
    page.goto(url)
    page.get_by_role("link", name="Slack Tide, the record").click()
    page.get_by_role("button", name="Apply", exact=True).click()
    page.get_by_role("button", name="Applied").wait_for()
    page.keyboard.press("2")
    page.get_by_role("button", name="make a track of every piece").click()
    page.get_by_role("button", name="Running In", exact=True).click()
    page.get_by_role("button", name="lay over the last by").click()
    page.get_by_text("runs on, one boundary").wait_for()
    page.get_by_role("button", name="Running In", exact=True).click()
    page.get_by_role("button", name="put on disc frames").click()
    page.wait_for_timeout(500)
    page.get_by_role("button", name="measure loudness").click()
    page.get_by_text("LUFS").first.wait_for(timeout=60_000)
    page.get_by_role("option", name="Running In").click()
    page.keyboard.press("0")
    page.keyboard.press("v")
    take(page, "tracks")
    page.keyboard.press("v")
    page.get_by_label("place", exact=True).fill("0:05.0")
    page.keyboard.press("Enter")
    page.keyboard.press("Shift+I")
    page.keyboard.press("4")
    page.get_by_label("title", exact=True).fill("Slack Tide")
    page.get_by_label("by", exact=True).fill("Ferry House")
    page.get_by_label("a file for each track").select_option("flac_16")
    take(page, "disc")
    page.goto(url)
    page.get_by_role("link", name="Lantern Song").click()
    page.locator("[role=listbox] [role=option]").nth(0).click()
    page.keyboard.press("3")
    for point, place in (("next may overlap", "0:17.5"), ("ends", "0:24.0")):
        page.get_by_role("button", name=f"set “{point}” at the cursor").click()
        page.get_by_label(f"place of “{point}”").fill(place)
        page.keyboard.press("Enter")
        page.wait_for_timeout(300)
    page.keyboard.press("0")
    take(page, "on-air")


def drums(page: Page, url: str) -> None:
    """The Boatyard kit: its wall, and a loop's seam beside the test bench."""
    page.goto(url)
    page.get_by_role("link", name="Boatyard kit").click()
    page.get_by_text("18 sets, 35 files").wait_for()
    page.get_by_role("option", name="Tar bucket soft").click()
    take(page, "wall")
    page.get_by_role("button", name="Apply", exact=True).click()
    page.get_by_role("button", name="Applied").wait_for()
    page.get_by_role("option", name="Oil drum hard").click()
    page.keyboard.press("3")
    page.get_by_role("list", name="seams to choose from").get_by_role("button").first.click()
    pattern = page.get_by_role("table", name="pattern of sixteen steps").get_by_role("switch")
    for step in (0, 4, 8, 12, 16 + 2, 16 + 6, 16 + 10, 16 + 14, 48, 56):
        pattern.nth(step).click()
    page.wait_for_timeout(1500)
    take(page, "seam")


def show(page: Page, url: str) -> None:
    """The Night Crossing: its running order with a loop and a copy, a split song with events, the checks, the performance."""
    page.goto(url)
    page.get_by_role("link", name="The Night Crossing").click()
    order = page.get_by_role("grid", name="running order")
    order.get_by_text("River", exact=True).first.click()
    page.keyboard.press("2")
    page.get_by_role("button", name="add a copy").click()
    page.wait_for_timeout(500)
    page.get_by_role("button", name="add an echo").nth(1).click()
    page.wait_for_timeout(500)
    page.get_by_role("region", name="loop of the cue").scroll_into_view_if_needed()
    page.get_by_role("region", name="the same sound again").scroll_into_view_if_needed()
    take(page, "running-order")
    order.get_by_text("Lantern Song 2", exact=True).first.click()
    page.keyboard.press("3")
    take(page, "split")
    page.keyboard.press("4")
    page.get_by_role("button", name="goes on sounding, unheard").click()
    take(page, "before-the-show")
    page.get_by_role("link", name="Run the show").click()
    page.get_by_role("button", name="sound on").click()
    page.get_by_role("button", name="GO").wait_for()
    for wait in (700, 700, 4_500, 6_000, 900):
        page.keyboard.press("Enter")
        page.wait_for_timeout(wait)
    page.keyboard.press("Enter")
    take(page, "run")


if __name__ == "__main__":
    main()
