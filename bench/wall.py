"""The head wall of 1,200 hits in the real browser: python bench/wall.py

How long the frames of scrolling are, beside those of an idle page, and how long from the pointer's move on a dragged number
to the picture of what it changes.
"""

from __future__ import annotations

import shutil
import sys
import time
from pathlib import Path

import numpy as np
from playwright.sync_api import Page, sync_playwright

sys.path.insert(0, str(Path(__file__).parents[1]))

from tests.browser.conftest import FLAGS
from tests.conftest import Server

from drawing import FRAMES, dragged
from kit_cost import brought_in, write
from wemble.actions.library import Library

HOME = Path("/tmp/wemble-bench/wall")
HITS = 1_200


def frames_while(page: Page, scrolls: bool) -> np.ndarray:
    handle = page.evaluate_handle(f"() => {{ window.frames_ = ({FRAMES})(4); }}")
    end, turn = time.perf_counter() + 3.8, 0
    while scrolls and time.perf_counter() < end:
        turn += 1
        page.mouse.wheel(0, 90 if turn // 60 % 2 == 0 else -90)
    handle.dispose()
    return np.array(page.evaluate("() => window.frames_"))


def main() -> None:
    shutil.rmtree(HOME, ignore_errors=True)
    (HOME / "files").mkdir(parents=True)
    library = Library(HOME / "home", workers=2)
    library.start()
    brought_in(library, write(HOME / "files", HITS))
    library.close()
    server = Server(HOME / "home")
    try:
        with sync_playwright() as playwright:
            browser = playwright.chromium.launch(executable_path="/usr/bin/chromium", headless=True, args=FLAGS)
            page = browser.new_page(viewport={"width": 1280, "height": 800})
            page.goto(server.url)
            page.get_by_role("link", name="Kit").click()
            page.get_by_text(f"{HITS} hits").first.wait_for(timeout=120_000)
            page.get_by_text("Air in front", exact=False).last.wait_for(timeout=120_000)
            page.wait_for_timeout(3_000)
            box = page.get_by_role("listbox", name="heads of the hits").bounding_box()
            assert box
            page.mouse.move(box["x"] + 200, box["y"] + 100)
            for name, scrolls in (("idle", False), ("scrolling", True)):
                times = frames_while(page, scrolls)
                print(f"{name}: {len(times)} frames, 95 % {np.percentile(times, 95):.1f} ms  (asked ≤ 17 ms)")
            for name in ("start under the peak", "end over the floor"):
                times = dragged(page, name, 30)
                print(
                    f"{name} dragged over {HITS} hits: median {np.median(times):.0f} ms, 95 % {np.percentile(times, 95):.0f} ms"
                )
            browser.close()
    finally:
        server.kill()
        shutil.rmtree(HOME)


if __name__ == "__main__":
    main()
